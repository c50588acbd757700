"""Tare and piling on: nothing is dropped silently, and sums hold."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.errors import FallingReadingError, WeighingError
from kilter.core.weighing import net_mass_mg, pile_on, resolution_sd_mg


def test_tare_is_taken_off():
    assert net_mass_mg(1_240_000, 300_000) == 940_000
    assert net_mass_mg(5, 5) == 0


@pytest.mark.parametrize(("gross", "tare", "says"), [(1, 2, "more than the whole load"), (-1, 0, "below zero")])
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
    # 5 g steps: twelve zeroed readings 5·√(12/12) = 5 g; a pile of any length 5·√(2/12) (numbers.md N2).
    assert resolution_sd_mg(5000, 12) == pytest.approx(5000)
    assert resolution_sd_mg(5000, 12, is_pile=True) == pytest.approx(5000 / 6**0.5)
    with pytest.raises(WeighingError, match="above zero"):
        resolution_sd_mg(0, 1)
