"""The yard at a glance on Today: what asks for the gardener where,
the week's harvest, the coming nights.
"""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from django.urls import reverse

from kilter.today.glance import DUE, GROWS, OVER, WAITS, glance_of
from kilter.today.queries import today_sheet
from kilter.weather.models import Day
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, plant

TODAY = date(2026, 11, 23)


def glance(garden):
    return glance_of(garden.household, today_sheet(garden.household, TODAY), TODAY)


def painted(found):
    """By place, in what it is painted for."""
    return {
        place.label: (paint.series, paint.strength)
        for _, drawn, _ in found.maps
        for place in drawn.places
        for paint in place.painted
    }


def test_a_place_is_painted_for_the_most_urgent_that_it_asks(garden):
    """A pea of September is due, one of May past its day; a garlic of autumn grows; what was
    counted waits for the scale.
    """
    plant(garden, garden.crates[0], "pea", planted_on=date(2026, 9, 1))
    plant(garden, garden.crates[3], "pea", planted_on=date(2026, 5, 1))
    plant(garden, garden.crates[1], "garlic", season=2027, planted_on=date(2026, 10, 20))
    counted = plant(garden, garden.crates[2], "garlic", season=2027, planted_on=date(2026, 10, 20))
    WeighIn.objects.create(
        household=garden.household,
        planting=counted,
        weighed_on=TODAY,
        grade="table",
        count=9,
        waits=True,
    )
    found = glance(garden)
    assert painted(found) == {
        "Ours crate 1": DUE[:2],
        "Ours crate 2": GROWS[:2],
        "Ours crate 3": WAITS[:2],
        "Ours crate 4": OVER[:2],
    }
    assert [words for _, _, words in found.legend] == [
        "to lift",
        "waits for the scale",
        "past its day",
        "growing",
    ]
    (_, _, words), *_ = found.maps
    assert words == (
        "Ours crate 1: to lift; Ours crate 3: waits for the scale; Ours crate 4: past its day"
    )


def test_the_week_adds_up_day_by_day_and_what_is_no_food_stays_out(garden):
    for days, mass_mg, grade in (
        (0, 500_000, "table"),
        (6, 1_500_000, "hurt"),
        (7, 9_000_000, "table"),
        (1, 1, "lost"),
        (1, 9, "seed"),
    ):
        WeighIn.objects.create(
            household=garden.household,
            planting=garden.plantings[0],
            weighed_on=TODAY - timedelta(days=days),
            grade=grade,
            mass_mg=mass_mg,
        )
    found = glance(garden)
    assert [bar.kg for bar in found.week] == [1.5, 0, 0, 0, 0, 0, 0.5]
    assert found.week_kg == pytest.approx(2.0)
    assert [bar.height for bar in found.week] == [56, 0, 0, 0, 0, 0, pytest.approx(18.7)]


def test_the_coming_nights_are_those_of_the_coldest_site(client, garden, settings):
    settings.KILTER_TODAY = "2026-11-23"
    for days, low_c in ((0, 4.0), (1, -1.5)):
        Day.objects.create(
            household=garden.household,
            site=garden.site,
            day=TODAY + timedelta(days=days),
            min_c=low_c,
            is_ahead=True,
        )
    plant(garden, garden.crates[1], "garlic", season=2027, planted_on=date(2026, 10, 20))
    found = glance(garden)
    assert [(night.low_c, night.is_cold) for night in found.nights] == [(4.0, False), (-1.5, True)]
    page = html_of(client.get(reverse("today:index")))
    assert "The coming nights" in page
    assert "-1.5°" in page


def test_where_nothing_stands_there_is_nothing_to_glance_at(client, garden):
    for one in garden.plantings:
        one.finished_on = date(2026, 8, 4)
        one.save()
    assert "The yard at a glance" not in html_of(client.get(reverse("today:index")))
