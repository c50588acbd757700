"""Need, forecast of one plant, and quantities: worked examples, refusals, properties."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from kilter.core.errors import PlanError
from kilter.core.handbook import handbook
from kilter.core.plan.effects import Grown, Planned
from kilter.core.plan.forecast import forecast_one_plant
from kilter.core.plan.need import (
    Losses,
    back_to_the_soil,
    forward_to_the_table,
    lay_in_kg,
    plate_need_kg,
    rule_row_m,
)
from kilter.core.plan.quantities import containers_for, plants_for, seeds_for

#: One planting of a crop that was never grown here.
ALONE = (Planned("", "", "", 10.0),)


def test_plate_by_hand():
    assert plate_need_kg(2, 100, 30, [1, 1.25, 0.5]) == pytest.approx(2 * 0.1 * 30 * 2.75)


def test_storage_of_the_worked_example():
    """1 kg a week, 20 weeks, 1 % a week lost: 22.0407 kg (numbers.md N6)."""
    assert lay_in_kg(1, 20, 0.01) == pytest.approx(22.0407, abs=5e-5)


@given(st.floats(0.1, 5), st.integers(1, 50), st.floats(0, 0.2))
def test_what_is_laid_in_is_just_eaten_up(weekly, weeks, loss):
    """A slow second way: eat week by week and let the rest spoil."""
    left = lay_in_kg(weekly, weeks, loss)
    for _ in range(weeks):
        left = (left - weekly) * (1 - loss)
    assert left == pytest.approx(0, abs=1e-6 * weekly * weeks)


def test_the_chain_goes_back_and_forth():
    losses = Losses(edible_share=0.85, store_loss_per_week=0.01, store_weeks=20, lift_loss=0.1)
    chain = back_to_the_soil(10, losses)
    assert chain.kitchen_kg == pytest.approx(10 / 0.85)
    assert chain.laid_in_kg == pytest.approx(10 / 0.85 * 22.0407 / 20, rel=1e-5)
    assert chain.lifted_kg == pytest.approx(chain.laid_in_kg / 0.9)
    assert forward_to_the_table(chain.lifted_kg, losses).table_kg == pytest.approx(10)


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: plate_need_kg(-1, 100, 10, [1]), "zero or more"),
        (lambda: plate_need_kg(1, 100, 10, []), "Nobody"),
        (lambda: lay_in_kg(1, 10, 1.0), "below 100 %"),
        (lambda: lay_in_kg(1, 500, 0.1), "from 0 to 104"),
        (lambda: back_to_the_soil(1, Losses(edible_share=0)), "leave something"),
        (lambda: plants_for(10, 0, 0.3, 0.5), "must give something"),
        (lambda: plants_for(10, 1, 0.3, 1.0), "between 0 and 100 %"),
        (lambda: plants_for(1e9, 0.001, 0.3, 0.5), "more than 100,000 plants"),
        (lambda: seeds_for(10, 0.0), "above 0"),
        (lambda: seeds_for(-1, 0.5), "from 0"),
        (lambda: containers_for(10, 5, 0), "volume above zero"),
        (lambda: forecast_one_plant((), ALONE, None), "weigh a harvest"),
    ],
)
def test_refusals_say_what_to_do(call, says):
    with pytest.raises(PlanError, match=says):
        call()


@pytest.mark.parametrize(
    ("crop", "is_kept", "metres"),
    # Potatoes 6 m a person fresh, 15 kept; a courgette (0.25–1 plants, 0.9 m each): the rules of
    # thumb of numbers.md.
    [
        ("potato", False, 6),
        ("potato", True, 15),
        ("courgette", False, 0.625 * 0.9),
        ("leek", True, 3),
    ],
)
def test_rule_of_thumb_a_person(crop, is_kept, metres):
    assert rule_row_m(handbook()[crop], [1], is_kept=is_kept) == pytest.approx(metres)


def test_a_courgette_feeds_four_within_its_rule():
    """Common practice, no source: a courgette feeds four; the rule's low end."""
    assert handbook()["courgette"].rule_plants.low == 1 / 4


def test_plants_of_the_worked_example():
    """40 kg, 0.5 kg a plant, σ 0.35, 80 %: 107.40, so 108 (numbers.md N7)."""
    assert 40 / 0.5 * math.exp(stats.norm.ppf(0.8) * 0.35) == pytest.approx(107.40, abs=0.005)
    assert plants_for(40, 0.5, 0.35, 0.8).plants == 108


