"""Comparisons that must refuse, leave out, or hold a property."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from kilter.core.compare import Prior, Unit, compare
from kilter.core.compare.baskets import settle_baskets
from kilter.core.compare.cells import Cells
from kilter.core.compare.design import lay_out
from kilter.core.compare.fitted import Doubt
from kilter.core.compare.judge import chance_ahead
from kilter.core.compare.kinds import SHARE
from kilter.core.compare.moderation import Component
from kilter.core.compare.quasi import fit_quasi
from kilter.core.errors import AliasedError, ComparisonError, NotSettledError
from kilter.core.yields.harvest import BasketPart


def units(*rows: tuple[str, float] | tuple[str, float, str], exposure: float = 1.0) -> list[Unit]:
    """Rows of level, amount and perhaps a block label."""
    return [
        Unit(
            ref=f"u{i}",
            amount=row[1],
            exposure=exposure,
            level=row[0],
            blocks=tuple(row[2:]),
            plants=4,
        )
        for i, row in enumerate(rows)
    ]


def test_without_blocks_the_means_are_total_over_total():
    rows = [
        Unit(ref="1", amount=3.0, exposure=4, level="a"),
        Unit(ref="2", amount=1.0, exposure=1, level="a"),
        Unit(ref="3", amount=2.0, exposure=5, level="b"),
    ]
    means = {level.level: level.mean for level in compare(rows).levels}
    assert means == pytest.approx({"a": 4 / 5, "b": 2 / 5})


def test_a_rich_block_does_not_drown_a_poor_one():
    """Both blocks say a is twice b; the ratio is 2 whatever the blocks' sizes, and both agree."""
    answer = compare(
        units(("a", 20, "rich"), ("b", 10, "rich"), ("a", 0.2, "poor"), ("b", 0.1, "poor")),
        block_names=("bed",),
    )
    assert answer.pairs[0].size == pytest.approx(2)
    assert (answer.agree, answer.agree_of) == (2, 2)


def test_one_pot_of_each_cannot_tell():
    answer = compare(units(("a", 1.2), ("b", 1.0)))
    assert answer.verdict == "cannot tell"
    assert answer.is_one_of_each
    assert answer.suspect is None
    assert answer.pairs[0].low < 1 < answer.pairs[0].high
    far = compare(units(("a", 40.0), ("b", 1.0)))
    assert far.verdict == "cannot tell", "of one of each nothing is clear, however far apart"


def test_many_pots_far_apart_are_clear():
    rows = [("a", 2 + 0.1 * i) for i in range(6)] + [("b", 1 + 0.1 * i) for i in range(6)]
    answer = compare(units(*rows))
    assert answer.verdict == "clear"
    assert answer.levels[0].level == "a"
    assert answer.pairs[0].chance > 0.975


def test_between_the_two_it_leans():
    answer = compare(units(("a", 1.45), ("a", 1.55), ("b", 1.0), ("b", 1.05)))
    assert answer.verdict == "leaning"
    assert 0.8 <= answer.pairs[0].chance < 0.975


def test_a_level_that_is_all_zero_has_no_ratio():
    answer = compare(units(("a", 1.0), ("a", 1.2), ("b", 0.0), ("b", 0.0), ("c", 0.5)))
    zero = answer.levels[-1]
    assert (zero.level, zero.n, zero.mean, zero.low) == ("b", 2, 0.0, None)
    assert {(p.a, p.b) for p in answer.pairs} == {("a", "c")}


def test_one_level_left_after_the_zeros_has_no_pairs():
    answer = compare(units(("a", 1.0), ("b", 0.0)))
    assert answer.pairs == ()
    assert answer.verdict == "no ratio"


def test_a_block_of_zeros_is_left_out_and_said():
    answer = compare(
        units(("a", 2, "1"), ("b", 1, "1"), ("a", 0, "2"), ("b", 0, "2")), block_names=("season",)
    )
    assert [out.ref for out in answer.left_out] == ["u2", "u3"]
    assert "season ‘2’" in answer.left_out[0].reason
    assert len(answer.units) == 2


def test_never_in_the_same_block_is_refused_with_both_names():
    rows = units(("Amber", 1, "2024"), ("Amber", 1.1, "2024"), ("Onyx", 2, "2025"))
    with pytest.raises(
        AliasedError, match="‘Amber’ and ‘Onyx’ never grew in the same season"
    ) as caught:
        compare(rows, block_names=("season",))
    assert caught.value.block_names == ("season",)
    assert compare(units(("Amber", 1), ("Amber", 1.1), ("Onyx", 2))).pairs[0].a == "Onyx"


