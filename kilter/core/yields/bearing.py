"""What is picked again and again: yields so far, to the same date or at the same age."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Final

from kilter.core.yields.record import GradeTotal, PlantingRecord

BY: Final = ("date", "age")


@dataclass(frozen=True)
class Lift:
    """One line: what was lifted on a day."""

    day: date
    grade: str
    mass_mg: int | None
    count: int | None


def common_cuts(records: Iterable[PlantingRecord], seasons: Mapping[str, int], by: str, today: date) -> dict[str, date]:
    """Find for each planting the day up to which all can be compared.

    Parameters
    ----------
    records : iterable of PlantingRecord
        Finished or still bearing.
    seasons : mapping of str to int
        The season of each, by ref.
    by : str
        ``date``: to the same day of the year; ``age``: to the same number of days since planting.
    today : date
        Those still bearing are known up to here.

    Returns
    -------
    dict of str to date
        By ref; by age, what has no day of planting is not in it.

    Raises
    ------
    Nothing.

    Notes
    -----
    The latest day, or age, that all of those still bearing have reached; where none is, the last day of any.

    Examples
    --------
    >>> done = PlantingRecord("a", finished_on=date(2025, 10, 1))
    >>> still = PlantingRecord("b")
    >>> common_cuts([done, still], {"a": 2025, "b": 2026}, "date", date(2026, 8, 4))["a"]
    datetime.date(2025, 8, 4)
    """
    rows = list(records)
    if by == "age":
        ages = {r.ref: ((r.finished_on or today) - r.planted_on).days for r in rows if r.planted_on}
        bearing = [ages[r.ref] for r in rows if r.finished_on is None and r.ref in ages]
        age = min(bearing) if bearing else max(ages.values(), default=0)
        return {r.ref: r.planted_on + timedelta(days=age) for r in rows if r.planted_on}
    yeardays = {r.ref: ((r.finished_on or today) - date(seasons[r.ref], 1, 1)).days for r in rows}
    bearing = [yeardays[r.ref] for r in rows if r.finished_on is None]
    last = min(bearing) if bearing else max(yeardays.values(), default=0)
    return {r.ref: date(seasons[r.ref], 1, 1) + timedelta(days=last) for r in rows}


def as_of(record: PlantingRecord, lifts: Sequence[Lift], cut: date) -> PlantingRecord:
    """Give a planting as it was on the evening of a day.

    Parameters
    ----------
    record : PlantingRecord
        The whole.
    lifts : sequence of Lift
        All its lines that stand.
    cut : date
        The last day that counts.

    Returns
    -------
    PlantingRecord
        With the grades of the lines up to then, and finished on that day at the latest.

    Raises
    ------
    Nothing.

    Notes
    -----
    Sums of lines; exact.

    Examples
    --------
    >>> bean = PlantingRecord("a", units=2)
    >>> lifts = [Lift(date(2026, 7, 1), "table", 500, 4), Lift(date(2026, 8, 1), "table", 700, 5)]
    >>> early = as_of(bean, lifts, date(2026, 7, 9))
    >>> early.grades["table"].mass_mg, early.finished_on
    (500, datetime.date(2026, 7, 9))
    """
    grades: dict[str, GradeTotal] = {}
    for lift in lifts:
        if lift.day <= cut:
            grades[lift.grade] = grades.get(lift.grade, GradeTotal()).plus(lift.mass_mg, lift.count)
    end = min(record.finished_on, cut) if record.finished_on else cut
    return replace(record, grades=grades, finished_on=end, plants_lifted=None)


def mean_curve(curves: Sequence[Sequence[tuple[int, float]]]) -> tuple[tuple[int, float], ...]:
    """Average what several plantings had given by each day.

    Parameters
    ----------
    curves : sequence of sequence of (int, float)
        Of each the days and what it had given by then, rising.

    Returns
    -------
    tuple of (int, float)
        Each day on which any gave something, and the mean over all of what they had given by then.

    Raises
    ------
    Nothing.

    Notes
    -----
    Step functions; one that has not begun stands at zero.

    Examples
    --------
    >>> mean_curve([[(3, 1.0), (5, 3.0)], [(5, 1.0)]])
    ((3, 0.5), (5, 2.0))
    """
    days = sorted({day for curve in curves for day, _ in curve})
    reached = [0.0] * len(curves)
    at = [0] * len(curves)
    found = []
    for day in days:
        for i, curve in enumerate(curves):
            while at[i] < len(curve) and curve[at[i]][0] <= day:
                reached[i] = curve[at[i]][1]
                at[i] += 1
        found.append((day, sum(reached) / len(curves)))
    return tuple(found)
