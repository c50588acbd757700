"""The ground as the fit sees it: beds, and containers that are alike; what stands there and what stood lately."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date

from kilter.core.fit.problem import SLOTS, Room
from kilter.core.handbook.families import family_words
from kilter.ground.models import Place
from kilter.people.models import Household
from kilter.plans.models import Spot
from kilter.set_out.models import Planting
from kilter.set_out.queries import family_of

#: A family is back too soon within so many seasons in a bed; in a container after one, as its medium is renewed
#: sooner (rules).
BED_SEASONS, POT_SEASONS = 3, 1
#: What stands tall shades a bed so near: metres (rule).
SHADES_M = 3.0
#: What may stand is out of the way by the end of March (rule).
STANDS_UNTIL = 5


@dataclass(frozen=True)
class Ground:
    """One room of the fit and the places that it stands for."""

    room: Room
    places: tuple[Place, ...]
    held: tuple[tuple[int, int], ...]  #: places in which something stands, and until which half-month

    @property
    def site(self) -> str:
        return self.room.site


@dataclass(frozen=True)
class Grounds:
    """All rooms, and what could not be one."""

    rooms: tuple[Ground, ...]
    without_size: tuple[Place, ...]


def slot_of(day: date, season: int) -> int:
    """The half-month of a season's year in which a day lies, from 0; before the year its first, after it its last."""
    slot = (day.year - season) * SLOTS + 2 * (day.month - 1) + (day.day > 15)
    return min(max(slot, 0), SLOTS - 1)


def grounds_of(household: Household, season: int, spots: Iterable[Spot]) -> Grounds:
    """Read the ground for a season; what is kept free is left out."""
    said: dict[int, set[tuple[int | None, str]]] = defaultdict(set)
    for one in spots:
        said[one.place_id].add((one.crop_id, one.says))
    free = {place for place, words in said.items() if any(crop is None for crop, _ in words)}
    groups: dict[tuple[object, ...], list[Place]] = defaultdict(list)
    without = []
    for place in Place.objects.of(household).in_order():
        if place.pk in free:
            continue
        if place.is_bed and place.area_m2:
            groups["bed", place.pk].append(place)
        elif not place.is_bed and place.volume_l:
            alike = place.site_id, place.kind, place.volume_l, place.light, frozenset(said[place.pk])
            groups["pots", *alike].append(place)
        else:
            without.append(place)
    stands = _standing(household, season)
    stood = _stood(household, season)
    rooms = [_ground(tuple(places), stands, stood, season) for places in groups.values()]
    rooms = [replace(one, room=replace(one.room, shades=tuple(_shaded(one, rooms)))) for one in rooms]
    return Grounds(tuple(rooms), tuple(without))


def _ground(
    places: tuple[Place, ...], stands: dict[int, list[Planting]], stood: dict[int, list[Planting]], season: int
) -> Ground:
    first, is_pots = places[0], not places[0].is_bed
    size = float(len(places)) if is_pots else float(first.area_m2 or 0)
    taken, held = [0.0] * SLOTS, []
    rest: dict[str, float] = defaultdict(float)
    for place in places:
        for one in stands.get(place.pk, ()):
            held.append((place.pk, _until(one)))
            for slot in range(_until(one) + 1):
                taken[slot] += _takes(one, place)
        recent = POT_SEASONS if is_pots else BED_SEASONS
        families = {family_of(one.crop.name) for one in stood.get(place.pk, ()) if one.season >= season - recent}
        for family in families - {""}:
            rest[family] += 1.0 if is_pots else size
    name = str(first) if len(places) == 1 else f"{len(places)} {_several(first)}"
    room = Room(
        name,
        first.site.name,
        size,
        is_pots,
        tuple(sorted(rest.items())),
        (),
        tuple(min(one, size) for one in taken),
    )
    return Ground(room, places, tuple(held))


def _shaded(ground: Ground, rooms: Sequence[Ground]) -> Iterator[int]:
    """Which beds of its site lie beside a bed on the side that it shades."""
    first = ground.places[0]
    if not first.shade_side or first.x_m is None or first.y_m is None or ground.room.is_pots:
        return
    for p, other in enumerate(rooms):
        there = other.places[0]
        if other is ground or other.room.is_pots or there.site_id != first.site_id or there.x_m is None:
            continue
        east, north = _middle(there)[0] - _middle(first)[0], _middle(there)[1] - _middle(first)[1]
        toward = "".join(
            letter for letter, is_so in (("N", north > 0), ("S", north < 0), ("E", east > 0), ("W", east < 0)) if is_so
        )
        if max(abs(east), abs(north)) <= SHADES_M + (first.length_m or 0) and set(first.shade_side) & set(toward):
            yield p


def _middle(place: Place) -> tuple[float, float]:
    return (place.x_m or 0) + (place.length_m or 0) / 2, (place.y_m or 0) + (place.width_m or 0) / 2


def _several(place: Place) -> str:
    return f"{place.kind}s of {place.volume_l:g} L"


def _standing(household: Household, season: int) -> dict[int, list[Planting]]:
    """By place, what will still be there when the season begins: perennials, what stands over winter, what is set."""
    there = Planting.objects.of(household).filter(finished_on=None, season__lte=season).select_related("crop")
    found: dict[int, list[Planting]] = defaultdict(list)
    for one in there:
        book = one.crop.in_handbook
        may_stand = book is not None and book.is_standing and one.season == season - 1
        if one.is_perennial or one.season == season or may_stand:
            found[one.place_id].append(one)
    return found


def _until(one: Planting) -> int:
    """The last half-month in which something that stands holds its room."""
    if one.is_perennial:
        return SLOTS - 1
    book = one.crop.in_handbook
    if book is None or (book.is_standing and one.planted_on and one.planted_on.year < one.season):
        return STANDS_UNTIL
    if one.planted_on is None or book.days is None:
        return SLOTS // 2
    span = (book.autumn_days or book.days) if one.planted_on.year < one.season else book.days
    return slot_of(date.fromordinal(one.planted_on.toordinal() + round(span.high)), one.season)


def _takes(one: Planting, place: Place) -> float:
    """Square metres, or its pot."""
    if not place.is_bed:
        return 1.0
    area = float(place.area_m2 or 0)
    if one.share is not None:
        return one.share * area
    if one.part is not None:
        return one.part.share_of(place) * area
    if one.units and one.in_row_m and one.row_gap_m:
        return min(one.units * one.in_row_m * one.row_gap_m, area)
    return area


def _stood(household: Household, season: int) -> dict[int, list[Planting]]:
    """By place, what stood there in the seasons that a family should rest."""
    lately = Planting.objects.of(household).filter(season__gte=season - BED_SEASONS, season__lt=season)
    found: dict[int, list[Planting]] = defaultdict(list)
    for one in lately.select_related("crop"):
        found[one.place_id].append(one)
    return found


def too_soon_words(room: Room, family: str) -> str:
    """Why a family had better not come back yet; nothing where part of the room has rested."""
    if dict(room.rest).get(family, 0.0) < room.size:
        return ""
    return (
        f"the {family_words(family)} stood there last year"
        if room.is_pots
        else (f"the {family_words(family)} stood there within {BED_SEASONS} years")
    )
