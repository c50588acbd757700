"""Units to a settled fit: what they estimate, how far that may be off,
and which of them it hangs on.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.compare.cells import Cells
from kilter.core.compare.design import Layout
from kilter.core.compare.interactions import Interaction, interactions_of
from kilter.core.compare.kinds import YIELD, Kind, Spread, Unit
from kilter.core.compare.moderation import Prior, collapse, posterior
from kilter.core.compare.quasi import Fit
from kilter.core.compare.suspects import Suppositions, UnitFit, in_order, one_off
from kilter.core.errors import ComparisonError

#: Below such a share of squares units are identical but for rounding.
ALIKE: Final = 1e-24


@dataclass(frozen=True)
class Doubt:
    """The variance of a difference or level on the link's scale by where it comes from,
    and its degrees of freedom.
    """

    own: float  #: V₁: how much like units differ
    off: float  #: F: that one of them may be off
    elsewhere: float  #: E: that other seasons or sites may answer otherwise
    df: float

    @property
    def variance(self) -> float:
        return self.own + self.off + self.elsewhere

    @property
    def sd(self) -> float:
        return float(np.sqrt(self.variance))


@dataclass(frozen=True)
class Fitted:
    """A settled fit with the doubt of its coefficients."""

    estimate: UnitFit
    suppositions: Suppositions
    own: FloatArray  #: (p, p) Σ_h P_h φ_h S_h
    phi: float  #: dispersion, as a multiple of the rule's variance
    df: float  #: its degrees of freedom
    interactions: tuple[Interaction, ...]

    @property
    def units(self) -> Sequence[Unit]:
        return self.estimate.units

    @property
    def cells(self) -> Cells:
        return self.estimate.cells

    @property
    def fit(self) -> Fit:
        return self.estimate.fit

    @property
    def layout(self) -> Layout:
        return self.cells.layout

    @property
    def kind(self) -> Kind:
        return self.estimate.kind

    @cached_property
    def off(self) -> FloatArray:
        """(p, p) Σ_h P_h δ_h δ_hᵀ."""
        shift = self.suppositions.shift
        return np.asarray((shift.T * self.suppositions.chance) @ shift)

    @property
    def cov(self) -> FloatArray:
        """(p, p) covariance of the coefficients, other seasons and sites apart."""
        return self.own + self.off

    @property
    def unit_sd(self) -> float:
        """SD of one unit about its fit, on the link's scale: √(φ·c̄)."""
        at = self.fit.rate[self.cells.index]
        relative = (
            self.estimate.variance / (self.estimate.spread.whole * self.fit.link.slope(at)) ** 2
        )
        return float(np.sqrt(self.phi * np.mean(relative)))

    def of_pair(self, i: int, j: int) -> Doubt:
        """The doubt of level i less level j."""
        contrast = np.zeros(len(self.fit.coef))
        contrast[i], contrast[j] = 1.0, -1.0
        return self._doubt(
            contrast,
            [(one, one.concentration[i] + one.concentration[j]) for one in self.interactions],
        )

    def of_level(self, i: int, gradient: FloatArray) -> Doubt:
        """The doubt of level i's mean, whose gradient in the coefficients is given."""
        return self._doubt(gradient, [(one, one.concentration[i]) for one in self.interactions])

    def _doubt(self, gradient: FloatArray, spread: Sequence[tuple[Interaction, float]]) -> Doubt:
        own, off = float(gradient @ self.own @ gradient), float(gradient @ self.off @ gradient)
        parts = [(one.variance * float(times), one.df) for one, times in spread]
        other = sum(variance for variance, _ in parts)
        # Welch and Satterthwaite: each part with its own degrees of freedom
        below = own**2 / self.df + sum(variance**2 / df for variance, df in parts)
        return Doubt(own, off, other, (own + off + other) ** 2 / below)


