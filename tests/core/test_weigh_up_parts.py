"""Replicates, two factors, position, bands, crowding, shared beds, ranking,
trials, yields so far.
"""

from __future__ import annotations

from collections import Counter
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.compare import Unit, compare
from kilter.core.compare.anova import anova
from kilter.core.compare.density import Stand, crowding
from kilter.core.compare.factorial import compare_two
from kilter.core.compare.kinds import SHARE
from kilter.core.compare.land import Share, land_equivalent
from kilter.core.compare.ranking import Candidate, rank
from kilter.core.compare.replicates import own_prior
from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of
from kilter.core.errors import ComparisonError
from kilter.core.growing.position import along, edges, third
from kilter.core.yields.bands import bands, part_of_month
from kilter.core.yields.bearing import all_up_to, as_of, common_cuts, mean_curve
from kilter.core.yields.harvest import GradeTotal, Lift
from kilter.core.yields.record import PlantingRecord


def pots(groups, plants=4):
    return [
        Unit(ref=f"{k}{i}", amount=y, exposure=1.0, level=k, plants=plants)
        for k, ys in groups.items()
        for i, y in enumerate(ys)
    ]


def test_own_replicates_by_hand():
    # Group a: m = 3, v = 0.12·9, squares 1 + 1 + 0; b: m = 10, v = 0.12·100, squares 4 + 4; ν = 3.
    prior = own_prior([], pots({"a": [2, 4, 3], "b": [8, 12], "c": [5], "d": [0, 0]}))
    assert prior.kappa == pytest.approx((4 + 2 / 1.08 + 8 / 12) / (4 + 3))
    assert (prior.weight, prior.units, prior.source) == (5.5, 5, "own, all crops")


def test_a_crop_with_few_twins_listens_to_all_crops_and_their_weight_is_bounded():
    few, many = pots({"a": [2, 4]}), pots({f"g{i}": [2, 3] for i in range(30)})
    assert own_prior(few, many).source == "own, all crops"
    assert own_prior(many, few).source == "own, this crop"
    assert own_prior(many).weight == 8
    assert own_prior([], []).source == "rule"


def test_the_garden_s_spread_moves_the_answer_s_doubt():
    units = pots({"a": [9, 11], "b": [5, 7]})
    calm = own_prior(pots({f"g{i}": [10, 10.1] for i in range(9)}))
    wild = own_prior(pots({f"g{i}": [2, 18] for i in range(9)}))
    widths = [compare(units, prior=p).pairs[0] for p in (calm, None, wild)]
    assert widths[0].high < widths[1].high < widths[2].high


def test_two_things_with_a_missing_combination():
    units = pots({"a": [4, 4.2, 2.1, 2], "b": [3, 3.1]})
    found = compare_two(units, ["sun", "sun", "shade", "shade", "sun", "sun"], ("variety", "light"))
    assert found.missing == (("b", "shade"),)
    assert found.interaction is None  # three cells hold no product to test
    assert [one.inside for one in found.within] == ["sun"]


def test_no_dependence_is_found_where_there_is_none():
    units = pots({"a": [4, 4.1, 2, 2.05], "b": [2, 2.05, 1, 1.02]})
    found = compare_two(units, ["x", "x", "y", "y"] * 2, ("variety", "light"))
    assert not found.interaction.is_dependent
    assert found.first.pairs[0].size == pytest.approx(2, rel=0.03)
    assert found.second.pairs[0].size == pytest.approx(2, rel=0.03)


def test_a_share_inside_each_level_is_said_in_points_of_those_two():
    """By hand: in sun a 40 and b 10 of 100, in shade a 10 and b 30: 30 more, and 20 less."""
    shares = {"sun": {"a": 0.4, "b": 0.1}, "shade": {"a": 0.1, "b": 0.3}}
    rows = [
        (level, place, share)
        for place, of in shares.items()
        for level, share in of.items()
        for _ in range(3)
    ]
    units = [
        Unit(ref=str(i), amount=share, exposure=1.0, level=level, pieces=40)
        for i, (level, _, share) in enumerate(rows)
    ]
    found = compare_two(units, [place for _, place, _ in rows], ("variety", "light"), kind=SHARE)
    sign = 1 if found.first.pairs[0].a == "a" else -1
    assert {one.inside: round(sign * one.size, 6) for one in found.within} == {
        "sun": 0.3,
        "shade": -0.2,
    }


def test_anova_without_anything_left_over_is_refused():
    with pytest.raises(ComparisonError, match="nothing is left over"):
        anova([1, 2], {"kind": ["a", "b"]}, [("kind",)])


