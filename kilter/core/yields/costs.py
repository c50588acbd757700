"""Splitting one amount over several without losing any of it,
and costs over years, pots and uses.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from kilter.core.errors import RecordError


@dataclass(frozen=True)
class CostShare:
    """What one planting bears of a cost."""

    what: str
    minor: int  #: in the smallest coin


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


def yearly_parts(price_minor: int, years: int) -> tuple[int, ...]:
    """Spread a price over years, or uses, so that the parts add up to it.

    Parameters
    ----------
    price_minor : int
        In the smallest coin, zero or more.
    years : int
        One or more.

    Returns
    -------
    tuple of int
        A part for each year from the first on; the earlier ones get the odd coins.

    Raises
    ------
    RecordError
        No year to spread over, or a negative price.

    Notes
    -----
    Straight-line (common practice, no source), without interest; largest remainder, as every split
    here.

    Examples
    --------
    >>> yearly_parts(79, 3)
    (27, 26, 26)
    """
    if years < 1:
        raise RecordError("A price is spread over one year or more.")
    return split_whole(price_minor, [1.0] * years)


def half_months(begins: date, ends: date) -> int:
    """Count the half-months that a planting stood in: what it bears of shared costs goes by them.

    Parameters
    ----------
    begins, ends : date
        First and last day.

    Returns
    -------
    int
        One or more.

    Notes
    -----
    A month has two halves, the second from the 16th on; a half begun counts (rule).

    Examples
    --------
    >>> half_months(date(2026, 3, 10), date(2026, 4, 20))
    4
    """

    def number(day: date) -> int:
        return day.year * 24 + (day.month - 1) * 2 + (day.day > 15)

    return max(number(ends) - number(begins) + 1, 1)


def life_parts(
    price_minor: int, years: int, begins: int, ended: int | None = None
) -> dict[int, tuple[int, int]]:
    """Spread a first cost over the years of a life.

    Parameters
    ----------
    price_minor : int
        In the smallest coin, zero or more.
    years : int
        Expected; one or more.
    begins : int
        The first of them.
    ended : int, optional
        The year in which it ended, if it did.

    Returns
    -------
    dict of int to tuple of int and int
        By year its part, and what is left of the price in a last year that came early.

    Notes
    -----
    As `yearly_parts` (numbers-n5, B4). What lives longer bears nothing more.

    Examples
    --------
    >>> life_parts(5000, 10, 2020, 2026)[2026]
    (500, 1500)
    """
    parts = dict(enumerate(yearly_parts(price_minor, years), begins))
    if ended is None:
        return {year: (part, 0) for year, part in parts.items()}
    last = max(ended, begins)
    rest = sum(part for year, part in parts.items() if year > last)
    return {
        year: (part, rest if year == last else 0) for year, part in parts.items() if year <= last
    }