def test_aliased_only_by_two_blocks_together_is_refused():
    rows = units(("a", 1, "1", "x"), ("b", 1, "2", "x"), ("a", 1, "2", "y"), ("b", 1, "1", "y"))
    rows = [*rows, *units(("a", 2, "1", "x"))]
    compare(rows, block_names=("row", "column"))
    apart = units(("a", 1, "1", "x"), ("b", 1, "2", "x"), ("b", 1, "1", "y"))
    with pytest.raises(AliasedError, match="row and column together"):
        compare(apart, block_names=("row", "column"))


def test_a_redundant_block_changes_nothing():
    rows = [("a", 1.0, "x"), ("b", 2.0, "x"), ("a", 3.0, "y"), ("b", 5.0, "y")]
    once = compare(units(*rows), block_names=("bed",))
    twice = compare(units(*[(*row, row[2]) for row in rows]), block_names=("bed", "again"))
    assert twice.pairs[0].size == pytest.approx(once.pairs[0].size)
    assert twice.df == once.df


def test_zeros_that_leave_a_ratio_without_bound_are_said():
    rows = units(("a", 0, "1"), ("a", 2, "2"), ("b", 1, "1"))
    with pytest.raises(NotSettledError, match="did not settle"):
        compare(rows, block_names=("bed",))


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ([], "No finished planting"),
        (units(("a", 1.0)), "needs two"),
        (units(("a", 0.0), ("b", 0.0)), "Nothing came from any"),
        (units(("a", -1.0), ("b", 1.0)), "cannot be used"),
        (units(("a", float("nan")), ("b", 1.0)), "cannot be used"),
        (units(("a", 1.0), ("b", 1.0), exposure=0), "cannot be used"),
    ],
)
def test_refuses_with_a_sentence(rows, says):
    with pytest.raises(ComparisonError, match=says):
        compare(rows)


def test_without_a_prior_one_unit_of_each_has_no_spread():
    with pytest.raises(ComparisonError, match="nothing to judge the spread"):
        compare(units(("a", 1.0), ("b", 2.0)), prior=Prior.plain(0.0))


@pytest.mark.parametrize("gave", [{"a": 1.0, "b": 1.0}, {"a": 2.0, "b": 1.0}])
def test_units_that_are_all_alike_need_a_prior_to_be_judged(gave):
    alike = units(*[(level, value) for level, value in gave.items() for _ in range(2)])
    with pytest.raises(ComparisonError, match="give the prior a weight"):
        compare(alike, prior=Prior.plain(0.0), is_plain=True)
    assert compare(alike).pairs[0].size == pytest.approx(gave["a"])


def test_shares_of_all_or_nothing_are_said_to_have_no_bound():
    rows = [
        Unit(ref=str(i), amount=s, exposure=1.0, level=level)
        for i, (level, s) in enumerate([("a", 1.0), ("a", 1.0), ("b", 0.2), ("b", 0.3)])
    ]
    with pytest.raises(NotSettledError, match="all or nothing"):
        compare(rows, kind=SHARE)


def test_season_as_block_speaks_in_general_and_is_less_sure():
    rows = [
        (level, value, season)
        for season in "12"
        for level, value in (("a", 2.0), ("b", 1.0))
        for _ in range(2)
    ]
    general = compare(units(*rows), block_names=("season",))
    these = compare(units(*rows), block_names=("bed",))
    assert general.is_general
    assert not these.is_general
    assert general.shared("season") == ("1", "2")
    wide, narrow = general.pairs[0].doubt, these.pairs[0].doubt
    assert wide.own == pytest.approx(narrow.own)
    # σ²·Σ p² = σ²/2 for each of the two levels: by σ near 0.2 from the belief, less as both seasons
    # say the same.
    assert 0.01 < wide.elsewhere < 0.2**2
    assert wide.df < narrow.df
    apart = [
        (level, value * (1.5 if level + season == "a2" else 1), season)
        for level, value, season in rows
    ]
    assert compare(units(*apart), block_names=("season",)).pairs[0].doubt.elsewhere > wide.elsewhere
    one = compare(units(*[row for row in rows if row[2] == "1"]), block_names=("season",))
    assert not one.is_general
    assert one.pairs[0].doubt.elsewhere == 0


def test_one_pot_far_off_is_found_named_and_doubted_but_stays_in():
    steady = [
        ("a", 1.0),
        ("a", 1.05),
        ("a", 0.97),
        ("a", 1.02),
        ("b", 0.9),
        ("b", 0.95),
        ("b", 0.88),
        ("b", 0.92),
    ]
    answer = compare(units(*steady, ("b", 4.0)))
    assert answer.suspect.ref == "u8"
    assert answer.suspect.any_off > 0.9
    assert answer.pairs[0].a == "b", "the estimate on paper stays: b's total is higher"
    without = compare(units(*steady)).pairs[0]
    assert without.a == "a"
    assert answer.suspect.gap == pytest.approx(-without.gap, abs=1e-6)
    plain = compare(units(*steady, ("b", 4.0)), prior=Prior.plain(), is_plain=True)
    assert plain.suspect is None
    assert answer.pairs[0].doubt.off > 0 == plain.pairs[0].doubt.off
    assert compare(units(*steady)).suspect is None


