"""What places, their parts and sites remember: what hit them, and in how many of their years."""

from __future__ import annotations

from calendar import month_name
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.units import half_up
from kilter.core.growing.succession import Tenancy
from kilter.core.review.recurring import Hit, Recurring, recurring
from kilter.ground.models import Part, Place
from kilter.people.models import Household
from kilter.set_out.clearing import tenancies
from kilter.set_out.memory import REMEMBERED, Remembered
from kilter.set_out.models import Planting
from kilter.tending.models import Happening
from kilter.tending.queries import happened_to_each

#: What is done to a crop and hits nothing.
DEEDS = frozenset({Happening.Kind.WATERED, Happening.Kind.FED, Happening.Kind.CUT_BACK})
#: What happened and did no harm: what was done, and what comes by itself as a crop ripens.
NO_SETBACKS = DEEDS | {Happening.Kind.NATURAL}
#: So much of it is shown where something is about to be planted.
MOST_SHOWN = 3


@dataclass(frozen=True)
class Memory:
    """One thing that hit a place, with how often."""

    counted: Recurring

    @property
    def hits(self) -> int:
        return self.counted.hits

    def __str__(self) -> str:
        """``aphid here in 3 of 4 Augusts``."""
        return self.said(" here")

    def said(self, where: str = "") -> str:
        """How often it came, in words."""
        one = self.counted
        when = month_name[one.month] if one.month else "year"
        lost = f", {half_up(one.lost * 100, 0)} in 100 lost" if one.lost is not None else ""
        if one.of == 1:
            return (
                f"{one.what} in {f'{when} ' if one.month else ''}{one.years[0]}, its only year "
                f"on record{lost}"
            )
        how_often = "once" if one.hits == 1 else f"in {one.hits}"
        join = "in" if one.hits == 1 else "of"
        return f"{one.what}{where} {how_often} {join} {one.of} {when}s{lost}"


@dataclass(frozen=True)
class Memories:
    """What each place, part and site remembers, by key; what comes most often first."""

    of_place: Mapping[int, tuple[Memory, ...]]
    of_part: Mapping[int, tuple[Memory, ...]]
    of_site: Mapping[int, tuple[Memory, ...]]


def memories(household: Household, today: date) -> Memories:
    """What everything remembers; four queries.

    What hit a part or a planting of a place hit the place too.
    """
    hits: dict[str, dict[int, list[Hit]]] = {
        kind: defaultdict(list) for kind in ("place", "part", "site")
    }
    happened = (
        Happening.objects.of(household)
        .exclude(kind__in=NO_SETBACKS)
        .select_related("part", "planting")
    )
    for one in happened:
        hit = Hit(one.what or one.get_kind_display(), one.day, one.lost_share)
        for kind, key in _hit_by(one):
            hits[kind][key].append(hit)
    stays: dict[int, list[tuple[date, date]]] = defaultdict(list)
    for stay in tenancies(household):
        stays[stay.place].append(_days(stay))
    at_site: dict[int, list[tuple[date, date]]] = defaultdict(list)
    for place, site in Place.objects.ever_of(household).order_by().values_list("pk", "site_id"):
        at_site[site] += stays[place]
    place_of = dict(Part.objects.ever_of(household).order_by().values_list("pk", "place_id"))
    return Memories(
        {key: _all(of, stays[key], today) for key, of in hits["place"].items()},
        {key: _all(of, stays[place_of[key]], today) for key, of in hits["part"].items()},
        {key: _all(of, at_site[key], today) for key, of in hits["site"].items()},
    )


def memories_of_crops(household: Household, today: date) -> dict[int, tuple[Memory, ...]]:
    """What each crop was hit by, by its key,
    and in how many of the years in which it grew; three queries.
    """
    crop_of = dict(Planting.objects.of(household).order_by().values_list("pk", "crop_id"))
    stays: dict[int, list[tuple[date, date]]] = defaultdict(list)
    for stay in tenancies(household):
        stays[crop_of[stay.key]].append(_days(stay))
    hits: dict[int, dict[int, Hit]] = defaultdict(dict)
    for planting, happened in happened_to_each(household, list(crop_of)).items():
        for one in happened:
            if one.kind not in NO_SETBACKS:
                hits[crop_of[planting]][one.pk] = Hit(
                    one.what or one.get_kind_display(), one.day, one.lost_share
                )
    return {crop: _all(list(of.values()), stays[crop], today) for crop, of in hits.items()}


def _hit_by(one: Happening) -> Iterable[tuple[str, int]]:
    if one.planting is not None:
        yield "place", one.planting.place_id
        if one.planting.part_id:
            yield "part", one.planting.part_id
    elif one.part is not None:
        yield "place", one.part.place_id
        yield "part", one.part.pk
    elif one.place_id:
        yield "place", one.place_id
    elif one.site_id:
        yield "site", one.site_id


def _days(stay: Tenancy) -> tuple[date, date]:
    return stay.start, stay.end


def _all(hits: list[Hit], stays: list[tuple[date, date]], today: date) -> tuple[Memory, ...]:
    return tuple(Memory(one) for one in recurring(hits, stays, today))


@REMEMBERED.answered_by
def remembered(
    household: Household, spots: Collection[tuple[Place, Part | None]], today: date
) -> list[Remembered]:
    """What the places and parts chosen remember, and their sites."""
    found = memories(household, today)
    told: dict[str, tuple[Memory, ...]] = {}
    for place, part in spots:
        if part is not None and part.pk in found.of_part:
            told[f"{place}, {part}"] = found.of_part[part.pk]
        elif place.pk in found.of_place:
            told[str(place)] = found.of_place[place.pk]
        if place.site_id in found.of_site:
            told[str(place.site)] = found.of_site[place.site_id]
    return [
        Remembered(where, tuple(str(one) for one in of[:MOST_SHOWN])) for where, of in told.items()
    ]
