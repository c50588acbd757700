"""Plans: several beside each other, one the plan; frozen promises held against harvests;
sheets, wishes, who may.
"""

from __future__ import annotations

import csv
import io
import math
from dataclasses import replace
from datetime import date

import icalendar
import pytest
from django.urls import reverse

from kilter.core.plan.appetite import WeekEaten
from kilter.look_back.season import Season
from kilter.next_year.dates import in_turn
from kilter.next_year.garden import garden as plan_garden
from kilter.next_year.held import held_of
from kilter.next_year.rows import row, rows
from kilter.people.models import Change, Role
from kilter.plans.models import Plan, PlannedCrop, Shelf, Wish
from kilter.plans.queries import plan_for, season_to_plan
from kilter.set_out.models import Crop, PlantCount, Planting, SeedLot, Variety
from kilter.weigh_in.models import WeighIn
from tests.conftest import TODAY, html_of, member, plant, signed_in
from tests.web.routes import fill_larder
from tests.web.test_next_year_and_today import plan


def words(response) -> str:
    return " ".join(html_of(response).split())


def planned(garden, **said) -> PlannedCrop:
    """The crop in the plan for 2027."""
    the_plan, _ = Plan.objects.get_or_create(
        household=garden.household, season=2027, is_chosen=True
    )
    return PlannedCrop.objects.create(
        household=garden.household, plan=the_plan, **{"crop": garden.crop, **said}
    )


@pytest.mark.parametrize(
    ("day", "season"),
    [(date(2026, 6, 30), 2026), (date(2026, 7, 1), 2027), (date(2027, 1, 5), 2027)],
)
def test_the_coming_season_is_planned_from_july_on(day, season):
    assert season_to_plan(day) == season


def test_the_first_word_makes_the_plan_and_a_copy_is_a_draft_beside_it(client, garden):
    client.post(reverse("next_year:crop", args=[garden.crop.pk]), plan(certainty=80))
    the_plan = plan_for(garden.household, 2027)
    assert (the_plan.is_chosen, the_plan.crops.get().certainty) == (True, 80)
    client.post(reverse("next_year:copy_plan"), {"name": "Modest"})
    draft = Plan.objects.of(garden.household).get(name="Modest")
    assert not draft.is_chosen
    assert draft.crops.get().certainty == 80
    refused = client.post(reverse("next_year:copy_plan"), {"name": "Modest"})
    assert refused.status_code == 422
    assert "There is a plan called Modest for 2027 already." in html_of(refused)
    address = reverse("next_year:crop", args=[garden.crop.pk]) + f"?plan={draft.pk}"
    client.post(address, plan(certainty=50, servings_per_week=1))
    beside = words(client.get(reverse("next_year:plans")))
    (usual,), (modest,) = rows(garden.household, the_plan), rows(garden.household, draft)
    assert usual.plants > modest.plants
    assert f"{usual.plants} for" in beside
    assert f"{modest.plants} for" in beside
    client.post(reverse("next_year:choose_plan", args=[draft.pk]))
    assert plan_for(garden.household, 2027) == draft
    assert Plan.objects.of(garden.household).filter(is_chosen=True).count() == 1
    client.post(reverse("next_year:strike_plan", args=[draft.pk]))
    assert plan_for(garden.household, 2027) == the_plan


def test_helpers_draft_and_owners_accept(client, garden):
    planned(garden)
    helper = signed_in(member(garden.household, "Wren", Role.HELPER))
    address = reverse("next_year:crop", args=[garden.crop.pk])
    for route, said in (
        (address, plan(certainty=90)),
        (reverse("next_year:sure", args=[garden.crop.pk]), {"certainty": 90}),
    ):
        assert "you may begin another one here" in words(helper.post(route, said, follow=True))
    assert PlannedCrop.objects.get().certainty == 50
    assert helper.post(reverse("next_year:copy_plan"), {"name": "Wren's"}).status_code == 302
    draft = Plan.objects.of(garden.household).get(name="Wren's")
    assert helper.post(f"{address}?plan={draft.pk}", plan(certainty=90)).status_code == 302
    assert draft.crops.get().certainty == 90
    for route in ("choose_plan", "freeze"):
        assert helper.post(reverse(f"next_year:{route}", args=[draft.pk])).status_code == 403
    assert "disabled" in html_of(helper.get(reverse("next_year:index")))
    assert client.post(reverse("next_year:choose_plan", args=[draft.pk])).status_code == 302
    helper.post(f"{address}?plan={draft.pk}", plan(certainty=60))
    assert draft.crops.get().certainty == 90


