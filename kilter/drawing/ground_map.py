"""A site to scale: beds as outlines with their parts and rows, containers as vessels at their spot,
shade, north.

A site much longer than wide is drawn in strips, one under the other, like a road in an atlas.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise

from kilter.drawing.scales import Tick
from kilter.drawing.vessels import Vessel, vessel

MARGIN = 34.0
_UNSIZED_BED_M = (2.0, 1.0)
_UNSIZED_L = 30.0
_MAX_PX_PER_M = 64.0  # a small site is not blown up to fill the sheet
_READABLE_PX_PER_M = 46.0  # below this a pot and its number are hard to read: strips then
_MAX_STRIPS = 4
_STRIP_GAP = 34.0
_NUMBER_PX = 17.0  # the smallest vessel that has room for its number
_LABEL_PX = 17.0  # the least room a number beneath a vessel needs to each side
_TOUCH_M = 0.02  # places that overlap by less only touch
_STEPS = (1, 2, 5, 10, 20, 50, 100, 1000, 5000)
_COMPASS = {
    "N": (0, 1),
    "NE": (1, 1),
    "E": (1, 0),
    "SE": (1, -1),
    "S": (0, -1),
    "SW": (-1, -1),
    "W": (-1, 0),
    "NW": (-1, 1),
}


@dataclass(frozen=True)
class Patch:
    """What is painted on part of a place: shares along its length, and how."""

    start: float
    end: float
    series: int  #: 1 to 6
    texture: int = 0  #: 0 plain, 1 striped, 2 dotted
    strength: float = 1.0  #: 0 to 1
    label: str = ""


@dataclass(frozen=True, kw_only=True)
class MapPlace:
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
    rows: int = 0
    parts: tuple[
        tuple[float, str], ...
    ] = ()  #: share of the length at which a part ends, and its name
    fill_share: float = 0.0
    patches: tuple[Patch, ...] = ()
    height_m: float | None = None
    shade_side: str = ""
    note: str = ""  #: printed under its name


@dataclass(frozen=True)
class Painted:
    """A patch as drawn."""

    shape: str  #: points of a polygon
    series: int
    texture: int
    strength: float
    label: str


@dataclass(frozen=True, kw_only=True)
class DrawnPlace:
    """A place in pixels, with its corner and size in metres for those that drag it."""

    pk: int
    label: str
    outline: str
    is_bed: bool
    rows: tuple[str, ...]
    parts: tuple[str, ...]
    painted: tuple[Painted, ...]
    shade: str
    text: str  #: printed on or under it
    text_x: float
    text_y: float
    plate: (
        tuple[float, float, float, float] | None
    )  #: behind the text, where paint would make it hard to read
    note: str
    x_m: float
    y_m: float
    width_m: float
    height_m: float
    overlaps: bool


@dataclass(frozen=True)
class SetLabel:
    """The name of a set, over its first container."""

    text: str
    x: float
    y: float


@dataclass(frozen=True)
class StripMarks:
    """One strip's ground and its marks."""

    x: float
    y: float
    width: float
    height: float
    ticks: tuple[Tick, ...]
    side_ticks: tuple[Tick, ...]


@dataclass(frozen=True, kw_only=True)
class GroundMap:
    """Everything a site's map is drawn from; pixels."""

    width: float
    height: float
    strips: tuple[StripMarks, ...]
    north_m: float
    starts: str  #: metres at which each strip begins
    pitch: float
    px_per_m: float
    places: tuple[DrawnPlace, ...]
    sets: tuple[SetLabel, ...]
    overlaps: tuple[tuple[str, str], ...]
    north_x: float  #: where the arrow stands
    beds: int = 0
    vessels: int = 0


