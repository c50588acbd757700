"""What is needed, as marks on one line; and a crop's year, as a strip:
in the ground, lifted, from store.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.amounts.units import half_up
from kilter.drawing.lanes import Calendar, Stretch
from kilter.drawing.scales import Tick

#: Pixels of the line of marks; the most of all ways stands here.
MARKS_WIDTH, MOST_AT = 120.0, 112.0


@dataclass(frozen=True)
class Marks:
    """Where each way of saying how much stands, in pixels; None where it cannot be said."""

    plate_x: float | None
    own_x: float | None
    rule_x: float | None


def marks(plate: float | None, own: float | None, rule: float | None) -> Marks:
    """Draw three amounts on one line that begins at nothing."""
    most = max((one for one in (plate, own, rule) if one), default=0.0)
    scale = MOST_AT / most if most else 0.0
    return Marks(
        *(None if one is None else round(one * scale + 4, 1) for one in (plate, own, rule))
    )


@dataclass(frozen=True)
class YearStrip:
    """A crop's year."""

    lights: tuple[Stretch, ...]
    ground: tuple[Stretch, ...]
    lifted: tuple[Stretch, ...]
    stored: Stretch | None
    sown: tuple[float, ...]  #: where one of those in rotation is sown
    says: str


def year_calendar(season: int, *, is_southern: bool = False) -> Calendar:
    """The year of a season; in the south it runs from July to June."""
    if is_southern:
        return Calendar(date(season - 1, 7, 1), date(season, 6, 30))
    return Calendar(date(season, 1, 1), date(season, 12, 31))


def letters(calendar: Calendar) -> tuple[Tick, ...]:
    """The months by their first letters."""
    return tuple(Tick(tick.at, tick.label[:1]) for tick in calendar.months())


def today_on(calendar: Calendar, today: date) -> float | None:
    """Where today's line stands; None where today is not in view."""
    return calendar.at(today) if calendar.start <= today <= calendar.end else None


@dataclass(frozen=True)
class Times:
    """One sowing as days: under lights from, in the ground from, lifted from and to."""

    lights_from: date | None
    ground_from: date
    lift_from: date | None
    lift_to: date | None


def strip(
    calendar: Calendar, times: Sequence[Times], weeks_kept: float, sown: Sequence[date] = ()
) -> YearStrip:
    """Draw a crop's year from its sowings;
    what is kept in rotation from the days on which each is sown.
    """
    lights = [calendar.stretch(one.lights_from, one.ground_from) for one in times]
    ground = [calendar.stretch(one.ground_from, one.lift_to or calendar.end) for one in times]
    lifted = [calendar.stretch(one.lift_from, one.lift_to) for one in times]
    last = max((one.lift_to for one in times if one.lift_to), default=None)
    stored = (
        calendar.stretch(last, last + timedelta(weeks=weeks_kept)) if last and weeks_kept else None
    )
    return YearStrip(
        tuple(one for one in lights if one),
        tuple(one for one in ground if one),
        tuple(one for one in lifted if one),
        stored,
        tuple(calendar.at(day) for day in sown if calendar.start <= day <= calendar.end),
        "; ".join(_said(one) for one in times[:3])
        + (f", in store for {half_up(weeks_kept, 0)} weeks" if stored else "")
        + (f"; sown {len(sown)} times in rotation" if sown else ""),
    )


def _said(one: Times) -> str:
    words = [f"under lights from {one.lights_from:%-d %B}"] if one.lights_from else []
    words.append(f"in the ground from {one.ground_from:%-d %B}")
    if one.lift_from and one.lift_to:
        words.append(f"lifted {one.lift_from:%-d %B} to {one.lift_to:%-d %B}")
    return ", ".join(words)