def test_a_pot_swept_from_nothing_to_six_kilograms_makes_no_jump():
    """Estimate, interval, chance, φ and df move evenly as one weight does: no threshold shows."""
    rows = [("a", 1.0), ("a", 1.2), ("a", 0.9), ("b", 0.7), ("b", 0.8)]
    steps = np.concatenate([[1e-6], np.arange(0.01, 6.0, 0.01)])
    found = []
    for weight in steps:
        answer = compare(units(*rows, ("b", float(weight))))
        pair = answer.pairs[0]
        sign = 1 if pair.a == "a" else -1
        low, high = (pair.gap_low, pair.gap_high) if sign == 1 else (-pair.gap_high, -pair.gap_low)
        chance = pair.chance if sign == 1 else 1 - pair.chance
        found.append(
            (sign * pair.gap, low, high, chance, np.log(answer.phi), np.log(pair.doubt.df))
        )
    moves = np.diff(np.array(found), axis=0)
    jumps = np.abs(
        moves[1:-1] - (moves[:-2] + moves[2:]) / 2
    )  # how far each step differs from those beside it
    assert np.abs(moves).max() > 0.1, "it moves"
    assert jumps.max() < 0.01


def test_neither_the_pool_nor_the_rule_insists_against_the_units():
    wild = [("a", 0.4), ("a", 1.6), ("a", 2.9), ("b", 0.3), ("b", 1.4), ("b", 2.2)]
    steady = Prior(
        "own, this crop",
        (Component(0.45, 8.0, 0.05), Component(0.495, 4.0, 1.0), Component(0.055, 4.0, 0.1)),
        20,
    )
    insisting = Prior("own, this crop", (Component(1.0, 8.0, 0.05),), 20)
    assert (
        compare(units(*wild), prior=steady).phi > 1.8 * compare(units(*wild), prior=insisting).phi
    )


def test_a_share_is_answered_in_points_and_stays_between_none_and_all():
    rows = [
        Unit(ref=str(i), amount=s, exposure=1.0, level=level, pieces=20)
        for i, (level, s) in enumerate([("a", 0.9), ("a", 0.95), ("b", 0.8)])
    ]
    answer = compare(
        [*rows, Unit(ref="4", amount=0.7, exposure=1.0, level="b", pieces=20)], kind=SHARE
    )
    pair = answer.pairs[0]
    assert pair.size == pytest.approx(answer.levels[0].mean - answer.levels[1].mean)
    assert pair.high < 1 - answer.levels[1].mean
    assert pair.gap_of(pair.said(0.3)) == pytest.approx(0.3)
    with pytest.raises(ComparisonError, match="more than the whole"):
        compare([*rows, Unit(ref="4", amount=2.0, exposure=1.0, level="b")], kind=SHARE)


def test_a_level_that_never_stood_in_a_block_has_its_plain_total_beside_it():
    rows = units(
        ("a", 2, "tub"), ("b", 1, "tub"), ("a", 4, "bed"), ("b", 2, "bed"), ("c", 3, "bed")
    )
    by_level = {one.level: one for one in compare(rows, block_names=("place kind",)).levels}
    assert by_level["c"].unseen == ("tub",)
    assert by_level["c"].plain == 3
    assert by_level["c"].mean < 3, "in a tub it would have given less"
    assert by_level["a"].unseen == ()


def test_a_basket_within_a_level_is_one_unit_and_one_across_is_doubted_or_left_out():
    pots = units(("a", 2.0), ("a", 1.0), ("b", 1.5), ("b", 1.4), exposure=2.0)

    def shared(share, *refs):
        both = (BasketPart("k", share, 2),)
        return [replace(pot, baskets=both) if pot.ref in refs else pot for pot in pots]

    found = settle_baskets(shared(0.5, "u0", "u1"))
    first = found.units[0]
    assert (first.ref, first.amount, first.exposure, first.plants) == ("u0", 3.0, 4.0, 8)
    assert found.joined == {"u0": ("u0", "u1")}
    little = settle_baskets(shared(0.2, "u1", "u2"))
    assert [round(one.vague_sd, 6) for one in little.units] == [0, 0.12, 0.12, 0]
    much = settle_baskets(shared(0.3, "u1", "u2"))
    assert [out.ref for out in much.left_out] == ["u1", "u2"]
    elsewhere = settle_baskets(shared(0.3, "u1"))
    assert [out.ref for out in elsewhere.left_out] == ["u1"], (
        "the rest of the basket is not among these"
    )
    assert len(settle_baskets(shared(0.1, "u1"), most_shared=0.0).units) == 3


