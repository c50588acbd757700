"""Does it fit, in the application: the order of a plan, its search, taking it, planting it,
and the weeks it feeds.
"""

from __future__ import annotations

import io
import json
import time
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
import pytest
from django.core.management import call_command
from django.urls import reverse
from django.utils import timezone

from kilter.core.compare.land import LandEquivalent
from kilter.core.fit.limits import broken
from kilter.core.fit.order import fresh_years, problem_of
from kilter.core.fit.problem import Beside, Limits, lay_out
from kilter.ground.models import Part, Place
from kilter.next_year.fit import actions, intercropping, running
from kilter.next_year.fit.drawing_years import changed_from, changes
from kilter.next_year.fit.giving_up import binds
from kilter.next_year.fit.intercropping import Paid, beside_of, kept
from kilter.next_year.fit.ordering import HALF_KEY, as_sure, ordered
from kilter.next_year.fit.places import places_of
from kilter.next_year.fit.plots import against_words, grounds_of, slot_of
from kilter.next_year.fit.process import Best, begin, heard, search, told
from kilter.next_year.fit.shown import shown
from kilter.next_year.fit.weeks import FRESH, LACKING, STORED, Ribbon, ribbons
from kilter.next_year.garden import garden as plan_garden
from kilter.next_year.garden import habits_of, usual_plan
from kilter.people.history import Actor, undo
from kilter.plans.models import FitState, PlannedCrop, PlannedPlanting, Spot, half_month
from kilter.plans.queries import waiting_plantings
from kilter.set_out.models import Crop, PlantCount, Planting
from kilter.set_out.planned import planned_in
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.land.queries import SharedBed, SharingAnswer
from tests.conftest import html_of
from tests.web.test_plans import planned, words


@pytest.fixture(autouse=True)
def _bed_of_one_piece(request):
    """The garden's bed without the part that it has elsewhere."""
    if "garden" in request.fixturenames:
        request.getfixturevalue("garden").part.delete()


