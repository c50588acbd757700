"""Curves over plain axes: what several kinds had given by each day,
and how yield goes with crowding.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from kilter.drawing.scales import Tick

LEFT, TOP, BOTTOM, RIGHT = 58.0, 16.0, 34.0, 16.0
SERIES = 6
STEPS = (1, 2, 5)


@dataclass(frozen=True)
class Curve:
    """One line with its name at its end."""

    path: str
    series: int
    label: str
    label_x: float
    label_y: float


@dataclass(frozen=True)
class Dot:
    """One unit observed."""

    x: float
    y: float
    series: int
    title: str


@dataclass(frozen=True, kw_only=True)
class Chart:
    """A box with two linear axes."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float  #: y of the axis
    x_ticks: tuple[Tick, ...]
    y_ticks: tuple[Tick, ...]
    curves: tuple[Curve, ...]
    dots: tuple[Dot, ...] = ()
    mark_x: float | None = None  #: an upright line
    band: tuple[float, float] | None = None  #: from, to: how sure that line is


def round_steps(low: float, high: float, most: int = 5) -> list[float]:
    """Round values from low to high, at most about so many."""
    span = max(high - low, 1e-9)
    power = 10.0**-6
    while True:
        for step in STEPS:
            if span / (step * power) <= most:
                first = -(-low // (step * power))
                count = int((high - first * step * power) / (step * power) + 1e-9) + 1
                return [round((first + i) * step * power, 9) for i in range(count)]
        power *= 10


def stepped(
    curves: Sequence[tuple[str, Sequence[tuple[float, float]]]],
    x_labels: Sequence[tuple[float, str]],
    width: float = 760,
    height: float = 300,
) -> Chart | None:
    """Draw rising lines (label, points) as steps; ``x_labels`` are marks on the axis.

    None for nothing to draw.
    """
    points = [point for _, line in curves for point in line]
    if not points:
        return None
    room = max(len(label) for label, _ in curves) * 8.0 + 14
    box = _box(
        width,
        height,
        min(x for x, _ in points),
        max(x for x, _ in points),
        max(y for _, y in points),
        room,
    )
    drawn = []
    for i, (label, line) in enumerate(curves):
        if not line:
            continue
        x0 = box.x(line[0][0])
        path = (
            f"M{x0} {box.bottom}"
            + "".join(f"H{box.x(x)}V{box.y(y)}" for x, y in line)
            + f"H{box.right}"
        )
        drawn.append(Curve(path, i % SERIES + 1, label, box.right + 6, box.y(line[-1][1]) + 4))
    ticks = tuple(Tick(box.x(at), label) for at, label in x_labels if box.x0 <= at <= box.x1)
    return _chart(box, ticks, tuple(_apart(drawn)))


def smooth(
    line: Sequence[tuple[float, float]],
    dots: Sequence[tuple[float, float, int, str]],
    *,
    mark: tuple[float, float, float] | None = None,
    width: float = 380,
    height: float = 280,
) -> Chart:
    """Draw one curve through dots (x, y, series, title);
    ``mark`` is an upright line with its interval.
    """
    xs = [x for x, _ in line] + [dot[0] for dot in dots]
    top = max([y for _, y in line] + [dot[1] for dot in dots])
    box = _box(width, height, 0.0, max(xs), top, 12.0)
    path = "M" + "L".join(f"{box.x(x)} {box.y(y)}" for x, y in line)
    ticks = tuple(Tick(box.x(value), f"{value:g}") for value in round_steps(0, box.x1))
    marks = tuple(Dot(box.x(x), box.y(y), series, title) for x, y, series, title in dots)
    at = band = None
    if mark is not None and mark[0] <= box.x1:
        at, band = box.x(mark[0]), (box.x(max(mark[1], box.x0)), box.x(min(mark[2], box.x1)))
    chart = _chart(box, ticks, (Curve(path, 1, "", 0, 0),))
    return Chart(**{**chart.__dict__, "dots": marks, "mark_x": at, "band": band})


@dataclass(frozen=True, kw_only=True)
class _Box:
    width: float
    height: float
    x0: float
    x1: float
    top_value: float
    right: float
    bottom: float

    def x(self, value: float) -> float:
        return round(LEFT + (value - self.x0) / (self.x1 - self.x0) * (self.right - LEFT), 1)

    def y(self, value: float) -> float:
        return round(self.bottom - value / self.top_value * (self.bottom - TOP), 1)


def _box(width: float, height: float, x0: float, x1: float, top: float, room: float) -> _Box:
    return _Box(
        width=width,
        height=height,
        x0=x0,
        x1=max(x1, x0 + 1e-6),
        top_value=max(top, 1e-9) * 1.05,
        right=width - RIGHT - room,
        bottom=height - BOTTOM,
    )


def _chart(box: _Box, x_ticks: tuple[Tick, ...], curves: tuple[Curve, ...]) -> Chart:
    y_ticks = tuple(Tick(box.y(value), f"{value:g}") for value in round_steps(0, box.top_value))
    return Chart(
        width=box.width,
        height=box.height,
        left=LEFT,
        right=box.right,
        top=TOP,
        bottom=box.bottom,
        x_ticks=x_ticks,
        y_ticks=y_ticks,
        curves=curves,
    )


def _apart(curves: list[Curve]) -> list[Curve]:
    """Labels at the ends, moved apart so that none lies on another."""
    order = sorted(curves, key=lambda curve: curve.label_y)
    moved = {id(order[0]): order[0].label_y} if order else {}
    for above, one in pairwise(order):
        moved[id(one)] = max(one.label_y, moved[id(above)] + 16)
    return [Curve(c.path, c.series, c.label, c.label_x, moved[id(c)]) for c in curves]
