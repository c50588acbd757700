"""Splitting one amount over several without losing any of it, and costs over years, pots and uses."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kilter.core.errors import RecordError


@dataclass(frozen=True)
class CostShare:
    """What one planting bears of a cost."""

    what: str
    minor: float  #: in the smallest coin


def split_whole(total: int, weights: Sequence[float]) -> tuple[int, ...]:
    """Split a whole number by weights; the parts sum to it exactly.

    Parameters
    ----------
    total : int
        Milligrams, millilitres, seconds: zero or more.
    weights : sequence of float
        Zero or more each, not all zero.

    Returns
    -------
    tuple of int
        One part for each weight.

    Raises
    ------
    RecordError
        Nothing to split over.

    Notes
    -----
    Largest remainder (Hamilton's method); of equal remainders the earlier gets the odd one.

    Examples
    --------
    >>> split_whole(100, [1, 1, 1])
    (34, 33, 33)
    """
    whole = sum(weights)
    if total < 0 or whole <= 0 or not math.isfinite(whole) or min(weights) < 0:
        raise RecordError("There is nothing to share it over; every part has the size zero.")
    exact = [total * weight / whole for weight in weights]
    parts = [math.floor(e) for e in exact]
    by_rest = sorted(range(len(parts)), key=lambda i: (parts[i] - exact[i], i))
    for i in by_rest[: total - sum(parts)]:
        parts[i] += 1
    return tuple(parts)


def cost_share(what: str, minor: int, spread: float = 1.0, sharers: int = 1) -> CostShare:
    """Say what one planting bears of a price spread over years or uses and over those who share it.

    Parameters
    ----------
    what : str
        In words.
    minor : int
        The price in the smallest coin.
    spread : float
        Years a pot lasts, or uses of a medium; above zero.
    sharers : int
        Plantings that share this year's or use's part; one or more.

    Returns
    -------
    CostShare
        price / spread / sharers.

    Raises
    ------
    RecordError
        A spread or number of sharers that is not above zero.

    Notes
    -----
    Straight-line sharing (common practice, no source); no interest.

    Examples
    --------
    >>> cost_share("crock", 1800, 6, 2).minor
    150.0
    """
    if spread <= 0 or sharers < 1:
        raise RecordError("A cost is shared over more than nothing: years, uses and plantings are above zero.")
    return CostShare(what, minor / spread / sharers)
