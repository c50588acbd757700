"""How sure: the quantile of an interval,
the chance that one truly beats another, and the verdict.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Final, Literal

import numpy as np
import scipy

from kilter.core.arrays import FloatArray
from kilter.core.compare.fitted import Doubt
from kilter.core.compare.moderation import kappa_quantiles
from kilter.core.compare.range_table import LEVELS, OVER_DF, QUANTILES

Verdict = Literal["clear", "leaning", "cannot tell", "no ratio"]

LEANING_CHANCE: Final = 0.8
CLEAR_CHANCE: Final = 0.9
#: Below so many units of either, nothing is clear.
CLEAR_UNITS: Final = 2
COVERAGE: Final = 0.95
#: A true difference is believed to be about as wide as these multiples of τ, each as likely (rule).
WIDTHS: Final = (0.5, 1.0, 2.0)
#: So many values of κ stand for its doubt.
KAPPAS: Final = 12


@lru_cache(maxsize=512)
def t_quantile(df: float, coverage: float = COVERAGE) -> float:
    """Give the two-sided quantile of Student's t.

    Parameters
    ----------
    df : float
        Degrees of freedom, above zero.
    coverage : float
        Between 0 and 1.

    Returns
    -------
    float
        The half width of an interval in standard errors.

    Notes
    -----
    `scipy.special.stdtrit`.

    Examples
    --------
    >>> round(t_quantile(6), 3)
    2.447
    """
    return float(scipy.special.stdtrit(df, (1 + coverage) / 2))


@lru_cache(maxsize=512)
def tukey_q(levels: int, df: float) -> float:
    """Give the upper 5 % point of the studentized range.

    Parameters
    ----------
    levels : int
        How many are compared, two or more; above a hundred taken as a hundred.
    df : float
        Degrees of freedom of the spread; below 1 taken as 1.

    Returns
    -------
    float
        q; divide by √2 for the half width of a pair in standard errors.

    Notes
    -----
    From a table that ships (`range_table`), the logs of its points interpolated by cubics in 1/df
    and in the log of the number of levels (Kramer 1956, *Biometrics* 12:307; memory).

    Examples
    --------
    >>> round(tukey_q(3, 27), 2), round(tukey_q(2, 6) / math.sqrt(2), 3)
    (3.51, 2.447)
    """
    if levels == 2:
        return t_quantile(df) * math.sqrt(2)
    at = _cubic(OVER_DF, QUANTILES.T, min(1 / df, 1.0))
    return math.exp(float(_cubic(np.log(LEVELS), at, min(math.log(levels), math.log(LEVELS[-1])))))


def _cubic(known: FloatArray, values: FloatArray, at: float) -> FloatArray:
    """Lagrange's cubic through the four nearest of the known points."""
    first = min(max(int(np.searchsorted(known, at)) - 2, 0), len(known) - 4)
    near = known[first : first + 4]
    shares = [np.prod((at - np.delete(near, i)) / (near[i] - np.delete(near, i))) for i in range(4)]
    return np.asarray(np.tensordot(shares, values[first : first + 4], 1))


def half_width(levels: int, df: float) -> float:
    """Give the half width of a pair's interval in standard errors, right for all pairs at once.

    Parameters
    ----------
    levels : int
        How many are compared.
    df : float
        Degrees of freedom.

    Returns
    -------
    float
        t for two levels, q/√2 for more.

    Notes
    -----
    As `tukey_q`.

    Examples
    --------
    >>> half_width(2, 6) < half_width(3, 6)
    True
    """
    return tukey_q(levels, df) / math.sqrt(2)


def tukey_p(gap: float, levels: int, df: float) -> float:
    """Give the chance of a gap as large between two of several levels that do not differ.

    Parameters
    ----------
    gap : float
        In standard errors of a difference.
    levels : int
        How many are compared, two or more.
    df : float
        Degrees of freedom of the dispersion.

    Returns
    -------
    float
        Between 0 and 1.

    Notes
    -----
    `scipy.stats.studentized_range`, for all pairs at once.

    Examples
    --------
    >>> round(tukey_p(2.0, 2, 1e6), 3)
    0.046
    """
    if levels == 2:
        return 2 * float(scipy.special.stdtr(df, -abs(gap)))
    # Imported where it is used: it takes longer than all the rest of the application together.
    from scipy.stats import studentized_range

    return float(studentized_range.sf(gap * math.sqrt(2), levels, df))


def chance_ahead(gap: float, doubt: Doubt, phi: float, df: float, gap_sd: float) -> float:
    """Give the chance that a level truly lies ahead of another.

    Parameters
    ----------
    gap : float
        What was seen, on the link's scale.
    doubt : Doubt
        Its variance and where that comes from.
    phi, df : float
        Dispersion and its degrees of freedom.
    gap_sd : float
        τ: how far two things usually lie apart.

    Returns
    -------
    float
        Between 0 and 1; drawn towards one half as far as the gap is one that chance alone brings.

    Notes
    -----
    A true difference is believed N(0, T²), T one of τ/2, τ, 2τ (rule); κ takes twelve quantiles of
    its belief, s² = κ·V₁/φ + F + E: chance = Σ w Φ(gap·T/(s√(s² + T²))), w ∝ the density of the gap
    under N(0, T² + s²) (normal mixture; Gelman et al., *Bayesian Data Analysis*, ch. 5; memory).

    Examples
    --------
    >>> round(chance_ahead(0.0, Doubt(0.02, 0.0, 0.0, 6), 1.0, 6, 0.21), 6)
    0.5
    """
    kappa = kappa_quantiles(phi, df, KAPPAS)
    own = (kappa * doubt.own / phi if phi else 0 * kappa) + doubt.off + doubt.elsewhere
    spread = np.maximum(own, 1e-12)[:, None]  # (κ, 1)
    wide = (np.array(WIDTHS) * gap_sd)[None] ** 2  # (1, T)
    whole = spread + wide
    density = np.exp(-(gap**2) / (2 * whole) + gap**2 / (2 * whole.max())) / np.sqrt(whole)
    ahead = scipy.special.ndtr(gap * np.sqrt(wide / (spread * whole)))
    return float(np.sum(density * ahead) / np.sum(density))


def verdict_of(low: float, high: float, chance: float, units: int) -> Verdict:
    """Judge a pair.

    Parameters
    ----------
    low, high : float
        Its interval on the link's scale; no difference is 0.
    chance : float
        That the one ahead truly is.
    units : int
        Of the level that has fewer.

    Returns
    -------
    str
        ``clear``: the interval leaves out 0, the chance is 0.9 or more, and there are two of each.
        ``leaning``: the chance is 0.8 or more. Else ``cannot tell``.

    Notes
    -----
    Kilter's own (rule).

    Examples
    --------
    >>> verdict_of(0.1, 0.5, 0.97, 2), verdict_of(0.1, 0.5, 0.97, 1), verdict_of(-0.1, 0.5, 0.7, 5)
    ('clear', 'leaning', 'cannot tell')
    """
    sure = max(chance, 1 - chance)
    if (low > 0 or high < 0) and sure >= CLEAR_CHANCE and units >= CLEAR_UNITS:
        return "clear"
    return "leaning" if sure >= LEANING_CHANCE else "cannot tell"