def test_a_plan_of_another_household_or_of_nobody_is_not_found(client, garden, other):
    theirs = Plan.objects.create(household=other.household, season=2027)
    for asked in (theirs.pk, 999_999, "x", "9" * 40):
        assert client.get(reverse("next_year:index"), {"plan": asked}).status_code == 404


def test_a_frozen_promise_stays_as_it_was_and_says_what_was_changed_later(client, garden):
    one = planned(garden, certainty=80)
    client.post(reverse("next_year:freeze", args=[one.plan_id]))
    one.refresh_from_db()
    (row,) = rows(garden.household)
    assert (one.frozen_on, one.promised_plants) == (TODAY, row.plants)
    assert one.promised_need_kg == pytest.approx(row.needed.lift_kg)
    assert (
        one.promised_tenth_kg
        < one.promised_fifth_kg
        < one.promised_half_kg
        < one.promised_ninetieth_kg
    )
    # 80 % sure of the need: what comes in eight years of ten at least
    assert one.promised_fifth_kg == pytest.approx(one.promised_need_kg, rel=0.05)
    client.post(
        reverse("next_year:crop", args=[garden.crop.pk]), plan(servings_per_week=9, certainty=80)
    )
    one.refresh_from_db()
    assert one.promised_plants == row.plants
    page = words(client.get(reverse("next_year:crop", args=[garden.crop.pk])))
    assert f"{row.plants} plants for" in page
    assert "The plan for shallot is changed." in page
    client.post(reverse("next_year:freeze", args=[one.plan_id]))
    one.refresh_from_db()
    assert one.promised_plants == row.plants  # what is frozen is not frozen anew


def test_the_first_planting_of_a_crop_keeps_its_promise_and_undone_it_does_not(client, garden):
    one = planned(garden, certainty=50)
    other = PlannedCrop.objects.create(
        household=garden.household,
        plan=one.plan,
        crop=Crop.objects.create(household=garden.household, name="leek"),
    )
    said = {
        "crop_name": "shallot",
        "units": 9,
        "unit_kind": "set",
        "planted": "20 October 2026",
        "season": 2027,
    }
    answer = client.post(
        reverse("set_out:new"), said | {"places": [f"place-{garden.bed.pk}"]}, follow=True
    )
    assert "is set out in" in html_of(answer)
    assert Planting.objects.of(garden.household).filter(season=2027).count() == 1
    one.refresh_from_db()
    other.refresh_from_db()
    assert (one.frozen_on, one.promised_plants > 0, other.frozen_on) == (TODAY, True, None)
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    one.refresh_from_db()
    assert one.frozen_on is None


def test_a_promise_is_held_against_what_came(client, garden):
    """By hand: 40 planned, 36 stood and gave 3.2 kg,
    so 40 would have given 3.2 · 40 / 36 = 3.556 kg.
    """
    the_plan = Plan.objects.create(household=garden.household, season=2026, is_chosen=True)
    one = PlannedCrop.objects.create(
        household=garden.household,
        plan=the_plan,
        crop=garden.crop,
        frozen_on=date(2026, 3, 1),
        promised_plants=40,
        promised_need_kg=3.0,
        promised_tenth_kg=2.0,
        promised_fifth_kg=2.6,
        promised_half_kg=3.4,
        promised_ninetieth_kg=5.0,
    )
    (kept,) = held_of(garden.household, plan_garden(garden.household)).kept
    assert kept.got_kg == pytest.approx(3.2)
    assert kept.as_planned_kg == pytest.approx(3.2 * 40 / 36)
    assert (kept.is_sure_kept, kept.is_in_eighty) == (True, True)
    page = words(client.get(reverse("next_year:held")))
    assert "Your 80 % came true 1 of 1 time." in page
    PlannedCrop.objects.filter(pk=one.pk).update(promised_fifth_kg=3.6)
    assert "Your 80 % came true 0 of 1 time." in words(client.get(reverse("next_year:held")))
    Planting.objects.filter(season=2026).update(finished_on=None)
    assert "not yet" in words(client.get(reverse("next_year:held")))


