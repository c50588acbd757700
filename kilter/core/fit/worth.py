"""What a fit is worth: how near each crop comes to its need, as surely as wanted,
less small penalties.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.penalties import penalty
from kilter.core.fit.problem import Laid, quantiles


@dataclass(frozen=True, eq=False)
class Worth:
    """A fit with what it is worth."""

    plants: FloatArray  #: (options,)
    reached: FloatArray  #: (crops,): share of the need that is reached as surely as wanted, 0 to 1
    sure_kg: FloatArray  #: (crops,): what it gives as surely as wanted
    total: float  #: with the penalties; what is compared


def usefulness(reached: FloatArray) -> FloatArray:
    """Tell what a share of a need is worth.

    Parameters
    ----------
    reached : array
        Shares of needs, 0 to 1.

    Returns
    -------
    array
        0 to 1, of the same shape.

    Notes
    -----
    u(z) = (z + min(z, ½)) / 1.5: the first half of a need is worth twice the second (Kilter's own,
    rule).

    Examples
    --------
    >>> usefulness(np.array([0.0, 0.25, 0.5, 1.0])).round(3).tolist()
    [0.0, 0.333, 0.667, 1.0]
    """
    return np.asarray((reached + np.minimum(reached, 0.5)) / 1.5)


def totals_of(laid: Laid, plants: FloatArray) -> FloatArray:
    """Sum what a fit gives.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    array, (crops, draws)
        Kilograms.

    Notes
    -----
    A sum over the options of each crop, draw by draw.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> totals_of(two_beds(), np.array([2.0, 0.0, 1.0])).shape
    (2, 4)
    """
    found = np.zeros((len(laid.needs), laid.problem.draws.shape[1]))
    for c, mine in enumerate(laid.of_crop):
        some = mine[plants[mine] > 0]
        if some.size:
            found[c] = plants[some] @ laid.problem.draws[some]
    return found


def worth_of(laid: Laid, plants: FloatArray) -> Worth:
    """Reckon what a fit is worth.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    Worth
        With the share of each need that is reached.

    Notes
    -----
    Σ w·u(z) − penalties, z = min(1, q/need), q the (1 − certainty) quantile of what a crop gives
    (docs/method.md, N8).

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> found = worth_of(two_beds(), np.array([2.0, 0.0, 1.0]))
    >>> found.reached.round(3).tolist()
    [0.5, 0.5]
    """
    totals = totals_of(laid, plants)
    sure = np.array([float(quantiles(totals[[c]], risk)[0]) for c, risk in enumerate(laid.risks)])
    return weighed(laid, plants, sure)


def weighed(laid: Laid, plants: FloatArray, sure_kg: FloatArray) -> Worth:
    """Reckon the same where it is known what each crop gives.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.
    sure_kg : array, (crops,)
        What each gives as surely as wanted.

    Returns
    -------
    Worth
        With the share of each need that is reached.

    Notes
    -----
    As `worth_of`.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> weighed(two_beds(), np.zeros(3), np.array([4.0, 0.0])).total
    0.5
    """
    reached = np.minimum(sure_kg / laid.needs, 1.0)
    return Worth(
        plants, reached, sure_kg, float(laid.weights @ usefulness(reached)) - penalty(laid, plants)
    )


def reached_with(laid: Laid, c: int, totals: FloatArray) -> FloatArray:
    """Tell the usefulness of a crop for several sums at once.

    Parameters
    ----------
    laid : Laid
        The problem.
    c : int
        The crop.
    totals : array, (tries, draws)
        What it would give in each try.

    Returns
    -------
    array, (tries,)
        Weighted by how much it matters.

    Notes
    -----
    As `worth_of` reckons it of one.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> reached_with(two_beds(), 0, np.array([[4.0, 4.0, 4.0, 4.0]])).tolist()
    [0.5]
    """
    reached = np.minimum(quantiles(totals, laid.risks[c]) / laid.needs[c], 1.0)
    return np.asarray(laid.weights[c] * usefulness(reached))
