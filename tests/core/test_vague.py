"""Dates as gardeners say them: read, written back the same,
and never more exact than they were said.
"""

from __future__ import annotations

import statistics
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.amounts.vague import PRECISIONS, WIDTH_DAYS, VagueDate, format_date, parse_date
from kilter.core.errors import VagueDateError

TODAY = date(2026, 11, 23)


@pytest.mark.parametrize(
    ("text", "day", "precision"),
    [
        ("2026-05-14", date(2026, 5, 14), "day"),
        ("14 May 2026", date(2026, 5, 14), "day"),
        ("14.5.2026", date(2026, 5, 14), "day"),
        ("3/4/2026", date(2026, 4, 3), "day"),  # days before months
        ("24.11.26", date(2026, 11, 24), "day"),
        ("23/11", date(2026, 11, 23), "day"),
        ("11/23/2026", date(2026, 11, 23), "day"),  # there is no 23rd month
        ("1.2.70", date(1970, 2, 1), "day"),
        ("13/13/2026", None, None),
        ("the first", None, None),
        ("1st of June", date(2026, 6, 1), "day"),
        ("May 14", date(2026, 5, 14), "day"),
        ("14 Dec", date(2026, 12, 14), "day"),  # three weeks ahead
        ("14 March", date(2026, 3, 14), "day"),  # not the next one, four months ahead
        ("29 Feb", date(2024, 2, 29), "day"),
        ("about 14 May", date(2026, 5, 14), "week"),
        ("~14/5/2026", date(2026, 5, 14), "week"),
        ("about mid-May", date(2026, 5, 15), "third"),
        ("early may 2025", date(2025, 5, 5), "third"),
        ("end of Sept", date(2026, 9, 25), "third"),
        ("May 2026", date(2026, 5, 15), "month"),
        ("2026-05", date(2026, 5, 15), "month"),
        ("week 20 2026", date(2026, 5, 14), "week"),
        ("spring 2026", date(2026, 4, 15), "season"),
        ("winter 2026", date(2026, 1, 15), "season"),
        ("yesterday", date(2026, 11, 22), "day"),
        ("3 weeks ago", date(2026, 11, 2), "week"),
        ("2 months ago", date(2026, 9, 24), "month"),
        ("30 February 2026", None, None),
        ("week 60", None, None),
        ("14 May 0026", None, None),
        ("soon", None, None),
        ("", None, None),
        ("99999999-01-01", None, None),
    ],
)
def test_what_people_write_is_read_with_its_precision(text, day, precision):
    if day is None:
        with pytest.raises(VagueDateError, match=r"is no date|is not between") as refused:
            parse_date(text, TODAY)
        assert refused.value.typed == text
    else:
        assert parse_date(text, TODAY) == VagueDate(day, precision)


@given(st.dates(date(1900, 1, 1), date(2200, 12, 31)), st.sampled_from(PRECISIONS))
def test_written_and_read_again_it_is_as_vague_and_no_further_off_than_that(day, precision):
    vague = VagueDate(day, precision)
    again = parse_date(format_date(vague), TODAY)
    assert again.precision == precision
    # Months of 31 days reach a day further than the width of 30 says.
    assert abs((again.day - day).days) <= {"day": 0, "week": 0}.get(precision, vague.half_days + 1)


@given(st.sampled_from(PRECISIONS))
def test_bounds_hold_the_width_and_the_sd_is_that_of_a_uniform(precision):
    vague = VagueDate(date(2026, 5, 15), precision)
    width = WIDTH_DAYS[precision]
    assert width <= (vague.latest - vague.earliest).days <= width + 1
    offsets = [(i / 2000 - 0.5) * width for i in range(2001)]
    assert vague.sd_days == pytest.approx(statistics.pstdev(offsets), rel=1e-3)


@pytest.mark.parametrize(
    ("text", "day"),
    [
        ("3/4/2026", date(2026, 3, 4)),
        ("11/23", date(2026, 11, 23)),
        ("3.4.2026", date(2026, 4, 3)),  # with points the day comes first
        ("23/11/26", date(2026, 11, 23)),
    ],
)
def test_a_household_may_write_the_month_first(text, day):
    assert parse_date(text, TODAY, "mdy") == VagueDate(day)