def test_what_is_in_stock_is_struck_off_and_the_rest_comes_in_packs(client, garden):
    """By hand: of 40 counted, 24 up, so 60 in 100; N7: for 30 plants 58 seeds; 20 left of 60,
    38 to get: one pack.
    """
    carrot = Crop.objects.create(household=garden.household, name="carrot")
    lot = SeedLot.objects.create(
        household=garden.household,
        crop=carrot,
        name="swap",
        bought_count=60,
        price_minor=240,
        packed_year=2025,
    )
    row = plant(
        garden,
        garden.bed,
        "carrot",
        units=40,
        unit_kind="seed",
        lot=lot,
        planted_on=date(2026, 4, 3),
    )
    PlantCount.objects.create(
        household=garden.household, planting=row, kind="up", count=24, day=date(2026, 4, 24)
    )
    one = planned(garden, is_out=True)
    PlannedCrop.objects.create(
        household=garden.household, plan=one.plan, crop=carrot, own_plants=30
    )
    (found,) = rows(garden.household)
    takes = found.takes
    assert (takes.pieces, takes.germination) == (58, pytest.approx(0.6))
    assert [(stock.left, stock.is_past) for stock in takes.stock] == [(20, False)]
    assert (takes.buy.pieces, takes.buy.packs, takes.buy.price_minor) == (38, 1, 240)
    page = words(client.get(reverse("next_year:shopping")))
    assert "1 × 60" in page
    assert "2.40" in page
    sent = client.get(reverse("next_year:shopping_csv"))
    (line,) = csv.DictReader(io.StringIO(sent.content.decode()))
    assert (line["wanted"], line["in_stock"], line["to_get"], line["price"]) == (
        "58",
        "20",
        "38",
        "2.40",
    )
    SeedLot.objects.filter(pk=lot.pk).update(
        sow_by=date(2026, 12, 31)
    )  # past by the spring of 2027
    (found,) = rows(garden.household)
    assert (found.takes.germination, found.takes.buy.pieces) == (0.8, found.takes.pieces)


def test_containers_are_those_that_the_household_has(client, garden):
    """The garden owns four crates; shallots stand eight to 30 L."""
    planned(garden, own_plants=20)
    (row,) = rows(garden.household)
    (vessels, count), *_ = row.takes.in_vessels
    assert vessels.count == 4
    assert count <= 4
    PlannedCrop.objects.update(own_plants=5000)
    (row,) = rows(garden.household)
    assert row.takes.is_too_many
    assert "pots too few" in words(client.get(reverse("next_year:index")))


def test_calendar_files_and_an_empty_plan(client, garden):
    planned(garden)
    events = icalendar.Calendar.from_ical(
        client.get(reverse("next_year:calendar_ics")).content
    ).walk("VEVENT")
    lifted = [one for one in events if str(one["summary"]) == "shallot: lift"]
    assert len(lifted) == 1
    assert all(one.decoded("dtend") > one.decoded("dtstart") for one in events)
    again = icalendar.Calendar.from_ical(
        client.get(reverse("next_year:calendar_ics")).content
    ).walk("VEVENT")
    assert [str(one["uid"]) for one in again] == [str(one["uid"]) for one in events]
    listed = list(
        csv.DictReader(io.StringIO(client.get(reverse("next_year:calendar_csv")).content.decode()))
    )
    assert [one["job"] for one in listed] == ["plant", "lift"]  # in the order of their days
    PlannedCrop.objects.update(is_out=True)
    for route, says in (
        ("calendar", "Nothing is planned yet"),
        ("shopping", "Nothing to get"),
        ("trays", "Nothing of"),
    ):
        assert says in words(client.get(reverse(f"next_year:{route}")))