@dataclass(frozen=True)
class _Frame:
    """From metres to pixels."""

    west: float
    south: float
    east: float
    north: float
    px: float
    starts: tuple[float, ...]  #: metres at which each strip begins

    @property
    def pitch(self) -> float:
        """Pixels from the top of one strip to the top of the next."""
        return (self.north - self.south) * self.px + _STRIP_GAP

    def at(self, x_m: float, y_m: float, strip: int | None = None) -> tuple[float, float]:
        if strip is None:
            strip = max(bisect_right(self.starts, x_m + 1e-9) - 1, 0)
        x = (x_m - self.starts[strip]) * self.px
        return round(MARGIN + x, 1), round(
            MARGIN + (self.north - y_m) * self.px + strip * self.pitch, 1
        )


@dataclass(frozen=True)
class _GroundBox:
    """A place's ground in metres."""

    spot: MapPlace
    width: float
    height: float

    @property
    def right(self) -> float:
        return self.spot.x_m + self.width

    @property
    def top(self) -> float:
        return self.spot.y_m + self.height


def ground_map(
    spots: Iterable[MapPlace], length_m: float | None, width_m: float | None, width_px: float = 1060
) -> GroundMap:
    """Draw the spots of a site; without a stated size the site is as large as what stands on it."""
    boxes = [_GroundBox(s, *_size(s)) for s in spots]
    frame = _frame(boxes, length_m, width_m, width_px)
    clashes = _overlaps(boxes)
    clashing = {pk for pair in clashes for pk in (pair[0].spot.pk, pair[1].spot.pk)}
    drawn = tuple(
        _bed(b, frame, is_clash=b.spot.pk in clashing)
        if b.spot.is_bed
        else _vessel(b, frame, _room(b, boxes), is_clash=b.spot.pk in clashing)
        for b in boxes
    )
    # What begins at the end of a strip reaches beyond it.
    beyond = max((_right_px(b, frame) for b in boxes), default=0.0)
    full_px = max(2 * MARGIN + _longest(frame.starts, frame.east) * frame.px, beyond + MARGIN / 2)
    return GroundMap(
        width=round(full_px, 1),
        height=round(2 * MARGIN + len(frame.starts) * frame.pitch - _STRIP_GAP, 1),
        strips=tuple(_strip(frame, i) for i in range(len(frame.starts))),
        north_m=frame.north,
        starts=" ".join(f"{start:g}" for start in frame.starts),
        pitch=round(frame.pitch, 2),
        px_per_m=round(frame.px, 4),
        places=drawn,
        sets=_sets(boxes, frame),
        overlaps=tuple((a.spot.label, b.spot.label) for a, b in clashes),
        north_x=round(full_px - MARGIN / 2, 1),
        beds=sum(s.spot.is_bed for s in boxes),
        vessels=sum(not s.spot.is_bed for s in boxes),
    )


def _frame(
    boxes: Sequence[_GroundBox], length_m: float | None, width_m: float | None, width_px: float
) -> _Frame:
    far_x = max((b.right for b in boxes), default=10.0)
    far_y = max((b.top for b in boxes), default=5.0)
    west = min(0.0, min((b.spot.x_m for b in boxes), default=0.0))
    south = min(0.0, min((b.spot.y_m for b in boxes), default=0.0))
    east, north = max(length_m or 0.0, far_x), max(width_m or 0.0, far_y)
    room = width_px - 2 * MARGIN
    wanted = math.ceil((east - west) * _READABLE_PX_PER_M / room)
    # Strips serve what is long and narrow; a broad site is rather drawn small than torn.
    strips = min(max(wanted, 1), _MAX_STRIPS) if (east - west) > 3 * (north - south) else 1
    starts = _starts(boxes, west, east, strips)
    return _Frame(
        west, south, east, north, min(room / _longest(starts, east), _MAX_PX_PER_M), starts
    )


def _starts(
    boxes: Sequence[_GroundBox], west: float, east: float, strips: int
) -> tuple[float, ...]:
    """Where to break: near equal lengths, where the break cuts through the least."""
    starts = [west]
    even = (east - west) / strips
    for i in range(1, strips):
        near = west + i * even
        tried = [near + even * shift / 100 for shift in range(-20, 21, 2)]
        cut = {at: sum(b.spot.x_m < at < b.right for b in boxes) for at in tried}
        best = sorted(tried, key=lambda at: (cut[at], abs(at - near)))[0]
        starts.append(round(best, 2))
    return tuple(starts)