@pytest.fixture
def fitted(garden):
    """A plan of one crop in a garden of a bed and some crates, fitted."""
    planned(garden, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    plan = usual_plan(garden.household)
    found = ordered(garden.household, plan)
    laid = lay_out(problem_of(found.order))
    best = told(laid, fresh_years(found.order), begin(laid, 1, {})[0], is_done=True)
    return plan, found, laid, best


@pytest.mark.parametrize(
    ("day", "slot"),
    [
        (date(2027, 1, 1), 0),
        (date(2027, 1, 16), 1),
        (date(2027, 12, 31), 23),
        (date(2026, 11, 3), 0),
        (date(2028, 2, 1), 23),
    ],
)
def test_half_months_of_a_season(day, slot):
    assert slot_of(day, 2027) == slot
    assert half_month(2027, 24) == date(2028, 1, 1)
    assert half_month(2027, 3) == date(2027, 2, 16)


def test_a_plan_becomes_an_order_that_keeps_to_the_ground(fitted, garden):
    _, found, laid, best = fitted
    plants = np.zeros(len(laid.crop))
    for option, amount in best.plants.items():
        plants[option] = amount
    assert [one.name for one in found.order.wanted] == [garden.crop.name]
    assert best.reached[0] > 0
    assert broken(laid, plants) == []
    line = {"plants": {"3": 2.0}, "reached": [1], "sure": [0.5], "all_sure": 0.5, "worth": 0.9}
    line |= {"ceiling": 1.0, "tries": 4, "is_done": False}
    assert heard(json.dumps(line).encode()).plants == {3: 2.0}


def test_a_place_kept_free_or_forbidden_is_not_planted(fitted, garden):
    plan, found, _, _ = fitted
    assert {ground.plot.name for ground in found.grounds} >= {str(garden.bed)}
    Spot.objects.create(household=garden.household, plan=plan, place=garden.bed)
    free = ordered(garden.household, plan)
    assert str(garden.bed) not in {ground.plot.name for ground in free.grounds}
    Spot.objects.all().delete()
    Spot.objects.create(
        household=garden.household, plan=plan, crop=garden.crop, place=garden.bed, says="only"
    )
    only = ordered(garden.household, plan)
    assert {only.grounds[one.plot].plot.name for one in only.order.options} == {str(garden.bed)}
    Spot.objects.all().update(says="never")
    never = ordered(garden.household, plan)
    assert str(garden.bed) not in {never.grounds[one.plot].plot.name for one in never.order.options}


def test_what_stands_and_what_stood_are_in_the_way(garden):
    """A perennial holds its share of the bed all year; the family of last year should rest."""
    for one in Planting.objects.of(garden.household):
        one.finished_on = date(2026, 8, 1)
        one.save()
    bed = garden.bed
    Planting.objects.create(
        household=garden.household,
        place=bed,
        crop=garden.crop,
        season=2025,
        is_perennial=True,
        share=0.25,
    )
    ground = next(
        one for one in grounds_of(garden.household, 2027, []).plots if one.places[0] == bed
    )
    assert ground.plot.taken == pytest.approx([bed.area_m2 / 4] * 24)
    pots = next(one for one in grounds_of(garden.household, 2027, []).plots if one.plot.is_pots)
    stood = {p.place_id for p in garden.plantings if p.season == 2026}
    assert sum(amount for _, amount in pots.plot.rest) == len(
        stood & {place.pk for place in pots.places}
    )


def test_a_bed_is_fitted_part_by_part(client, garden):
    """A third of the bed is one part; what stands in it takes none of the rest.

    The rest is a place of its own.
    """
    bed = garden.bed
    end = Part.objects.create(
        household=garden.household, place=bed, name="north end", start=0, end=1 / 3
    )
    Planting.objects.create(
        household=garden.household,
        place=bed,
        part=end,
        crop=garden.crop,
        season=2025,
        is_perennial=True,
    )
    first, rest = (
        one for one in grounds_of(garden.household, 2027, []).plots if one.places[0] == bed
    )
    assert (first.plot.name, rest.plot.name) == (f"{bed}, north end", f"{bed}, the rest")
    assert first.plot.size == pytest.approx(bed.area_m2 / 3)
    assert rest.plot.size == pytest.approx(bed.area_m2 * 2 / 3)
    assert (first.plot.taken[5], rest.plot.taken[5]) == (pytest.approx(bed.area_m2 / 3), 0)
    planned(garden, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    plan = usual_plan(garden.household)
    plan.save()
    one = PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=bed,
        part=end,
        plants=30,
        start=4,
        end=9,
    )
    page = words(client.get(reverse("next_year:planned")))
    assert "north end: 30 plants" in page
    (line,) = planned_in(garden.household, 2027)
    assert line.spots == (f"part-{end.pk}",)
    assert f'value="part-{end.pk}" checked' in html_of(
        client.get(f"{reverse('set_out:new')}?{line.asked}")
    )
    actions.save_planting(Actor(garden.household, garden.owner), one)
    found = ordered(garden.household, plan)
    (at,) = dict(found.order.pinned)
    assert found.grounds[found.order.options[at].plot].part == end
    Planting.objects.filter(part=end).update(part=None)
    spread = [one for one in grounds_of(garden.household, 2027, []).plots if one.places[0] == bed]
    assert [one.plot.taken[5] for one in spread] == pytest.approx(
        [bed.area_m2 / 3, bed.area_m2 * 2 / 3]
    )
    other = Part.objects.create(
        household=garden.household, place=bed, name="across", start=0.2, end=0.9
    )
    assert (
        len([one for one in grounds_of(garden.household, 2027, []).plots if one.places[0] == bed])
        == 1
    )
    other.delete()
    asked = {"place": bed.pk, "part": end.pk, "plants": 8, "start": 4, "end": 9}
    elsewhere = Place.objects.of(garden.household).exclude(pk=bed.pk).first()
    said = client.post(
        reverse("next_year:planned_planting", args=[one.pk]), {**asked, "place": elsewhere.pk}
    )
    assert f"This part is of {bed}, not of {elsewhere}." in words(said)
    client.post(reverse("next_year:planned_planting", args=[one.pk]), asked)
    one.refresh_from_db()
    assert (one.plants, one.part) == (8, end)


def test_what_did_badly_after_what_stood_there_had_better_stand_elsewhere(garden):
    """Twice shallots gave 33 g a plant after a pea and 78 elsewhere in that year;
    now a pea left the bed last.
    """
    pea = Crop.objects.create(household=garden.household, name="pea")
    for crate in garden.crates[:2]:
        early = {
            "season": 2025,
            "planted_on": date(2025, 2, 1),
            "finished_on": date(2025, 5, 1),
            "units": 9,
        }
        Planting.objects.create(household=garden.household, place=crate, crop=pea, **early)
    for crate, grams in zip(garden.crates, (300, 300, 900, 900), strict=True):
        late = {
            "season": 2025,
            "planted_on": date(2025, 5, 2),
            "finished_on": date(2025, 9, 1),
            "units": 9,
        }
        planting = Planting.objects.create(
            household=garden.household, place=crate, crop=garden.crop, **late
        )
        WeighIn.objects.create(
            household=garden.household,
            planting=planting,
            weighed_on=date(2025, 9, 1),
            grade="table",
            mass_mg=grams * 1000,
            count=9,
        )
    bed = {
        "season": 2026,
        "planted_on": date(2026, 3, 1),
        "finished_on": date(2026, 7, 1),
        "units": 9,
    }
    Planting.objects.create(household=garden.household, place=garden.bed, crop=pea, **bed)
    ground = next(
        one for one in grounds_of(garden.household, 2027, []).plots if one.places[0] == garden.bed
    )
    assert dict(ground.plot.rest)["shallot"] == ground.plot.size
    assert (
        against_words(ground, "", "shallot") == "after pea it gave 43 in 100 of its usual, 2 times"
    )
    pots = next(one for one in grounds_of(garden.household, 2027, []).plots if one.plot.is_pots)
    assert "shallot" not in dict(pots.plot.rest)


def test_company_is_said_kept_and_told(client, garden):
    """Shallots and peas in one bed; then alone.

    A wish that makes no sense is told so beside its field.
    """
    planned(garden, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    pea = Crop.objects.create(household=garden.household, name="pea")
    planned(garden, crop=pea, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    url = reverse("next_year:add_spot")
    crop = {"crop": garden.crop.pk}
    for asked, problem in (
        ({**crop, "says": "with"}, "Say which crop it is to share its bed with."),
        ({**crop, "says": "with", "other": garden.crop.pk}, "That is the same crop."),
        ({**crop, "says": "only"}, "Say in which place."),
        ({"says": "alone"}, "Say which crop it is."),
    ):
        assert problem in words(client.post(url, asked))
    client.post(url, {**crop, "says": "with", "other": pea.pk, "place": garden.bed.pk})
    (said,) = Spot.objects.of(garden.household)
    assert (str(said), said.place) == ("shallot in one bed with pea", None)
    found = ordered(garden.household, usual_plan(garden.household))
    names = [row.crop.name for row in found.rows]
    (beside,) = found.order.beside
    assert {names[beside.crop], names[beside.other]} == {"shallot", "pea"}
    laid = lay_out(problem_of(found.order))
    plants = np.zeros(len(laid.crop))
    at_once = [
        (o, p) for o in laid.of_crop[0] for p in laid.of_crop[1] if laid.plot[o] == laid.plot[p]
    ]
    o, p = next(
        pair
        for pair in at_once
        if laid.is_bed[pair[0]] and (laid.there[pair[0]] * laid.there[pair[1]]).any()
    )
    plants[[o, p]] = laid.least[[o, p]]
    assert "share a bed" in kept(laid, plants)[0]
    said.says, said.other = "alone", None
    said.save()
    found = ordered(garden.household, usual_plan(garden.household))
    assert found.order.beside == (Beside(names.index("shallot")),)
    laid = lay_out(problem_of(found.order))
    assert kept(laid, plants) == ["shallot shares a bed for a while"]
    plants[o if names[0] == "pea" else p] = 0
    assert kept(laid, plants) == ["shallot stands alone"]


def test_crops_that_needed_less_ground_together_are_put_together(garden, monkeypatch):
    """Where the land equivalent ratio is surely above one;
    what is to stand alone stays alone all the same.
    """
    pea = Crop.objects.create(household=garden.household, name="pea")
    pair = Paid(("pea", "shallot"), "1-2", 1.3, 1.1, 1.5)
    assert beside_of([], [pair], [garden.crop, pea]) == (Beside(0, 1),)
    alone = Spot(crop=pea, says="alone")
    assert beside_of([alone], [pair], [garden.crop, pea]) == (Beside(1),)
    wished = Spot(crop=pea, other=garden.crop, says="with")
    assert beside_of([wished], [pair], [garden.crop, pea]) == (Beside(0, 1),), (
        "said twice, it counts once"
    )
    bed = SharedBed((pea, garden.crop), 2)
    answer = SharingAnswer(
        bed,
        LandEquivalent(shares=(), total=1.3, low=1.1, high=1.5, chance=0.99, df=4, verdict="clear"),
        "",
        (),
        (),
    )
    monkeypatch.setattr(intercropping, "shared_beds", lambda _: [bed])
    monkeypatch.setattr(intercropping, "sharing_pays", lambda *_: answer)
    assert [one.words for one in intercropping.paid(garden.household, [garden.crop, pea])] == [
        "pea and shallot"
    ]
    assert intercropping.paid(garden.household, [pea]) == []
    unsure = replace(answer, found=replace(answer.found, low=0.9))
    monkeypatch.setattr(intercropping, "sharing_pays", lambda *_: unsure)
    assert intercropping.paid(garden.household, [garden.crop, pea]) == []


def test_a_fit_is_taken_shown_by_place_planted_and_undone(client, garden, fitted):
    plan, found, _, best = fitted
    actor = Actor(garden.household, garden.owner)
    actions.take(actor, found, best.plants)
    taken = list(PlannedPlanting.objects.of(garden.household))
    assert sum(one.plants for one in taken) == sum(best.plants.values())
    assert len({one.place_id for one in taken if not one.place.is_bed}) == sum(
        not one.place.is_bed for one in taken
    )
    page = words(client.get(reverse("next_year:planned")))
    assert all(one.name in page for one in places_of(taken, habits_of(garden.household)))
    listed = words(client.get(reverse("set_out:index") + "?season=2027"))
    assert f"From the plan, still to set out: {len(planned_in(garden.household, 2027))}" in listed
    first = taken[0]
    line = next(
        one for one in planned_in(garden.household, 2027) if f"place-{first.place_id}" in one.spots
    )
    asked = html_of(client.get(f"{reverse('set_out:new')}?{line.asked}"))
    assert f'value="{first.plants}"' in asked
    assert all(f'value="{spot}" checked' in asked for spot in line.spots)
    planting = Planting.objects.create(
        household=garden.household,
        place=first.place,
        crop=garden.crop,
        season=2027,
        units=first.plants,
    )
    first.planting = planting
    first.save()
    actions.take(actor, ordered(garden.household, plan), {})  # what is set out stays
    assert [one.pk for one in PlannedPlanting.objects.of(garden.household)] == [first.pk]


def test_a_fit_that_was_taken_is_undone(garden, fitted):
    plan, found, _, best = fitted
    actor = Actor(garden.household, garden.owner)
    change = actions.take(actor, found, best.plants)
    assert change.says == f"The fit is in the plan {plan}."
    undo(actor, change)
    assert not PlannedPlanting.objects.of(garden.household).exists()


def test_a_planting_in_a_planned_place_is_linked_in_the_same_change(client, garden, fitted):
    plan, _, _, _ = fitted
    one = PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=garden.bed,
        plants=4,
        start=6,
        end=12,
    )
    sent = {
        "units": 4,
        "unit_kind": "set",
        "crop_name": garden.crop.name,
        "planted": "2027-04-02",
        "season": 2027,
    }
    client.post(reverse("set_out:new"), sent | {"places": f"place-{garden.bed.pk}"})
    one.refresh_from_db()
    assert one.planting is not None
    assert one.planting.units == 4
    again = client.post(reverse("set_out:new"), sent | {"places": f"place-{garden.bed.pk}"})
    assert again.status_code == 302
    one.refresh_from_db()
    assert (
        one.planting
        == Planting.objects.of(garden.household).filter(season=2027).order_by("pk").first()
    )


def test_too_much_in_a_place_is_said_and_allowed(garden, fitted):
    plan, _, _, _ = fitted
    mine = {"household": garden.household, "plan": plan, "crop": garden.crop}
    PlannedPlanting.objects.create(**mine, place=garden.bed, plants=5000, start=6, end=12)
    for start in (4, 8):
        PlannedPlanting.objects.create(
            **mine, place=garden.crates[0], plants=5, start=start, end=start + 6
        )
    PlannedPlanting.objects.create(**mine, place=garden.crates[2], plants=9, start=4, end=9)
    found = {
        one.name: one.problem
        for one in places_of(PlannedPlanting.objects.all(), habits_of(garden.household))
    }
    assert "from early April more stands here than there is plot for" in found[str(garden.bed)]
    assert "stand in it at once from early May" in found[str(garden.crates[0])]
    assert (
        found[str(garden.crates[2])] == "9 plants of shallot are more than it holds (7)"
    )  # 5 in 30 L, 45 L


def test_what_is_pinned_is_worked_around(garden, fitted):
    plan, found, _, _ = fitted
    option = found.order.options[0]
    PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=found.grounds[option.plot].places[0],
        plants=2,
        start=option.start,
        end=option.end,
        is_pinned=True,
    )
    again = ordered(garden.household, plan)
    assert [amount for _, amount in again.order.pinned] == [2.0]
    laid = lay_out(problem_of(again.order))
    at = again.order.pinned[0][0]
    assert begin(laid, 1, {})[0].worth.plants[at] == 2.0


def test_a_search_says_what_it_finds_until_nobody_listens(fitted, monkeypatch):
    _, found, _, best = fitted
    said: list[Best] = []
    monkeypatch.setattr("kilter.next_year.fit.process.NICE", 0)
    search(found.order, dict(best.plants), said.append, lambda: len(said) < 1)
    assert said
    assert said[-1].worth >= best.worth - 1e-9
    assert said[-1].gap >= 0


def test_the_page_tells_where_it_stands(client, garden, fitted, monkeypatch):
    plan, found, _, best = fitted
    page = words(client.get(reverse("next_year:fit")))
    assert "Fit it into the ground" in page
    actions.keep_best(plan.pk, found.key, best)
    page = words(client.get(reverse("next_year:fit")))
    assert "Look for a better one" in page
    assert "Something every week" in page
    assert f"{best.tries} tries" in page
    help_ = words(client.get(reverse("next_year:fit_more")))
    assert "One more bed" in help_ or "Ten more containers" in help_
    took = client.post(reverse("next_year:take_fit"))
    assert took.status_code == 302
    assert PlannedPlanting.objects.of(garden.household).exists()
    FitState.objects.update(rests_on="another")  # the plan was changed meanwhile
    assert "Look for a better one" not in words(client.get(reverse("next_year:fit")))


def test_nothing_to_fit_is_said(client, garden):
    took = client.post(reverse("next_year:take_fit"), follow=True)
    assert "Let it be fitted first." in words(took)
    assert "Fit it into the ground" in words(client.get(reverse("next_year:fit")))
    Place.objects.of(garden.household).update(
        volume_l=None, length_m=None
    )  # none of a size that is known
    page = words(client.get(reverse("next_year:fit")))
    assert "Nothing can be fitted yet" in page
    assert "Left out, as their size is not known: Ours bed" in page
    begun = client.post(reverse("next_year:start_fit"), follow=True)
    assert "No place is left" in words(begun) or "Nothing is wanted yet" in words(begun)


@pytest.mark.django_db(transaction=True)
def test_a_search_in_a_process_of_its_own_is_stopped_and_stored(client, garden):
    planned(garden, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    client.post(reverse("next_year:start_fit"))
    plan = usual_plan(garden.household)
    key = ordered(garden.household, plan).key
    until = time.monotonic() + 60
    while running.best_of(garden.household.pk, key) is None and time.monotonic() < until:
        time.sleep(0.1)
    assert running.best_of(garden.household.pk, key) is not None
    client.post(reverse("next_year:stop_fit"))
    while running.is_running(garden.household.pk, key) and time.monotonic() < until:
        time.sleep(0.1)
    state = FitState.objects.get(plan=plan)
    assert state.rests_on == key
    assert state.plants


@pytest.mark.django_db(transaction=True)
def test_at_most_two_searches_run_at_once_and_the_third_says_that_it_waits(client, garden):
    planned(garden, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    for _ in range(running.MOST_AT_ONCE):
        assert running._turns.acquire(blocking=False)
    try:
        client.post(reverse("next_year:start_fit"))
        key = ordered(garden.household, usual_plan(garden.household)).key
        assert running.is_waiting(garden.household.pk, key)
        assert "Yours begins when one of them is done" in words(
            client.get(reverse("next_year:fit"))
        )
    finally:
        running._turns.release()
    until = time.monotonic() + 60
    while running.is_waiting(garden.household.pk, key) and time.monotonic() < until:
        time.sleep(0.05)
    assert not running.is_waiting(garden.household.pk, key)
    assert "Yours begins" not in words(client.get(reverse("next_year:fit")))
    running.stop(garden.household.pk)
    while running.is_running(garden.household.pk, key) and time.monotonic() < until:
        time.sleep(0.05)
    assert not running.is_running(garden.household.pk, key)
    assert running._turns.acquire(blocking=False), "its turn is given back"
    for _ in range(running.MOST_AT_ONCE):
        running._turns.release()


@pytest.mark.django_db(transaction=True)
def test_a_search_that_waits_can_be_stopped(client, garden):
    planned(garden, servings_per_week=2, serving_g=100, weeks=10, certainty=50)
    for _ in range(running.MOST_AT_ONCE):
        assert running._turns.acquire(blocking=False)
    try:
        client.post(reverse("next_year:start_fit"))
        key = ordered(garden.household, usual_plan(garden.household)).key
        client.post(reverse("next_year:stop_fit"))
        until = time.monotonic() + 10
        while running.is_running(garden.household.pk, key) and time.monotonic() < until:
            time.sleep(0.05)
        assert not running.is_running(garden.household.pk, key)
    finally:
        for _ in range(running.MOST_AT_ONCE):
            running._turns.release()


def test_weeks_by_hand():
    weeks = (STORED,) * 3 + (LACKING,) * 2 + (FRESH,) * 4 + ("",) * 2 + (LACKING,)
    one = Ribbon(name="leek", weeks=weeks, kg=(0.0,) * len(weeks))
    assert (one.covered, one.wanted, one.longest_gap) == (7, 10, 2)
    assert [piece.how for piece in one.pieces] == ["stored", "lacking", "fresh", "lacking"]


def test_the_bands_say_poor_and_good_years():
    """A poor year covers two weeks of the four that the usual one does;
    a good one another beside.
    """
    weeks = (FRESH, FRESH, STORED, STORED, LACKING)
    one = Ribbon(
        name="leek",
        weeks=weeks,
        kg=(0.0,) * 5,
        poor=(True, True, False, False, False),
        good=(True,) * 5,
    )
    assert [(piece.x, piece.width, piece.how) for piece in one.bands] == [
        (0, 400, "poor"),
        (800, 200, "good"),
    ]


def test_what_stays_over_years_is_reckoned_with_and_takes_its_room(client, garden, fitted):
    """Nine strawberries that were lifted from 10 to 30 June;
    in their plan it says how far they go.
    """
    berry = Crop.objects.create(household=garden.household, name="strawberry")
    planned(garden, crop=berry, servings_per_week=2, serving_g=100, weeks=4, certainty=50)
    plan = usual_plan(garden.household)
    assert "strawberry (it stays where it stands, and none of it does yet)" in words(
        client.get(reverse("next_year:fit"))
    )
    stands = Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=berry,
        season=2025,
        is_perennial=True,
        units=9,
        share=0.5,
    )
    for day in (date(2026, 6, 10), date(2026, 6, 30)):
        WeighIn.objects.create(
            household=garden.household,
            planting=stands,
            weighed_on=day,
            grade="table",
            mass_mg=900_000,
        )
    (one,) = ordered(garden.household, plan).lasting
    assert (one.plants, one.where) == (9, "Ours bed")
    gone = PlantCount.objects.create(
        household=garden.household, planting=stands, day=date(2026, 4, 1), kind="died", count=2
    )
    assert ordered(garden.household, plan).lasting[0].plants == 7, "what died gives nothing"
    gone.delete()
    assert (one.window.lift_from, one.window.lift_to) == (date(2027, 6, 10), date(2027, 6, 30))
    need_kg, (sure_kg,) = one.row.needed.lift_kg, one.row.one_plant.span_kg(9, 0.5)
    assert one.reached == pytest.approx(min(sure_kg / need_kg, 1))
    found = ordered(garden.household, plan)
    weeks = ribbons(found, {}, problem_of(found.order).draws, {})[-1]
    assert weeks.name == "strawberry"
    assert sum(weeks.kg) == pytest.approx(min(sure_kg, need_kg), rel=0.05)
    client.post(reverse("next_year:start_fit"))
    client.post(reverse("next_year:stop_fit"))
    assert "Ours bed, over years" in words(client.get(reverse("next_year:fit")))


def test_the_map_says_what_stands_where_on_a_half_month(client, garden, fitted):
    plan = fitted[0]
    at_all = Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=garden.crop,
        season=2025,
        is_perennial=True,
        share=0.25,
    )
    PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=garden.crates[1],
        plants=9,
        start=5,
        end=13,
    )
    url = reverse("next_year:planned_map")
    then = words(client.get(url, {"slot": 5}))
    assert "Late March" in then
    assert "Ours crate 2: 9 shallot" in then
    assert "Ours bed: shallot, there already" in then
    assert "9 shallot" not in words(client.get(url, {"slot": 14}))
    at_all.finished_on = date(2026, 8, 1)
    at_all.save()
    assert "nothing stands anywhere" in words(client.get(url, {"slot": 20}))
    assert "Early January" in words(client.get(url, {"slot": "soon"}))
    Place.objects.of(garden.household).update(x_m=None, y_m=None)
    unplaced = html_of(client.get(url, {"slot": 5}))
    assert "<figure" not in unplaced
    assert "Ours crate 2: 9 shallot" in unplaced, "in words where nothing is on the map"