ROW = {i: (float(i), 0.0) for i in range(6)}
DOUBLE = {i: (float(i % 6), float(i // 6)) for i in range(12)}
BLOCK = {i: (float(i % 4), float(i // 4)) for i in range(16)}


@pytest.mark.parametrize(
    ("spots", "inner"),
    [
        (ROW, {1, 2, 3, 4}),
        (DOUBLE, {1, 2, 3, 4, 7, 8, 9, 10}),
        (BLOCK, {5, 6, 9, 10}),
        ({1: (0, 0), 2: (1, 0)}, set()),
    ],
)
def test_edge_and_middle(spots, inner):
    found = edges(spots)
    assert {key for key, where in found.items() if where == "middle"} == inner


def test_along_goes_by_the_longer_side():
    assert along(ROW)[0] == "west end"
    assert along({i: (0.0, float(i)) for i in range(6)})[5] == "north end"
    assert along({1: (0, 0), 2: (0, 0), 3: (0, 0)}) == {}
    assert third(1.0) == "east end"


def test_bands_keep_few_values_and_put_many_in_thirds():
    many = bands([float(i) for i in range(10, 40)], "per m²")
    assert len(set(many)) == 3
    assert many[0] == "up to 19 per m²"
    assert bands([None, 3.0], "L") == [None, "3 L"]
    assert [part_of_month(date(2026, 5, d)) for d in (3, 14, 28)] == [
        "early May",
        "mid-May",
        "late May",
    ]


def test_crowding_that_is_not_sure_names_no_limit():
    rng = np.random.default_rng(1)
    flat = [Stand(str(i), d, float(rng.gamma(9, 0.1))) for i, d in enumerate([4.0, 9, 16, 25] * 3)]
    found = crowding(flat)
    assert found.pays_to is None
    assert found.beta_low < 0 < found.beta_high
    sharp = [Stand(str(i), d, 1 / (0.5 + 0.2 * d)) for i, d in enumerate([4.0, 9, 16, 25] * 3)]
    found = crowding(sharp)
    assert found.pays_low < found.pays_to < found.pays_high
    assert found.per_m2(16) > found.per_m2(4)
    one_more = found.per_m2(found.pays_to + 1e-4) - found.per_m2(found.pays_to)
    assert one_more / 1e-4 == pytest.approx(0.1 / found.alpha, rel=1e-3)


@pytest.mark.parametrize(
    ("stands", "says"),
    [
        ([Stand("1", 4, 1), Stand("2", 9, 1)], "three plantings"),
        ([Stand(str(i), 4, 1) for i in range(5)], "two spacings"),
        ([Stand(str(i), d, 0) for i, d in enumerate((4, 9, 16))], "Nothing came"),
    ],
)
def test_crowding_refuses_with_what_is_missing(stands, says):
    with pytest.raises(ComparisonError, match=says):
        crowding(stands)


def test_land_equivalent_ratio_and_its_doubt_by_simulation():
    # Mead & Willey 1980: 0.80 + 0.75 = 1.55 (memory); the doubt against draws.
    shares = [
        Share(crop="maize", ratio=0.80, log_se=0.15, df=8, together=3, alone=3),
        Share(crop="bean", ratio=0.75, log_se=0.25, df=5, together=3, alone=3),
    ]
    found = land_equivalent(shares)
    assert found.total == pytest.approx(1.55)
    rng = np.random.default_rng(2)
    draws = sum(s.ratio * np.exp(s.log_se * rng.standard_normal(200_000)) for s in shares)
    assert np.std(np.log(draws)) == pytest.approx(
        np.log(found.high / found.low) / 2 / 2.29, rel=0.05
    )
    assert found.df < 13
    with pytest.raises(ComparisonError, match="two crops"):
        land_equivalent(shares[:1])


def test_ranking_puts_the_measured_between_the_levels_and_says_what_nobody_judged():
    rows = [
        Candidate("early", {"flavour": [4, 5]}, {"yield": (0.0, 0.05)}),
        Candidate("heavy", {"flavour": [3]}, {"yield": (1.0, 0.05)}),
        Candidate("mild", {}, {"yield": (0.5, 0.05)}),
    ]
    placed = {one.name: one for one in rank(rows, {"flavour": 2, "yield": 1, "colour": 0})}
    assert placed["heavy"].total == pytest.approx((2 * 0.5 + 1) / 3)
    assert placed["mild"].missing == ("flavour",)
    assert placed["mild"].total == pytest.approx(0.5)
    assert sum(one.is_first for one in placed.values()) == pytest.approx(1)
    assert placed == {one.name: one for one in rank(rows, {"flavour": 2, "yield": 1})}


def test_an_even_race_holds_no_place_firmly():
    placed = rank(
        [Candidate(n, {"flavour": [4], "looks": [4]}) for n in "ab"], {"flavour": 1, "looks": 1}
    )
    assert all(0.4 < one.holds < 0.6 for one in placed)


@given(st.integers(2, 5), st.integers(2, 6), st.integers(0, 10_000))
def test_each_treatment_stands_once_in_every_block_of_neighbours(kinds, blocks, seed):
    spots = [TrialSpot(str(i), "set", float(i), 0.0) for i in range(kinds * blocks)]
    laid = random_layout(spots, treatments_of([[f"k{i}" for i in range(kinds)]]), seed)
    for block in range(1, blocks + 1):
        inside = [one for one in laid if one.block == block]
        assert len({one.treatment for one in inside}) == kinds
        at = sorted(int(one.key) for one in inside)
        assert at[-1] - at[0] == kinds - 1
    assert laid == random_layout(
        list(reversed(spots)), treatments_of([[f"k{i}" for i in range(kinds)]]), seed
    )


def test_chance_puts_each_treatment_everywhere_in_its_block():
    spots = [TrialSpot(str(i), "set", float(i), 0.0) for i in range(4)]
    firsts = [random_layout(spots, [("a",), ("b",)], seed)[0].treatment[0] for seed in range(400)]
    assert 160 < firsts.count("a") < 240


@pytest.mark.parametrize(
    ("levels", "says"),
    [
        ([["a"]], "two or more"),
        ([["a", "a"]], "named twice"),
        ([["a", "b"]] * 3, "one thing or two"),
    ],
)
def test_what_a_trial_cannot_be(levels, says):
    with pytest.raises(ComparisonError, match=says):
        treatments_of(levels)


def test_too_few_places_name_how_many_it_takes():
    with pytest.raises(
        ComparisonError, match="5 places cannot hold 3 kinds twice each; take 6 or more"
    ):
        random_layout([TrialSpot(str(i), "x") for i in range(5)], treatments_of([list("abc")]), 1)


@pytest.mark.parametrize(("places", "kinds"), [(5, 2), (7, 3), (11, 4), (13, 2)])
@pytest.mark.parametrize("seed", [1, 7])
def test_uneven_numbers_are_laid_out_as_evenly_as_they_go(places, kinds, seed):
    spots = [TrialSpot(str(i), "set", float(i), 0.0) for i in range(places)]
    laid = random_layout(spots, treatments_of([[f"k{i}" for i in range(kinds)]]), seed)
    had = Counter(one.treatment for one in laid)
    assert max(had.values()) - min(had.values()) <= 1
    blocks = Counter(one.block for one in laid)
    assert len(blocks) == places // kinds
    assert max(blocks.values()) - min(blocks.values()) <= 1
    for block in blocks:
        inside = [one.treatment for one in laid if one.block == block]
        assert len(set(inside)) == kinds


def test_what_a_place_brings_is_never_drawn_and_every_block_holds_all_of_it():
    stuffs = ["cloth"] * 5 + ["clay"] * 4
    spots = [TrialSpot(str(i), "row", float(i), 0.0, (stuff,)) for i, stuff in enumerate(stuffs)]
    laid = random_layout(spots, [("a",), ("b",)], 4)
    found = Counter((stuffs[int(one.key)], *one.treatment) for one in laid)
    assert sorted(found.values()) == [2, 2, 2, 3]
    assert found["cloth", "a"] + found["cloth", "b"] == 5
    for block in (1, 2):
        inside = {(stuffs[int(one.key)], *one.treatment) for one in laid if one.block == block}
        assert len(inside) == 4


def test_with_nothing_to_draw_two_of_each_are_needed():
    spots = [
        TrialSpot(str(i), "row", stratum=(stuff,))
        for i, stuff in enumerate(["cloth", "cloth", "clay"])
    ]
    with pytest.raises(ComparisonError, match="Only 1 place here is clay; take 2 or more of each"):
        random_layout(spots, [()], 1)
    with pytest.raises(ComparisonError, match="nothing to compare"):
        random_layout(spots[:2], [()], 1)
    laid = random_layout([*spots, TrialSpot("3", "row", stratum=("clay",))], [()], 1)
    assert [one.block for one in laid] == [1, 2, 1, 2]


def test_what_still_bears_is_compared_to_the_same_age():
    old = PlantingRecord(ref="old", planted_on=date(2025, 5, 1), finished_on=date(2025, 10, 1))
    new = PlantingRecord(ref="new", planted_on=date(2026, 5, 21))
    cuts = common_cuts([old, new], {"old": 2025, "new": 2026}, "age", date(2026, 8, 19))
    assert cuts == {"old": date(2025, 7, 30), "new": date(2026, 8, 19)}
    lifts = [
        Lift(date(2025, 7, day), "table", GradeTotal(lines=1, mass_mg=mass, count=1))
        for day, mass in ((30, 5), (31, 7))
    ]
    assert as_of(old, lifts, cuts["old"]).grades["table"].mass_mg == 5
    vague = PlantingRecord(ref="vague", finished_on=date(2025, 9, 1))
    ahead = PlantingRecord(ref="ahead", planted_on=date(2027, 4, 1))
    seasons = {"old": 2025, "new": 2026, "vague": 2025, "ahead": 2027}
    found = all_up_to([old, new, vague, ahead], seasons, {"old": lifts}, "age", date(2026, 8, 19))
    assert found["old"].grades["table"].mass_mg == 5
    assert "when it was planted" in found["vague"].reason
    assert "not begun" in found["ahead"].reason
    assert mean_curve([[(1, 2.0)], []]) == ((1, 1.0),)
