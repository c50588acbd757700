"""A site to scale, north up: beds as outlines with rows, containers as vessels at their spot."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from kilter.drawing.scales import Tick
from kilter.drawing.vessels import Vessel, vessel

MARGIN = 30.0
_ROW_GAP_M = 0.3
_UNSIZED_BED_M = (2.0, 1.0)
_UNSIZED_L = 30.0
_MAX_PX_PER_M = 64.0  # a small site is not blown up to fill the sheet
_NUMBER_PX = 17.0  # the smallest vessel that has room for its number


@dataclass(frozen=True)
class Spot:
    """A place as the map needs it; metres east and north of the site's south-west corner."""

    pk: int
    label: str
    kind: str
    is_bed: bool
    x_m: float
    y_m: float
    length_m: float | None
    width_m: float | None
    volume_l: float | None


@dataclass(frozen=True)
class DrawnBed:
    pk: int
    label: str
    x: float
    y: float
    width: float
    height: float
    rows: tuple[float, ...]  #: heights of the rows drawn in it
    label_x: float
    label_y: float


@dataclass(frozen=True)
class DrawnVessel:
    pk: int
    label: str
    shape: Vessel
    number: str
    label_x: float
    label_y: float


@dataclass(frozen=True)
class SetLabel:
    """The name of a set, over its first container."""

    text: str
    x: float
    y: float


@dataclass(frozen=True)
class GroundMap:
    """Everything a site's map is drawn from; pixels."""

    width: float
    height: float
    ground_x: float
    ground_y: float
    ground_width: float
    ground_height: float
    ticks: tuple[Tick, ...]
    beds: tuple[DrawnBed, ...]
    vessels: tuple[DrawnVessel, ...]
    sets: tuple[SetLabel, ...]
    north_x: float  #: where the arrow stands


def ground_map(
    spots: Iterable[Spot], length_m: float | None, width_m: float | None, width_px: float = 1060, zoom: int = 1
) -> GroundMap:
    """Draw the spots of a site; without a stated size the site is as large as what stands on it."""
    spots = list(spots)
    far_x = max((s.x_m + _size(s)[0] for s in spots), default=10.0)
    far_y = max((s.y_m + _size(s)[1] for s in spots), default=5.0)
    near_x, near_y = min((s.x_m for s in spots), default=0.0), min((s.y_m for s in spots), default=0.0)
    west, south = min(0.0, near_x), min(0.0, near_y)
    east, north = max(length_m or 0.0, far_x), max(width_m or 0.0, far_y)
    px = min((width_px - 2 * MARGIN) / (east - west), _MAX_PX_PER_M) * zoom
    full_px = 2 * MARGIN + (east - west) * px

    def at(x_m: float, y_m: float) -> tuple[float, float]:
        return MARGIN + (x_m - west) * px, MARGIN + (north - y_m) * px

    corner = at(west, north)
    step = next(s for s in (1, 2, 5, 10, 20, 50, 100, 1000, 5000) if (east - west) / s <= 20)
    vessels = tuple(_vessel(s, at(s.x_m, s.y_m), px) for s in spots if not s.is_bed)
    ticks = tuple(
        Tick(round(at(m, 0)[0], 1), f"{m} m") for m in range(math.ceil(west), math.floor(east) + 1) if m % step == 0
    )
    return GroundMap(
        width=round(full_px, 1),
        height=round(2 * MARGIN + (north - south) * px, 1),
        ground_x=corner[0],
        ground_y=corner[1],
        ground_width=round((east - west) * px, 1),
        ground_height=round((north - south) * px, 1),
        ticks=ticks,
        beds=tuple(_bed(s, at(s.x_m, s.y_m), px) for s in spots if s.is_bed),
        vessels=vessels,
        sets=_sets(vessels),
        north_x=round(full_px - MARGIN / 2, 1),
    )


def _size(spot: Spot) -> tuple[float, float]:
    if spot.length_m and spot.width_m:
        return spot.length_m, spot.width_m
    if spot.is_bed:
        return _UNSIZED_BED_M
    side = ((spot.volume_l or _UNSIZED_L) / 1000) ** (1 / 3)
    return side, side


def _bed(spot: Spot, corner: tuple[float, float], px: float) -> DrawnBed:
    (length, width), (x, south_y) = _size(spot), corner
    y = south_y - width * px
    count = max(1, int(width / _ROW_GAP_M) - 1)
    rows = tuple(round(y + width * px * (i + 1) / (count + 1), 1) for i in range(count))
    return DrawnBed(
        spot.pk, spot.label, round(x, 1), round(y, 1), round(length * px, 1), round(width * px, 1), rows,
        round(x + length * px / 2, 1), round(y + width * px / 2 + 5, 1),
    )  # fmt: skip


def _vessel(spot: Spot, foot: tuple[float, float], px: float) -> DrawnVessel:
    width, height = (side * px for side in _size(spot))
    x, y = foot[0], foot[1] - height
    number = spot.label.rsplit(" ", 1)[-1] if spot.label[-1:].isdigit() and width >= _NUMBER_PX else ""
    return DrawnVessel(
        spot.pk, spot.label, vessel(x, y, width, height, kind=spot.kind), number, round(x + width / 2, 1),
        round(y + height / 2 + 4, 1),
    )  # fmt: skip


def _sets(vessels: tuple[DrawnVessel, ...]) -> tuple[SetLabel, ...]:
    """One label a set, at its top left corner."""
    by_name: dict[str, list[DrawnVessel]] = {}
    for drawn in vessels:
        name = drawn.label.rstrip("0123456789").strip()
        by_name.setdefault(name, []).append(drawn)
    return tuple(
        SetLabel(
            f"{name}, {len(group)}" if len(group) > 1 else name,
            min(d.shape.x for d in group),
            min(d.shape.y for d in group) - 5,
        )
        for name, group in by_name.items()
    )