def test_a_slider_of_the_fit_is_tried_while_it_moves_and_saved_when_it_rests(
    client, garden, fitted, monkeypatch
):
    plan, found, _, best = fitted
    actions.begun(Actor(garden.household, garden.owner), plan)
    actions.keep_best(plan.pk, found.key, best)
    url = reverse("next_year:fit_sure", args=[garden.crop.pk])
    beside = {"headers": {"HX-Request": "true"}}
    said = words(client.get(url, {"certainty": 95}, **beside))
    assert "of 95 %" in said
    assert "Mended at once" in said
    assert "→" in said, "what moved is marked"
    assert PlannedCrop.objects.get().certainty == 50, "nothing is written yet"
    assert client.get(url, {"certainty": 95}).status_code == 302
    assert client.get(url, {"certainty": 7}, **beside).status_code == 302
    said = words(client.post(url, {"certainty": 95}, **beside))
    assert PlannedCrop.objects.get().certainty == 95
    assert "Undo" in said
    assert "Something was changed, and the fit mended around it" in said
    said = words(client.post(url, {"certainty": "7"}, **beside))
    assert "greater than or equal to 50" in said
    assert PlannedCrop.objects.get().certainty == 95
    after = ordered(garden.household, plan)
    monkeypatch.setattr(running, "best_of", lambda *_: changed_from(after, best.plants))
    monkeypatch.setattr(running, "is_running", lambda *_: True)
    said = words(client.get(reverse("next_year:fit")))
    assert "Better ones are sought" in said
    assert "Something was changed" in said, (
        "what moved is still to be read while better ones are sought"
    )
    own = as_sure(found, garden.crop.pk, 80)
    assert own.rows[0].said.certainty == 80
    assert own.order.wanted[0].need_kg == found.order.wanted[0].need_kg
    assert as_sure(found, 0, 80) is found


