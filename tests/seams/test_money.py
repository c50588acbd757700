"""What was paid is borne once, in the seasons that it serves."""

from __future__ import annotations

from datetime import date

import pytest

from kilter.set_out.costs import costs_of
from kilter.set_out.models import Cost, Planting
from tests.conftest import plant


@pytest.mark.parametrize(
    ("over_years", "day", "borne"),
    [
        (1, None, {2024: 1200, 2025: 0, 2026: 0}),  # once, where it first served
        (3, None, {2024: 400, 2025: 400, 2026: 400}),
        (2, date(2025, 4, 1), {2024: 0, 2025: 600, 2026: 600}),
    ],
)
def test_a_cost_without_a_day_falls_where_its_place_first_served(garden, over_years, day, borne):
    crate = garden.crates[3]
    garden.plantings[3].weigh_ins.all().delete()
    garden.plantings[3].delete()
    grown = {
        season: plant(garden, crate, "leek", season=season, planted_on=date(season, 4, 1))
        for season in borne
    }
    Cost.objects.create(
        household=garden.household,
        place=crate,
        what="a tub",
        price_minor=1200,
        over_years=over_years,
        day=day,
    )
    found = costs_of(garden.household, Planting.objects.filter(place=crate))
    assert {
        season: sum(share.minor for share in found[one.pk]) for season, one in grown.items()
    } == borne
