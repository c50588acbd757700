"""Quasi-likelihood with a log link and variance proportional to the mean, zeros allowed."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
import numpy.typing as npt
import scipy

from kilter.core.errors import NotSettledError

FloatArray = npt.NDArray[np.float64]

# A fit that settles does so in about ten steps; one that runs away moves by one a step, and is
# stopped long before its curvature is lost to rounding.
MAX_STEPS: Final = 30
MAX_HALVINGS: Final = 30
#: Largest change of a coefficient at which the fit has settled: the error left is about its square.
TOLERANCE: Final = 1e-7
UNSETTLED: Final = (
    "The ratio did not settle: the zeros here leave it without bound. "
    "Compare without the blocks, or leave out what gave nothing."
)


@dataclass(frozen=True)
class LogLinkFit:
    """A settled fit."""

    coef: FloatArray  #: (p,) coefficients on the log scale
    fitted: FloatArray  #: (n,) fitted means, in the unit of y
    weighed: FloatArray  #: (n,) wμ
    design: FloatArray  #: (n, p)
    steps: int

    @cached_property
    def bread(self) -> FloatArray:
        """(p, p) A⁻¹ with A = Xᵀ diag(wμ) X."""
        return np.asarray(np.linalg.inv((self.design.T * self.weighed) @ self.design), dtype=np.float64)


def fit_log_link(
    y: FloatArray,
    exposure: FloatArray,
    design: FloatArray,
    weights: FloatArray | None = None,
    *,
    start: FloatArray | None = None,
) -> LogLinkFit:
    """Solve Xᵀ diag(w) (y − μ) = 0 for log μ = log e + Xβ by damped Newton steps.

    Parameters
    ----------
    y : ndarray, shape (n,)
        Masses or counts, zero or more, any unit.
    exposure : ndarray, shape (n,)
        What each is divided by, above zero.
    design : ndarray, shape (n, p)
        Full column rank.
    weights : ndarray, shape (n,), optional
        Prior weights, above zero.
    start : ndarray, shape (p,), optional
        Coefficients to begin from, as those of an earlier fit of the same columns.

    Returns
    -------
    LogLinkFit
        Coefficients, fitted means in the unit of y, and A⁻¹.

    Raises
    ------
    NotSettledError
        The steps did not converge: zeros leave a coefficient without bound.

    Notes
    -----
    McCullagh & Nelder (1989), *Generalized Linear Models*, 2nd ed., ch. 9 (quasi-likelihood) and
    §2.5 (the weighted least-squares step). The damping halves a step that raises the deviance.
    Convergence is judged by the coefficients, as the deviance also settles where they run away.

    Examples
    --------
    >>> fit = fit_log_link(np.array([1.0, 3.0]), np.ones(2), np.ones((2, 1)))
    >>> round(float(np.exp(fit.coef[0])), 12)
    2.0
    """
    w = np.ones_like(y) if weights is None else weights
    wy = w * y
    if start is None:
        target = np.log((y / exposure + (w @ y) / (w @ exposure)) / 2)
        coef = np.linalg.solve(design.T @ design, design.T @ target)
    else:
        coef = start
    eta = design @ coef
    wmu = w * exposure * np.exp(eta)
    loss = wmu.sum() - wy @ eta  # half the deviance, up to terms in y alone
    for step in range(1, MAX_STEPS + 1):
        change = _newton_change(wy - wmu, wmu, design)
        for _ in range(MAX_HALVINGS):
            eta = (design @ (coef + change)).clip(-300.0, 300.0)
            wmu = w * exposure * np.exp(eta)
            trial_loss = wmu.sum() - wy @ eta
            if trial_loss <= loss + 1e-10 * (abs(loss) + 1.0):
                break
            change = change / 2
        coef, loss = coef + change, trial_loss
        if abs(change).max() < TOLERANCE:
            return LogLinkFit(coef, wmu / w, wmu, design, step)
    raise NotSettledError(UNSETTLED)


def _newton_change(weighed_rest: FloatArray, wmu: FloatArray, design: FloatArray) -> FloatArray:
    """A⁻¹Xᵀ w(y − μ) by Cholesky, whose call costs less than the numbers."""
    _, change, info = scipy.linalg.lapack.dposv((design.T * wmu) @ design, weighed_rest @ design)
    if info:
        raise NotSettledError(UNSETTLED)
    return np.asarray(change, dtype=np.float64)
