"""Frost, drought, heat and growing degree days of a record, and what no thermometer shows."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from kilter.core.errors import StationError
from kilter.core.growing.almanac import (
    WeatherDay,
    check_day,
    degree_days,
    dry_spells,
    frost_years,
    heat_days,
)


def days(start, *figures):
    return [WeatherDay(start + timedelta(days=i), *f) for i, f in enumerate(figures)]


@pytest.mark.parametrize(
    ("frosts", "is_southern", "found"),
    [
        ([], False, []),
        (
            [date(2026, 4, 20), date(2026, 3, 1), date(2026, 10, 9)],
            False,
            [(2026, date(2026, 4, 20), date(2026, 10, 9))],
        ),
        ([date(2026, 12, 30)], False, [(2026, None, date(2026, 12, 30))]),
        (
            [date(2026, 9, 2), date(2027, 5, 20)],
            True,
            [(2026, date(2026, 9, 2), date(2027, 5, 20))],
        ),
    ],
)
def test_last_and_first_frost_of_a_growing_year(frosts, is_southern, found):
    record = [WeatherDay(day, -0.5, 8) for day in frosts] + [
        WeatherDay(date(2026, 7, 30), None, 20)
    ]
    years = frost_years(record, is_southern=is_southern)
    assert [(y.year, y.last_spring, y.first_autumn) for y in years] == found


@pytest.mark.parametrize(
    ("rain", "spells"),
    [
        ([0.0] * 7, [7]),
        ([0.0] * 6, []),
        ([0.9] * 8 + [1.0] + [0.0] * 7, [8, 7]),
        ([0.0] * 4 + [None] + [0.0] * 4, []),
    ],
)
def test_dry_spells_end_with_rain_and_with_what_is_not_known(rain, spells):
    record = days(date(2026, 7, 1), *((10, 25, mm) for mm in rain))
    assert [spell.days for spell in dry_spells(record[::-1])] == spells


def test_degree_days_by_hand_and_hot_days():
    record = days(date(2026, 7, 1), (8, 18), (12, 34), (-2, 6), (None, 30), (20, 30))
    # (18+10)/2-10=4; (30+12)/2-10=11; both below: 0; unknown: 0; (30+20)/2-10=15
    assert degree_days(record) == pytest.approx(30)
    assert heat_days(record) == 3
    with pytest.raises(StationError, match="must lie below"):
        degree_days(record, 30, 30)


@pytest.mark.parametrize(
    ("figures", "says"),
    [((9, 4), "above the maximum"), ((-99, 4), "minimum"), ((1, 2, -1), "rain")],
)
def test_what_no_thermometer_shows_is_refused(figures, says):
    with pytest.raises(StationError, match=says):
        check_day(WeatherDay(date(2026, 5, 1), *figures))
