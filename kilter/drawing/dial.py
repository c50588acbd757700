"""The dial of the bench: a scale face of five parts whose capacity follows the load."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

FACES_KG: Final = (5, 25, 100, 500)
SWEEP_DEG: Final = 270.0
CENTRE: Final = 160.0
RADIUS: Final = 150.0
PARTS: Final = 5
MINOR_PER_PART: Final = 10


@dataclass(frozen=True, kw_only=True)
class DialMark:
    """One graduation from the rim inwards; a part's first has its label's place."""

    x1: float
    y1: float
    x2: float
    y2: float
    part: int | None
    label_x: float
    label_y: float


@dataclass(frozen=True)
class DialFace:
    """Where the pointer stands for a load, and what the face's parts are worth."""

    angle_deg: float  #: from upright, clockwise
    labels: tuple[str, ...]


def dial_marks() -> tuple[DialMark, ...]:
    """All graduations of the face."""
    count = PARTS * MINOR_PER_PART
    return tuple(_mark(i, count) for i in range(count + 1))


def dial_face(mass_kg: float) -> DialFace:
    """Choose the smallest face that holds a load and point at it;
    beyond the last, stop at its end.
    """
    face = next((capacity for capacity in FACES_KG if mass_kg <= capacity), FACES_KG[-1])
    angle = min(mass_kg / face, 1.0) * SWEEP_DEG - SWEEP_DEG / 2
    return DialFace(round(angle, 2), tuple(f"{face * i // PARTS} kg" for i in range(PARTS + 1)))


def _mark(i: int, count: int) -> DialMark:
    angle = math.radians(-SWEEP_DEG / 2 + SWEEP_DEG * i / count)
    part = i // MINOR_PER_PART if i % MINOR_PER_PART == 0 else None
    length = 20.0 if part is not None else (12.0 if i % 5 == 0 else 6.0)
    sin, cos = math.sin(angle), -math.cos(angle)

    def point(radius: float) -> tuple[float, float]:
        return round(CENTRE + radius * sin, 1), round(CENTRE + radius * cos, 1)

    (x1, y1), (x2, y2), (lx, ly) = point(RADIUS), point(RADIUS - length), point(RADIUS - 46)
    return DialMark(x1=x1, y1=y1, x2=x2, y2=y2, part=part, label_x=lx, label_y=ly)
