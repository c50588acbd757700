"""Blocks side by side: in each the levels as marks on one log axis, joined by a line."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kilter.drawing.scales import Tick, log_axis, plain_axis

ROW = 34.0
TOP = 34.0
LETTER = 7.4
SERIES = 6
#: The mark of each series as a path, centred: disc, square, triangle, lozenge, cross, triangle on
#: its head.
MARKS = (
    "M-9 0a9 9 0 1 0 18 0a9 9 0 1 0 -18 0",
    "M-8 -8h16v16h-16z",
    "M0 -10L10 8H-10Z",
    "M0 -11L11 0L0 11L-11 0Z",
    "M-3 -10H3V-3H10V3H3V10H-3V3H-10V-3H-3Z",
    "M0 10L10 -8H-10Z",
)


@dataclass(frozen=True)
class BlockMark:
    """One level in one block."""

    x: float
    series: int
    label: str
    shape: str  #: path of the series' mark, centred


@dataclass(frozen=True)
class BlockRow:
    """One block."""

    y: float
    label: str
    from_x: float
    to_x: float
    marks: tuple[BlockMark, ...]
    agrees: bool | None


@dataclass(frozen=True)
class Blocks:
    """Everything that blocks side by side are drawn from."""

    width: float
    height: float
    axis_y: float
    left: float
    ticks: tuple[Tick, ...]
    rows: tuple[BlockRow, ...]


def _mark(x: float, index: int, level: str) -> BlockMark:
    return BlockMark(x, index + 1, level, MARKS[index])


def blocks_side_by_side(
    rows: Sequence[tuple[str, Sequence[tuple[str, float]], bool | None]],
    order: Sequence[str],
    width: float = 760,
    *,
    is_even: bool = False,
) -> Blocks | None:
    """Draw blocks (label, means by level, whether it agrees);
    None where no block has anything above zero.
    """
    values = [value for _, means, _ in rows for _, value in means if value > 0]
    if not values:
        return None
    left = min(max(len(label) for label, _, _ in rows) * LETTER + 14, width * 0.45)
    axis = (plain_axis if is_even else log_axis)(values, left + 10, width - 16)
    drawn = []
    for i, (label, means, agrees) in enumerate(rows):
        marks = [
            _mark(round(axis.at(value), 1), order.index(level) % SERIES, level)
            for level, value in means
            if value > 0
        ]
        xs = [mark.x for mark in marks] or [left]
        drawn.append(BlockRow(TOP + ROW * (i + 0.6), label, min(xs), max(xs), tuple(marks), agrees))
    return Blocks(width, TOP + ROW * len(rows) + 6, TOP, left, axis.ticks(), tuple(drawn))