def test_the_weeks_of_a_fit_add_up_to_what_is_lifted(garden, fitted):
    """What is eaten in a year is no more than the fit gives in that year, and something is."""
    _, found, laid, best = fitted
    page = shown(found, best, plan_garden(garden.household))
    eaten = sum(page.ribbons[0].kg)
    given = max(sum(laid.problem.draws[o] * amount for o, amount in best.plants.items()))
    assert 0 < eaten <= given + 1e-9
    assert page.rows[0].plants == sum(best.plants.values())


def test_the_command_says_what_stands_where(garden, fitted):
    _, _, _, best = fitted
    said = io.StringIO()
    call_command("next_year", household="Ours", fit=True, json=True, tries=0, stdout=said)
    crops = json.loads(said.getvalue())["crops"]
    assert [one["crop"] for one in crops] == [garden.crop.name]
    assert sum(at["plants"] for at in crops[0]["standing"]) == sum(best.plants.values())
    table = io.StringIO()
    call_command("next_year", household="Ours", fit=True, tries=0, stdout=table)
    assert f"{best.reached[0] * 100:.0f} %" in table.getvalue()


def test_a_planned_planting_is_found_by_its_crop_and_place(client, garden, fitted):
    plan, _, _, _ = fitted
    PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=garden.bed,
        plants=4,
        start=6,
        end=12,
    )
    found = words(client.get(reverse("find:index"), {"q": f"{garden.crop.name} bed"}))
    assert "shallot, 4 in Ours bed" in found


