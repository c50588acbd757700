"""The ground as the fit sees it: beds, and containers that are alike;
what stands there and what stood lately.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import pairwise
from typing import NamedTuple

from kilter.core.fit.problem import NEARLY, SLOTS, Plot
from kilter.core.growing.clearing import Clears
from kilter.core.handbook.families import family_words
from kilter.ground.models import Part, Place
from kilter.look_back.places import crops_better_elsewhere
from kilter.look_back.season import Season
from kilter.people.models import Household
from kilter.plans.models import Spot
from kilter.set_out.clearing import clearing_of
from kilter.set_out.models import Planting
from kilter.set_out.queries import family_of

#: A family is back too soon within so many seasons in a bed; in a container after one, as its
#: medium is renewed sooner (rules).
BED_SEASONS, POT_SEASONS = 3, 1
#: What stands tall shades a bed so near: metres (rule).
SHADES_M = 3.0
#: What parts leave of a bed counts if it is more than this share of it (rule).
LEAST_STRETCH = 0.05


class Standing(NamedTuple):
    """A planting that holds its place, until which half-month, and why so long."""

    planting: Planting
    until: int
    clears: Clears
    takes: float  #: square metres, or pots

    @property
    def share(self) -> float:
        """What it takes of its place."""
        place = self.planting.place
        size = float(place.area_m2 or 0) if place.is_bed else 1.0
        return self.takes / size if size else 1.0

    @property
    def words(self) -> str:
        """What it is, and why it holds its place so long."""
        return f"{self.planting.crop} in {self.planting.where} ({self.clears.words()})"


@dataclass(frozen=True)
class PlotGround:
    """One plot of the fit and the places that it stands for."""

    plot: Plot
    places: tuple[Place, ...]
    held: tuple[
        tuple[int, int], ...
    ]  #: places in which something stands, and until which half-month
    part: Part | None = None  #: of a bed
    whys: tuple[
        tuple[str, str], ...
    ] = ()  #: crops that had better stand elsewhere, each with the reason
    standing: tuple[Standing, ...] = ()  #: what holds some of it

    @property
    def site(self) -> str:
        return self.plot.site


@dataclass(frozen=True)
class Grounds:
    """All plots, and what could not be one."""

    plots: tuple[PlotGround, ...]
    without_size: tuple[Place, ...]


def stays_in(household: Household, season: int) -> list[Standing]:
    """Everything that stands already when the season begins, or was set out in it."""
    return [one for of_place in _standing(household, season).values() for one in of_place]


def slot_of(day: date, season: int) -> int:
    """The half-month of a season's year in which a day lies, from 0;
    before the year its first, after it its last.
    """
    slot = (day.year - season) * SLOTS + 2 * (day.month - 1) + (day.day > 15)
    return min(max(slot, 0), SLOTS - 1)


def grounds_of(household: Household, season: int, spots: Iterable[Spot]) -> Grounds:
    """Read the ground for a season; what is kept free is left out.

    A bed with parts is its parts and what is left.
    """
    spots = [spot for spot in spots if spot.place_id is not None]
    said: dict[int, set[tuple[int | None, str]]] = defaultdict(set)
    for spot in spots:
        said[spot.place_id or 0].add((spot.crop_id, spot.says))
    free = {place for place, words in said.items() if any(crop is None for crop, _ in words)}
    parts: dict[int, list[Part]] = defaultdict(list)
    for part in Part.objects.of(household).filter(place__struck_at=None):
        parts[part.place_id].append(part)
    groups: dict[tuple[object, ...], list[Place]] = defaultdict(list)
    without = []
    for place in Place.objects.of(household).in_order():
        if place.pk in free:
            continue
        if place.is_bed and place.area_m2:
            groups["bed", place.pk].append(place)
        elif not place.is_bed and place.volume_l:
            alike = (
                place.site_id,
                place.kind,
                place.volume_l,
                place.light,
                frozenset(said[place.pk]),
            )
            groups["pots", *alike].append(place)
        else:
            without.append(place)
    stands = _standing(household, season)
    stood = _stood(household, season)
    elsewhere = crops_better_elsewhere(Season(household, season - 1))
    plots = [
        _ground(tuple(places), stretch, stands, stood, elsewhere, season)
        for places in groups.values()
        for stretch in _stretches(places[0], parts)
    ]
    plots = [
        replace(plot, plot=replace(plot.plot, shades=tuple(_shaded(plot, plots)))) for plot in plots
    ]
    return Grounds(tuple(plots), tuple(without))


@dataclass(frozen=True)
class _Stretch:
    """A bed or one of its parts, or pots; of a bed with parts also what they leave."""

    part: Part | None
    share: float  #: of the place
    known: frozenset[int] = frozenset()  #: all parts that the bed is told apart by

    def part_of(self, one: Planting) -> float:
        """How much of what a planting takes lies here;
        what stands in no part of these is spread over all.
        """
        if one.part_id not in self.known:
            return self.share
        return float(self.part is not None and one.part_id == self.part.pk)


def _stretches(place: Place, parts: Mapping[int, list[Part]]) -> list[_Stretch]:
    """The parts of a bed, if they do not lie across each other, and what they leave of it;
    else the whole of it.
    """
    here = sorted(parts.get(place.pk, ()), key=lambda part: (part.start, part.pk))
    kinds = {part.kind for part in here}
    is_along = kinds == {Part.Kind.STRETCH} and all(
        a.end <= b.start + NEARLY for a, b in pairwise(here)
    )
    is_around = kinds <= {Part.Kind.EDGE, Part.Kind.MIDDLE} and len(kinds) == len(here)
    if not place.is_bed or not here or not (is_along or is_around):
        return [_Stretch(None, 1.0)]
    known = frozenset(part.pk for part in here)
    found = [_Stretch(part, part.share_of(place), known) for part in here]
    left = 1 - sum(one.share for one in found)
    if left > LEAST_STRETCH:
        found.append(_Stretch(None, left, known))
    return found


def _ground(
    places: tuple[Place, ...],
    stretch: _Stretch,
    stands: dict[int, list[Standing]],
    stood: dict[int, list[Planting]],
    elsewhere: Mapping[tuple[int, str], str],
    season: int,
) -> PlotGround:
    first, is_pots = places[0], not places[0].is_bed
    size = float(len(places)) if is_pots else float(first.area_m2 or 0) * stretch.share
    taken, held = [0.0] * SLOTS, []
    stands_here: list[Standing] = []
    rest: dict[str, float] = defaultdict(float)
    for place in places:
        for one in stands.get(place.pk, ()):
            if (share := stretch.part_of(one.planting)) <= 0:
                continue
            held.append((place.pk, one.until))
            one = one._replace(takes=one.takes * share)
            stands_here.append(one)
            for slot in range(one.until + 1):
                taken[slot] += one.takes
        recent = POT_SEASONS if is_pots else BED_SEASONS
        lately = [
            one
            for one in stood.get(place.pk, ())
            if one.season >= season - recent and stretch.part_of(one) > 0
        ]
        back_too_soon = {family_of(one.crop.name) for one in lately} - {""}
        for what in (*back_too_soon, *(crop for pk, crop in elsewhere if pk == place.pk)):
            rest[what] += 1.0 if is_pots else size
    name = str(first) if len(places) == 1 else f"{len(places)} {_several(first)}"
    if stretch.part is not None:
        name = f"{name}, {stretch.part}"
    elif stretch.known:
        name = f"{name}, the rest"
    plot = Plot(
        name=name,
        site=first.site.name,
        size=size,
        is_pots=is_pots,
        rest=tuple(sorted(rest.items())),
        shades=(),
        taken=tuple(min(one, size) for one in taken),
    )
    here = {place.pk for place in places}
    whys = tuple(sorted({crop: why for (pk, crop), why in elsewhere.items() if pk in here}.items()))
    return PlotGround(plot, places, tuple(held), stretch.part, whys, tuple(stands_here))


def _shaded(ground: PlotGround, plots: Sequence[PlotGround]) -> Iterator[int]:
    """Which beds of its site lie beside a bed on the side that it shades."""
    first = ground.places[0]
    if not first.shade_side or first.x_m is None or first.y_m is None or ground.plot.is_pots:
        return
    for p, other in enumerate(plots):
        there = other.places[0]
        if (
            there.pk == first.pk
            or other.plot.is_pots
            or there.site_id != first.site_id
            or there.x_m is None
        ):
            continue
        east, north = _middle(there)[0] - _middle(first)[0], _middle(there)[1] - _middle(first)[1]
        toward = "".join(
            letter
            for letter, is_so in (
                ("N", north > 0),
                ("S", north < 0),
                ("E", east > 0),
                ("W", east < 0),
            )
            if is_so
        )
        if max(abs(east), abs(north)) <= SHADES_M + (first.length_m or 0) and set(
            first.shade_side
        ) & set(toward):
            yield p


def _middle(place: Place) -> tuple[float, float]:
    return (place.x_m or 0) + (place.length_m or 0) / 2, (place.y_m or 0) + (place.width_m or 0) / 2


def _several(place: Place) -> str:
    return f"{place.kind}s of {place.volume_l:g} L"


def _standing(household: Household, season: int) -> dict[int, list[Standing]]:
    """By place, what will still be there when the season begins, or is set out in it."""
    there = Planting.objects.of(household).not_cleared().filter(season__lte=season)
    clearing, begins = clearing_of(household), date(season, 1, 1)
    found: dict[int, list[Standing]] = defaultdict(list)
    for one in there.select_related("crop", "variety", "place", "part"):
        clears = clearing[one.pk]
        if not clears.is_by(begins):
            until = SLOTS - 1 if clears.day is None else slot_of(clears.day, season)
            found[one.place_id].append(Standing(one, until, clears, _takes(one)))
    return found


def _takes(one: Planting) -> float:
    """Square metres, or its pot; the whole bed where nobody said how much of it."""
    if not one.place.is_bed:
        return 1.0
    return float(one.ground_m2 or one.place.area_m2 or 0)


def _stood(household: Household, season: int) -> dict[int, list[Planting]]:
    """By place, what stood there in the seasons that a family should rest."""
    lately = Planting.objects.of(household).filter(
        season__gte=season - BED_SEASONS, season__lt=season
    )
    found: dict[int, list[Planting]] = defaultdict(list)
    for one in lately.select_related("crop"):
        found[one.place_id].append(one)
    return found


def against_words(ground: PlotGround, family: str, crop: str) -> str:
    """Why a crop had better stand elsewhere: its family, what stood there last,
    what hit it; of all of the plot.
    """
    plot, words = ground.plot, []
    rest = dict(plot.rest)
    if rest.get(family, 0.0) >= plot.size:
        ago = "last year" if plot.is_pots else f"within {BED_SEASONS} years"
        words.append(f"the {family_words(family)} stood there {ago}")
    if rest.get(crop, 0.0) >= plot.size:
        words.append(dict(ground.whys)[crop])
    return "; ".join(words)
