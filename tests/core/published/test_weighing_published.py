"""Pieces by the ratio estimator, against an independent implementation."""

from __future__ import annotations

import math

import numpy as np
import pytest
import statsmodels.api as sm
from scipy import stats

from kilter.core.amounts.weighing import per_piece


@pytest.mark.parametrize("seed", range(4))
def test_ratio_and_its_error_are_those_of_weighted_least_squares(seed):
    """Cochran (1977), *Sampling Techniques*, ch. 6 (memory), is least squares through the origin
    weighted by 1/x, which statsmodels computes by its own way; where nothing is believed beforehand
    the spread per piece is its scale.
    """
    rng = np.random.default_rng(seed)
    counts = rng.integers(3, 60, 12 + seed).astype(float)
    masses = counts * 52_000 + np.sqrt(counts) * 9_000 * rng.standard_normal(len(counts))
    fit = sm.WLS(masses, counts, weights=1 / counts).fit()
    each = per_piece(list(zip(counts, masses, strict=True)))
    assert each.mg == pytest.approx(fit.params[0], rel=1e-12)
    # the belief counts as four degrees of freedom: (4·0.3²·R² + scale·(n − 1))/(n + 3)
    n = len(counts)
    spread = math.sqrt((4 * 0.3**2 * each.mg**2 + fit.scale * (n - 1)) / (n + 3))
    assert each.spread_mg == pytest.approx(spread, rel=1e-9)
    assert each.sd_mg == pytest.approx(spread / math.sqrt(counts.sum()), rel=1e-9)
    low, high = each.interval()
    t = stats.t.ppf(0.975, n + 3)
    assert math.log(high / low) / 2 == pytest.approx(t * each.sd_mg / each.mg, rel=1e-9)


def test_the_interval_covers_what_it_says():
    """Lots of one to four of 8 to 40 pieces each, which differ by a CV of 0.3:
    95 % intervals, seeded.
    """
    rng = np.random.default_rng(11)
    inside = 0
    for _ in range(1500):
        counts = rng.integers(8, 40, rng.integers(1, 5)).astype(float)
        lots = [(q, float(rng.gamma(1 / 0.09, 0.09 * 50_000, int(q)).sum())) for q in counts]
        low, high = per_piece(lots).interval()
        inside += low <= 50_000 <= high
    assert 0.93 <= inside / 1500 <= 0.99