def test_shelves_say_when_there_are_too_many_cells(client, garden):
    tomato = Crop.objects.create(household=garden.household, name="tomato")
    one = planned(garden, is_out=True)
    PlannedCrop.objects.create(
        household=garden.household, plan=one.plan, crop=tomato, own_plants=30
    )
    assert "Say how many cells" in words(client.get(reverse("next_year:trays")))
    client.post(reverse("next_year:add_shelf"), {"name": "Loft", "cells": 20})
    assert "too many" in words(client.get(reverse("next_year:trays")))
    client.post(
        reverse("next_year:shelf", args=[Shelf.objects.get().pk]), {"name": "Loft", "cells": 200}
    )
    page = words(client.get(reverse("next_year:trays")))
    assert "fits" in page
    assert "too many" not in page


def test_a_wish_is_taken_up_or_put_aside(client, garden):
    helper = signed_in(member(garden.household, "Wren", Role.HELPER))
    helper.post(
        reverse("next_year:wish"), {"crop_name": "oca", "said_by": "Wren", "note": "for the soup"}
    )
    assert "wished for by Wren" in words(client.get(reverse("next_year:index")))
    client.post(reverse("next_year:take_wish", args=[Wish.objects.get().pk]))
    assert Crop.objects.of(garden.household).filter(name="oca").exists()
    assert "Nobody wished for anything yet." in words(client.get(reverse("next_year:index")))
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    assert Wish.objects.of(garden.household).count() == 1


def test_where_much_is_to_be_reckoned_the_page_comes_at_once(client, garden, monkeypatch):
    monkeypatch.setattr("kilter.next_year.views.MOST_COLD", -1)
    page = words(client.get(reverse("next_year:index")))
    assert "Reckoning what a plant of each of 1 crops gives" in page
    assert "data-plants" not in page
    assert "data-plants" in html_of(
        client.get(reverse("next_year:index"), headers={"HX-Request": "true"})
    )
    assert "data-plants" in html_of(client.get(reverse("next_year:index"), {"whole": "on"}))


def test_queries_do_not_grow_with_the_crops(client, garden, django_assert_max_num_queries):
    for name in ("carrot", "leek", "kale", "pea", "tomato", "potato"):
        plant(garden, garden.bed, name, planted_on=date(2026, 4, 1))
    with django_assert_max_num_queries(70):
        client.get(reverse("next_year:index"), {"whole": "on"})


def test_a_mix_and_what_cannot_answer(client, garden):
    """By hand: with 40 % of what was eaten,
    0.6 of the servings' kilograms and 0.4 of the others at the table.
    """
    one = planned(garden, way="mix", own_percent=40, serving_g=100, weeks=10, goal="fresh")
    shared = plan_garden(garden.household)
    alone = row(garden.crop, shared)
    assert (alone.needed.by, alone.needed.chosen) == ("plate", alone.needed.plate)
    page = words(client.get(reverse("next_year:crop", args=[garden.crop.pk])))
    assert "cannot answer yet; reckoned from servings" in page
    eaten = replace(shared, eaten={garden.crop.pk: [WeekEaten(0.5, year=2026)] * 12})
    mixed = row(garden.crop, eaten, one).needed
    assert mixed.by == "mix"
    assert mixed.own.table_kg > mixed.plate.table_kg
    assert mixed.chosen.table_kg == pytest.approx(
        0.6 * mixed.plate.table_kg + 0.4 * mixed.own.table_kg
    )
    assert mixed.chosen.chain.lifted_kg == pytest.approx(mixed.chosen.table_kg / 0.88)
    garden.household.eater_set.update(appetite=0)
    (nobody,) = rows(garden.household)
    assert (nobody.needed.lift_kg, nobody.plants) == (0, 0)


