"""Other seasons, other sites: how differently the things compared answer them,
learnt from those that were seen.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.compare.moderation import of_log
from kilter.core.compare.suspects import UnitFit

#: Blocks that stand for others like them.
GENERAL_BLOCKS: Final = frozenset({"season", "site"})
#: The belief on σ, the SD of a level's answer to a season or site on the link's scale: as so many
#: degrees of freedom, about this figure, as a multiple of τ of the kind (0.20 for a yield's 0.21;
#: rule).
SEASON_DF: Final = 3.0
SEASON_OF_GAP: Final = 0.20 / 0.21
#: The values of σ that are weighed against each other, as multiples of 0.20/0.21 τ.
GRID: Final = np.geomspace(0.1, 6.0, 24)


@dataclass(frozen=True)
class Interaction:
    """What one block attribute adds to the doubt of a pair or a level."""

    name: str
    variance: float  #: σ²
    df: float
    concentration: FloatArray  #: (k,) Σ_b p_ab² of each level, p its share of exposure in block b


def interactions_of(
    estimate: UnitFit, names: tuple[str, ...], phi: float
) -> tuple[Interaction, ...]:
    """Learn, for each block that stands for others like it, how differently the levels answer.

    Parameters
    ----------
    estimate : Estimate
        The fit on paper.
    names : tuple of str
        The block attributes of the units.
    phi : float
        Dispersion of the units.

    Returns
    -------
    tuple of Interaction
        One for ``season`` and one for ``site``, where they are blocks with two labels or more.

    Notes
    -----
    σ² ~ scaled inverse χ²(3, 0.20²) times the restricted likelihood (Patterson & Thompson 1971,
    *Biometrika* 58:545; memory) of the levels' working residuals in each season, whose own variance
    is φ times the rule's; on a grid, and then brought to one scaled inverse χ² by the mean and
    variance of ln σ².

    Examples
    --------
    >>> from kilter.core.compare.fitted import fit_units
    >>> from kilter.core.compare.kinds import Unit
    >>> from kilter.core.compare.moderation import Prior
    >>> rows = [("a", 2.0, "2025"), ("b", 1.0, "2025"), ("a", 2.1, "2026"), ("b", 1.0, "2026")]
    >>> pots = [
    ...     Unit(ref=str(i), amount=y, exposure=1.0, level=level, blocks=(season,))
    ...     for i, (level, y, season) in enumerate(rows)
    ... ]
    >>> found = fit_units(pots, ("season",), prior=Prior()).interactions[0]
    >>> found.name, found.concentration.tolist(), round(found.variance, 3)
    ('season', [0.5, 0.5], 0.034)
    """
    found = []
    for i, name in enumerate(names):
        labels = [u.blocks[i] for u in estimate.units]
        if name in GENERAL_BLOCKS and len(set(labels)) > 1:
            found.append(_of_attribute(estimate, name, labels, phi))
    return tuple(found)


def _of_attribute(estimate: UnitFit, name: str, labels: Sequence[str], phi: float) -> Interaction:
    levels, blocks = estimate.cells.layout.levels, sorted(set(labels))
    at_level = np.array([levels.index(u.level) for u in estimate.units])
    at_block = np.array([blocks.index(label) for label in labels])
    shape = len(levels), len(blocks)
    exposure = np.zeros(shape)
    whole = estimate.spread.whole
    np.add.at(exposure, (at_level, at_block), whole)
    shares = exposure / exposure.sum(axis=1, keepdims=True)
    curve, rest, spread = (np.zeros(shape) for _ in range(3))
    slope = estimate.fit.link.slope(estimate.fit.rate)[estimate.cells.index]
    np.add.at(curve, (at_level, at_block), estimate.weights * whole * slope)
    np.add.at(rest, (at_level, at_block), estimate.weights * (estimate.amount - estimate.mu))
    np.add.at(spread, (at_level, at_block), estimate.weights**2 * estimate.variance)
    seen = exposure > 0
    row, column = np.nonzero(seen)
    design = np.hstack(
        [row[:, None] == np.arange(shape[0]), column[:, None] == np.arange(1, shape[1])]
    ).astype(float)
    sigma = GRID * SEASON_OF_GAP * estimate.kind.gap_sd
    variance, df = _learnt(
        rest[seen] / curve[seen], phi * spread[seen] / curve[seen] ** 2, design, sigma
    )
    return Interaction(name, variance, df, np.sum(shares**2, axis=1))


def _learnt(
    residual: FloatArray, own: FloatArray, design: FloatArray, sigma: FloatArray
) -> tuple[float, float]:
    """σ² and its degrees of freedom from cell residuals with variances of their own."""
    usual = float(sigma[0] / GRID[0]) ** 2
    left, values, _ = np.linalg.svd(design, full_matrices=False)
    basis = left[:, values > 1e-9 * values[0]]
    logs = _restricted(residual, own + sigma[:, None] ** 2, basis)
    # the prior's density in σ², times σ² as the grid is even in its log
    logs += -SEASON_DF / 2 * np.log(sigma**2) - SEASON_DF * usual / (2 * sigma**2)
    weights = np.exp(logs - logs.max())
    weights /= weights.sum()
    mean = np.sum(weights * np.log(sigma**2))
    spread = np.sum(weights * (np.log(sigma**2) - mean) ** 2)
    variance, df = of_log(mean, spread)
    return float(variance), float(df)


def _restricted(residual: FloatArray, variance: FloatArray, basis: FloatArray) -> FloatArray:
    """(S,) restricted log-likelihood of (m,) residuals about any mean within the basis,
    for (S, m) variances.
    """
    weighed = basis.T / variance[:, None]  # (S, p, m)
    precise = weighed @ basis
    coef = np.linalg.solve(precise, (weighed @ residual)[:, :, None])[:, :, 0]
    rest = residual - coef @ basis.T
    size = np.linalg.slogdet(precise)[1]
    return np.asarray(
        -0.5 * (np.log(variance).sum(axis=1) + size + np.sum(rest**2 / variance, axis=1))
    )
