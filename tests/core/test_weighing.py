"""Bowl and piling on: nothing is dropped silently, and sums hold."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.amounts.weighing import (
    MEASURE_CV,
    WeighedLine,
    estimate_mg,
    is_doubt_shown,
    net_mass_mg,
    per_piece,
    pile_on,
    resolution_sd_mg,
    unripe_left,
)
from kilter.core.errors import FallingReadingError, WeighingError


def test_tare_is_taken_off():
    assert net_mass_mg(1_240_000, 300_000) == 940_000
    assert net_mass_mg(5, 5) == 0


@pytest.mark.parametrize(
    ("gross", "tare", "says"), [(1, 2, "more than the whole load"), (-1, 0, "below zero")]
)
def test_impossible_tare_is_refused(gross, tare, says):
    with pytest.raises(WeighingError, match=says):
        net_mass_mg(gross, tare)


def test_pile_of_the_worked_example():
    assert pile_on([310, 655, 1040]).nets_mg == (310, 345, 385)


def test_falling_reading_asks_whether_the_scale_was_emptied():
    with pytest.raises(FallingReadingError, match="emptied") as caught:
        pile_on([310_000, 655_000, 120_000])
    assert (caught.value.before_mg, caught.value.now_mg) == (655_000, 120_000)


@given(st.lists(st.integers(0, 10**7), max_size=40), st.integers(0, 10**6))
def test_differences_of_a_pile_sum_to_its_end(loads, start):
    readings = [start + sum(loads[: i + 1]) for i in range(len(loads))]
    pile = pile_on(readings, start)
    assert list(pile.nets_mg) == loads
    assert pile.total_mg == sum(loads)


def test_resolution_of_a_pile_does_not_grow_with_its_loads():
    # 5 g steps: twelve zeroed readings 5·√(12/12) = 5 g; a pile of any length 5·√(2/12) (numbers.md
    # N2).
    zeroed = [WeighedLine(900_000, 5000)] * 12
    pile = [WeighedLine(300_000, 5000, pile="a", number=n) for n in range(1, 13)]
    assert (
        resolution_sd_mg(zeroed)
        == resolution_sd_mg([WeighedLine(1, 5000, loads=12)])
        == pytest.approx(5000)
    )
    assert resolution_sd_mg(pile) == pytest.approx(5000 / 6**0.5)
    assert resolution_sd_mg(pile[::2]) == pytest.approx(
        5000
    )  # no two follow each other, so nothing cancels
    assert resolution_sd_mg([]) == 0
    with pytest.raises(WeighingError, match="above zero"):
        resolution_sd_mg([WeighedLine(1, 0)])


def test_resolution_of_a_pile_by_simulation():
    """Rounded running totals differ from the truth as the formula says;
    within 5 % of it over 4,000 piles.
    """
    rng = np.random.default_rng(5)
    loads = rng.uniform(200, 400, (4000, 6))
    shown = np.round(np.cumsum(loads, axis=1) / 50) * 50
    off = (shown[:, 4] - shown[:, 1]) - loads[:, 2:5].sum(
        axis=1
    )  # the sum of the third to fifth differences
    lines = [WeighedLine(0, 50_000, pile="a", number=n) for n in (3, 4, 5)]
    assert off.std() * 1000 == pytest.approx(resolution_sd_mg(lines), rel=0.05)


def test_a_piece_is_learnt_from_lots_and_an_estimate_carries_both_doubts():
    each = per_piece([(10, 480.0), (20, 1040.0), (30, 1480.0), (0, 99.0)])
    assert (each.mg, each.lots, each.df) == (50.0, 3, 6)
    # By hand: residuals -20, 40, -20, squared over count and 50²: 0.016 + 0.032 + 0.00533; s² =
    # (4·0.09 + 0.05333)/6.
    spread = (0.413333333 / 6) ** 0.5
    assert each.spread_mg == pytest.approx(50 * spread)
    assert each.sd_mg == pytest.approx(50 * spread / 60**0.5)
    found = estimate_mg(5, each)
    assert found.mass_mg == 250
    assert found.sd_mg == pytest.approx(250 * spread * (1 / 60 + 1 / 5) ** 0.5)
    one = per_piece([(4, 100.0)], MEASURE_CV)  # of one lot the rule alone: a fifth
    assert (one.spread_mg, one.sd_mg) == pytest.approx((5.0, 2.5))
    assert per_piece([]) is None
    assert [is_doubt_shown(100, sd) for sd in (1.9, 2.1)] == [False, True]
    for bad in (lambda: per_piece([(-1, 3.0)]), lambda: estimate_mg(-1, each)):
        with pytest.raises(WeighingError):
            bad()


@pytest.mark.parametrize(
    ("turned", "left"),
    [
        ([], (2_000_000, 20)),
        ([(450_000, 5)], (1_500_000, 15)),  # lighter than they were: by count
        ([(450_000, None)], (1_550_000, 20)),
        ([(900_000, 12), (700_000, 12)], (0, 0)),
    ],
)
def test_what_is_left_on_the_ripening_shelf(turned, left):
    assert unripe_left(2_000_000, 20, turned) == left