def test_after_a_change_the_nearest_fit_is_there_at_once_and_says_what_moved(
    client, garden, fitted
):
    """Stored for 50 %, asked for 95 %: more of the crop,
    and the page says from how many to how many.
    """
    plan, found, _, best = fitted
    actions.keep_best(plan.pk, found.key, best)
    PlannedCrop.objects.update(certainty=95)
    after = ordered(garden.household, plan)
    assert after.key != found.key
    assert after.key[:HALF_KEY] == found.key[:HALF_KEY]
    nearest = changed_from(after, best.plants)
    assert sum(nearest.plants.values()) > sum(best.plants.values())
    assert changes(after, best.plants, nearest.plants)
    page = words(client.get(reverse("next_year:fit")))
    assert "Something was changed" in page
    assert f"{garden.crop.name}: " in page


def test_a_moved_planting_stays_and_the_rest_gives_way(garden, fitted):
    """By hand: nine plants are moved into a crate and pinned;
    so many fewer of the crop stand elsewhere.
    """
    plan, found, laid, best = fitted
    crate = next(
        o for o, one in enumerate(found.order.options) if found.grounds[one.plot].plot.is_pots
    )
    option = found.order.options[crate]
    each = float(laid.unit[crate])
    PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=found.grounds[option.plot].places[0],
        plants=each,
        start=option.start,
        end=option.end,
        is_pinned=True,
    )
    after = ordered(garden.household, plan)
    nearest = changed_from(after, best.plants)
    at = after.order.pinned[0][0]
    assert nearest.plants[at] == each
    assert sum(nearest.plants.values()) <= sum(best.plants.values()) + each
    assert nearest.reached[0] >= 0.98


