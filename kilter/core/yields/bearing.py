"""What is picked again and again: yields so far, to the same date or at the same age."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import Final

from kilter.core.yields import lacks
from kilter.core.yields.harvest import Lift, harvest
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.record import PlantingRecord

BY: Final = ("date", "age")


def common_cuts(
    records: Iterable[PlantingRecord], seasons: Mapping[str, int], by: str, today: date
) -> dict[str, date]:
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

    Notes
    -----
    The latest day, or age, that all of those still bearing have reached; where none is, the last
    day of any.

    Examples
    --------
    >>> done = PlantingRecord(ref="a", finished_on=date(2025, 10, 1))
    >>> still = PlantingRecord(ref="b")
    >>> common_cuts([done, still], {"a": 2025, "b": 2026}, "date", date(2026, 8, 4))["a"]
    datetime.date(2025, 8, 4)
    """
    rows = list(records)
    if by == "age":
        ages = {r.ref: ((r.finished_on or today) - r.began_on).days for r in rows if r.began_on}
        bearing = [ages[r.ref] for r in rows if r.finished_on is None and r.ref in ages]
        age = min(bearing) if bearing else max(ages.values(), default=0)
        return {r.ref: r.began_on + timedelta(days=age) for r in rows if r.began_on}
    yeardays = {r.ref: ((r.finished_on or today) - date(seasons[r.ref], 1, 1)).days for r in rows}
    bearing = [yeardays[r.ref] for r in rows if r.finished_on is None]
    last = min(bearing) if bearing else max(yeardays.values(), default=0)
    return {r.ref: date(seasons[r.ref], 1, 1) + timedelta(days=last) for r in rows}


def all_up_to(
    records: Sequence[PlantingRecord],
    seasons: Mapping[str, int],
    lifts: Mapping[str, Sequence[Lift]],
    by: str,
    today: date,
) -> dict[str, PlantingRecord | LeftOut]:
    """Give plantings as they were on the day, or at the age, that all have reached.

    Parameters
    ----------
    records : sequence of PlantingRecord
        Finished or still bearing.
    seasons, lifts : mapping by ref
        The season of each, and all its lines that stand, each with its day.
    by : str
        ``date`` or ``age``, as in `common_cuts`.
    today : date
        Those still bearing are known up to here.

    Returns
    -------
    dict of str to PlantingRecord or LeftOut
        By ref, or why it cannot be compared so.

    Notes
    -----
    One whose season has not begun holds none of the others back.

    Examples
    --------
    >>> left = all_up_to([PlantingRecord(ref="a")], {"a": 2027}, {}, "date", date(2026, 8, 4))
    >>> left["a"].lack.words
    'its season has not begun'
    """
    ahead = {
        record.ref
        for record in records
        if record.finished_on is None and seasons[record.ref] > today.year
    }
    cuts = common_cuts(
        [record for record in records if record.ref not in ahead], seasons, by, today
    )
    found: dict[str, PlantingRecord | LeftOut] = {}
    for record in records:
        if record.ref in ahead:
            found[record.ref] = LeftOut(record.ref, lacks.NOT_BEGUN)
        elif record.ref in cuts:
            found[record.ref] = as_of(record, lifts.get(record.ref, ()), cuts[record.ref])
        else:
            found[record.ref] = LeftOut(record.ref, lacks.NO_PLANTING_DAY)
    return found


def as_of(record: PlantingRecord, lifts: Iterable[Lift], cut: date) -> PlantingRecord:
    """Give a planting as it was on the evening of a day.

    Parameters
    ----------
    record : PlantingRecord
        The whole.
    lifts : iterable of Lift
        All its lines that stand, each with its day.
    cut : date
        The last day that counts.

    Returns
    -------
    PlantingRecord
        With the grades and the plants lifted of the lines up to then, and finished on that day at
        the latest.

    Notes
    -----
    Sums of lines; exact. A part lift up to then is over the plants it took.

    Examples
    --------
    >>> from kilter.core.yields.harvest import GradeTotal
    >>> bean = PlantingRecord(ref="a", units=2, plants=2)
    >>> lifts = [
    ...     Lift(date(2026, 7, day), "table", GradeTotal(lines=1, mass_mg=mass, count=4))
    ...     for day, mass in ((1, 500), (20, 700))
    ... ]
    >>> early = as_of(bean, lifts, date(2026, 7, 9))
    >>> early.grades["table"].mass_mg, early.finished_on
    (500, datetime.date(2026, 7, 9))
    """
    if record.finished_on is not None and record.finished_on <= cut:
        return record
    found = harvest(lifts, until=cut)
    part = part_lifted(found.plants_lifted, record.plants)
    return replace(
        record,
        grades=found.grades,
        sizes=found.sizes,
        finished_on=cut,
        plants_lifted=part,
        first_lift=found.first,
        last_lift=found.last,
        is_so_far=record.finished_on is None,
    )


def part_lifted(lifted: int | None, plants: float | None) -> int | None:
    """Say of how many plants a harvest is, where it is not of all.

    Parameters
    ----------
    lifted : int or None
        Plants lifted, as far as the lines say.
    plants : float or None
        Plants that stood.

    Returns
    -------
    int or None
        The plants lifted; None where they are all, or nobody said.


    Examples
    --------
    >>> part_lifted(2, 10), part_lifted(10, 10), part_lifted(None, 10)
    (2, None, None)
    """
    if lifted is None or (plants is not None and lifted >= plants):
        return None
    return lifted


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
