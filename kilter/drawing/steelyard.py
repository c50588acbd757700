"""The steelyard for several levels: one bar, each level hung at its mean,
hooks for its interval.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from kilter.drawing.scales import Tick, log_axis, plain_axis

ROW = 48.0
BAR_Y = 46.0
SERIES = 6
LETTER = 8.0  # about the width of one at the label's size


@dataclass(frozen=True, kw_only=True)
class Hung:
    """One level on its string."""

    label: str
    caption: str
    x: float
    y: float
    low_x: float
    high_x: float
    label_x: float
    label_y: float
    anchor: str  #: SVG text-anchor of the label
    series: int


@dataclass(frozen=True)
class Bracket:
    """Levels, from one row to another, that cannot be told apart."""

    x: float
    y1: float
    y2: float


@dataclass(frozen=True, kw_only=True)
class Steelyard:
    """Everything the steelyard is drawn from."""

    width: float
    height: float
    bar_end: float
    bar_y: float
    ticks: tuple[Tick, ...]
    hung: tuple[Hung, ...]
    brackets: tuple[Bracket, ...]


def steelyard(
    levels: Sequence[tuple[str, str, float, float, float]],
    apart: Sequence[tuple[int, int]],
    width: float = 760,
    *,
    is_even: bool = False,
) -> Steelyard:
    """Hang levels (label, caption, mean, low, high), best first; ``apart`` names pairs told apart.

    The bar is divided by ratios, or evenly, as days are.
    """
    groups = _alike(len(levels), {frozenset(pair) for pair in apart})
    bracket_room = 16.0 * len(groups)
    end = width - bracket_room - 14
    axis = (plain_axis if is_even else log_axis)(
        [value for level in levels for value in level[3:]], 14, end
    )
    hung = []
    for i, (label, caption, mean, low, high) in enumerate(levels):
        x, y = axis.at(mean), BAR_Y + ROW * (i + 1)
        low_x, high_x = round(axis.at(low), 1), round(axis.at(high), 1)
        label_x, label_y, anchor = _label_spot(low_x, high_x, y, end, len(label) + len(caption))
        series = i % SERIES + 1
        hung.append(
            Hung(
                label=label,
                caption=caption,
                x=round(x, 1),
                y=y,
                low_x=low_x,
                high_x=high_x,
                label_x=label_x,
                label_y=label_y,
                anchor=anchor,
                series=series,
            )
        )
    brackets = tuple(
        Bracket(end + 12 + 16.0 * i, hung[group[0]].y - 8, hung[group[-1]].y + 8)
        for i, group in enumerate(groups)
    )
    height = BAR_Y + ROW * (len(levels) + 1) - 6
    return Steelyard(
        width=width,
        height=height,
        bar_end=end + 4,
        bar_y=BAR_Y,
        ticks=axis.ticks(),
        hung=tuple(hung),
        brackets=brackets,
    )


def _label_spot(
    low_x: float, high_x: float, y: float, end: float, letters: int
) -> tuple[float, float, str]:
    """Beside the hook where there is room, else over it."""
    room = letters * LETTER
    if end - high_x > room + 8:
        return high_x + 8, y + 5, "start"
    if low_x > room + 8:
        return low_x - 8, y + 5, "end"
    return min(low_x, end - room), y - 14, "start"


def _alike(count: int, apart: set[frozenset[int]]) -> list[tuple[int, ...]]:
    """Largest runs of neighbours, two or more, of which no pair is told apart."""
    runs: list[tuple[int, ...]] = []
    for start in range(count):
        stop = start
        while stop + 1 < count and all(
            frozenset(pair) not in apart for pair in combinations(range(start, stop + 2), 2)
        ):
            stop += 1
        if stop > start and not any(run[0] <= start and stop <= run[-1] for run in runs):
            runs.append(tuple(range(start, stop + 1)))
    return runs