def test_the_calendar_says_where_each_is_planted(client, garden, fitted):
    """Nine plants in each of two crates and four in the bed, as the plan has it;
    what is set out is not said again.
    """
    plan, _, _, _ = fitted
    mine = {"household": garden.household, "plan": plan, "crop": garden.crop, "start": 6, "end": 12}
    for place, plants in ((garden.crates[0], 9), (garden.crates[1], 9), (garden.bed, 4)):
        PlannedPlanting.objects.create(**mine, place=place, plants=plants)
    page = words(client.get(reverse("next_year:calendar")))
    assert "Ours bed: 4, early April; Ours crate 1–2: 9 each, early April" in page
    PlannedPlanting.objects.filter(place=garden.bed).update(planting=garden.plantings[0])
    assert "Ours bed: 4" not in words(client.get(reverse("next_year:calendar")))


def test_a_week_says_what_is_eaten_then(client, garden, fitted):
    plan, found, _, best = fitted
    actions.keep_best(plan.pk, found.key, best)
    page = shown(found, best, plan_garden(garden.household))
    week = next(i for i, how in enumerate(page.ribbons[0].weeks) if how)
    said = words(client.get(reverse("next_year:fit_week"), {"week": week}))
    assert f"The week of {date(2027, 1, 1) + timedelta(weeks=week):%-d %B}" in said
    assert garden.crop.name in said
    assert "nothing is wanted" in words(client.get(reverse("next_year:fit_week"), {"week": "x"}))


