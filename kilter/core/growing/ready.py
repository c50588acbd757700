"""When to lift: the window with the doubt of its start, what threatens, and in which order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Final

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.almanac import WeatherDay
from kilter.core.handbook import Span

#: From cutting blighted foliage to lifting (common practice, no source).
CUT_BACK_DAYS: Final = 14
#: A repeat picker not picked for so long has stopped bearing (rule).
BEARING_PAUSE_DAYS: Final = 28
#: A forecast minimum from which tender crops are threatened: ground lies colder than the
#: thermometer (rule).
THREAT_C: Final = 2.0
#: What is set from this month on and needs longer than so many days stands still until spring
#: (rule).
AUTUMN_MONTH, LONGER_THAN_DAYS = 10, 60
#: Growth begins again on the first of this month; on the southern half both are half a year later
#: (rule).
SPRING_MONTH: Final = 3
HALF_YEAR: Final = 6
#: So many days from the earliest frost on record a frost is waited for (rule).
FROST_SEASON_DAYS: Final = 150
#: Whose middle lies so near to the turn of a year may belong to either (rule).
CLOSE_TO_NEW_YEAR_DAYS: Final = 21
#: Days ahead of the earliest first frost on record from which it is expected (rule).
THREAT_LEAD_DAYS: Final = 7


@dataclass(frozen=True)
class LiftWindow:
    """The days between which a first lift is expected, widened by the doubt of the start."""

    first: date
    last: date
    age_days: int  #: since the start, reckoned from its middle
    age_doubt_days: int  #: to either side
    counted_from: date | None = (
        None  #: where not from planting: the spring after it was planted in autumn
    )

    def state(self, today: date) -> str:
        """``growing``, ``due`` or ``overdue``."""
        return "growing" if today < self.first else "overdue" if today > self.last else "due"


@dataclass(frozen=True, kw_only=True)
class Liftable:
    """Something that could be lifted; kilograms are what is expected to be left."""

    key: int
    state: str  #: of its window; ``growing`` where there is none
    kg: float | None
    keep_weeks: float | None
    last_day: date | None = None
    wait_until: date | None = None  #: after a cut-back
    threat: str = ""
    days_unpicked: int | None = None
    pick_every: int | None = None
    is_standing: bool = False  #: may stay in the ground until it is wanted

    @property
    def is_left_too_long(self) -> bool:
        """Bearing, and not picked for longer than is good;
        after four weeks its time is taken to be over.
        """
        if not self.pick_every or self.days_unpicked is None:
            return False
        return self.pick_every < self.days_unpicked <= self.pick_every + BEARING_PAUSE_DAYS

    @property
    def is_bearing(self) -> bool:
        """Picked again and again, and picked already:
        it asks by the days since, not by its window.
        """
        return self.pick_every is not None and self.days_unpicked is not None


@dataclass(frozen=True, kw_only=True)
class Turn:
    """A place in the order, why, and whether the kitchen can take it this week."""

    key: int
    reason: str
    kg: float | None
    so_far_kg: float
    fits: bool
    can_wait: bool = False  #: until one is back
    is_threatened: bool = False  #: by frost or blight


def window(
    start: VagueDate | None, days_low: float | None, days_high: float | None, today: date
) -> LiftWindow | None:
    """Expect a first lift between two days.

    Parameters
    ----------
    start : VagueDate or None
        Planting or sowing, as the days are counted.
    days_low, days_high : float or None
        The variety's range, days.
    today : date
        For the age.

    Returns
    -------
    Window or None
        None where the start or the range is unknown.

    Notes
    -----
    First = earliest start + low, last = latest start + high: the doubt of the date widens both
    ends.

    Examples
    --------
    >>> w = window(VagueDate(date(2026, 5, 15), "month"), 70, 130, date(2026, 8, 1))
    >>> w.first, w.last, w.age_days, w.age_doubt_days
    (datetime.date(2026, 7, 9), datetime.date(2026, 10, 7), 78, 15)
    """
    if start is None or days_low is None or days_high is None:
        return None
    return LiftWindow(
        start.earliest + timedelta(days=days_low),
        start.latest + timedelta(days=days_high),
        (today - start.day).days,
        start.half_days,
    )


def is_set_in_autumn(start: date, days_low: float, *, is_southern: bool = False) -> bool:
    """Whether what is planted then stands still through winter before it grows on.

    Parameters
    ----------
    start : date
        Of planting.
    days_low : float
        Days it needs at least.
    is_southern : bool
        Whether it grows on the southern half.

    Returns
    -------
    bool
        From October to December (April to June in the south), for what needs longer than
        `LONGER_THAN_DAYS`.

    Notes
    -----
    Kilter's own rule.

    Examples
    --------
    >>> is_set_in_autumn(date(2025, 10, 20), 90), is_set_in_autumn(date(2026, 3, 21), 90)
    (True, False)
    """
    month = (start.month - 1 + (HALF_YEAR if is_southern else 0)) % 12 + 1
    return month >= AUTUMN_MONTH and days_low > LONGER_THAN_DAYS


def growing_from(start: VagueDate, *, is_southern: bool = False) -> VagueDate:
    """From when days of a variety are counted that was planted in autumn: the first of March
    (September).

    Parameters
    ----------
    start : VagueDate
        Of planting, in autumn.
    is_southern : bool
        Whether it grows on the southern half.

    Returns
    -------
    VagueDate
        The first day of the spring after it.

    Notes
    -----
    Kilter's own rule; pages say it beside the days (`LiftWindow.counted_from`).

    Examples
    --------
    >>> growing_from(VagueDate(date(2025, 10, 20))).day
    datetime.date(2026, 3, 1)
    """
    if is_southern:
        return VagueDate(date(start.day.year, SPRING_MONTH + HALF_YEAR, 1))
    return VagueDate(date(start.day.year + 1, SPRING_MONTH, 1))


def due_window(
    start: VagueDate | None,
    days: Span,
    autumn_days: Span | None,
    today: date,
    *,
    is_southern: bool = False,
) -> LiftWindow | None:
    """Expect a first lift between two days, by a crop's days from its own date.

    Parameters
    ----------
    start : VagueDate or None
        Planting or sowing, as the days are counted.
    days : Span
        The crop's or the variety's range.
    autumn_days : Span or None
        The same for what is set in autumn, where it is known.
    today : date
        For the age.
    is_southern : bool
        Whether it grows on the southern half.

    Returns
    -------
    LiftWindow or None
        None where the start is unknown.

    Notes
    -----
    What is set in autumn stands still through winter: by its autumn days, else its days count from
    spring (`is_set_in_autumn`, `growing_from`; Kilter's own rules).

    Examples
    --------
    >>> shallot = due_window(VagueDate(date(2025, 10, 20)), Span(90, 120), None, date(2026, 1, 1))
    >>> shallot.first, shallot.counted_from
    (datetime.date(2026, 5, 30), datetime.date(2026, 3, 1))
    """
    if start is None or not is_set_in_autumn(start.day, days.low, is_southern=is_southern):
        return window(start, days.low, days.high, today)
    if autumn_days is not None:
        return window(start, autumn_days.low, autumn_days.high, today)
    spring = growing_from(start, is_southern=is_southern)
    found = window(spring, days.low, days.high, today)
    return found and replace(found, counted_from=spring.day)


def season_of(due: LiftWindow) -> tuple[int, bool]:
    """Say to which year a planting belongs: the one in which it is expected to be lifted most.

    Parameters
    ----------
    due : LiftWindow
        Its window of lifting days; not of the time that it may stand.

    Returns
    -------
    tuple of int and bool
        The year of the window's middle, and whether that is too close to call: within
        `CLOSE_TO_NEW_YEAR_DAYS` of a year's end, or the window spans it.

    Notes
    -----
    Kilter's own definition (rule).

    Examples
    --------
    >>> radish = due_window(VagueDate(date(2026, 9, 3)), Span(25, 35), None, date(2026, 9, 3))
    >>> season_of(radish)
    (2026, False)
    >>> season_of(window(VagueDate(date(2026, 10, 20)), 50, 80, date(2026, 10, 20)))
    (2026, True)
    """
    middle = due.first + (due.last - due.first) / 2
    close = timedelta(days=CLOSE_TO_NEW_YEAR_DAYS)
    is_near = (middle - close).year != (middle + close).year
    return middle.year, is_near or due.first.year != due.last.year


def frost_threat(
    ahead: Sequence[WeatherDay],
    earliest_frost: date | None,
    today: date,
    last_frost: date | None = None,
) -> str:
    """Say why a tender crop is threatened by frost, if it is.

    Parameters
    ----------
    ahead : sequence of WeatherDay
        The station's days to come.
    earliest_frost : date or None
        The earliest first frost of autumn on record, in any year.
    today : date
        From which to look.
    last_frost : date, optional
        The latest frost on record: once one has come this autumn, nothing is warned of any more.

    Returns
    -------
    str
        The reason in words; empty where nothing threatens.

    Notes
    -----
    A forecast minimum of 2 °C or less, or the earliest first frost on record less than a week off
    or past, for `FROST_SEASON_DAYS` (rules).

    Examples
    --------
    >>> frost_threat([WeatherDay(date(2026, 10, 9), 1.0, 9.0)], None, date(2026, 10, 8))
    'frost threatens, 1 °C on 9 October'
    """
    for entry in sorted(ahead, key=lambda e: e.day):
        if entry.day >= today and entry.min_c is not None and entry.min_c <= THREAT_C:
            return f"frost threatens, {entry.min_c:g} °C on {entry.day.day} {entry.day:%B}"
    if earliest_frost is not None:
        since = (
            today.timetuple().tm_yday - earliest_frost.timetuple().tm_yday + THREAT_LEAD_DAYS
        ) % 365
        has_come = last_frost is not None and (today - last_frost).days <= since
        if since <= FROST_SEASON_DAYS and not has_come:
            return f"frost came as early as {earliest_frost.day} {earliest_frost:%B} here"
    return ""


def lift_order(
    candidates: Sequence[Liftable],
    kitchen_kg: float | None,
    today: date,
    back_on: date | None = None,
) -> tuple[Turn, ...]:
    """Put what asks to be lifted in order: threatened, left too long, overdue, due; the perishable
    first.

    Parameters
    ----------
    candidates : sequence of Candidate
        What stands.
    kitchen_kg : float or None
        What the kitchen can take this week; None for no limit.
    today : date
        What waits after a cut-back until later is left out.
    back_on : date, optional
        Nobody has time until then: the candidates are as they will stand on that day if nobody
        lifts.

    Returns
    -------
    tuple of Turn
        Those that ask for it, in order, each with its reason, the kilograms so far and whether they
        fit.

    Notes
    -----
    Within one urgency by how long it keeps, then by the end of its window (common practice, no
    source). What is expected to give an unknown amount takes no room.

    Examples
    --------
    >>> two = [
    ...     Liftable(key=1, state="due", kg=6.0, keep_weeks=20),
    ...     Liftable(key=2, state="due", kg=3.0, keep_weeks=1.5),
    ... ]
    >>> [(t.key, t.fits) for t in lift_order(two, 8.0, date(2026, 8, 1))]
    [(2, True), (1, False)]
    """
    free = [c for c in candidates if c.wait_until is None or c.wait_until <= today]
    asking = [(urgency, c) for c in free if (urgency := _urgency(c)) is not None]
    asking.sort(
        key=lambda pair: (
            pair[0],
            pair[1].keep_weeks or 0.0,
            pair[1].last_day or date.max,
            pair[1].key,
        )
    )
    turns, so_far = [], 0.0
    for urgency, candidate in asking:
        # What may stand is lifted as it is wanted, so that it never is too much at once.
        so_far += 0.0 if candidate.is_standing else candidate.kg or 0.0
        fits = (
            kitchen_kg is None or candidate.is_standing or not candidate.kg or so_far <= kitchen_kg
        )
        reason = _reason(candidate, back_on or today)
        by_then = (
            f"{reason} by then"
            if back_on and urgency in (1, 2) and not candidate.wait_until
            else reason
        )
        can_wait = back_on is not None and urgency > LAST_URGENT
        turn = Turn(
            key=candidate.key,
            reason=by_then,
            kg=candidate.kg,
            so_far_kg=round(so_far, 6),
            fits=fits,
            can_wait=can_wait,
            is_threatened=bool(candidate.threat),
        )
        turns.append(turn)
    return tuple(turns)


#: Urgencies up to this one suffer from waiting: threatened, left too long, overdue.
LAST_URGENT: Final = 2


def _urgency(candidate: Liftable) -> int | None:
    if candidate.wait_until:
        return 1
    if candidate.threat:
        return 0
    if candidate.is_left_too_long:
        return 1
    if candidate.is_bearing:
        return None
    return {"overdue": 3 if candidate.is_standing else 2, "due": 3}.get(candidate.state)


def _reason(candidate: Liftable, today: date) -> str:
    if candidate.wait_until:
        return f"cut back, to lift from {candidate.wait_until.day} {candidate.wait_until:%B}"
    if candidate.threat:
        return candidate.threat
    if candidate.is_left_too_long:
        return f"not picked for {candidate.days_unpicked} days"
    if candidate.is_standing:
        return "ready"
    if candidate.state == "overdue" and candidate.last_day:
        return f"overdue by {(today - candidate.last_day).days} days"
    return (
        f"due until {candidate.last_day.day} {candidate.last_day:%B}"
        if candidate.last_day
        else "due"
    )
