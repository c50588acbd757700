"""What stands, until when and why is the same on every page: worked out by hand first.

Today is 23 November 2026. Leeks set on 10 April stand until mid-April; of three sunchokes two are
lifted; garlic set on 20 October is the next season's; the first frost on record, of 12 October, has
ended the tomatoes; beetroot of May was forgotten; chard is kept to the end of the year by word.
"""

from __future__ import annotations

import json
from datetime import date
from io import StringIO
from types import SimpleNamespace

import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.next_year.fit.plots import grounds_of
from kilter.people.models import Change
from kilter.set_out.clearing import tenancies
from kilter.set_out.families import same_family
from kilter.weather.models import Day
from tests.conftest import TODAY, event, html_of, plant


@pytest.fixture
def stands(garden, send):
    Day.objects.create(
        household=garden.household, site=garden.site, day=date(2026, 10, 12), min_c=-2, max_c=9
    )
    free, first, second, third = garden.bed, *garden.crates[:3]
    found = SimpleNamespace(
        leek=plant(garden, free, "leek", units=10, planted_on=date(2026, 4, 10)),
        sunchoke=plant(garden, first, "sunchoke", units=3, planted_on=date(2026, 4, 1)),
        garlic=plant(garden, second, "garlic", season=2027, planted_on=date(2026, 10, 20)),
        # 11 weeks from 55 days after 1 August would end on 11 December.
        tomato=plant(garden, third, "tomato", planted_on=date(2026, 8, 1)),
        beetroot=plant(garden, free, "beetroot", planted_on=date(2026, 5, 1)),
        chard=plant(garden, free, "chard", planted_on=date(2026, 5, 1), until=date(2026, 12, 31)),
    )
    sent = send(
        event(found.sunchoke, "2000", plants=2, at="2026-11-10T09:00:00+00:00"),
        event(found.tomato, "900", at="2026-10-01T09:00:00+00:00"),
    )
    assert not sent["refused"]
    return found


def told(garden, record):
    out = StringIO()
    call_command("standing", household=garden.household.name, json=True, stdout=out)
    (found,) = [
        one for one in json.loads(out.getvalue())["standing"] if one["planting"] == record.ref
    ]
    return found


def page(client, address):
    return " ".join(html_of(client.get(address)).split())


#: Each with the day on which its place is free and a word of the reason.
FREE = {
    "leek": ("2027-04-15", "until it is wanted"),
    "sunchoke": ("2027-03-31", "until it is wanted"),
    "garlic": ("2027-07-17", "lifted by"),
    "tomato": ("2026-10-12", "frost ended it on 12 October 2026"),
    "beetroot": ("2026-07-30", "was to be lifted by"),
    "chard": ("2026-12-31", "as was said"),
}


@pytest.mark.parametrize(("crop", "day", "why"), [(crop, *of) for crop, of in FREE.items()])
def test_every_page_has_the_same_day_and_reason(client, garden, stands, crop, day, why):
    planting = getattr(stands, crop)
    found = told(garden, planting)
    assert found["clears_on"] == day
    assert why in found["why"]
    assert found["why"] in page(client, reverse("atlas:planting", args=[planting.pk]))
    assert found["why"] in page(client, "/")
    (tenancy,) = tenancies(garden.household, pk=planting.pk)
    assert tenancy.end.isoformat() == day


def test_what_is_left_of_it_is_told_with_it(garden, stands):
    """2 of 3 sunchokes gave 2 kg: one is left."""
    found = told(garden, stands.sunchoke)
    assert found["stands"] == 1
    assert found["place"] == "Ours crate 1"
    assert told(garden, stands.leek)["stands"] == 10


def test_ground_draws_what_stands_of_any_season(client, garden, stands):
    ground = page(client, reverse("atlas:index"))
    for crop in FREE:
        assert crop in ground, crop


def test_what_holds_a_place_is_named_in_the_fit_and_what_is_past_its_day_holds_none(garden, stands):
    grounds = grounds_of(garden.household, 2027, ())
    holds = {one.planting.pk: one for plot in grounds.plots for one in plot.standing}
    assert set(holds) >= {stands.leek.pk, stands.sunchoke.pk, stands.garlic.pk}
    assert not set(holds) & {stands.tomato.pk, stands.beetroot.pk, stands.chard.pk}
    # Half-months from 0: the first of April, the second of March, the second of July.
    assert [holds[one.pk].until for one in (stands.leek, stands.sunchoke, stands.garlic)] == [
        6,
        5,
        13,
    ]
    assert "leek in Ours bed (may stay until it is wanted" in holds[stands.leek.pk].words


def test_moving_until_moves_all_of_it_at_once(client, garden, stands):
    type(stands.leek).objects.filter(pk=stands.leek.pk).update(until=date(2026, 12, 10))
    assert told(garden, stands.leek)["clears_on"] == "2026-12-10"
    held = {
        one.planting.pk
        for plot in grounds_of(garden.household, 2027, ()).plots
        for one in plot.standing
    }
    assert stands.leek.pk not in held
    assert "leek" in page(client, "/")  # it stays there until that day
    assert same_family(garden.household, "onion", [garden.bed], 2027).places[0][1] == 1


def test_what_is_past_its_day_is_asked_about_once_and_in_one_list(client, garden, stands):
    first = page(client, "/")
    assert "Is it over?" in first
    over = {"over": [str(stands.tomato.pk)], "do": "finish"}
    nothing = client.post(reverse("today:over"), {"do": "keep", "keep_until": "1 Jan 2020"})
    assert "Tick at least one." in html_of(nothing)
    assert "Say a day ahead" in html_of(nothing)
    assert client.post(reverse("today:over"), over).status_code == 302
    stands.tomato.refresh_from_db()
    assert stands.tomato.finished_on == date(2026, 10, 12)  # with the frost, after its last lift
    keep = {"over": [str(stands.beetroot.pk)], "do": "keep", "keep_until": "20 Dec 2026"}
    assert client.post(reverse("today:over"), keep).status_code == 302
    assert told(garden, stands.beetroot)["why"] == "stands until 20 December 2026, as was said"
    assert "Is it over?" not in page(client, "/")
    for change in Change.objects.filter(household=garden.household).order_by("-pk")[:2]:
        assert client.post(reverse("people:undo", args=[change.pk])).status_code == 302
    stands.tomato.refresh_from_db()
    assert stands.tomato.finished_on is None
    assert told(garden, stands.beetroot)["clears_on"] == "2026-07-30"


def test_no_page_counts_days_backwards(client, garden, stands):
    plant(garden, garden.crates[3], "rhubarb", season=2024, is_perennial=True)
    for address in ("/", reverse("atlas:planting", args=[stands.chard.pk])):
        assert "in -" not in page(client, address)
        assert "in −" not in page(client, address)
    assert date(2026, 11, 23) == TODAY
