"""The jobs between planting and lifting that the handbook and the weather ask for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Final

from kilter.core.growing.almanac import WeatherDay, dry_spells
from kilter.core.handbook import CareRow

AHEAD_DAYS: Final = 7  # jobs are offered so long before they are due
STALE_DAYS: Final = 28  # and no longer than so long after it
#: Dry days after which to water: a vessel dries out sooner than ground (rules).
DRY_VESSEL_DAYS, DRY_BED_DAYS = 3, 7
#: Every job that can be noted; the household may add its own words.
JOBS: Final = (
    "soak",
    "heal",
    "chit",
    "pot on",
    "thin",
    "earth up",
    "feed",
    "water",
    "weed",
    "tie in",
    "pinch out",
    "cover",
    "net",
    "uncover",
    "renew",
)


@dataclass(frozen=True)
class Done:
    """A job done or put aside."""

    job: str
    day: date


@dataclass(frozen=True)
class JobOffer:
    """A job to do, when, and why."""

    job: str
    due_on: date
    why: str


def repeat_due(
    first_on: date,
    every_days: int | None,
    until: date | None,
    last_done: date | None,
    today: date,
    ahead_days: int = AHEAD_DAYS,
) -> date | None:
    """Say when a job that the household set itself is due next, if it is near.

    Parameters
    ----------
    first_on : date
        The first time.
    every_days : int or None
        Days from one time to the next; None for a job that comes once.
    until : date or None
        The last day it is wanted; None for no end.
    last_done : date or None
        When it was done or put aside last, on the first day or after.
    today : date
        The day.
    ahead_days : int
        It is said so long before.

    Returns
    -------
    date or None
        The day it is due; None where it is over, done, or further off. What comes often is not said
        the day it was done: at most one day less than its interval ahead.

    Notes
    -----
    Counted from the day it was last done, not from the calendar (rule): what was late moves the
    next.

    Examples
    --------
    >>> repeat_due(date(2026, 6, 1), 14, None, date(2026, 6, 3), date(2026, 6, 12))
    datetime.date(2026, 6, 17)
    """
    due = first_on
    if last_done is not None:
        if every_days is None:
            return None
        due = max(first_on, last_done + timedelta(days=every_days))
    if until is not None and (due > until or today > until):
        return None
    near = (
        ahead_days
        if every_days is None or ahead_days > AHEAD_DAYS
        else min(ahead_days, every_days - 1)
    )
    return due if due <= today + timedelta(days=near) else None


def times_due(due: date, every_days: int | None, by: date, until: date | None = None) -> int:
    """Count how often a job that comes back falls due by a day, if nobody does it.

    Parameters
    ----------
    due : date
        When it is due next.
    every_days : int or None
        Days from one time to the next; None for a job that comes once.
    by : date
        The last day that counts.
    until : date, optional
        The last day it is wanted.

    Returns
    -------
    int
        Zero where it is not due by then.

    Notes
    -----
    Kilter's own: by the calendar from the day it is due.

    Examples
    --------
    >>> times_due(date(2026, 11, 4), 3, date(2026, 11, 21))
    6
    """
    last = by if until is None else min(by, until)
    if due > last:
        return 0
    return 1 if every_days is None else (last - due).days // every_days + 1


def offers(
    start: date | None,
    rows: Sequence[CareRow],
    done: Sequence[Done],
    today: date,
    ahead_days: int = AHEAD_DAYS,
) -> tuple[JobOffer, ...]:
    """Say which of a crop's jobs are due for one planting.

    Parameters
    ----------
    start : date or None
        Planting; ahead of today where it is still planned.
    rows : sequence of CareRow
        The handbook's, for the crop.
    done : sequence of Done
        What was done or put aside, of any job.
    today : date
        The day.
    ahead_days : int
        So long before they are due.

    Returns
    -------
    tuple of Offer
        Due within the days ahead or up to four weeks late, by date.

    Notes
    -----
    A job done once is not offered again; one that repeats is due so many days after it was last
    done, until its last day.

    Examples
    --------
    >>> rows = [
    ...     CareRow(
    ...         crop="potato",
    ...         job="earth up",
    ...         from_day=28,
    ...         to_day=70,
    ...         every_days=14,
    ...         note="when stems are a hand high",
    ...         basis="common practice",
    ...     )
    ... ]
    >>> offers(date(2026, 4, 1), rows, [Done("earth up", date(2026, 4, 30))], date(2026, 5, 12))[
    ...     0
    ... ].due_on
    datetime.date(2026, 5, 14)
    """
    if start is None:
        return ()
    found = []
    for row in rows:
        last = max((d.day for d in done if d.job == row.job), default=None)
        due = start + timedelta(days=row.from_day)
        if last is not None:
            if row.every_days is None:
                continue
            due = max(due, last + timedelta(days=row.every_days))
        until = start + timedelta(
            days=row.to_day if row.to_day is not None else row.from_day + STALE_DAYS
        )
        is_near = (
            due - timedelta(days=ahead_days) <= today <= max(due, until)
            and (today - due).days <= STALE_DAYS
        )
        if due <= until and is_near:
            found.append(JobOffer(row.job, due, row.note))
    return tuple(sorted(found, key=lambda o: o.due_on))


def weather_offers(
    record: Sequence[WeatherDay],
    threat: str,
    done: Sequence[Done],
    today: date,
    *,
    is_bed: bool,
    is_tender: bool,
) -> tuple[JobOffer, ...]:
    """Say what the weather asks for: water after dry days, a cover before frost.

    Parameters
    ----------
    record : sequence of WeatherDay
        Of the last weeks.
    threat : str
        From `kilter.core.ready.frost_threat`.
    done : sequence of Done
        Watering and covering so far.
    today : date
        The day.
    is_bed, is_tender : bool
        Ground dries out later than a vessel; only the tender are covered.

    Returns
    -------
    tuple of Offer
        None, one or two.

    Notes
    -----
    Three dry days for a vessel, seven for a bed, counted from the last watering (rules).

    Examples
    --------
    >>> dry = [WeatherDay(date(2026, 7, d), 12, 27, 0.0) for d in range(1, 6)]
    >>> weather_offers(dry, "", [], date(2026, 7, 6), is_bed=False, is_tender=True)[0].why
    '5 dry days'
    """
    found = []
    least = DRY_BED_DAYS if is_bed else DRY_VESSEL_DAYS
    watered = max((d.day for d in done if d.job == "water"), default=date.min)
    yesterday = today - timedelta(days=1)
    since = [e for e in record if watered < e.day <= yesterday]
    spell = next((s for s in dry_spells(since, least) if s.end == yesterday), None)
    if spell is not None:
        found.append(JobOffer("water", today, f"{spell.days} dry days"))
    covered = any(d.job == "cover" and (today - d.day).days <= AHEAD_DAYS for d in done)
    if is_tender and threat and not covered:
        found.append(JobOffer("cover", today, threat))
    return tuple(found)