def _longest(starts: Sequence[float], east: float) -> float:
    return max(b - a for a, b in pairwise([*starts, east]))


def _right_px(box: _GroundBox, frame: _Frame) -> float:
    return frame.at(box.spot.x_m, box.spot.y_m)[0] + box.width * frame.px


def _strip(frame: _Frame, strip: int) -> StripMarks:
    start, end = frame.starts[strip], [*frame.starts, frame.east][strip + 1]
    x, y = frame.at(start, frame.north, strip)
    return StripMarks(
        x,
        y,
        round((end - start) * frame.px, 1),
        round((frame.north - frame.south) * frame.px, 1),
        tuple(
            Tick(frame.at(m, 0, strip)[0], f"{m} m")
            for m in _marks(start, end, _longest(frame.starts, frame.east))
        ),
        tuple(Tick(frame.at(start, m, strip)[1], f"{m}") for m in _marks(frame.south, frame.north)),
    )


def _marks(low: float, high: float, room: float | None = None) -> list[int]:
    step = next(s for s in _STEPS if (room or high - low) / s <= 20)
    return [m for m in range(math.ceil(low), math.floor(high) + 1) if m % step == 0]


def _size(spot: MapPlace) -> tuple[float, float]:
    if spot.length_m and spot.width_m:
        return spot.length_m, spot.width_m
    if spot.is_bed:
        return spot.length_m or _UNSIZED_BED_M[0], spot.width_m or _UNSIZED_BED_M[1]
    side = ((spot.volume_l or _UNSIZED_L) / 1000) ** (1 / 3)
    return side, side


def _overlaps(boxes: Sequence[_GroundBox]) -> list[tuple[_GroundBox, _GroundBox]]:
    """Pairs that lie over each other; allowed, but shown."""
    return [
        (a, b)
        for a, b in combinations(boxes, 2)
        if min(a.right, b.right) - max(a.spot.x_m, b.spot.x_m) > _TOUCH_M
        and min(a.top, b.top) - max(a.spot.y_m, b.spot.y_m) > _TOUCH_M
    ]


def _room(box: _GroundBox, boxes: Sequence[_GroundBox]) -> float:
    """Metres from a vessel to the next one beside it."""
    beside = [
        abs(other.spot.x_m - box.spot.x_m)
        for other in boxes
        if other is not box
        and not other.spot.is_bed
        and abs(other.spot.y_m - box.spot.y_m) < box.height
    ]
    return min(beside, default=10.0)


def _polygon(corners: Iterable[tuple[float, float]]) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)


def _rectangle(x: float, y: float, width: float, height: float) -> str:
    return _polygon([(x, y), (x + width, y), (x + width, y + height), (x, y + height)])


def _bed(box: _GroundBox, frame: _Frame, *, is_clash: bool) -> DrawnPlace:
    spot, (x, south_y) = box.spot, frame.at(box.spot.x_m, box.spot.y_m)
    width, height = box.width * frame.px, box.height * frame.px
    y = south_y - height
    rows = tuple(
        f"M{x} {y + height * (i + 1) / (spot.rows + 1):.1f}h{width:.1f}" for i in range(spot.rows)
    )
    ends = tuple(
        f"M{x + width * share:.1f} {y:.1f}v{height:.1f}" for share, _ in spot.parts if 0 < share < 1
    )
    painted = tuple(
        Painted(
            _rectangle(x + width * p.start, y, width * (p.end - p.start), height),
            p.series,
            p.texture,
            p.strength,
            p.label,
        )
        for p in spot.patches
    )
    wide = max(len(spot.label) * 7.2, len(spot.note) * 6.2) + 10
    top, tall = y + height / 2 - 12, 34.0 if spot.note else 20.0
    plate = (
        (round(x + (width - wide) / 2, 1), round(top, 1), round(wide, 1), tall) if painted else None
    )
    return DrawnPlace(
        pk=spot.pk,
        label=spot.label,
        outline=_rectangle(x, y, width, height),
        is_bed=True,
        plate=plate,
        rows=rows,
        parts=ends,
        painted=painted,
        shade=_shade(box, frame),
        text=spot.label,
        text_x=round(x + width / 2, 1),
        text_y=round(y + height / 2 + 4, 1),
        note=spot.note,
        x_m=spot.x_m,
        y_m=spot.y_m,
        width_m=box.width,
        height_m=box.height,
        overlaps=is_clash,
    )