def test_by_the_rule_there_is_no_slider_and_gifts_come_on_top(client, garden):
    """By hand: one metre a person, every 15 cm: 7 plants;
    and as many more as give 1 kg in the middle of the years.
    """
    planned(garden, way="rule", given_kg=1.0, goal="fresh")
    (found,) = rows(garden.household)
    assert found.plants == 7 + math.ceil(1 / found.one_plant.median_kg)
    assert 'type="range"' not in html_of(client.get(reverse("next_year:index")))
    PlannedCrop.objects.update(way="plate")
    assert 'type="range"' in html_of(client.get(reverse("next_year:index")))


def test_last_season_is_told_as_look_back_tells_it(client, garden):
    """3.2 kg were lifted in 2026, finished or not;
    beside it stands what its own plan wanted, not the new one.
    """
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    past = Plan.objects.create(household=garden.household, season=2026, is_chosen=True)
    PlannedCrop.objects.create(
        household=garden.household, plan=past, crop=garden.crop, servings_per_week=5, weeks=20
    )
    planned(garden, servings_per_week=1, weeks=10)
    (found,) = rows(garden.household)
    needed = Season(garden.household, 2026).needed[garden.crop.pk].kg
    assert (found.last.lifted_kg, found.last.needed_kg) == (
        pytest.approx(3.2),
        pytest.approx(needed),
    )
    assert needed == pytest.approx(5 * 0.1 * 20 / 0.88)
    assert found.last.is_so_far
    assert "3.20 kg of 11.4 kg so far" in words(client.get(reverse("next_year:index")))


def test_a_plan_of_an_earlier_season_stays_the_one_that_is_changed(client, garden):
    """It was the plan then, and is not the one for the coming season:
    every link and form on its pages says which.
    """
    past = Plan.objects.create(household=garden.household, season=2026, is_chosen=True)
    PlannedCrop.objects.create(household=garden.household, plan=past, crop=garden.crop)
    one = planned(garden)
    page = html_of(client.get(reverse("next_year:index"), {"plan": past.pk}))
    assert "2026: how much to plant" in page
    slider = f"{reverse('next_year:sure', args=[garden.crop.pk])}?plan={past.pk}"
    assert f'action="{slider}"' in page
    client.post(slider, {"certainty": 66})
    assert past.crops.get().certainty == 66
    one.refresh_from_db()
    assert one.certainty == 50
    assert f"?plan={past.pk}&amp;sort=short" in page


def test_until_a_day_counts_from_the_first_lift_in_the_need_and_in_the_strip(client, garden):
    garden.site.last_frost_on = date(2026, 4, 20)
    garden.site.save()
    planned(garden, goal="until", until=date(2028, 3, 1), weeks=3)
    (found,) = rows(garden.household)
    weeks = math.ceil((date(2028, 3, 1) - found.lifts).days / 7)
    assert found.needed.weeks == weeks > 30
    assert found.dates.weeks_kept == min(weeks, garden.crop.in_handbook.keep_weeks)


def test_sorted_by_what_matters(client, garden):
    WeighIn.objects.filter(planting__crop=garden.crop).update(mass_mg=1)
    leek = plant(garden, garden.bed, "leek", planted_on=date(2026, 4, 1), units=400)
    WeighIn.objects.create(
        household=garden.household,
        planting=leek,
        weighed_on=date(2026, 10, 1),
        grade="table",
        mass_mg=90_000_000,
    )
    Planting.objects.filter(pk=leek.pk).update(finished_on=date(2026, 10, 2))
    shared = plan_garden(garden.household)
    assert [crop.name for crop in shared.crops] == ["leek", "shallot"]
    page = html_of(client.get(reverse("next_year:index"), {"sort": "short"}))
    assert page.index(f'id="crop-{garden.crop.pk}"') < page.index(f'id="crop-{leek.crop_id}"')


