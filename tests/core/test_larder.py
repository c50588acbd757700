"""The larder reckoned: loss in store with its coverage, weekly flow against a slow second way,
the account by hand.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.errors import PlanError, RecordError
from kilter.core.larder.account import Amounts, Item, account_of
from kilter.core.larder.flow import Batch, weekly_flow
from kilter.core.larder.keeping import Look, loss_in_store
from kilter.core.plan.need import lay_in_kg
from kilter.core.yields.costs import split_whole, yearly_parts

HUNDREDTHS = st.integers(0, 300).map(lambda n: n / 100)


def test_a_loss_by_hand():
    """1 % by the handbook over 20 weeks;
    looks of four weeks with 3 % and 6 % spoiled (numbers.md N13).
    """
    looks = [Look("a", 4, 0.03), Look("b", 4, 0.06)]
    assert [round(look.hazard, 6) for look in looks] == [0.030459, 0.061875]
    found = loss_in_store(looks, 0.01, 20)
    assert -math.log1p(-found.per_week) == pytest.approx(
        (20 * 0.01 + 0.030459 + 0.061875) / 28, abs=1e-6
    )
    assert -math.log1p(-found.per_week) == pytest.approx(0.010440, abs=1e-6)
    assert found.low < found.per_week < found.high
    assert found.own_share == pytest.approx(8 / 28)
    assert loss_in_store([], 0.01, 20).per_week == pytest.approx(-math.expm1(-0.01)), (
        "the handbook alone"
    )


def test_a_crate_of_which_nothing_was_good_is_a_large_loss_and_no_infinite_one():
    assert 0.1 < loss_in_store([Look("a", 8, 1.0)], 0.01, 20).per_week < 0.3


@pytest.mark.parametrize(
    ("looks", "loss", "weeks"),
    [
        ([Look("a", 0, 0.1)], 0.01, 20),
        ([Look("a", 4, 1.1)], 0.01, 20),
        ([], 0, 20),
        ([], 0.01, 0),
        ([], 1, 20),
    ],
)
def test_what_is_no_looking_through_is_refused(looks, loss, weeks):
    with pytest.raises(RecordError):
        loss_in_store(looks, loss, weeks)


@pytest.mark.parametrize("years", [1, 2, 3, 4])
def test_the_interval_of_a_loss_covers_what_it_says(years):
    """Two to eight crates a year, each looked through one to five times, four weeks apart; crates
    differ by a coefficient of variation of 0.7, and the handbook is right on average. Wanted: 88 to
    93 in 100.
    """
    rng, held, gardens = np.random.default_rng(20261126 + years), 0, 1500
    for _ in range(gardens):
        true = rng.gamma(2.0, 0.01 / 2.0)
        looks = []
        for crate in range(years * int(rng.integers(2, 9))):
            lost = -math.expm1(-4 * rng.gamma(1 / 0.7**2, true * 0.7**2))
            times = int(rng.integers(1, 6))
            looks += [Look(str(crate), 4.0, n / 60) for n in rng.binomial(60, lost, size=times)]
        found = loss_in_store(looks, 0.01, 20)
        held += found.low <= -math.expm1(-true) <= found.high
    assert 0.88 <= held / gardens <= 0.93


def test_flows_by_hand():
    """numbers.md N10."""
    flow = weekly_flow([Batch(0, 22.0407, 40, 0.01)], [1.0] * 21)
    assert [week.is_covered for week in flow.weeks] == [True] * 20 + [False]
    assert flow.runs_out == 20
    weeks = weekly_flow([Batch(0, 3, 1)], [1, 1, 1]).weeks
    assert ([week.eaten for week in weeks], sum(week.waste for week in weeks)) == ([1, 1, 0], 1)
    flow = weekly_flow([Batch(0, 4, 3), Batch(2, 4, 3)], [1] * 8)
    assert ([week.eaten for week in flow.weeks], sum(week.waste for week in flow.weeks)) == (
        [1] * 6 + [0, 0],
        2,
    )
    assert (flow.runs_out, flow.longest_gap) == (6, 2)


def test_what_is_hurt_is_eaten_first_and_before_the_first_lift_nothing_runs_out():
    flow = weekly_flow([Batch(1, 2, 9), Batch(2, 1, 9, is_hurt=True)], [1, 1, 1, 1])
    assert [week.stock for week in flow.weeks] == [0, 1, 1, 0]
    assert flow.weeks[2].eaten == 1
    assert flow.runs_out is None
    assert weekly_flow([], [1, 1]).runs_out is None


def slow_flow(batches, demand):
    """The same in grains of a hundredth of a kilogram, each with its own age:
    a second way, without losses.
    """
    grains = [[batch, round(batch.kg * 100)] for batch in batches]
    eaten = []
    for now, wanted in enumerate(demand):
        want, got = round(wanted * 100), 0
        for one in sorted(grains, key=lambda one: (not one[0].is_hurt, one[0].week)):
            while one[0].week <= now <= one[0].week + one[0].keeps_weeks and one[1] and got < want:
                one[1] -= 1
                got += 1
        eaten.append(got / 100)
    return eaten


@given(
    st.lists(
        st.builds(
            Batch, st.integers(0, 6), st.integers(0, 400).map(lambda n: n / 100), st.integers(0, 5)
        ),
        max_size=5,
    ),
    st.lists(st.integers(0, 200).map(lambda n: n / 100), min_size=1, max_size=9),
)
def test_the_flow_is_the_slow_one_and_nothing_is_lost_on_the_way(batches, demand):
    weeks = weekly_flow(batches, demand).weeks
    assert [week.eaten for week in weeks] == pytest.approx(slow_flow(batches, demand), abs=1e-9)
    came = sum(batch.kg for batch in batches if batch.week < len(demand))
    gone = sum(week.eaten + week.waste for week in weeks)
    assert came == pytest.approx(gone + weeks[-1].stock, abs=1e-9)
    assert all(week.eaten + week.short == pytest.approx(week.demand, abs=1e-6) for week in weeks)


@given(
    st.lists(st.tuples(st.integers(0, 6), st.integers(0, 400)), max_size=5),
    st.integers(0, 5),
    st.lists(st.integers(0, 200).map(lambda n: n / 100), min_size=1, max_size=9),
    st.integers(0, 8),
)
def test_what_is_to_spare_is_missed_by_no_later_week(lifted, keeps, demand, week):
    week = min(week, len(demand) - 1)
    batches = [Batch(at, grams / 100, keeps) for at, grams in lifted]
    flow = weekly_flow(batches, demand)
    spare = flow.spare(week)

    def later(more):
        asked = [*demand[:week], demand[week] + more, *demand[week + 1 :]]
        return [one.eaten for one in weekly_flow(batches, asked).weeks[week + 1 :]]

    assert later(spare) == pytest.approx([one.eaten for one in flow.weeks[week + 1 :]], abs=1e-9)
    got = weekly_flow(batches, [*demand[:week], demand[week] + spare]).weeks[week].eaten
    assert got == pytest.approx(flow.weeks[week].eaten + spare, abs=1e-9)


@given(st.floats(0.1, 3), st.integers(1, 40), st.floats(0, 0.1))
def test_what_is_laid_in_lasts_just_so_long(weekly, weeks, loss):
    flow = weekly_flow(
        [Batch(0, lay_in_kg(weekly, weeks, loss), 99, loss)], [weekly] * (weeks + 1)
    ).weeks
    assert all(week.eaten == pytest.approx(weekly) for week in flow[:weeks])
    assert flow[weeks].eaten == pytest.approx(0, abs=1e-6 * weekly * weeks)


def test_a_negative_flow_is_refused():
    for batches, demand in (([Batch(0, -1, 1)], [1]), ([Batch(0, 1, 1, 1.0)], [1]), ([], [-1])):
        with pytest.raises(PlanError):
            weekly_flow(batches, demand)


def test_the_account_by_hand():
    """numbers.md N11: 0.79 over three years, 2.98 and 1.50;
    tomatoes and shallots share a tool of 10 over 4 years.
    """
    first, later, _ = yearly_parts(79, 3)
    assert (first, later) == (27, 26)
    year = [
        account_of(
            3_040_000,
            Amounts.of_mass(3_040_000, 0, 0),
            0,
            [Item("net", n), Item("seed", 298), Item("feed", 150)],
        )
        for n in (first, later)
    ]
    assert [one.cost for one in year] == [475, 474]
    assert [one.break_even_minor for one in year] == [
        pytest.approx(156.25),
        pytest.approx(155.921, abs=1e-3),
    ]
    tool = split_whole(yearly_parts(1000, 4)[0], [2, 1])
    pot, fill = yearly_parts(1400, 10)[0], yearly_parts(320, 3)[0]
    tomato = account_of(
        12_000_000,
        Amounts.of_mass(12_000_000, 10_000_000, 2_000_000),
        300,
        [Item("pot", pot), Item("fill", fill), Item("tool", tool[0])],
    )
    assert (tomato.cost, tomato.saved, tomato.given, tomato.value) == (414, 3000, 600, 3600)
    assert tomato.break_even_minor == pytest.approx(34.5)
    shallot = account_of(
        8_000_000,
        Amounts.of_mass(8_000_000, 8_000_000, 0),
        250,
        [Item("sets", 450), Item("tool", tool[1])],
    )
    assert shallot.cost == 533
    assert shallot.break_even_minor == pytest.approx(66.63, abs=0.01)


@given(st.integers(0, 10**6), st.integers(1, 40))
def test_what_is_spread_over_years_adds_up(price, years):
    parts = yearly_parts(price, years)
    assert (sum(parts), max(parts) - min(parts) <= 1) == (price, True)


def test_an_account_that_cannot_be_is_refused():
    with pytest.raises(RecordError):
        yearly_parts(100, 0)
    with pytest.raises(RecordError):
        account_of(-1, Amounts.of_mass(0, 0, 0), 300, [])
    assert account_of(0, Amounts.of_mass(0, 0, 0), 300, []).break_even_minor is None
