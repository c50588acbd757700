"""A fit as it is drawn: the ground by half-month as lanes,
and fifty-two weeks of something to eat as ribbons.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

#: Pixels: of a half-month, of a week, of a lane.
WIDTH, LANE, LEAST = 1000.0, 44.0, 7.0
HALF_MONTHS, WEEKS = 24, 52


@dataclass(frozen=True)
class Block:
    """One planting in a lane."""

    x: float
    y: float
    width: float
    height: float
    says: str
    series: int  #: colour and texture of its kind


@dataclass(frozen=True)
class LaneBlock:
    """What is to be drawn in a lane: half-months, share of the room, words."""

    start: int
    end: int
    share: float
    says: str
    series: int


def lane(stands: Sequence[LaneBlock]) -> tuple[Block, ...]:
    """Draw plantings over the half-months in which they stand,
    as high as the share of the room that they take.
    """
    top = [0.0] * HALF_MONTHS
    placed: list[tuple[LaneBlock, float, float]] = []
    for block in sorted(stands, key=lambda s: (s.start, -s.share, s.says)):
        height = max(block.share * LANE, LEAST)
        y = max(top[block.start : block.end + 1])
        for slot in range(block.start, block.end + 1):
            top[slot] = y + height
        placed.append((block, y, height))
    squeeze = min(LANE / max(max(top), LANE), 1.0)
    return tuple(
        Block(
            round(one.start / HALF_MONTHS * WIDTH, 1),
            round(y * squeeze, 1),
            round((one.end - one.start + 1) / HALF_MONTHS * WIDTH - 2, 1),
            round(height * squeeze - 1, 1),
            one.says,
            one.series,
        )
        for one, y, height in placed
    )


@dataclass(frozen=True)
class Piece:
    """Weeks in a row that are alike: lifted fresh, from the larder, or lacking."""

    x: float
    width: float
    how: str  #: ``fresh``, ``stored`` or ``lacking``


def ribbon(weeks: Sequence[str]) -> tuple[Piece, ...]:
    """Draw weeks, each ``fresh``, ``stored``, ``lacking`` or empty, as pieces of a ribbon."""
    found: list[Piece] = []
    start = 0
    for i in range(1, len(weeks) + 1):
        if i == len(weeks) or weeks[i] != weeks[start]:
            if weeks[start]:
                x = start / len(weeks) * WIDTH
                found.append(
                    Piece(round(x, 1), round((i - start) / len(weeks) * WIDTH, 1), weeks[start])
                )
            start = i
    return tuple(found)


def load(amounts: Sequence[float], ceiling: float | None) -> tuple[str, float | None]:
    """Draw amounts by half-month as steps over 40 pixels, and the ceiling's height;
    the most of both fills them.
    """
    most = max([*amounts, ceiling or 0.0, 1e-9])
    points = []
    for i, amount in enumerate(amounts):
        y = round(40 - 38 * amount / most, 1)
        points.append(
            f"{i / len(amounts) * WIDTH:.1f},{y} {(i + 1) / len(amounts) * WIDTH:.1f},{y}"
        )
    return " ".join(points), None if ceiling is None else round(40 - 38 * ceiling / most, 1)
