"""How much was taken, how long it lasts, and how things keep."""

from __future__ import annotations

import math
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from kilter.core.errors import KilterError, RecordError
from kilter.core.handbook import handbook
from kilter.core.handbook.storing import best_store, curings, keeps
from kilter.core.larder.amount import taken
from kilter.core.larder.lasting import Pace, lasts, left_after, pace_of

DAY = date(2026, 9, 1)


@pytest.mark.parametrize(
    ("typed", "mass_mg", "pm_mg", "count", "is_rest"),
    [
        ("1.2 kg", 1_200_000, None, None, False),
        ("800 6", 800_000, None, 6, False),
        ("c6", 6 * 90_000, None, 6, False),
        ("2 tub", 2 * 700_000, None, None, False),
        ("Half", 1_500_000, None, None, False),
        ("two thirds", 2_000_000, None, None, False),
        ("the rest", 3_000_000, None, None, True),
        ("some", 750_000, 375_000, None, False),
        ("some 2 kg", 2_000_000, 1_000_000, None, False),
        ("2kg ±0.3kg", 2_000_000, 300_000, None, False),
    ],
)
def test_amounts_as_a_gardener_says_them(typed, mass_mg, pm_mg, count, is_rest):
    found = taken(typed, 3_000_000, "scale", 90_000, {"tub": 700_000})
    assert (found.mass_mg, found.pm_mg, found.count, found.is_rest) == (
        mass_mg,
        pm_mg,
        count,
        is_rest,
    )


@pytest.mark.parametrize("typed", ["", "c6", "2 tub", "plenty", "-3 kg"])
def test_what_is_no_amount_or_cannot_be_weighed_is_said(typed):
    with pytest.raises(KilterError):
        taken(typed, 3_000_000, "scale", None, {"tub": None})


def test_nothing_is_half_of_what_was_overdrawn():
    assert taken("half", -5, "scale", None, {}).mass_mg == 0


def test_a_pace_by_hand():
    """Half a kilogram each Tuesday for eight weeks: 0.5 kg a week,
    its range the least that habits allow.
    """
    meals = [(DAY + timedelta(weeks=n), 500_000) for n in range(8)]
    found = pace_of(meals, DAY, DAY + timedelta(weeks=8))
    assert (found.a_week, found.low, found.high, found.takings) == (500_000, 400_000, 600_000, 8)


def test_few_takings_leave_a_wide_range_and_none_no_pace():
    assert pace_of([], DAY, DAY + timedelta(weeks=9)) is None
    assert pace_of([(DAY, 500_000)], DAY, DAY + timedelta(days=5)) is None
    found = pace_of([(DAY, 500_000), (DAY + timedelta(10), 500_000)], DAY, DAY + timedelta(days=14))
    assert found.low == pytest.approx(found.a_week * 0.2)


def test_what_was_eaten_long_ago_says_nothing_of_the_pace_now():
    old = [(DAY, 9_000_000)]
    now = [(DAY + timedelta(weeks=20 + n), 300_000) for n in range(8)]
    assert pace_of(old + now, DAY, DAY + timedelta(weeks=28)).a_week == pytest.approx(300_000)


@given(st.floats(1e5, 5e7), st.floats(1e4, 5e6), st.floats(0.0005, 0.2), st.floats(0.1, 40))
def test_what_is_left_is_the_solution_of_its_equation(lying, pace, loss, weeks):
    """Against SciPy's integrator."""
    rate = -math.log1p(-loss)
    solved = solve_ivp(
        lambda _, left: [-pace - rate * left[0]], (0, weeks), [lying], rtol=1e-9, atol=1e-3
    )
    assert left_after(lying, pace, loss, weeks) == pytest.approx(
        max(solved.y[0][-1], 0), rel=1e-4, abs=200
    )


@given(st.floats(1e5, 5e7), st.floats(2e5, 5e6), st.floats(0, 0.05))
def test_it_is_gone_when_nothing_is_left(lying, a_week, loss):
    found = lasts(
        lying, Pace(a_week, a_week * 0.8, a_week * 1.2, 5), loss, loss * 0.5, min(loss * 2, 0.9)
    )
    if found.weeks is not None:
        assert left_after(lying, a_week, loss, found.weeks) == pytest.approx(0, abs=lying * 1e-6)
        assert found.soonest <= found.weeks
        assert found.latest is None or found.weeks <= found.latest


def test_a_kilogram_a_week_of_twenty_two_lasts_twenty_weeks_as_the_closed_form_of_weeks_says():
    """22.0407 kg at 1 % a week is N10's check; here it is eaten through the week,
    not at its beginning.
    """
    found = lasts(22_040_700, Pace(1e6, 1e6, 1e6, 9), 0.01, 0.01, 0.01)
    assert found.weeks == pytest.approx(20.0, abs=0.15)


def test_what_never_ends_has_no_day_and_a_negative_amount_is_refused():
    assert lasts(5e9, Pace(1e6, 0.0, 2e6, 3), 0.0, 0.0, 0.0).weeks is None
    with pytest.raises(RecordError):
        lasts(-1, Pace(1e6, 1e6, 1e6, 3), 0, 0, 0)
    with pytest.raises(RecordError):
        lasts(1, Pace(1e6, 1e6, 1e6, 3), 1.0, 0, 0)


def test_keeping_by_the_handbook():
    book = handbook()
    assert keeps(book["potato"], "cellar").weeks == 20
    assert keeps(book["potato"], "cellar").loss_per_week == pytest.approx(0.01)
    assert keeps(book["pea"], "freezer").weeks == 40
    assert keeps(book["tomato"], "own", "bottled").weeks == 52
    assert keeps(None, "cellar").weeks == 4
    with pytest.raises(RecordError):
        keeps(None, "attic")


def test_where_a_crop_keeps_longest_is_a_store_for_what_was_lifted():
    book = handbook()
    assert [best_store(book[name]) for name in ("leek", "beetroot", "garlic", "lettuce")] == [
        "sand",
        "sand",
        "airy shelf",
        "fridge",
    ]


def test_what_perishes_has_days_within_which_it_is_eaten():
    book = handbook()
    assert (book["lettuce"].fresh_days, book["tomato"].fresh_days, book["potato"].fresh_days) == (
        14,
        14,
        None,
    )


def test_each_crop_that_is_cured_is_in_the_handbook_and_has_a_sign():
    assert curings().keys() <= handbook().keys()
    assert all(one.sign and one.warm_c.low < one.warm_c.high for one in curings().values())