def _vessel(box: _GroundBox, frame: _Frame, room_m: float, *, is_clash: bool) -> DrawnPlace:
    spot, (x, foot) = box.spot, frame.at(box.spot.x_m, box.spot.y_m)
    width, height = box.width * frame.px, box.height * frame.px
    fill_share = spot.fill_share if spot.patches else 0.0
    shape = vessel(x, foot - height, width, height, kind=spot.kind, share=fill_share)
    painted = _vessel_paint(spot, shape)
    number = spot.label.rsplit(" ", 1)[-1] if spot.label[-1:].isdigit() else ""
    is_inside = width >= _NUMBER_PX and not spot.patches
    text = spot.note or number
    has_room = is_inside or room_m * frame.px >= _LABEL_PX
    return DrawnPlace(
        pk=spot.pk,
        label=spot.label,
        outline=shape.outline,
        is_bed=False,
        plate=None,
        rows=(),
        parts=(),
        painted=painted,
        shade=_shade(box, frame),
        text=text if has_room else "",
        text_x=round(x + width / 2, 1),
        text_y=round(foot - height / 2 + 4 if is_inside else foot + 12, 1),
        note="",
        x_m=spot.x_m,
        y_m=spot.y_m,
        width_m=box.width,
        height_m=box.height,
        overlaps=is_clash,
    )


def _vessel_paint(spot: MapPlace, shape: Vessel) -> tuple[Painted, ...]:
    """Several patches in one vessel stand beside each other as bands of its fill."""
    if not spot.patches or not shape.fill:
        return ()
    if len(spot.patches) == 1:
        p = spot.patches[0]
        return (Painted(shape.fill, p.series, p.texture, p.strength, p.label),)
    top, foot = shape.y + shape.height * (1 - spot.fill_share), shape.y + shape.height
    return tuple(
        Painted(
            _rectangle(
                shape.x + shape.width * p.start, top, shape.width * (p.end - p.start), foot - top
            ),
            p.series,
            p.texture,
            p.strength,
            p.label,
        )
        for p in spot.patches
    )


def _shade(box: _GroundBox, frame: _Frame) -> str:
    """The ground shaded by what stands high: as far as it is high, to its side."""
    spot = box.spot
    if not spot.height_m or spot.shade_side not in _COMPASS:
        return ""
    dx, dy = _COMPASS[spot.shade_side]
    x0, y0 = frame.at(spot.x_m, spot.y_m + box.height)
    x, y = x0 + dx * spot.height_m * frame.px, y0 - dy * spot.height_m * frame.px
    width, height = box.width * frame.px, box.height * frame.px
    return _rectangle(min(x, x0), min(y, y0), width + abs(x - x0), height + abs(y - y0))


def _sets(boxes: Sequence[_GroundBox], frame: _Frame) -> tuple[SetLabel, ...]:
    """One label a set, at its top left corner."""
    by_name: dict[str, list[_GroundBox]] = {}
    for box in boxes:
        if not box.spot.is_bed:
            by_name.setdefault(box.spot.label.rstrip("0123456789").strip(), []).append(box)
    labels = []
    for name, group in by_name.items():
        first = min(group, key=lambda b: (b.spot.x_m, -b.top))
        x, y = frame.at(first.spot.x_m, max(b.top for b in group))
        labels.append(
            SetLabel(f"{name}, {len(group)}" if len(group) > 1 else name, x, round(y - 5, 1))
        )
    return tuple(labels)
