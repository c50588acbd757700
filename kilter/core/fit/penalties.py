"""What is held against a fit: small rules that choose between fits that feed alike."""

from __future__ import annotations

from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.problem import ALONE, APART, NEARLY, PLANTING, SHADED, Laid

#: What one variety or site gives too much of a crop costs so much, until it is mended (rule).
TOO_MUCH_OF_ONE: Final = 1.0


def penalty(laid: Laid, plants: FloatArray) -> float:
    """Add up what is held against a fit.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    float
        On the scale of what a fit is worth.

    Notes
    -----
    Rules; each far smaller than a crop, so that they choose between fits that feed alike.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> (
    ...     round(penalty(two_beds(), np.array([0.0, 0.0, 0.0])), 6),
    ...     penalty(two_beds(), np.array([2.0, 0.0, 1.0])) > 0,
    ... )
    (0.0, True)
    """
    some = np.flatnonzero(plants > 0)
    there = plants[some]
    found = float(laid.thrift[some] @ there) + PLANTING * float(laid.is_bed[some].sum())
    if len(laid.rested):
        found += laid.too_soon_cost * float(
            np.maximum(laid.too_soon[:, some] @ there - laid.rested, 0.0).sum()
        )
    if laid.shading:
        tall, low = (share[:, some] @ there for share in laid.filled)
        found += SHADED * sum(min(float(tall[p]), float(low[other])) for p, other in laid.shading)
    if laid.problem.beside:
        found += intercropping(laid, plants)
    return found + TOO_MUCH_OF_ONE * too_much(laid, plants)


def intercropping(laid: Laid, plants: FloatArray) -> float:
    """Tell what is held against a fit for who shares a bed with whom.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    float
        On the scale of what a fit is worth.

    Notes
    -----
    With a the square metres of a crop in a bed and a half-month, b those of all others there, or of
    the one that it is to share with: alone costs 0.03·Σmin(a, b)/Σa, apart 0.01·(1 − Σmin(a,
    b)/min(Σa, Σb)), sums over beds and half-months (Kilter's own, rules). Pots hold one planting
    each, so they do not count.

    Examples
    --------
    >>> from dataclasses import replace
    >>> from kilter.core.fit.examples import two_beds
    >>> from kilter.core.fit.problem import Beside, lay_out
    >>> problem = two_beds().problem
    >>> options = (*problem.options[:2], replace(problem.options[2], start=8, end=20))
    >>> laid = lay_out(replace(problem, options=options, beside=(Beside(0),)))
    >>> (
    ...     intercropping(laid, np.array([2.0, 0.0, 0.0])),
    ...     round(intercropping(laid, np.array([2.0, 0.0, 2.0])), 6),
    ... )
    (0.0, 0.024)
    """
    found, areas = 0.0, {}
    all_ = bed_areas(laid, plants, None)
    for one in laid.problem.beside:
        for c in (one.crop, one.other):
            if c is not None and c not in areas:
                areas[c] = bed_areas(laid, plants, c)
        mine = areas[one.crop]
        other = all_ - mine if one.other is None else areas[one.other]
        together, sums = (
            float(np.minimum(mine, other).sum()),
            (float(mine.sum()), float(other.sum())),
        )
        if one.other is None:
            found += ALONE * together / sums[0] if sums[0] > 0 else 0.0
        elif min(sums) > 0:
            found += APART * (1 - together / min(sums))
    return found


def bed_areas(laid: Laid, plants: FloatArray, crop: int | None) -> FloatArray:
    """Sum what a crop takes of each bed, half-month by half-month.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.
    crop : int or None
        None: all of them.

    Returns
    -------
    array, (plots, slots)
        Square metres; 0 in pots.

    Notes
    -----
    As `occupied`, without pots.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> float(bed_areas(two_beds(), np.array([2.0, 0.0, 1.0]), 0).max())
    0.5
    """
    return occupied(laid, plants * (laid.is_bed & (True if crop is None else laid.crop == crop)))


def too_much(laid: Laid, plants: FloatArray) -> float:
    """Tell how far crops lean on one variety or site beyond the share that the gardener allows.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    float
        Sum of the shares that are too much; 0 where none is.

    Notes
    -----
    Only where the labels there are could keep to it.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> too_much(two_beds(), np.array([2.0, 0.0, 1.0]))
    0.0
    """
    found = 0.0
    for some, whole, share in laid.shares:
        sum_ = float(plants[whole].sum())
        if sum_ > 0:
            found += max(float(plants[some].sum()) / sum_ - share - NEARLY, 0.0)
    return found


def occupied(laid: Laid, plants: FloatArray) -> FloatArray:
    """Sum what stands in each plot, half-month by half-month.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    array, (plots, slots)
        Square metres, or pots.

    Notes
    -----
    Without what stands already.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> float(occupied(two_beds(), np.array([2.0, 0.0, 1.0])).max())
    0.5
    """
    found = np.zeros_like(laid.free)
    some = np.flatnonzero(plants > 0)
    np.add.at(found, laid.plot[some], (laid.use[some] * plants[some])[:, None] * laid.there[some])
    return found