def test_a_chance_is_drawn_towards_even_and_a_gap_is_believed_the_more_the_surer_it_is():
    doubt = Doubt(0.02, 0.0, 0.0, 8.0)
    chances = [chance_ahead(gap, doubt, 1.0, 8.0, 0.21) for gap in (0.0, 0.1, 0.3, 0.6, 1.2)]
    assert chances == sorted(chances)
    assert chances[0] == pytest.approx(0.5)
    assert chances[2] < stats.t.cdf(0.3 / 0.02**0.5, 8), "less than the interval alone would say"
    assert chance_ahead(-0.3, doubt, 1.0, 8.0, 0.21) == pytest.approx(1 - chances[2])


def test_counts_carry_their_poisson_variance():
    rows = units(("a", 3), ("a", 5), ("b", 2), ("b", 1))
    weighed, counted = compare(rows), compare(rows, is_count=True)
    assert counted.pairs[0].size == pytest.approx(weighed.pairs[0].size)
    assert counted.phi < weighed.phi


def test_a_vague_amount_widens_the_answer():
    rows = units(("a", 2.0), ("a", 2.1), ("b", 1.0), ("b", 1.1))
    vague = [
        Unit(ref=u.ref, amount=u.amount, exposure=1, level=u.level, plants=4, vague_sd=0.5)
        for u in rows
    ]
    assert compare(vague).pairs[0].low < compare(rows).pairs[0].low


@given(
    st.lists(
        st.tuples(st.sampled_from("abc"), st.floats(0.05, 50), st.floats(0.1, 30)),
        min_size=4,
        max_size=25,
    ),
    st.floats(0.01, 100),
)
def test_units_of_measurement_do_not_change_the_ratio(rows, factor):
    plain = [
        Unit(ref=str(i), amount=y, exposure=e, level=level) for i, (level, y, e) in enumerate(rows)
    ]
    scaled = [
        Unit(ref=u.ref, amount=u.amount * factor, exposure=u.exposure, level=u.level) for u in plain
    ]
    if len({level for level, _, _ in rows}) < 2:
        return
    one, other = compare(plain), compare(scaled)
    by_names = {frozenset((p.a, p.b)): p for p in other.pairs}
    for pair in one.pairs:
        twin = by_names[frozenset((pair.a, pair.b))]
        ratio = twin.size if twin.a == pair.a else 1 / twin.size
        assert ratio == pytest.approx(pair.size, rel=1e-6)
        assert pair.low <= pair.size <= pair.high


def test_units_summed_into_cells_give_the_fit_of_the_units_themselves():
    rng = np.random.default_rng(11)
    units = [
        Unit(
            ref=str(i),
            amount=float(rng.gamma(5, 0.2)),
            exposure=float(rng.integers(1, 9)),
            level=f"v{i % 3}",
            blocks=(f"s{i % 4}", f"p{i % 5 // 3}"),
        )
        for i in range(120)
    ]
    cells = Cells.of(units, ("season", "site"))
    fit, weights = cells.fit()
    layout = lay_out([u.level for u in units], [u.blocks for u in units], ("season", "site"))
    y, e = np.array([u.amount for u in units]), np.array([u.exposure for u in units])
    first = fit_quasi(y, e, layout.columns)
    again = fit_quasi(y, e, layout.columns, np.exp(-(layout.columns[:, 3:] @ first.coef[3:])))
    assert fit.coef[:3] - fit.coef[0] == pytest.approx(again.coef[:3] - again.coef[0], abs=1e-9)
    assert len(weights) == len(cells.amount) < len(units)


def test_columns_that_add_nothing_are_dropped_and_those_that_cannot_be_told_apart_are_named():
    twice = lay_out(["a", "b"] * 4, [(s, s) for s in "xxyyzzww"], ("season", "site"))
    assert twice.columns.shape == (8, 5)  # two levels, three seasons; the sites say the same again
    with pytest.raises(AliasedError, match="never grew in the same site"):
        lay_out(["a", "b"], [("x",), ("y",)], ("site",))


def test_the_usual_spread_is_the_priors_and_the_seen_one_lies_between():
    units = [
        Unit(ref=str(i), amount=y, exposure=1.0, level=level, plants=4)
        for i, (y, level) in enumerate([(9, "a"), (3, "a"), (2, "b"), (6, "b")])
    ]
    found = compare(units, prior=Prior("own, this crop", (Component(1.0, 8.0, 0.25),), 20))
    assert found.usual_sd == pytest.approx((0.25 * 0.12) ** 0.5, rel=1e-6)
    assert found.usual_sd < found.unit_sd
