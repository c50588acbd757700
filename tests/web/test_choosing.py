"""Choosing places, changing a whole set, paying for many, who stood there before,
and what an owner puts in place.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.ground.models import Fill, Place
from kilter.next_year.garden import garden as plan_garden
from kilter.set_out.families import same_family
from kilter.set_out.models import Cost, Crop, Planting
from kilter.tending.models import Happening, Repeat
from kilter.tending.queries import tasks
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.models import Trial, TrialUnit
from tests.conftest import TODAY, event, html_of, plant


def test_typed_and_ticked_places_are_one_choice(client, garden):
    said = {
        "kind": "pest",
        "when": "today",
        "targets": f"place-{garden.bed.pk}",
        "targets_typed": "ours crate 2-3",
    }
    client.post(reverse("tending:new"), said)
    hit = (
        Happening.objects.filter(kind="pest")
        .values_list("place__name", "place__number")
        .order_by("place")
    )
    assert list(hit) == [("Ours bed", None), ("Ours crate", 2), ("Ours crate", 3)]


def test_what_is_typed_is_kept_where_it_is_not_understood(client, garden):
    refused = client.post(
        reverse("tending:new"), {"kind": "pest", "when": "today", "targets_typed": "crate 9"}
    )
    page = html_of(refused)
    assert refused.status_code == 422
    assert "“crate” is no place here" in page
    assert 'value="crate 9"' in page
    shown = html_of(client.get(reverse("ground:called"), {"targets_typed": "ours crate 1-2"}))
    assert "2 places: Ours crate 1, Ours crate 2." in shown
    assert f'data-means="place-{garden.crates[0].pk} place-{garden.crates[1].pk}"' in shown


def test_what_is_changed_of_one_pot_is_changed_of_its_set(client, garden):
    first = garden.crates[0]
    said = {
        "site": garden.site.pk,
        "kind": "crate",
        "name": first.name,
        "number": 1,
        "volume_l": 45,
        "x_m": 0,
        "y_m": 2,
    }
    client.post(
        reverse("ground:place", args=[first.pk]), said | {"diameter_m": "0,5", "material": "clay"}
    )
    assert Place.objects.filter(diameter_m=0.5).count() == 1
    client.post(
        reverse("ground:place", args=[first.pk]),
        said | {"diameter_m": "0,6", "material": "clay", "is_for_set": "on"},
    )
    assert list(Place.objects.filter(name=first.name).values_list("diameter_m", "material")) == [
        (0.6, "clay"),
        *[(0.6, "")] * 3,  # the material was not changed this time
    ]


def test_the_date_of_those_set_out_together_is_put_right_in_one_go(client, garden):
    four = garden.plantings
    Planting.objects.filter(pk__in=[p.pk for p in four]).update(
        variety=garden.varieties[0], planted_on=date(2026, 3, 1)
    )
    page = html_of(client.get(reverse("set_out:planting", args=[four[0].pk])))
    assert "change the same in Ours crate 2, Ours crate 3, Ours crate 4, set out alike" in page
    said = {
        "crop_name": "shallot",
        "variety_name": garden.varieties[0].name,
        "units": 9,
        "unit_kind": "set",
    }
    said |= {
        "place": four[0].place_id,
        "season": 2026,
        "planted": "8 March 2026",
        "methods_text": "mulch=straw",
    }
    client.post(reverse("set_out:planting", args=[four[0].pk]), said | {"is_for_set": "on"})
    for one in Planting.objects.filter(pk__in=[p.pk for p in four]):
        assert (one.planted_on, one.methods.get(name="mulch").value) == (date(2026, 3, 8), "straw")
        assert one.place_id in {crate.pk for crate in garden.crates}


def test_a_date_that_cannot_be_for_one_of_the_set_is_refused_with_its_place_and_nothing_is_saved(
    client, garden
):
    four = garden.plantings
    mine = Planting.objects.filter(pk__in=[p.pk for p in four])
    mine.update(variety=garden.varieties[0], planted_on=date(2026, 3, 1))
    mine.filter(pk=four[2].pk).update(finished_on=date(2026, 3, 4))
    said = {
        "crop_name": "shallot",
        "variety_name": garden.varieties[0].name,
        "units": 9,
        "unit_kind": "set",
    }
    said |= {
        "place": four[0].place_id,
        "season": 2026,
        "planted": "8 March 2026",
        "is_for_set": "on",
    }
    page = html_of(client.post(reverse("set_out:planting", args=[four[0].pk]), said))
    assert "Ours crate 3: It cannot be done on 2026-03-04" in page
    assert set(mine.values_list("planted_on", flat=True)) == {date(2026, 3, 1)}


@pytest.mark.parametrize(("of", "prices"), [("each", [1000] * 4), ("all", [250] * 4)])
def test_a_price_is_of_each_or_of_all_together(client, garden, of, prices):
    Cost.objects.all().delete()
    said = {
        "what": "feed",
        "price": 10,
        "of_each": of,
        "over_years": 1,
        "targets_typed": "ours crates",
    }
    client.post(reverse("set_out:cost", args=["place", garden.crates[0].pk]), said)
    assert list(Cost.objects.values_list("price_minor", flat=True)) == prices


def test_the_same_medium_goes_into_every_place_chosen(client, garden):
    said = {
        "kind": "filled",
        "when": "1 March 2026",
        "litres": 30,
        "over_uses": 1,
        "places_typed": "ours crate 2-4",
    }
    client.post(reverse("ground:fill", args=[garden.crates[0].pk]), said)
    assert set(Fill.objects.values_list("place__number", flat=True)) == {2, 3, 4}


def test_the_same_family_is_told_of_before_planting_unless_the_pot_was_filled_anew(client, garden):
    old = plant(
        garden,
        garden.bed,
        "onion",
        season=2025,
        planted_on=date(2025, 3, 1),
        finished_on=date(2025, 8, 1),
    )
    found = same_family(garden.household, "leek", [garden.bed, garden.crates[0]], 2027)
    assert found.words == "onion family"
    assert found.places == ((str(garden.crates[0]), 1, "shallot"), (str(garden.bed), 2, "onion"))
    asked = {"crop_name": "garlic", "places_typed": "ours bed", "planted": "1 March 2027"}
    page = html_of(client.get(reverse("set_out:before"), asked))
    assert "The onion family again:" in page
    assert "Ours bed had onion 2 years ago" in page
    assert same_family(garden.household, "carrot", [garden.bed], 2027).places == ()
    assert same_family(garden.household, "leek", [garden.bed], 2029).places == ()
    Fill.objects.create(
        household=garden.household,
        place=garden.crates[0],
        kind="filled",
        litres=40,
        day=date(2026, 10, 1),
    )
    assert same_family(garden.household, "leek", [garden.crates[0]], 2027).places == ()
    assert old.place == garden.bed


def test_sown_again_says_all_but_the_day(client, garden):
    page = html_of(client.get(reverse("set_out:new"), {"again": garden.plantings[1].pk}))
    assert 'value="Ours Two"' in page
    assert 'value="23 November 2026"' in page
    assert f'value="place-{garden.crates[1].pk}" checked' in page


def test_what_comes_back_is_asked_until_its_end_and_counts_from_when_it_was_done(
    client, garden, open_planting
):
    Repeat.objects.create(
        household=garden.household,
        planting=open_planting,
        job="water",
        first_on=date(2026, 11, 20),
        every_days=3,
    )

    def due():
        found = tasks(garden.household, [open_planting], {}, TODAY)
        return [task.due_on for task in found if task.repeat]

    assert due() == [date(2026, 11, 20)]
    said = {
        "job": "water",
        "when": "2026-11-22",
        "targets": f"planting-{open_planting.pk}",
        "back": "/",
    }
    client.post(reverse("tending:do"), said)
    assert due() == [date(2026, 11, 25)]
    Repeat.objects.update(until=date(2026, 11, 24))
    assert due() == []


def test_own_values_stand_on_the_pages_and_need_a_crop_they_can_replace(client, garden):
    said = {"own_days_min": 70, "own_days_max": 80, "own_kg_per_plant": "0,25"}
    client.post(reverse("set_out:crop", args=[garden.crop.pk]), said)
    page = html_of(client.get(reverse("atlas:planting", args=[garden.plantings[0].pk])))
    assert "Days to the first lift (own)" in page
    assert "70 to 80" in page
    assert "One plant gives (own)" in page
    oca = Crop.objects.create(household=garden.household, name="oca")
    refused = client.post(reverse("set_out:crop", args=[oca.pk]), said)
    assert "say what it is like" in html_of(refused)
    assert (
        client.post(reverse("set_out:crop", args=[oca.pk]), said | {"like": "potato"}).status_code
        == 302
    )
    oca.refresh_from_db()
    assert (oca.in_handbook.name, oca.in_handbook.days.low) == ("potato", 70)


def test_a_crop_taken_out_of_the_plan_comes_back_as_it_was(client, garden):
    client.post(reverse("next_year:leave_out", args=[garden.crop.pk]))
    assert plan_garden(garden.household).crops == ()
    assert "Left out" in html_of(client.get(reverse("next_year:index")))
    client.post(reverse("next_year:add_crop"), {"crop_name": "shallot"})
    assert plan_garden(garden.household).crops == (garden.crop,)


def test_what_is_remembered_is_asked_about_when_it_is_more_than_a_garden_gives(
    client, garden, open_planting
):
    said = {
        "planting": open_planting.pk,
        "when": "October 2026",
        "grade": "table",
        "line": "940.12 kg ±1kg",
    }
    asked = client.post(reverse("weigh_in:remember"), said)
    assert "times what the handbook gives for the whole" in html_of(asked)
    assert 'type="checkbox" name="is_sure"' in html_of(asked)
    assert client.post(reverse("weigh_in:remember"), said | {"is_sure": "on"}).status_code == 302


def test_a_line_sends_back_what_it_changed(client, garden, open_planting, send):
    made = [event(open_planting, f"{900 + n} 9") for n in range(3)]
    send(*made)
    asked = {"crop": garden.crop.pk, "pot": open_planting.pk, "only": made[2]["client_id"]}
    part = html_of(client.get(reverse("weigh_in:bench"), asked, headers={"HX-Request": "true"}))
    whole = html_of(
        client.get(reverse("weigh_in:bench"), asked | {"only": ""}, headers={"HX-Request": "true"})
    )
    assert part.count("data-line=") == 1
    assert whole.count("data-line=") == 3
    assert 'data-lines="3" data-part' in part
    assert "2.703 kg" in part  # the sums are of all
    assert WeighIn.objects.filter(weighed_on=TODAY).count() == 3


def test_the_strip_is_narrowed_to_a_site(client, garden, open_planting):
    far = garden.site.__class__.objects.create(household=garden.household, name="Far")
    pail = Place.objects.create(household=garden.household, site=far, kind="pot", name="Pail")
    plant(garden, pail, "shallot")
    both = html_of(client.get(reverse("weigh_in:bench"), {"crop": garden.crop.pk}))
    assert 'id="bench-site"' in both
    one = html_of(client.get(reverse("weigh_in:bench"), {"crop": garden.crop.pk, "site": far.pk}))
    assert one.count('class="pot"') == 1
    assert both.count('class="pot"') == 2


def test_a_trial_of_what_stands_reads_its_kinds_and_draws_nothing(client, garden):
    standing = [f"planting-{p.pk}" for p in garden.plantings]
    said = {
        "name": "Autumn or spring?",
        "first": "setting",
        "second": "",
        "alike": "water",
        "plantings": standing,
    }
    page = html_of(client.post(reverse("weigh_up:afterwards"), said, follow=True))
    assert "chance did not share the places out" in page
    assert "Draw the layout" not in page
    trial = Trial.objects.get(name="Autumn or spring?")
    units = TrialUnit.objects.filter(trial=trial).order_by("number")
    assert sorted(trial.first_levels) == ["autumn", "spring"]
    assert {unit.block for unit in units} == {1, 2}
    for unit in units:
        assert unit.planting.methods.get(name="setting").value == unit.first
        assert unit.planting.methods.get(name="block").value == str(unit.block)
    bare = client.post(reverse("weigh_up:afterwards"), said | {"first": "mulch"})
    assert "was not written down; change the planting first" in html_of(bare)


def test_a_trial_of_density_sets_out_what_each_place_was_drawn(client, garden):
    Planting.objects.update(season=2025)
    said = {
        "name": "How close?",
        "crop_name": "shallot",
        "season": 2027,
        "first": "plants",
        "first_text": "4, 9",
    }
    said |= {"spots_typed": "ours crates", "alike": "water"}
    client.post(reverse("weigh_up:new_trial"), said)
    trial = Trial.objects.get(name="How close?")
    client.post(
        reverse("weigh_up:trial_plant", args=[trial.pk]),
        {"unit_kind": "set", "when": "20 October 2026"},
    )
    planted = TrialUnit.objects.filter(trial=trial).values_list("first", "planting__units")
    assert sorted(planted) == [("4", 4), ("4", 4), ("9", 9), ("9", 9)]
    refused = client.post(
        reverse("weigh_up:new_trial"), said | {"name": "x", "first_text": "few, many"}
    )
    assert "whole numbers" in html_of(refused)
    with_kinds = client.post(reverse("weigh_up:new_trial"), said | {"name": "x", "first": "light"})
    assert "comes with the places; leave this empty" in html_of(with_kinds)
    bare = client.post(
        reverse("weigh_up:new_trial"), said | {"name": "x", "first": "material", "first_text": ""}
    )
    assert "was not written down; change the place first" in html_of(bare)


@pytest.mark.parametrize("day", ["1970-01-01", "2199-06-01", "2026-11-25"])
def test_a_device_whose_clock_is_far_off_writes_nothing(garden, open_planting, send, day):
    made = event(open_planting, "900 9", at=f"{day}T10:00:00+00:00")
    (refusal,) = send(made)["refused"]
    assert "set the date of this device right" in refusal["reason"]
    assert not WeighIn.objects.filter(client_id=made["client_id"]).exists()
    assert (
        send(event(open_planting, "900 9", at="2026-11-24T00:30:00+00:00"))["refused"] == []
    )  # another zone
