"""Figures and days as levels that can be compared: a few values stand for themselves,
many are put in thirds.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Final

from kilter.core.amounts.vague import VagueDate

#: How exactly a planting's day must be known to say in which part of a month it lies.
TO_A_THIRD: Final = frozenset({"day", "week", "third"})
#: So many different values are each a level of their own (rule).
FEW_VALUES: Final = 6


def bands(values: Sequence[float | None], unit: str) -> list[str | None]:
    """Label figures so that those alike share a label.

    Parameters
    ----------
    values : sequence of float or None
        In any unit; None stays None.
    unit : str
        Written behind each figure.

    Returns
    -------
    list of str or None
        Each its own figure to two digits where there are few; else under, between and over the two
        thirds.

    Notes
    -----
    Thirds by rank of the values to two digits (rule); of equal values all go to the lower third.

    Examples
    --------
    >>> bands([16.0, 16.04, 25, None], "per m²")
    ['16 per m²', '16 per m²', '25 per m²', None]
    """
    rounded = [None if value is None else float(f"{value:.2g}") for value in values]
    known = sorted(value for value in rounded if value is not None)
    if len(set(known)) <= FEW_VALUES:
        return [None if value is None else f"{value:g} {unit}" for value in rounded]
    low, high = known[(len(known) - 1) // 3], known[2 * (len(known) - 1) // 3]

    def label(value: float) -> str:
        if value <= low:
            return f"up to {low:g} {unit}"
        return f"over {low:g} to {high:g} {unit}" if value <= high else f"over {high:g} {unit}"

    return [None if value is None else label(value) for value in rounded]


def planting_time(planted: VagueDate | None) -> str | None:
    """Name the third of a month in which something was planted, where that is known so well.

    Parameters
    ----------
    planted : VagueDate or None
        The day as far as it is known; None where it was not written down.

    Returns
    -------
    str or None
        Such as ``mid-May``; None for a day that is known to a month or a season only.

    Notes
    -----
    By `part_of_month`.

    Examples
    --------
    >>> (
    ...     planting_time(VagueDate(date(2026, 5, 14), "week")),
    ...     planting_time(VagueDate(date(2026, 5, 14), "month")),
    ... )
    ('mid-May', None)
    """
    return part_of_month(planted.day) if planted and planted.precision in TO_A_THIRD else None


def part_of_month(day: date) -> str:
    """Name the third of a month a day lies in.

    Parameters
    ----------
    day : date
        Any.

    Returns
    -------
    str
        Such as ``mid-May``.

    Notes
    -----
    As people say it: early to the 10th, mid to the 20th, late after.

    Examples
    --------
    >>> part_of_month(date(2026, 5, 14))
    'mid-May'
    """
    part = "early " if day.day <= 10 else "mid-" if day.day <= 20 else "late "
    return f"{part}{day:%B}"
