"""One place: what stands in it, its history by season, its medium, its moves,
how heavy it is when wet.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.core.growing.medium import FillLevel as RealFill
from kilter.core.growing.medium import Wet, fill_of, shopping, wet_weight
from kilter.core.growing.whereabouts import Stay
from kilter.core.yields.record import FoodSoFar, food_so_far
from kilter.ground.models import Fill, Mix, Move, Part, Place, stays_of
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.clearing import clearing_of, clears, standing_on
from kilter.set_out.memory import Remembered, memory_of
from kilter.set_out.models import Cost, Planting
from kilter.set_out.queries import with_all_names
from kilter.tending.models import Happening, Job, Repeat
from kilter.tending.queries import happened_in

FILLED_AS_NOMINAL = "reckoned with the volume on its label, as its real fill is not written down"


@dataclass(frozen=True)
class PastPlanting:
    """One planting that grew here, in one of its years."""

    fact: PlantingFacts
    planting: Planting
    food: FoodSoFar
    is_blinded: bool  #: a trial keeps its harvest back


@dataclass(frozen=True, kw_only=True)
class Medium:
    """What a container is filled with."""

    fills: tuple[Fill, ...]
    now: RealFill
    to_fill_l: float | None
    set_to_fill_l: float | None  #: of the whole set, where it is one
    set_size: int
    mix: Mix | None
    parts: tuple[tuple[str, float], ...]  #: litres of each part to fill the set, or this one
    chain: tuple[str, ...]  #: crops that grew in this medium, oldest first


@dataclass(frozen=True, kw_only=True)
class PlacePage:
    """Everything of one place."""

    place: Place
    parts: tuple[tuple[Part, float], ...]  #: each with its share of the area
    standing: tuple[tuple[Planting, str], ...]  #: each with until when
    jobs: tuple[Job, ...]  #: on the place as a whole
    repeats: tuple[Repeat, ...]
    past: tuple[PastPlanting, ...]
    stays: tuple[Stay, ...]
    moves: tuple[Move, ...]
    medium: Medium
    wet: Wet | None
    wet_note: str
    happenings: tuple[Happening, ...]
    costs: tuple[Cost, ...]
    remembered: tuple[Remembered, ...]  #: what hit it, its parts and its site, and how often


def place_page(household: Household, place: Place, today: date) -> PlacePage:
    """Gather a place's page; a fixed number of queries."""
    mine = Planting.objects.of(household).filter(place=place)
    plantings = {p.pk: p for p in with_all_names(mine)}
    kept_back, clearing = blinded_of(household), clearing_of(household)
    past = [
        PastPlanting(fact, plantings[fact.pk], food_so_far(fact.record), fact.pk in kept_back)
        for fact in facts(household, mine.order_by("-season", "-pk"))
    ]
    moves = tuple(Move.objects.of(household).filter(place=place).select_related("left_site"))
    medium = _medium(household, place, list(plantings.values()))
    fill_l = medium.now.litres if medium.now.litres is not None else place.volume_l
    wet = None
    if not place.is_bed and fill_l:
        wet = wet_weight(fill_l, place.empty_kg or 0.0, is_above_waist=place.is_above_waist)
    parts = list(Part.objects.of(household).filter(place=place).select_related("place"))
    return PlacePage(
        place=place,
        parts=tuple((part, part.share_of(place)) for part in parts),
        standing=tuple(
            (one, clears(one, clearing).words(today))
            for one in standing_on(household, today)
            if one.place_id == place.pk
        ),
        jobs=tuple(Job.objects.of(household).filter(place=place)),
        repeats=tuple(Repeat.objects.of(household).filter(place=place)),
        past=tuple(sorted(past, key=lambda p: -p.fact.season)),
        stays=stays_of(place, moves),
        moves=moves,
        medium=medium,
        wet=wet,
        wet_note=FILLED_AS_NOMINAL if medium.now.litres is None else "",
        happenings=tuple(happened_in(household, [place.pk])),
        costs=tuple(Cost.objects.of(household).filter(place=place)),
        remembered=tuple(
            memory_of(household, [(place, None), *((place, part) for part in parts)], today)
        ),
    )


def _medium(household: Household, place: Place, plantings: list[Planting]) -> Medium:
    fills = tuple(Fill.objects.of(household).filter(place=place).select_related("mix", "came_from"))
    now = fill_of([entry.event for entry in fills])
    set_size, set_l = 1, None
    if place.number is not None and place.volume_l:
        of_set = (
            Place.objects.of(household)
            .filter(site=place.site, name=place.name)
            .exclude(number=None)
        )
        members = list(of_set)
        by_place: dict[int, list[Fill]] = {p.pk: [] for p in members}
        for entry in Fill.objects.of(household).filter(place__in=members):
            by_place[entry.place_id].append(entry)
        set_size, set_l = len(members), sum(_missing(p, by_place[p.pk]) for p in members)
    mix = next((entry.mix for entry in reversed(fills) if entry.mix), None)
    to_fill_l = None if place.volume_l is None else _missing(place, list(fills))
    wanted = to_fill_l if set_l is None else set_l
    parts = tuple(shopping(mix.parts, wanted).items()) if mix and mix.recipe and wanted else ()
    grown = sorted((p for p in plantings if p.planted_on), key=lambda p: p.planted_on or date.min)
    chain = [
        p.crop.name
        for p in grown
        if now.since is None or (p.planted_on and p.planted_on >= now.since)
    ]
    reused = [f for f in fills if f.kind == "reused" and f.day == now.since]
    if reused:
        chain = _earlier(household, reused[-1], grown) + chain
    return Medium(
        fills=fills,
        now=now,
        to_fill_l=to_fill_l,
        set_to_fill_l=set_l,
        set_size=set_size,
        mix=mix,
        parts=parts,
        chain=tuple(chain),
    )


def _missing(place: Place, fills: list[Fill]) -> float:
    real_l = fill_of([entry.event for entry in fills]).litres or 0.0
    return max((place.volume_l or 0.0) - real_l, 0.0)


def _earlier(household: Household, reused: Fill, own: list[Planting]) -> list[str]:
    """What grew in a medium before it was reused here: in this place,
    or in the one it came from.
    """
    if reused.came_from_id is None:
        return [p.crop.name for p in own if p.planted_on and p.planted_on < reused.day]
    there = Planting.objects.of(household).filter(
        place=reused.came_from_id, planted_on__lt=reused.day
    )
    return list(there.order_by("planted_on").values_list("crop__name", flat=True))
