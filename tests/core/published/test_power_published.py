"""How many units settle a gap, against tables and an independent implementation."""

from __future__ import annotations

import math

import pytest
from statsmodels.stats.power import TTestIndPower

from kilter.core.compare.power import MOST_UNITS, smallest_gap, units_to_settle
from kilter.core.errors import ComparisonError

#: As the textbooks do it: no belief on the spread, and nothing but the interval to be clear.
PLAIN = {"prior_df": 0.0, "gap_sd": math.inf}


@pytest.mark.parametrize(
    ("cv", "ratio", "units"),
    [(0.20, 1.2, 20), (0.20, 1.5, 5), (0.20, 2, 2), (0.35, 1.2, 59), (0.35, 1.5, 13), (0.35, 2, 5)],
)
def test_the_check_of_the_method(cv, ratio, units):
    """Values of the design's numbers.md N4.8, computed there by a prototype;
    a ratio and its inverse are one.
    """
    gap = math.log(ratio)
    assert units_to_settle(cv, gap).units == units_to_settle(cv, -gap).units == units


@pytest.mark.parametrize("effect", [0.3, 0.5, 0.8, 1.2])
def test_the_power_of_cohens_effect_sizes_is_that_of_statsmodels(effect):
    """Cohen (1988), ch. 2 (memory): 64 of each for a medium effect (0.5),
    26 for a large one (0.8).
    """
    theirs = TTestIndPower().solve_power(effect, alpha=0.05, power=0.8)
    assert units_to_settle(1.0, effect, **PLAIN).units == math.ceil(theirs)
    if effect in (0.5, 0.8):
        assert math.ceil(theirs) == {0.5: 64, 0.8: 26}[effect]


def test_the_smallest_gap_is_the_way_back_and_what_cannot_be_is_said():
    for units in (2, 5, 30):
        gap = smallest_gap(0.3, units)
        assert units_to_settle(0.3, gap * 1.0001).units == units
    assert units_to_settle(1.0, 0.01).units is None
    assert units_to_settle(0.11, 0.0139).units <= MOST_UNITS
    for bad in (
        lambda: units_to_settle(0, 2),
        lambda: units_to_settle(1, 0),
        lambda: smallest_gap(1, 1),
    ):
        with pytest.raises(ComparisonError):
            bad()
    with pytest.raises(ComparisonError, match="between 0 and 1"):
        units_to_settle(1, 2, power=1)
