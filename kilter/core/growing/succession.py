"""What grew where before: predecessors, neighbours in time,
and the years since a family was in the same soil.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

#: Years in which a family should not come back to the same ground (common practice, no source).
FAMILY_PAUSE_YEARS: Final = 3


@dataclass(frozen=True)
class Tenancy:
    """One planting's time in a place."""

    key: int
    place: int
    crop: str
    family: str
    start: date
    end: date  #: the last day; of what still stands, the end of its season


def predecessors(tenancies: Iterable[Tenancy]) -> dict[int, Tenancy]:
    """Find for each planting the one that left its place last before it came.

    Parameters
    ----------
    tenancies : iterable of Tenancy
        Of any places, in any order.

    Returns
    -------
    dict of int to Tenancy
        By key; what has no predecessor on record is not in it.

    Notes
    -----
    One that overlaps is a neighbour, not a predecessor; of two that left on one day the later key
    counts.

    Examples
    --------
    >>> pea = Tenancy(1, 7, "pea", "Fabaceae", date(2026, 3, 1), date(2026, 7, 1))
    >>> kale = Tenancy(2, 7, "kale", "Brassicaceae", date(2026, 7, 5), date(2026, 12, 31))
    >>> predecessors([kale, pea])[2].crop
    'pea'
    """
    found = {}
    for group in _by_place(tenancies).values():
        ended = sorted(group, key=lambda t: (t.end, t.key))
        for one in group:
            before = [other for other in ended if other.end <= one.start and other.key != one.key]
            if before:
                found[one.key] = before[-1]
    return found


def sharing(tenancies: Iterable[Tenancy]) -> frozenset[int]:
    """Tell which plantings had another in their place at the same time.

    Parameters
    ----------
    tenancies : iterable of Tenancy
        Of any places, in any order.

    Returns
    -------
    frozenset of int
        Keys.

    Notes
    -----
    One pass over each place in order of start; a day on which one leaves and one comes is not
    shared.

    Examples
    --------
    >>> a = Tenancy(1, 7, "pea", "", date(2026, 3, 1), date(2026, 7, 1))
    >>> b = Tenancy(2, 7, "kale", "", date(2026, 6, 1), date(2026, 12, 31))
    >>> sorted(sharing([a, b]))
    [1, 2]
    """
    shared: set[int] = set()
    for group in _by_place(tenancies).values():
        last: Tenancy | None = None
        for one in sorted(group, key=lambda t: (t.start, t.key)):
            if last is not None and one.start < last.end:
                shared |= {one.key, last.key}
            if last is None or one.end > last.end:
                last = one
    return frozenset(shared)


def companions(tenancies: Iterable[Tenancy], least_share: float = 0.0) -> dict[int, frozenset[int]]:
    """Find for each planting those that stood in the same place at the same time.

    Parameters
    ----------
    tenancies : iterable of Tenancy
        Of any places, in any order.
    least_share : float
        Of the days of the shorter-lived of two, the share that they must have in common.

    Returns
    -------
    dict of int to frozenset of int
        By key, of those that had any.

    Notes
    -----
    Every pair of a place that overlaps; a day on which one leaves and one comes is not shared.

    Examples
    --------
    >>> a = Tenancy(1, 7, "pea", "", date(2026, 3, 1), date(2026, 7, 1))
    >>> b = Tenancy(2, 7, "kale", "", date(2026, 6, 1), date(2026, 12, 31))
    >>> companions([a, b])[1]
    frozenset({2})
    """
    found: dict[int, set[int]] = defaultdict(set)
    for group in _by_place(tenancies).values():
        order = sorted(group, key=lambda t: (t.start, t.key))
        for i, one in enumerate(order):
            for other in order[i + 1 :]:
                if other.start >= one.end:
                    break
                common = (min(one.end, other.end) - other.start).days
                if common < least_share * min(
                    (one.end - one.start).days, (other.end - other.start).days
                ):
                    continue
                found[one.key].add(other.key)
                found[other.key].add(one.key)
    return {key: frozenset(others) for key, others in found.items()}


def years_since_family(tenancies: Sequence[Tenancy], family: str, year: int) -> Mapping[int, int]:
    """Count for each place the years since a family last stood in it.

    Parameters
    ----------
    tenancies : sequence of Tenancy
        Of any places.
    family : str
        Botanical family.
    year : int
        Counted from this one: 0 where it stands or stood this year.

    Returns
    -------
    mapping of int to int
        By place; a place where it never stood on record is not in it.

    Notes
    -----
    Whole years between calendar years of the last day and the year asked for.

    Examples
    --------
    >>> years_since_family(
    ...     [Tenancy(1, 7, "pea", "Fabaceae", date(2023, 3, 1), date(2023, 7, 1))], "Fabaceae", 2026
    ... )
    {7: 3}
    """
    last: dict[int, int] = {}
    for tenancy in tenancies:
        if tenancy.family == family and tenancy.start.year <= year:
            last[tenancy.place] = max(last.get(tenancy.place, 0), min(tenancy.end.year, year))
    return {place: year - seen for place, seen in last.items()}


def _by_place(tenancies: Iterable[Tenancy]) -> dict[int, list[Tenancy]]:
    groups: dict[int, list[Tenancy]] = defaultdict(list)
    for tenancy in tenancies:
        groups[tenancy.place].append(tenancy)
    return groups
