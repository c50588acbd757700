"""Units to a settled fit: plantings alike in level and blocks are one cell, and cells are all that the fit sees."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from kilter.core.compare.design import Layout, lay_out
from kilter.core.compare.loglink import FloatArray, LogLinkFit, fit_log_link
from kilter.core.errors import ComparisonError

#: Relative variance of a unit: within the place, plus among its plants (rule).
PLACE_VARIANCE: Final = 0.08
PLANT_VARIANCE: Final = 0.16
UNKNOWN_PLANTS_VARIANCE: Final = 0.12
#: SD of how differently levels answer seasons or sites, on the log scale (rule).
ANSWER_SD: Final = 0.15
GENERAL_BLOCKS: Final = frozenset({"season", "site"})


@dataclass(frozen=True)
class Unit:
    """One planting in its place: the unit of observation."""

    ref: str
    amount: float  #: mass or count, zero or more
    exposure: float  #: plants, m², litres …, above zero
    level: str
    blocks: tuple[str, ...] = ()
    plants: float | None = None  #: plants in the unit, None if unknown
    vague_sd: float = 0.0  #: relative SD of an amount that is only remembered


@dataclass(frozen=True)
class Prior:
    """What is believed of the spread between like units before these are seen."""

    source: str = "rule"
    weight: float = 4.0  #: d0, in degrees of freedom; 0 lets the units alone decide
    kappa: float = 1.0  #: κ0, times the rule's variance
    units: int = 0  #: the garden's own replicates that it comes from


@dataclass(frozen=True)
class Cells:
    """Units summed by level and blocks: to a log link and V ∝ μ these sums are all that the units say."""

    index: npt.NDArray[np.intp]  #: (n,) the cell of each unit
    amount: FloatArray  #: (m,)
    exposure: FloatArray  #: (m,)
    layout: Layout  #: its columns are (m, p)

    @classmethod
    def of(cls, units: Sequence[Unit], block_names: tuple[str, ...]) -> Cells:
        """Sum the units of each combination of level and blocks that occurs."""
        keys: dict[tuple[str, tuple[str, ...]], int] = {}
        index = np.array([keys.setdefault((u.level, u.blocks), len(keys)) for u in units])
        amount = np.bincount(index, [u.amount for u in units]).astype(np.float64)
        exposure = np.bincount(index, [u.exposure for u in units]).astype(np.float64)
        layout = lay_out([level for level, _ in keys], [blocks for _, blocks in keys], block_names)
        return cls(index, amount, exposure, layout)

    def fit(self) -> tuple[LogLinkFit, FloatArray]:
        """Fit, and where there are blocks once more with weights exp(−block part); the weights too."""
        x, k = self.layout.columns, self.layout.level_count
        first = fit_log_link(self.amount, self.exposure, x)
        if x.shape[1] == k:
            return first, np.ones_like(self.amount)
        weights = np.exp(-(x[:, k:] @ first.coef[k:]))
        return fit_log_link(self.amount, self.exposure, x, weights, start=first.coef), weights


@dataclass(frozen=True)
class Fitted:
    """A settled fit with the moderated covariance of its coefficients."""

    units: Sequence[Unit]
    cells: Cells
    fit: LogLinkFit
    mu: FloatArray  #: (n,) fitted means of the units
    cov: FloatArray  #: (p, p)
    extra: FloatArray  #: (k,) variance each level carries into other seasons or sites
    phi: float
    df: float
    log_sd: float  #: SD of the log of one unit's yield about its fit

    @property
    def layout(self) -> Layout:
        return self.cells.layout


def fit_units(units: Sequence[Unit], block_names: tuple[str, ...], *, is_count: bool, prior: Prior) -> Fitted:
    """Fit the levels and blocks of units, with the dispersion moderated by a prior.

    Parameters
    ----------
    units : sequence of Unit, length n
        No level and no block of which nothing came.
    block_names : tuple of str
        The attributes that each unit's ``blocks`` are labels of.
    is_count : bool
        Whether amounts are counts, which adds their Poisson variance.
    prior : Prior
        Belief on the spread between like units.

    Returns
    -------
    Fitted
        Coefficients on the log scale, their covariance, φ and its degrees of freedom.

    Raises
    ------
    ComparisonError
        No degrees of freedom.
    AliasedError
        Levels and blocks cannot be told apart.
    NotSettledError
        Zeros leave a ratio without bound.

    Notes
    -----
    McCullagh & Nelder (1989), *Generalized Linear Models*, ch. 9; moderation after Smyth (2004), *Stat. Appl. Genet.
    Mol. Biol.* 3(1):3: φ = (d0·κ0 + Σ(y − μ)²/v)/(d0 + ν), Cov = φ·A⁻¹ Xᵀdiag(w²v)X A⁻¹. See docs/method.md.

    Examples
    --------
    >>> pots = [Unit(str(i), y, 1.0, level) for i, (y, level) in enumerate([(2.0, "a"), (4.0, "a"), (1.0, "b")])]
    >>> fitted = fit_units(pots, (), is_count=False, prior=Prior())
    >>> round(float(np.exp(fitted.fit.coef[0] - fitted.fit.coef[1])), 6), fitted.df
    (3.0, 5.0)
    """
    cells = Cells.of(units, block_names)
    x = cells.layout.columns
    df = prior.weight + len(units) - x.shape[1]
    if df <= 0:
        raise ComparisonError(
            "One unit of each and no prior leaves nothing to judge the spread by; "
            "give the prior a weight, or weigh a second unit of one of them."
        )
    fit, weights = cells.fit()
    y, exposure = np.array([u.amount for u in units]), np.array([u.exposure for u in units])
    mu = exposure * (fit.fitted / cells.exposure)[cells.index]
    variance = unit_variance(units, mu, is_count=is_count)
    phi = (prior.weight * prior.kappa + float(np.sum((y - mu) ** 2 / variance))) / df
    of_cells = weights**2 * np.bincount(cells.index, variance)
    cov = phi * fit.bread @ (x.T @ (of_cells[:, None] * x)) @ fit.bread
    log_sd = float(np.sqrt(phi * np.mean(variance / mu**2)))
    return Fitted(units, cells, fit, mu, cov, _extra_variance(cells, units, block_names), phi, float(df), log_sd)


def unit_variance(units: Sequence[Unit], fitted: FloatArray, *, is_count: bool) -> FloatArray:
    """Give the variance of each unit by the rule: c·μ² and what is vague, with Poisson's for counts.

    Parameters
    ----------
    units : sequence of Unit, length n
        With their plants, where known.
    fitted : ndarray, shape (n,)
        Their means μ.
    is_count : bool
        Whether amounts are counts.

    Returns
    -------
    ndarray, shape (n,)
        Variances in the amount's unit squared, before φ.

    Raises
    ------
    Nothing.

    Notes
    -----
    c = 0.08 + 0.16/plants, 0.12 in all where the plants are not known (rule); plus the relative variance of vague
    amounts.

    Examples
    --------
    >>> unit_variance([Unit("1", 2.0, 1.0, "a", plants=2)], np.array([2.0]), is_count=False).tolist()
    [0.64]
    """
    relative = np.array([relative_variance(u.plants) + u.vague_sd**2 for u in units])
    return np.asarray(relative * fitted**2 + (fitted if is_count else 0.0))


def relative_variance(plants: float | None) -> float:
    """Give c of the rule: the relative variance of a unit with so many plants.

    Parameters
    ----------
    plants : float or None
        Plants in the unit.

    Returns
    -------
    float
        0.08 + 0.16/plants, or 0.12.

    Raises
    ------
    Nothing.

    Notes
    -----
    Kilter's own (rule).

    Examples
    --------
    >>> relative_variance(4), relative_variance(None)
    (0.12, 0.12)
    """
    return PLACE_VARIANCE + PLANT_VARIANCE / plants if plants else UNKNOWN_PLANTS_VARIANCE


def _extra_variance(cells: Cells, units: Sequence[Unit], block_names: tuple[str, ...]) -> FloatArray:
    """ANSWER_SD² · Σ_b p_ab² for season and site blocks; p_ab by exposure."""
    layout = cells.layout
    extra = np.zeros(layout.level_count)
    general = [i for i, name in enumerate(block_names) if name in GENERAL_BLOCKS]
    for i in general:
        of: dict[tuple[str, str], float] = {}
        for u in units:
            of[u.level, u.blocks[i]] = of.get((u.level, u.blocks[i]), 0.0) + u.exposure
        for j, level in enumerate(layout.levels):
            parts = np.array([part for (of_level, _), part in of.items() if of_level == level])
            extra[j] += ANSWER_SD**2 * float(np.sum((parts / parts.sum()) ** 2))
    return extra
