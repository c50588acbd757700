"""Quasi-likelihood with a canonical link; zeros allowed."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
import scipy

from kilter.core.arrays import FloatArray
from kilter.core.compare.links import FARTHEST, IDENTITY, LOG, LOGIT, Link
from kilter.core.errors import NotSettledError

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
UNSETTLED_SHARE: Final = (
    "The shares did not settle: where all or nothing is spoilt there is no bound to how far they "
    "lie apart. Compare without the blocks, or leave those out."
)


@dataclass(frozen=True)
class Fit:
    """A settled fit."""

    link: Link
    coef: FloatArray  #: (p,) coefficients on the link's scale
    rate: FloatArray  #: (n,) fitted amounts per exposure
    weighed: FloatArray  #: (n,) prior weight × exposure × slope of the rate
    design: FloatArray  #: (n, p)
    steps: int

    @cached_property
    def bread(self) -> FloatArray:
        """(p, p) A⁻¹ with A = Xᵀ diag(weighed) X."""
        return np.asarray(
            np.linalg.inv((self.design.T * self.weighed) @ self.design), dtype=np.float64
        )


def fit_quasi(
    amount: FloatArray,
    exposure: FloatArray,
    design: FloatArray,
    weights: FloatArray | None = None,
    *,
    link: Link = LOG,
    start: FloatArray | None = None,
) -> Fit:
    """Solve Xᵀ diag(w) (y − e·rate(Xβ)) = 0 by damped Newton steps.

    Parameters
    ----------
    amount : ndarray, shape (n,)
        Masses, counts or days, zero or more, any unit.
    exposure : ndarray, shape (n,)
        What each is divided by, above zero.
    design : ndarray, shape (n, p)
        Full column rank.
    weights : ndarray, shape (n,), optional
        Prior weights, above zero.
    link : Link
        The scale on which levels and blocks add up.
    start : ndarray, shape (p,), optional
        Coefficients to begin from, as those of an earlier fit of the same columns.

    Returns
    -------
    Fit
        Coefficients, fitted rates in amounts per exposure, and A⁻¹.

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
    >>> fit = fit_quasi(np.array([1.0, 3.0]), np.ones(2), np.ones((2, 1)))
    >>> round(float(np.exp(fit.coef[0])), 12)
    2.0
    """
    w = np.ones_like(amount) if weights is None else weights
    wy, we = w * amount, w * exposure
    if start is None:
        target = link.start(amount / exposure, float(wy.sum() / we.sum()))
        start = np.asarray(np.linalg.solve(design.T @ design, design.T @ target), dtype=np.float64)
    said = UNSETTLED_SHARE if link is LOGIT else UNSETTLED
    coef: FloatArray = start
    eta = design @ coef
    loss = float(
        we @ link.loss(eta) - wy @ eta
    )  # half the deviance, up to terms in the amounts alone
    rate = link.rate(eta)
    for step in range(1, MAX_STEPS + 1):
        change = _newton_change(wy - we * rate, we * link.slope(rate), design, said)
        for _ in range(MAX_HALVINGS):
            eta = design @ (coef + change)
            eta = eta if link is IDENTITY else eta.clip(-FARTHEST, FARTHEST)
            trial_loss = float(we @ link.loss(eta) - wy @ eta)
            if trial_loss <= loss + 1e-10 * (abs(loss) + 1.0):
                break
            change = change / 2
        coef, loss, rate = coef + change, trial_loss, link.rate(eta)
        if abs(change).max() < TOLERANCE:
            return Fit(link, coef, rate, we * link.slope(rate), design, step)
    raise NotSettledError(said)


def _newton_change(
    weighed_rest: FloatArray, curvature: FloatArray, design: FloatArray, said: str
) -> FloatArray:
    """A⁻¹Xᵀ w(y − e·rate) by Cholesky, whose call costs less than the numbers."""
    _, change, info = scipy.linalg.lapack.dposv(
        (design.T * curvature) @ design, weighed_rest @ design
    )
    if info:
        raise NotSettledError(said)
    return np.asarray(change, dtype=np.float64)