def fit_units(
    units: Sequence[Unit],
    block_names: tuple[str, ...],
    *,
    prior: Prior,
    kind: Kind = YIELD,
    is_count: bool = False,
    is_plain: bool = False,
) -> Fitted:
    """Fit the levels and blocks of units, and judge the spread between like units.

    Parameters
    ----------
    units : sequence of Unit, length n
        No level and no block of which nothing came.
    block_names : tuple of str
        The attributes that each unit's ``blocks`` are labels of.
    prior : Prior
        Belief on the spread between like units.
    kind : Kind
        What is measured.
    is_count : bool
        Whether amounts are counts, which adds their Poisson variance.
    is_plain : bool
        As the textbooks do it: no unit is supposed to be off, and no other season or site is
        thought of.

    Returns
    -------
    Fitted
        Coefficients on the link's scale, their covariance, φ and its degrees of freedom.

    Raises
    ------
    ComparisonError
        No degrees of freedom; or no prior, and units that do not differ.
    AliasedError
        Levels and blocks cannot be told apart.
    NotSettledError
        Zeros leave a ratio without bound.

    Notes
    -----
    McCullagh & Nelder (1989), *Generalized Linear Models*, ch. 9; moderation after Smyth (2004),
    *Stat. Appl. Genet. Mol. Biol.* 3(1):3; one unit off after Box & Tiao (1968). See
    docs/method.md.

    Examples
    --------
    >>> pots = [
    ...     Unit(ref=str(i), amount=y, exposure=1.0, level=level)
    ...     for i, (y, level) in enumerate([(2.0, "a"), (4.0, "a"), (1.0, "b")])
    ... ]
    >>> fitted = fit_units(pots, (), prior=Prior.plain(), is_plain=True)
    >>> round(float(np.exp(fitted.fit.coef[0] - fitted.fit.coef[1])), 6), fitted.df
    (3.0, 5.0)
    """
    cells = Cells.of(units, block_names)
    nu = len(units) - cells.layout.columns.shape[1]
    if prior.weight + nu <= 0:
        raise ComparisonError(
            "One unit of each and no prior leaves nothing to judge the spread by; "
            "give the prior a weight, or weigh a second unit of one of them."
        )
    fit, weights = cells.fit(kind)
    amount = np.array([u.amount for u in units])
    spread = Spread.of(units, kind, is_count=is_count)
    mu = spread.whole * fit.rate[cells.index]
    estimate = UnitFit(
        units=units,
        cells=cells,
        fit=fit,
        weights=weights[cells.index],
        amount=amount,
        mu=mu,
        variance=spread.variance(mu),
        spread=spread,
    )
    if prior.weight == 0 and float(np.sum((amount - mu) ** 2)) <= ALIKE * float(np.sum(mu**2)):
        raise ComparisonError(
            "These are all exactly as their level and block say, so nothing is left to judge the "
            "spread by; give the prior a weight."
        )
    supposed = in_order(estimate) if is_plain or nu == 0 else one_off(estimate, prior.components)
    own, phi, df = _spread(supposed, prior, nu)
    return Fitted(
        estimate,
        supposed,
        own,
        phi,
        df,
        () if is_plain else interactions_of(estimate, block_names, phi),
    )


def _spread(supposed: Suppositions, prior: Prior, nu: int) -> tuple[FloatArray, float, float]:
    """Σ P φ S, and φ with its degrees of freedom over all suppositions and components."""
    after = posterior(prior.components, supposed.squares, nu)
    if len(prior.components) == 1 and len(supposed.chance) == 1:
        phi, df = float(after.phi[0, 0]), float(after.df[0])
        return phi * supposed.sandwiches[0], phi, df
    each, _ = collapse(after.weights, after.phi, after.df[None])
    share = np.bincount(supposed.which, supposed.chance * each)
    own = np.tensordot(share, supposed.sandwiches, 1)
    one_phi, one_df = collapse(
        supposed.chance[:, None] * after.weights, after.phi, after.df, axis=(-2, -1)
    )
    return own, float(one_phi), float(one_df)
