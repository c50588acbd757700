"""What came of a crop beside what was needed of it, as one bar: the tick is the need."""

from __future__ import annotations

from dataclasses import dataclass

WIDTH = 220.0
#: The need stands here; a bar that runs out of the picture is cut at the end and its figure says
#: how far it goes.
NEED_AT = 0.6


@dataclass(frozen=True)
class CameBar:
    """A bar in pixels."""

    width: float
    need_x: float | None
    is_cut: bool


def came_bar(came: float, needed: float | None) -> CameBar:
    """Draw what came; without a need nothing says how long the bar should be, and it is none."""
    if not needed or needed <= 0:
        return CameBar(0.0, None, is_cut=False)
    long = came / needed * NEED_AT * WIDTH
    return CameBar(round(min(long, WIDTH), 1), round(NEED_AT * WIDTH, 1), is_cut=long > WIDTH)
