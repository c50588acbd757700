"""The larder drawn: crates on their shelves, where a season went as one bar,
what is left as a falling line, weeks.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.drawing.curves import round_steps
from kilter.drawing.scales import Tick

#: A crate's side, in pixels, from the smallest to the largest of the room.
LEAST_SIDE, MOST_SIDE = 30.0, 92.0
BAR_WIDTH, BAR_HEIGHT = 400.0, 30.0
LINE_WIDTH, LINE_HEIGHT = 300.0, 165.0
LEFT, RIGHT, TOP, BOTTOM = 44.0, 10.0, 12.0, 26.0
MONTHS = ("J", "F", "M", "A", "M", "J", "J", "A", "S", "O", "N", "D")
WEEK_WIDTH, WEEK_HEIGHT = 320.0, 74.0


@dataclass(frozen=True)
class Box:
    """A crate as large as what went in, filled by what is left."""

    width: float
    height: float
    fill_y: float
    fill_height: float

    @property
    def face_width(self) -> float:
        return self.width - 2

    @property
    def face_height(self) -> float:
        return self.height - 2

    @property
    def fill_width(self) -> float:
        return self.width - 6


def box(in_mg: int, share: float, most_mg: int) -> Box:
    """Draw a crate; its face is in proportion to what went in, against the fullest of the room."""
    side = LEAST_SIDE + (MOST_SIDE - LEAST_SIDE) * math.sqrt(
        min(in_mg / most_mg, 1.0) if most_mg else 0.0
    )
    width, height = round(side * 1.15, 1), round(side, 1)
    full = round((height - 4) * min(max(share, 0.0), 1.0), 1)
    return Box(width, height, round(height - 2 - full, 1), full)


@dataclass(frozen=True)
class BarPart:
    """One part of the bar."""

    x: float
    width: float
    name: str
    mass_mg: int


def bar(parts: Sequence[tuple[str, int]]) -> tuple[BarPart, ...]:
    """One bar of parts that add up; what is below zero is left out of the picture and told in
    words.
    """
    shown = [(name, mass_mg) for name, mass_mg in parts if mass_mg > 0]
    whole, x, made = sum(mass_mg for _, mass_mg in shown), 0.0, []
    for name, mass_mg in shown:
        width = BAR_WIDTH * mass_mg / whole
        made.append(BarPart(round(x, 2), round(width, 2), name, mass_mg))
        x += width
    return tuple(made)


@dataclass(frozen=True, kw_only=True)
class Drawdown:
    """What is left of a crop as a falling line, and ahead of today a band."""

    width: float
    height: float
    left: float
    right: float
    bottom: float
    path: str
    ahead: str  #: dashed, the likely way on; empty where nothing is foretold
    band: str  #: points between the soonest and the latest
    planned: (
        str  #: what would have to be left, to last as long as the plan says; empty without a plan
    )
    today_x: float
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]


def drawdown(
    points: Sequence[tuple[date, float]],
    today: date,
    likely: Sequence[tuple[date, float]] = (),
    soonest: Sequence[tuple[date, float]] = (),
    latest: Sequence[tuple[date, float]] = (),
    planned: Sequence[tuple[date, float]] = (),
) -> Drawdown | None:
    """Draw what is left by day, in kilograms or pounds; None where nothing ever lay there."""
    if not points or not any(kg for _, kg in points):
        return None
    is_gone = not points[-1][1] and not likely
    every = [*points, *likely, *soonest, *latest, *planned, *([] if is_gone else [(today, 0.0)])]
    first, last = min(day for day, _ in every), max(day for day, _ in every)
    span, most = max((last - first).days, 1), max(kg for _, kg in every)
    bottom, right = LINE_HEIGHT - BOTTOM, LINE_WIDTH - RIGHT

    def at(day: date, kg: float) -> tuple[float, float]:
        x = LEFT + (right - LEFT) * (day - first).days / span
        return round(x, 1), round(bottom - (bottom - TOP) * kg / most, 1)

    path, before = "", 0.0
    for i, (day, kg) in enumerate(points):
        x, y = at(day, kg)
        path += f"{'L' if i else 'M'}{x} {at(day, before)[1] if i else y}L{x} {y}"
        before = kg
    if not likely and not is_gone and points[-1][0] < today:
        path += "L{} {}".format(*at(today, before))
    ahead = "".join(
        f"{'L' if i else 'M'}{x} {y}" for i, (x, y) in enumerate(at(*point) for point in likely)
    )
    wanted = "".join(
        f"{'L' if i else 'M'}{x} {y}" for i, (x, y) in enumerate(at(*point) for point in planned)
    )
    around = [*soonest, *reversed(latest)]
    band = " ".join(f"{x},{y}" for x, y in (at(*point) for point in around))
    y_ticks = tuple(Tick(at(first, kg)[1], f"{kg:g}") for kg in round_steps(0, most, 4))
    return Drawdown(
        width=LINE_WIDTH,
        height=LINE_HEIGHT,
        left=LEFT,
        right=right,
        bottom=bottom,
        path=path,
        ahead=ahead,
        band=band,
        planned=wanted,
        today_x=at(today, 0)[0],
        x_ticks=_months(first, last, at),
        y_ticks=y_ticks,
    )


def _months(first: date, last: date, at) -> tuple[Tick, ...]:  # type: ignore[no-untyped-def]
    found, day = [], date(first.year + first.month // 12, first.month % 12 + 1, 1)
    step = max(((last - first).days // 30) // 6, 1)
    while day <= last:
        if (day.month - 1) % step == 0:
            found.append(Tick(at(day, 0)[0], MONTHS[day.month - 1]))
        day = (day + timedelta(days=32)).replace(day=1)
    return tuple(found)


@dataclass(frozen=True)
class WeekBar:
    """One week of a crop: the basket from the foot, what came in bulk on top of it."""

    x: float
    width: float
    y: float
    height: float
    bulk_y: float
    bulk_height: float


@dataclass(frozen=True)
class WeekBars:
    """The weeks of a season beside each other."""

    bars: tuple[WeekBar, ...]
    width: float = WEEK_WIDTH
    height: float = WEEK_HEIGHT

    def __bool__(self) -> bool:
        return bool(self.bars)


def week_bars(weeks: Sequence[tuple[date, int, int]], most_mg: int) -> WeekBars:
    """Bars over the weeks of a season; weeks without a lift have none."""
    step = WEEK_WIDTH / max(len(weeks), 1)
    made = []
    for i, (_, basket, bulk) in enumerate(weeks):
        if basket + bulk <= 0 or not most_mg:
            continue
        low, high = (WEEK_HEIGHT * mass_mg / most_mg for mass_mg in (basket, bulk))
        y = WEEK_HEIGHT - low
        made.append(
            WeekBar(
                round(i * step, 1),
                round(max(step - 1.5, 1.5), 1),
                *(round(v, 1) for v in (y, low, y - high, high)),
            )
        )
    return WeekBars(tuple(made))
