"""Comparisons that must refuse, leave out, or hold a property."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from kilter.core.compare import Cells, Prior, Unit, compare, fit_log_link
from kilter.core.compare.design import lay_out
from kilter.core.errors import AliasedError, ComparisonError, NotSettledError


def units(*rows: tuple[str, float] | tuple[str, float, str], exposure: float = 1.0) -> list[Unit]:
    """Rows of level, amount and perhaps a block label."""
    return [Unit(f"u{i}", row[1], exposure, row[0], tuple(row[2:]), plants=4) for i, row in enumerate(rows)]


def test_without_blocks_the_means_are_total_over_total():
    rows = [Unit("1", 3.0, 4, "a"), Unit("2", 1.0, 1, "a"), Unit("3", 2.0, 5, "b")]
    means = {level.level: level.mean for level in compare(rows).levels}
    assert means == pytest.approx({"a": 4 / 5, "b": 2 / 5})


def test_a_rich_block_does_not_drown_a_poor_one():
    """Both blocks say a is twice b; the ratio is 2 whatever the blocks' sizes, and both agree."""
    answer = compare(
        units(("a", 20, "rich"), ("b", 10, "rich"), ("a", 0.2, "poor"), ("b", 0.1, "poor")), block_names=("bed",)
    )
    assert answer.pairs[0].ratio == pytest.approx(2)
    assert (answer.agree, answer.agree_of) == (2, 2)


def test_one_pot_of_each_cannot_tell():
    answer = compare(units(("a", 1.2), ("b", 1.0)))
    assert answer.verdict == "cannot tell"
    assert answer.df == 4
    assert answer.pairs[0].low < 1 < answer.pairs[0].high


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
    answer = compare(units(("a", 2, "1"), ("b", 1, "1"), ("a", 0, "2"), ("b", 0, "2")), block_names=("season",))
    assert [out.ref for out in answer.left_out] == ["u2", "u3"]
    assert "season ‘2’" in answer.left_out[0].reason
    assert len(answer.units) == 2


def test_never_in_the_same_block_is_refused_with_both_names():
    rows = units(("Amber", 1, "2024"), ("Amber", 1.1, "2024"), ("Onyx", 2, "2025"))
    with pytest.raises(AliasedError, match="‘Amber’ and ‘Onyx’ never grew in the same season") as caught:
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
    assert twice.pairs[0].ratio == pytest.approx(once.pairs[0].ratio)
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
        compare(units(("a", 1.0), ("b", 2.0)), prior=Prior(weight=0))


def test_season_as_block_speaks_in_general_and_is_less_sure():
    rows = [(level, value, season) for season in "12" for level, value in (("a", 2.0), ("b", 1.0))]
    general = compare(units(*rows), block_names=("season",))
    these = compare(units(*rows), block_names=("bed",))
    assert general.is_general
    assert not these.is_general
    # 0.15²·Σ p² = 0.15²/2 for each of the two levels (numbers.md N4 step 5).
    widths = [np.log(answer.pairs[0].high / answer.pairs[0].low) / 2 for answer in (general, these)]
    t = stats.t.ppf(0.975, 4 + 4 - 3)
    assert (widths[0] ** 2 - widths[1] ** 2) / t**2 == pytest.approx(0.15**2)


def test_counts_carry_their_poisson_variance():
    rows = units(("a", 3), ("a", 5), ("b", 2), ("b", 1))
    weighed, counted = compare(rows), compare(rows, is_count=True)
    assert counted.pairs[0].ratio == pytest.approx(weighed.pairs[0].ratio)
    assert counted.phi < weighed.phi


def test_a_vague_amount_widens_the_answer():
    rows = units(("a", 2.0), ("a", 2.1), ("b", 1.0), ("b", 1.1))
    vague = [Unit(u.ref, u.amount, 1, u.level, plants=4, vague_sd=0.5) for u in rows]
    assert compare(vague).pairs[0].low < compare(rows).pairs[0].low


@given(
    st.lists(st.tuples(st.sampled_from("abc"), st.floats(0.05, 50), st.floats(0.1, 30)), min_size=4, max_size=25),
    st.floats(0.01, 100),
)
def test_units_of_measurement_do_not_change_the_ratio(rows, factor):
    plain = [Unit(str(i), y, e, level) for i, (level, y, e) in enumerate(rows)]
    scaled = [Unit(u.ref, u.amount * factor, u.exposure, u.level) for u in plain]
    if len({level for level, _, _ in rows}) < 2:
        return
    one, other = compare(plain), compare(scaled)
    by_names = {frozenset((p.a, p.b)): p for p in other.pairs}
    for pair in one.pairs:
        twin = by_names[frozenset((pair.a, pair.b))]
        ratio = twin.ratio if twin.a == pair.a else 1 / twin.ratio
        assert ratio == pytest.approx(pair.ratio, rel=1e-6)
        assert pair.low <= pair.ratio <= pair.high


def test_units_summed_into_cells_give_the_fit_of_the_units_themselves():
    rng = np.random.default_rng(11)
    units = [
        Unit(str(i), float(rng.gamma(5, 0.2)), float(rng.integers(1, 9)), f"v{i % 3}", (f"s{i % 4}", f"p{i % 5 // 3}"))
        for i in range(120)
    ]
    cells = Cells.of(units, ("season", "site"))
    fit, weights = cells.fit()
    layout = lay_out([u.level for u in units], [u.blocks for u in units], ("season", "site"))
    y, e = np.array([u.amount for u in units]), np.array([u.exposure for u in units])
    first = fit_log_link(y, e, layout.columns)
    again = fit_log_link(y, e, layout.columns, np.exp(-(layout.columns[:, 3:] @ first.coef[3:])))
    assert fit.coef[:3] - fit.coef[0] == pytest.approx(again.coef[:3] - again.coef[0], abs=1e-9)
    assert len(weights) == len(cells.amount) < len(units)


def test_columns_that_add_nothing_are_dropped_and_those_that_cannot_be_told_apart_are_named():
    twice = lay_out(["a", "b"] * 4, [(s, s) for s in "xxyyzzww"], ("season", "site"))
    assert twice.columns.shape == (8, 5)  # two levels, three seasons; the sites say the same again
    with pytest.raises(AliasedError, match="never grew in the same site"):
        lay_out(["a", "b"], [("x",), ("y",)], ("site",))


def test_the_usual_spread_is_the_priors_and_the_seen_one_lies_between():
    units = [
        Unit(str(i), y, 1.0, level, plants=4) for i, (y, level) in enumerate([(9, "a"), (3, "a"), (2, "b"), (6, "b")])
    ]
    found = compare(units, prior=Prior("own, this crop", 8.0, 0.25, 20))
    assert found.usual_sd == pytest.approx((0.25 * 0.12) ** 0.5, rel=1e-6)
    assert found.usual_sd < found.log_sd
