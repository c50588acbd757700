"""Pieces by the ratio estimator, against an independent implementation."""

from __future__ import annotations

import numpy as np
import pytest
import statsmodels.api as sm

from kilter.core.amounts.weighing import per_piece


@pytest.mark.parametrize("seed", range(4))
def test_ratio_and_its_error_are_those_of_weighted_least_squares_with_robust_errors(seed):
    """Cochran (1977), *Sampling Techniques*, ch. 6 (memory), is least squares through the origin weighted by 1/x
    with the HC1 sandwich, which statsmodels computes by its own way."""
    rng = np.random.default_rng(seed)
    counts = rng.integers(3, 60, 12 + seed).astype(float)
    masses = counts * 52_000 * rng.lognormal(0, 0.2, len(counts))
    fit = sm.WLS(masses, counts, weights=1 / counts).fit(cov_type="HC1")
    each = per_piece(list(zip(counts, masses, strict=True)))
    assert each.mg == pytest.approx(fit.params[0], rel=1e-12)
    assert each.sd_mg == pytest.approx(fit.bse[0], rel=1e-9)
