"""One place off: how likely is it that one of the units went wrong, and what the others say without
it.

After Box & Tiao (1968), *Biometrika* 55:119 (memory): beside "all in order" stands, for every unit,
the supposition that its spread is K times as large. Nothing is ever removed; the doubt grows by
what such suppositions are worth.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
import numpy.typing as npt

from kilter.core.arrays import FloatArray
from kilter.core.compare.cells import Cells
from kilter.core.compare.kinds import Kind, Spread, Unit
from kilter.core.compare.links import LOG
from kilter.core.compare.moderation import Component, posterior
from kilter.core.compare.quasi import Fit
from kilter.core.errors import NotSettledError

#: K: how many times larger the spread of a place is that went wrong (rule).
SPREAD_TIMES: Final = 10.0
#: Chance beforehand that one of them did (rule).
BEFOREHAND: Final = 0.2
#: From these odds on the fit is done anew; below, one Newton step tells enough.
WORTH_A_FIT: Final = 0.02
_TAKEN = 1 - 1 / SPREAD_TIMES**2  # of a unit's weight, where it is supposed to be off


@dataclass(frozen=True, kw_only=True)
class UnitFit:
    """The fit on paper, with what it says of every unit."""

    units: Sequence[Unit]
    cells: Cells
    fit: Fit
    weights: FloatArray  #: (n,)
    amount: FloatArray  #: (n,)
    mu: FloatArray  #: (n,)
    variance: FloatArray  #: (n,) by the rule, before φ
    spread: Spread

    @property
    def kind(self) -> Kind:
        return self.spread.kind

    @cached_property
    def rows(self) -> FloatArray:
        """(n, p) the columns of each unit."""
        return np.asarray(self.cells.layout.columns[self.cells.index])

    @property
    def nu(self) -> int:
        """Degrees of freedom that the units leave."""
        return len(self.units) - int(self.cells.layout.columns.shape[1])

    def sandwich(self, bread: FloatArray, weights: FloatArray, variance: FloatArray) -> FloatArray:
        """S = A⁻¹ Xᵀ diag(w²v) X A⁻¹, summed cell by cell."""
        x = self.cells.layout.columns
        meat = np.bincount(self.cells.index, weights**2 * variance, minlength=len(x))
        return np.asarray(bread @ ((x.T * meat) @ x) @ bread)


@dataclass(frozen=True)
class Suppositions:
    """All in order first, then each unit off."""

    chance: FloatArray  #: (H,) sums to one
    shift: FloatArray  #: (H, p) of the coefficients, against those on paper
    squares: FloatArray  #: (H,) Σ (y − μ)²/v under each
    sandwiches: FloatArray  #: (K, p, p) those on paper, then of each that was fitted anew
    which: npt.NDArray[np.intp]  #: (H,) the sandwich of each

    @property
    def off(self) -> FloatArray:
        """(n,) the chance of each unit to be the one that is off."""
        return self.chance[1:]


def in_order(estimate: UnitFit) -> Suppositions:
    """Suppose nothing but that all are in order.

    Parameters
    ----------
    estimate : Estimate
        The fit on paper.

    Returns
    -------
    Suppositions
        One alone.

    Notes
    -----
    What the textbooks do.

    Examples
    --------
    >>> from kilter.core.compare.fitted import fit_units
    >>> from kilter.core.compare.moderation import Prior
    >>> rows = [("a", 1.0), ("a", 1.1), ("a", 0.9), ("b", 0.8), ("b", 0.7), ("b", 4.0)]
    >>> pots = [
    ...     Unit(ref=str(i), amount=y, exposure=1.0, level=level, plants=4)
    ...     for i, (level, y) in enumerate(rows)
    ... ]
    >>> found = in_order(fit_units(pots, (), prior=Prior()).estimate)
    >>> found.chance.tolist(), round(float(found.squares[0]), 2)
    ([1.0], 17.64)
    """
    squares = np.sum((estimate.amount - estimate.mu) ** 2 / estimate.variance)
    paper = estimate.sandwich(estimate.fit.bread, estimate.weights, estimate.variance)
    p = paper.shape[0]
    return Suppositions(
        np.ones(1), np.zeros((1, p)), np.array([squares]), paper[None], np.zeros(1, np.intp)
    )


def one_off(estimate: UnitFit, components: Sequence[Component]) -> Suppositions:
    """Suppose of each unit in turn that it is the one that went wrong.

    Parameters
    ----------
    estimate : Estimate
        The fit on paper of n units, with degrees of freedom left.
    components : sequence of Component
        The belief on the spread.

    Returns
    -------
    Suppositions
        n + 1 of them, all in order first.

    Notes
    -----
    Odds of unit i against all in order: (0.2/n)·min(1, 4(1 − h))·(1 − g h)^(−½)·L(T_i)/L(T_0), g =
    1 − 1/K², h its leverage, T the sum of squares of residuals brought near to normal (Wilson &
    Hilferty 1931: 3(∛(y/μ) − 1)/√c; other links Pearson's). One step: δ = −g A⁻¹x w(y − μ)/(1 − g
    h), and a sum of squares falls by g r²/(1 − g h).

    Examples
    --------
    >>> from kilter.core.compare.fitted import fit_units
    >>> from kilter.core.compare.moderation import Prior
    >>> rows = [("a", 1.0), ("a", 1.1), ("a", 0.9), ("b", 0.8), ("b", 0.7), ("b", 4.0)]
    >>> pots = [
    ...     Unit(ref=str(i), amount=y, exposure=1.0, level=level, plants=4)
    ...     for i, (level, y) in enumerate(rows)
    ... ]
    >>> found = one_off(fit_units(pots, (), prior=Prior()).estimate, Prior().components)
    >>> [round(float(chance), 2) for chance in found.off]
    [0.0, 0.0, 0.0, 0.01, 0.01, 0.94]
    """
    plain = in_order(estimate)
    rows, fit, n = estimate.rows, estimate.fit, len(estimate.units)
    pearson = (estimate.amount - estimate.mu) / np.sqrt(estimate.variance)
    curve = (
        estimate.weights * estimate.spread.whole * fit.link.slope(fit.rate)[estimate.cells.index]
    )
    x = estimate.cells.layout.columns
    of_cells = np.sum((x @ fit.bread) * x, axis=1)
    leverage = np.minimum(of_cells[estimate.cells.index] * curve, 1.0)
    left = 1 - _TAKEN * leverage
    normal = _near_normal(estimate, estimate.mu, estimate.variance)
    total = float(np.sum(normal**2))
    base = posterior(components, np.array([total]), estimate.nu).log_likelihood[0]
    before = BEFOREHAND / n * np.minimum(1.0, 4 * (1 - leverage)) / np.sqrt(left)

    def odds(sums: FloatArray, at: npt.NDArray[np.intp]) -> FloatArray:
        likelihood = posterior(components, sums, estimate.nu).log_likelihood
        return np.asarray(before[at] * np.exp(np.minimum(likelihood - base, 700.0)))

    everyone = np.arange(n)
    worth = odds(np.maximum(total - _TAKEN * normal**2 / left, 0.0), everyone)
    squares = np.maximum(plain.squares[0] - _TAKEN * pearson**2 / left, 0.0)
    rest = estimate.weights * (estimate.amount - estimate.mu)
    shift = -_TAKEN * ((rows * (rest / left)[:, None]) @ fit.bread)
    sandwiches, which = [plain.sandwiches[0]], np.zeros(n + 1, np.intp)
    for i in np.flatnonzero(worth >= WORTH_A_FIT):
        try:
            shift[i], sums, squares[i], sandwich = _refitted(estimate, int(i))
        except NotSettledError:
            continue  # without it a zero stands alone: the step has to do
        which[i + 1] = len(sandwiches)
        sandwiches.append(sandwich)
        worth[i] = odds(np.array([sums]), np.array([i]))[0]
    chance = np.concatenate([[1.0], worth]) / (1 + worth.sum())
    paper = np.zeros((1, shift.shape[1]))
    return Suppositions(
        chance,
        np.vstack([paper, shift]),
        np.concatenate([plain.squares, squares]),
        np.array(sandwiches),
        which,
    )


def _near_normal(estimate: UnitFit, mu: FloatArray, variance: FloatArray) -> FloatArray:
    """Residuals brought near to a normal spread,
    so that a rich pot does not look further off than a poor one.
    """
    if estimate.kind.link is not LOG:
        return np.asarray((estimate.amount - mu) / np.sqrt(variance))
    return np.asarray(3 * (np.cbrt(estimate.amount / mu) - 1) * mu / np.sqrt(variance))


def _refitted(estimate: UnitFit, i: int) -> tuple[FloatArray, float, float, FloatArray]:
    """The shift, the two sums of squares and the sandwich where unit i is off."""
    cells, cell = estimate.cells, int(estimate.cells.index[i])
    of_cells = np.zeros(len(cells.amount))
    of_cells[cells.index] = estimate.weights
    fit = cells.fit_without(estimate.units[i], cell, _TAKEN, of_cells, estimate.fit)
    mu = estimate.spread.whole * fit.rate[cells.index]
    variance = estimate.spread.variance(mu)
    lessened = np.ones(len(mu))
    lessened[i] = 1 / SPREAD_TIMES**2
    normal = _near_normal(estimate, mu, variance)
    sandwich = estimate.sandwich(fit.bread, estimate.weights * lessened, variance)
    return (
        fit.coef - estimate.fit.coef,
        float(np.sum(normal**2 * lessened)),
        float(np.sum((estimate.amount - mu) ** 2 / variance * lessened)),
        sandwich,
    )
