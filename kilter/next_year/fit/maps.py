"""The ground on one half-month of the year: what is planned for each place then,
and what stands there already.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from kilter.drawing.ground_map import GroundMap, Patch, ground_map
from kilter.ground.maps import map_spot
from kilter.ground.models import Part, Place, Site
from kilter.next_year.fit.plots import Standing, stays_in
from kilter.next_year.fit.shown import KINDS
from kilter.next_year.fit.spacing import plant_m2
from kilter.next_year.garden import Habit, habits_of
from kilter.people.models import Household
from kilter.plans.models import PlannedPlanting
from kilter.set_out.models import Crop

#: Pixels of a map, and the series of what stands already.
MAP_PX = 1060.0
OTHERS, STANDS_STRENGTH = 6, 0.35


@dataclass(frozen=True)
class SiteThen:
    """A site as it is to be."""

    site: Site
    map: GroundMap | None  #: none where none of its places is on the map
    words: tuple[str, ...]  #: place by place


@dataclass(frozen=True)
class _Piece:
    """A share of a place or of its part, and what fills it."""

    part: Part | None
    share: float  #: of the whole place
    series: int
    strength: float
    label: str


def ground_then(
    household: Household, season: int, planned: Sequence[PlannedPlanting], slot: int
) -> list[SiteThen]:
    """Every site on a half-month; a few queries."""
    pieces: dict[int, list[_Piece]] = defaultdict(list)
    habits = habits_of(household)
    linked = {planting.planting_id for planting in planned}
    for stays in stays_in(household, season):
        if stays.until >= slot and stays.planting.pk not in linked:
            pieces[stays.planting.place_id].append(_standing(stays))
    for planting in planned:
        if planting.start <= slot <= planting.end:
            pieces[planting.place_id].append(_planned(planting, habits))
    by_site: dict[int, list[Place]] = defaultdict(list)
    for place in Place.objects.of(household).select_related("site").in_order():
        by_site[place.site_id].append(place)
    found = []
    for places in by_site.values():
        if not any(pieces[place.pk] for place in places):
            continue
        spots = [
            map_spot(place, fill_share=1.0, patches=tuple(_patches(pieces[place.pk])))
            for place in places
            if place.x_m is not None and place.y_m is not None
        ]
        site = places[0].site
        words = tuple(f"{place}: {_said(pieces[place.pk])}" for place in places if pieces[place.pk])
        drawn = ground_map(spots, site.length_m, site.width_m, MAP_PX) if spots else None
        found.append(SiteThen(site, drawn, words))
    return found


def _said(pieces: Iterable[_Piece]) -> str:
    return ", ".join(piece.label for piece in pieces)


def _series(crop: Crop) -> int:
    book = crop.in_handbook
    return KINDS.get(book.stands_in_as if book else "", OTHERS)


def _standing(stays: Standing) -> _Piece:
    return _Piece(
        stays.planting.part,
        stays.share,
        _series(stays.planting.crop),
        STANDS_STRENGTH,
        f"{stays.planting.crop}, there already: {stays.clears.words()}",
    )


def _planned(one: PlannedPlanting, habits: Mapping[int, Habit]) -> _Piece:
    place = one.place
    share = (
        one.plants * plant_m2(one.crop, habits) / place.area_m2
        if place.is_bed and place.area_m2
        else 1.0
    )
    return _Piece(one.part, share, _series(one.crop), 1.0, f"{one.plants} {one.crop}")


def _patches(pieces: Sequence[_Piece]) -> Iterable[Patch]:
    """Side by side along the place, or along the part that each is in;
    squeezed where it is too much.
    """
    of_part: dict[int | None, list[_Piece]] = defaultdict(list)
    for piece in pieces:
        of_part[
            piece.part.pk if piece.part and piece.part.kind == Part.Kind.STRETCH else None
        ].append(piece)
    for group in of_part.values():
        part = group[0].part
        start, end = (
            (part.start, part.end) if part and part.kind == Part.Kind.STRETCH else (0.0, 1.0)
        )
        at, squeeze = start, min((end - start) / max(sum(one.share for one in group), 1e-9), 1.0)
        for one in group:
            after = min(at + one.share * squeeze, end)
            yield Patch(at, after, one.series, strength=one.strength, label=one.label)
            at = after