def test_jobs_of_the_plan_come_to_today_when_their_week_has_come(client, garden, settings):
    """By hand: last frost 20 April ± 10 · 1.2816, 3 May;
    broad beans six weeks before it, on 22 March.
    """
    garden.site.last_frost_on = date(2026, 4, 20)
    garden.site.save()
    crop = Crop.objects.create(household=garden.household, name="broad bean")
    the_plan = Plan.objects.create(household=garden.household, season=2027, is_chosen=True)
    PlannedCrop.objects.create(household=garden.household, plan=the_plan, crop=crop)
    for day, is_told in (
        ("2027-03-14", False),
        ("2027-03-16", True),
        ("2027-04-05", True),
        ("2027-04-06", False),
    ):
        settings.KILTER_TODAY = day
        assert ("From the plan, this week" in words(client.get("/"))) == is_told, day
    settings.KILTER_TODAY = "2027-03-21"
    page = words(client.get("/"))
    assert "<b>soak</b>" in page
    assert "<b>sow</b>, from 22 March to 5 April" in page
    plant(garden, garden.bed, "broad bean", season=2027, planted_on=date(2027, 3, 20))
    assert "<b>sow</b>" not in words(client.get("/"))


def test_the_plan_stands_beside_what_is_left_in_the_larder_and_in_the_review(client, garden):
    """By hand: 2 · 100 g a week at the table, 88 % of a shallot is eaten:
    0.227 kg a week out of the store.
    """
    fill_larder(garden)
    the_plan = Plan.objects.create(household=garden.household, season=2026, is_chosen=True)
    said = {
        "household": garden.household,
        "plan": the_plan,
        "crop": garden.crop,
        "goal": "winter",
        "weeks": 10,
    }
    promised = {"frozen_on": date(2026, 3, 1), "promised_plants": 36, "promised_fifth_kg": 4.0}
    PlannedCrop.objects.create(
        **said, **promised, promised_tenth_kg=3.0, promised_half_kg=5.0, promised_ninetieth_kg=8
    )
    page = words(client.get(reverse("larder:crop", args=[garden.crop.pk])))
    assert "by the plan 0.23 kg a week until 14 October" in page  # ten weeks from 5 August
    review = words(client.get(reverse("look_back:index"), {"season": 2026, "whole": "on"}))
    assert "Shallot: 36 planned, 80 % sure of 4.00 kg; 3.20 kg came off 36." in review


def test_a_row_opens_to_what_it_rests_on(client, garden):
    """The two varieties of the garden gave 1.5 and 1.7 kg;
    every planting is listed with what a plant of it gave.
    """
    page = words(client.get(reverse("next_year:crop", args=[garden.crop.pk])))
    assert "What it rests on: 4 plantings" in page
    for kg in ("0.90 kg", "1.00 kg", "0.60 kg", "0.70 kg"):
        assert kg in page
    (row,) = rows(garden.household)
    effects = {one.label: one.times for one in row.one_plant.effects if one.kind == "variety"}
    assert effects["Ours One"] < 1 < effects["Ours Two"]
    assert "<h3>Varieties</h3>" in page
    other = garden.varieties[0].name
    assert f">{other}</td>" in page


def test_varieties_come_ready_one_after_another_and_a_rotation_stands_in_its_lane(client, garden):
    """By hand: set out on one day, a variety of 20 days more is lifted 20 days later;
    sown every so many days.
    """
    crop = garden.crop
    for name, low, high in (("Slow Marrow", 110, 130), ("Quick Marrow", 90, 95)):
        Variety.objects.create(
            household=garden.household, crop=crop, name=name, days_min=low, days_max=high
        )
    said = planned(
        garden,
        lifts_per_week=2,
        plants_per_lift=5,
        pull_from=date(2027, 6, 1),
        pull_until=date(2027, 8, 1),
    )
    quick, slow = in_turn(said, plan_garden(garden.household))
    assert [quick.variety, slow.variety] == ["Quick Marrow", "Slow Marrow"]
    assert (slow.lifted[0] - quick.lifted[0]).days == 20
    page = words(client.get(reverse("next_year:crop", args=[crop.pk])))
    assert f"Quick Marrow</b> ({quick.earliness})" in page
    found = next(one for one in rows(garden.household) if one.crop == crop)
    assert found.dates.steady
    assert len(found.strip.sown) > 1
    assert f"sown {len(found.dates.steady.sown)} times in rotation" in found.strip.says
