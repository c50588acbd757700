"""What comes back to a place: in how many of the years in which something stood there it was hit,
and when.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True)
class Hit:
    """One setback of a place."""

    what: str  #: what it was, in the gardener's words
    day: date
    lost: float | None = None  #: share of the harvest lost, where it was said


@dataclass(frozen=True)
class Recurring:
    """One kind of setback over the years of a place."""

    what: str
    years: tuple[int, ...]  #: in which it came
    of: int  #: years in which something stood there then
    month: int | None  #: the month in which it always came; None where it came in several
    lost: float | None  #: the mean share lost, of those that say it

    @property
    def hits(self) -> int:
        return len(self.years)


def recurring(
    hits: Iterable[Hit], stays: Sequence[tuple[date, date]], today: date
) -> tuple[Recurring, ...]:
    """Count in how many of its years a place was hit by what.

    Parameters
    ----------
    hits : iterable of Hit
        Everything that hit the place.
    stays : sequence of (date, date)
        First and last day of everything that stood there.
    today : date
        Later days are not counted among the years.

    Returns
    -------
    tuple of Recurring
        What came most often first.

    Notes
    -----
    What came always in one month is counted over the years in which something stood there in that
    month, else over the years in which anything stood there; a year in which it came always counts.
    Kilter's own definition (rule).

    Examples
    --------
    >>> stays = [(date(y, 5, 1), date(y, 9, 30)) for y in (2023, 2024, 2025, 2026)]
    >>> hits = [Hit("aphid", date(y, 8, 9)) for y in (2023, 2025, 2026)]
    >>> [
    ...     (one.what, one.hits, one.of, one.month)
    ...     for one in recurring(hits, stays, date(2026, 12, 1))
    ... ]
    [('aphid', 3, 4, 8)]
    """
    by_what: dict[str, list[Hit]] = defaultdict(list)
    for hit in hits:
        by_what[" ".join(hit.what.lower().split())].append(hit)
    found = [_counted(group, stays, today) for group in by_what.values()]
    return tuple(sorted(found, key=lambda one: (-one.hits, one.of, one.what)))


def _counted(hits: list[Hit], stays: Sequence[tuple[date, date]], today: date) -> Recurring:
    years = sorted({hit.day.year for hit in hits})
    months = {hit.day.month for hit in hits}
    month = months.pop() if len(months) == 1 else None
    of = {year for stay in stays for year in _years(stay, month, today)} | set(years)
    lost = [hit.lost for hit in hits if hit.lost is not None]
    name = Counter(hit.what for hit in hits).most_common(1)[0][0]
    return Recurring(name, tuple(years), len(of), month, sum(lost) / len(lost) if lost else None)


def _years(stay: tuple[date, date], month: int | None, today: date) -> Iterable[int]:
    first, last = stay[0], min(stay[1], today)
    for year in range(first.year, last.year + 1):
        begins, ends = (date(year, month or 1, 1), date(year, month or 12, 28))
        if first <= ends and begins <= last:
            yield year