@given(
    st.floats(0.5, 200), st.floats(0.05, 5), st.floats(0.01, 1), st.sampled_from([0.5, 0.8, 0.95])
)
def test_the_number_of_plants_is_the_smallest_that_is_sure_enough(need, median, sigma, sure):
    n = plants_for(need, median, sigma, sure).plants

    def chance(plants):
        return stats.norm.cdf(math.log(plants * median / need) / sigma) if plants else 0.0

    assert chance(n) >= sure - 1e-6
    assert chance(n - 1) < sure + 1e-6


def test_expected_surplus_agrees_with_draws():
    found = plants_for(40, 0.5, 0.5, 0.8)
    draws = found.plants * 0.5 * np.exp(np.random.default_rng(1).normal(0, 0.5, 400_000))
    assert found.expected_kg == pytest.approx(draws.mean(), rel=0.01)
    assert found.expected_surplus_kg == pytest.approx(np.maximum(draws - 40, 0).mean(), rel=0.01)


@pytest.mark.parametrize(
    ("plants", "germination", "sure", "seeds"),
    [
        (30, 0.6, 0.9, 58),
        (12, 0.85, 0.9, 16),
        (100, 0.75, 0.95, 145),
        (0, 0.5, 0.9, 0),
        (5, 1.0, 0.9, 5),
    ],
)
def test_seeds_of_the_worked_examples(plants, germination, sure, seeds):
    """numbers.md N7, by the binomial."""
    assert seeds_for(plants, germination, sure) == seeds


def test_seeds_agree_with_trying_every_number():
    for plants, germination in ((3, 0.3), (17, 0.55), (40, 0.9)):
        slow = next(
            s for s in range(plants, 999) if stats.binom.sf(plants - 1, s, germination) >= 0.9
        )
        assert seeds_for(plants, germination) == slow


def test_containers_hold_at_least_one_plant():
    assert containers_for(3, 1, 10) == 3
    assert containers_for(20, 5, 45) == 3


def test_handbook_alone_nearly_doubles_the_planting_at_eighty_percent():
    one = forecast_one_plant((), ALONE, 0.5)
    assert one.own_share == 0
    assert 1.7 < one.enough(100, 0.8).plants / one.enough(100, 0.5).plants < 2.4


def test_own_record_gains_weight_as_it_grows_and_narrows():
    def season(year):
        return [
            Grown(variety=variety, method="", place="bed", season=year, plants=9.0, mass_kg=9.0)
            for variety in "ab"
            for _ in range(4)
        ]

    plan = (Planned("a", "", "bed", 20.0),)
    found = [
        forecast_one_plant(tuple(r for y in range(n) for r in season(y)), plan, 0.5)
        for n in range(4)
    ]
    assert [f.own_share for f in found] == sorted(f.own_share for f in found)
    assert found[3].ninetieth_kg / found[3].median_kg < found[0].ninetieth_kg / found[0].median_kg
    assert found[0].median_kg < found[3].median_kg < 1.05
    assert found[3].own_kg == pytest.approx(1.0)
    assert (found[3].plantings, found[3].seasons) == (24, 3)


def test_failures_are_in_the_certainty_and_said():
    grown = tuple(
        Grown(variety="a", method="", place="bed", season=year, plants=3.0, mass_kg=6.0)
        for year in (2024, 2025)
    )
    whole = forecast_one_plant(grown, ALONE, None)
    one = forecast_one_plant(grown, ALONE, None, failed=3)
    assert (one.failed, one.plantings) == (3, 2)
    assert one.own_share == pytest.approx(1.0, abs=0.05)
    assert one.enough(30, 0.5).plants > whole.enough(30, 0.5).plants
    assert (
        one.enough(30, 0.9) is None
    )  # by hand: it fails with a chance of (1 + 3) / (10 + 5), more than one in ten


def test_every_handbook_row_is_whole_and_says_its_basis():
    for crop in handbook().values():
        assert crop.basis == "memory"
        assert 0 < crop.edible_share <= 1
        assert crop.serving_g > 0
        assert 0 < crop.weeks_at_table <= 52
        if crop.days:
            assert crop.days.low <= crop.days.high