def test_the_shopping_list_is_for_what_was_taken(client, garden, fitted):
    """The plan alone asks for its own number;
    a fit of 7 plants that was taken asks for seven sets.
    """
    plan, _, _, _ = fitted
    before = words(client.get(reverse("next_year:shopping_csv")))
    PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=garden.bed,
        plants=7,
        start=6,
        end=12,
    )
    after = words(client.get(reverse("next_year:shopping_csv")))
    assert before != after
    assert "shallot,sets,7," in after


def test_what_got_nothing_in_the_fit_is_named_beside_the_list(client, garden, fitted):
    """The plan's number stands, and it says that the fit that was taken has none of it."""
    _, found, _, best = fitted
    pea = Crop.objects.create(household=garden.household, name="pea")
    planned(garden, crop=pea, own_plants=30, servings_per_week=1, serving_g=50, weeks=5)
    assert "is in the fit that was taken" not in words(client.get(reverse("next_year:shopping")))
    actions.take(Actor(garden.household, garden.owner), found, best.plants)
    berry = Crop.objects.create(household=garden.household, name="strawberry")
    planned(garden, crop=berry, own_plants=20, servings_per_week=1, serving_g=50, weeks=5)
    assert "Nothing of pea is in the fit that was taken" in words(
        client.get(reverse("next_year:shopping"))
    )


