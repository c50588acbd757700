"""The balance for two levels: its beam tilts by how far they lie apart, its arc shows the interval.

The pointer stands up from the beam, so that it leans to the heavier side as a real one does.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

MAX_TILT_DEG: Final = 22.0
NARROW: Final = 700.0
#: What the ends of the arc stand for, and which gaps are marked on it: of ratios, of days, of
#: points in a hundred.
_Spans = tuple[tuple[float, tuple[float, ...]], ...]
_RATIOS: Final[_Spans] = (
    (1.5, (1.1, 1.25, 1.5)),
    (2.0, (1.25, 1.5, 2.0)),
    (3.0, (1.5, 2.0, 3.0)),
    (5.0, (2.0, 3.0, 5.0)),
    (20.0, (3.0, 7.0, 20.0)),
    (1000.0, (10.0, 100.0, 1000.0)),
)


_PLAIN: Final[_Spans] = (
    (3.0, (1.0, 2.0, 3.0)),
    (10.0, (3.0, 6.0, 10.0)),
    (30.0, (10.0, 20.0, 30.0)),
    (100.0, (30.0, 60.0, 100.0)),
    (400.0, (100.0, 250.0, 400.0)),
)


@dataclass(frozen=True, kw_only=True)
class ArcTick:
    """A graduation of the arc."""

    x1: float
    y1: float
    x2: float
    y2: float
    label_x: float
    label_y: float
    label: str


@dataclass(frozen=True)
class WeightMark:
    """One unit observed, as a weight on a pan."""

    x: float
    y: float
    size: float

    @property
    def halo(self) -> float:
        """Half the width of the ring round one that stands out."""
        return round(self.size * 1.45, 1)

    @property
    def left(self) -> float:
        return round(self.x - self.size, 1)

    @property
    def top(self) -> float:
        return round(self.y - self.size, 1)

    @property
    def across(self) -> float:
        return round(2 * self.size, 1)


@dataclass(frozen=True, kw_only=True)
class Pan:
    """One pan with its strings and weights; ``series`` tells colour and mark."""

    hook_x: float
    hook_y: float
    x: float
    y: float
    half: float
    left: float
    right: float
    bowl: str  #: path of the bowl
    weights: tuple[WeightMark, ...]
    series: int

    @property
    def weights_path(self) -> str:
        """All weights as one path, discs or squares by the series: a pan may hold a hundred."""
        if self.series == 1:
            return "".join(
                f"M{w.x - w.size:.1f} {w.y}a{w.size} {w.size} 0 1 0 {2 * w.size:.1f} 0"
                f"a{w.size} {w.size} 0 1 0 {-2 * w.size:.1f} 0"
                for w in self.weights
            )
        return "".join(
            (
                f"M{w.x - w.size:.1f} "
                f"{w.y - w.size:.1f}h{2 * w.size:.1f}v{2 * w.size:.1f}h{-2 * w.size:.1f}z"
            )
            for w in self.weights
        )


@dataclass(frozen=True, kw_only=True)
class Balance:
    """Everything the balance is drawn from."""

    width: float
    height: float
    pivot_x: float
    pivot_y: float
    foot_y: float
    pointer_x: float
    pointer_y: float
    beam_half: float
    arc: str  #: path of the whole arc
    band: str  #: path of the 95 % interval
    ticks: tuple[ArcTick, ...]
    pans: tuple[Pan, Pan]


def balance(
    gap: float,
    low: float,
    high: float,
    left_units: int,
    right_units: int,
    width: float = 760,
    *,
    unit: str = "×",
    is_even: bool = False,
) -> Balance:
    """Draw left against right; gap, low and high are the ratio left over right,
    or on an even arc the difference.
    """
    reach = max(high, -low) if is_even else max(high, 1 / low)
    spans = _PLAIN if is_even else _RATIOS
    span, marks = next((pair for pair in spans if reach <= pair[0]), spans[-1])
    if width < NARROW:
        marks = marks[-2:]  # no room for the label next to "even"
    radius = width * 0.2
    pivot_x, pivot_y = width / 2, radius + 44
    beam_half = width * 0.36

    def angle(value: float) -> float:
        """Degrees from upright, negative to the left,
        which is the side of what the left one is ahead by.
        """
        share = value / span if is_even else math.log(value) / math.log(span)
        return -max(-1.0, min(1.0, share)) * MAX_TILT_DEG * 2

    def on_arc(degrees: float, at: float) -> tuple[float, float]:
        turn = math.radians(degrees)
        return round(pivot_x + at * math.sin(turn), 1), round(pivot_y - at * math.cos(turn), 1)

    def arc(start: float, end: float) -> str:
        (x1, y1), (x2, y2) = on_arc(start, radius), on_arc(end, radius)
        return f"M{x1} {y1}A{radius:.1f} {radius:.1f} 0 0 1 {x2} {y2}"

    ticks = tuple(
        _tick(on_arc, angle(value), radius, label)
        for value, label in (
            *((mark, f"{mark:g}{unit}") for mark in reversed(marks)),
            (0.0 if is_even else 1.0, "even"),
            *((-mark if is_even else 1 / mark, f"{mark:g}{unit}") for mark in marks),
        )
    )
    lean = angle(gap)
    turned = math.radians(lean / 2)
    across, down = beam_half * math.cos(turned), beam_half * math.sin(turned)
    ends = [(pivot_x + side * across, pivot_y + side * down) for side in (-1, 1)]
    drop, half = width * 0.15, width * 0.12
    pans = (
        _pan(ends[0], drop, half, left_units, 1),
        _pan(ends[1], drop, half, right_units, 2),
    )
    height = max(pan.y for pan in pans) + half * 0.34 + 8
    pointer_x, pointer_y = on_arc(lean, radius - 10)
    return Balance(
        width=width,
        height=round(height, 1),
        pivot_x=pivot_x,
        pivot_y=pivot_y,
        foot_y=round(height - 4, 1),
        pointer_x=pointer_x,
        pointer_y=pointer_y,
        beam_half=beam_half,
        arc=arc(angle(span), angle(-span if is_even else 1 / span)),
        band=arc(angle(high), angle(low)),
        ticks=ticks,
        pans=pans,
    )


def _tick(
    on_arc: Callable[[float, float], tuple[float, float]], degrees: float, radius: float, label: str
) -> ArcTick:
    (x1, y1), (x2, y2), (lx, ly) = (on_arc(degrees, radius + off) for off in (-5, 7, 20))
    return ArcTick(x1=x1, y1=y1, x2=x2, y2=y2, label_x=lx, label_y=ly, label=label)


def _pan(end: tuple[float, float], drop: float, half: float, units: int, series: int) -> Pan:
    x, top = end
    y = top + drop
    deep = half * 0.3
    bowl = (
        f"M{x - half:.1f} {y:.1f}H{x + half:.1f}C{x + half * 0.8:.1f} {y + deep:.1f} "
        f"{x - half * 0.8:.1f} {y + deep:.1f} {x - half:.1f} {y:.1f}Z"
    )
    return Pan(
        hook_x=round(x, 1),
        hook_y=round(top, 1),
        x=round(x, 1),
        y=round(y, 1),
        half=half,
        left=round(x - half * 0.92, 1),
        right=round(x + half * 0.92, 1),
        bowl=bowl,
        weights=_pyramid(x, y, half * 1.7, drop * 0.72, units),
        series=series,
    )


def _pyramid(
    x: float, floor: float, width: float, height: float, units: int
) -> tuple[WeightMark, ...]:
    """Stack weights in rows from the pan up, as large as fit."""
    per_row, size = next(
        (count, size)
        for count in range(min(units, 4), units + 4)
        if _rows(units, count) * (size := min(width / count, width / 6)) <= height or count > units
    )
    marks: list[WeightMark] = []
    left, row = units, 0
    in_row = per_row
    while left > 0:
        now = min(left, max(in_row, 1))
        y = round(floor - (row + 0.5) * size, 1)
        xs = (round(x + (i - (now - 1) / 2) * size, 1) for i in range(now))
        marks.extend(WeightMark(weight_x, y, round(size * 0.42, 1)) for weight_x in xs)
        left, row, in_row = left - now, row + 1, in_row - 1
    return tuple(marks)


def _rows(units: int, per_row: int) -> int:
    """Rows of a pyramid whose lowest has so many."""
    whole = per_row * (per_row + 1) // 2
    if units >= whole:
        return per_row + units - whole  # those over stand singly on top
    # The fewest rows r with r·per_row − r(r − 1)/2 of at least so many.
    twice = 2 * per_row + 1
    return math.ceil((twice - math.sqrt(twice * twice - 8 * units)) / 2)
