"""The moon against ephem, an independent almanac; degree days and frost by hand."""

from __future__ import annotations

from datetime import date, timedelta

import ephem
import numpy as np
import pytest

from kilter.core.growing.almanac import moon_on

DAYS = [
    date(1950, 1, 1) + timedelta(days=int(d))
    for d in np.random.default_rng(5).integers(0, 40_000, 400)
]


def test_lit_share_agrees_with_ephem_to_one_in_a_hundred():
    for day in DAYS:
        moon = ephem.Moon(f"{day:%Y/%m/%d} 12:00:00")
        assert moon_on(day).lit_share == pytest.approx(moon.moon_phase, abs=0.01), day


def test_waxing_is_between_new_and_full_as_ephem_has_them():
    for day in DAYS:
        noon = ephem.Date(f"{day:%Y/%m/%d} 12:00:00")
        to_full, to_new = ephem.next_full_moon(noon) - noon, ephem.next_new_moon(noon) - noon
        if (
            min(
                to_full,
                to_new,
                noon - ephem.previous_full_moon(noon),
                noon - ephem.previous_new_moon(noon),
            )
            > 0.25
        ):
            assert moon_on(day).is_waxing == (to_full < to_new), day


@pytest.mark.parametrize("finder", ["new", "first_quarter", "full", "last_quarter"])
def test_the_day_of_a_phase_is_called_by_it(finder):
    name = {"new": "new moon", "full": "full moon"}.get(finder, finder.replace("_", " "))
    at = ephem.Date("2020/1/1")
    for _ in range(40):
        at = getattr(ephem, f"next_{finder}_moon")(at)
        assert moon_on(at.datetime().date()).phase == name