def test_single_pots_are_allotted_and_no_plant_is_lost(garden, fitted):
    """Four crates: two early and three late, so a late one follows an early one;
    what stands keeps its crate.
    """
    _, found, _, _ = fitted
    pots = next(p for p, ground in enumerate(found.grounds) if ground.plot.is_pots)
    mine = [o for o, one in enumerate(found.order.options) if one.plot == pots]
    option = found.order.options[mine[0]]
    each = round(1 / option.use)
    early = replace(option, start=2, end=8)
    late = replace(option, start=9, end=14)
    order = replace(found.order, options=(early, late), spots=found.order.spots[:2])
    ground = replace(found.grounds[pots], held=((garden.crates[0].pk, 5),))
    made = replace(
        found,
        order=order,
        grounds=(*found.grounds[:pots], ground, *found.grounds[pots + 1 :]),
        windows=found.windows[:2],
    )
    actions.take(Actor(garden.household, garden.owner), made, {1: 3.0 * each, 0: 2.0 * each})
    taken = PlannedPlanting.objects.of(garden.household)
    assert sum(one.plants for one in taken) == 5 * each
    assert garden.crates[0].pk not in set(taken.filter(start=2).values_list("place_id", flat=True))
    assert taken.filter(start=9).values("place_id").distinct().count() == 3


def test_one_pot_that_something_is_said_of_stands_apart(garden, fitted):
    plan, _, _, _ = fitted
    Spot.objects.create(
        household=garden.household, plan=plan, crop=garden.crop, place=garden.crates[2], says="only"
    )
    found = ordered(garden.household, plan)
    plots = {found.grounds[one.plot].places for one in found.order.options}
    assert plots == {(Place.objects.get(pk=garden.crates[2].pk),)}


def test_what_is_set_out_already_is_eaten_too(garden, fitted):
    """Nine sets stand for the season: the fit looks for less, and the weeks count their harvest."""
    plan, found, _, _ = fitted
    before = found.order.wanted[0].need_kg
    Planting.objects.create(
        household=garden.household,
        place=garden.crates[3],
        crop=garden.crop,
        season=2027,
        units=9,
        planted_on=date(2026, 11, 1),
    )
    after = ordered(garden.household, plan)
    row = after.rows[0]
    assert after.order.wanted[0].need_kg == pytest.approx(before - 9 * row.one_plant.median_kg)
    alone = ribbons(after, {}, problem_of(after.order).draws, {})[0]
    assert 0 < sum(alone.kg) <= row.one_plant.span_kg(9, 0.5)[0] + 1e-9


def test_what_is_in_the_way_is_the_limit_that_binds(garden, fitted):
    """Work is noted at 10 minutes a plant: with one minute a week it is the work;
    with plenty it is not.
    """
    _, found, _, _ = fitted
    options = tuple(replace(one, minutes=10.0) for one in found.order.options)
    for minutes, says in ((1, "your ceiling on work"), (100_000, None)):
        order = replace(found.order, options=options, limits=Limits(minutes_a_week=minutes))
        laid = lay_out(problem_of(order))
        said = binds(replace(found, order=order), laid, {})
        assert said[0] == says if says else "ceiling" not in said[0]


def test_a_planting_that_was_struck_waits_again(client, garden, fitted):
    plan, _, _, _ = fitted
    planting = Planting.objects.create(
        household=garden.household, place=garden.bed, crop=garden.crop, season=2027
    )
    PlannedPlanting.objects.create(
        household=garden.household,
        plan=plan,
        crop=garden.crop,
        place=garden.bed,
        plants=4,
        start=6,
        end=12,
        planting=planting,
    )
    assert not waiting_plantings(plan).exists()
    Planting.objects.filter(pk=planting.pk).update(struck_at=timezone.now())
    assert waiting_plantings(plan).count() == 1
