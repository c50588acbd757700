"""Time as a stretch of pixels: bars from planting to lifting, the due window, months, today."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.ready import LiftWindow
from kilter.drawing.scales import Tick

WIDTH = 1000.0


@dataclass(frozen=True)
class Stretch:
    """A bar along the axis of time."""

    x: float
    width: float


@dataclass(frozen=True)
class Calendar:
    """The weeks a season's lanes lie over."""

    start: date
    end: date

    def at(self, day: date) -> float:
        share = (day - self.start).days / max((self.end - self.start).days, 1)
        return round(min(max(share, 0.0), 1.0) * WIDTH, 1)

    def stretch(self, start: date | None, end: date | None) -> Stretch | None:
        """The bar between two days; None unless both are known and part of it is in view."""
        if start is None or end is None or end < self.start or start > self.end or end < start:
            return None
        x = self.at(start)
        return Stretch(x, round(max(self.at(end) - x, 3.0), 1))

    def months(self) -> tuple[Tick, ...]:
        """The first of each month in view, as pixels and as its name."""
        ticks = []
        year, month = self.start.year, self.start.month
        while (first := date(year, month, 1)) <= self.end:
            if first >= self.start:
                ticks.append(Tick(self.at(first), first.strftime("%b")))
            year, month = (year + 1, 1) if month == 12 else (year, month + 1)
        return tuple(ticks)


@dataclass(frozen=True)
class DrawnLane:
    """One lane: the bar of its time, the doubt of its start, the expected window,
    and what was counted.
    """

    growing: Stretch | None
    doubt: Stretch | None  #: days within which it was planted, where that is not known to the day
    due: Stretch | None
    up: tuple[float, ...]  #: where plants were seen up
    planted_out: tuple[float, ...]


def drawn_lane(
    calendar: Calendar,
    planted: VagueDate | None,
    finished: date | None,
    today: date,
    due: LiftWindow | None,
    counts: list[tuple[str, date]],
) -> DrawnLane:
    """Draw a lane from its dates."""
    until = finished or max(min(today, calendar.end), planted.day if planted else today)
    return DrawnLane(
        calendar.stretch(planted.day if planted else None, until),
        calendar.stretch(planted.earliest, planted.latest)
        if planted and not planted.is_exact
        else None,
        calendar.stretch(due.first, due.last) if due else None,
        tuple(sorted({calendar.at(day) for kind, day in counts if kind == "up"})),
        tuple(sorted({calendar.at(day) for kind, day in counts if kind == "planted out"})),
    )


def calendar_of(season: int, days: list[date]) -> Calendar:
    """A calendar that shows the season's year,
    and the autumn before it if anything was set then.
    """
    earliest = min([*days, date(season, 2, 1)])
    start = max(date(earliest.year, earliest.month, 1), date(season - 1, 9, 1))
    return Calendar(start, date(season, 12, 31))
