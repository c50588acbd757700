"""What each planting bears of what was paid, to the coin: its own, its lot's,
its share of place and medium.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from django.db.models import QuerySet

from kilter.core.growing.clearing import Clears
from kilter.core.yields.costs import CostShare, half_months, split_whole, yearly_parts
from kilter.ground.models import Fill
from kilter.people.models import Household
from kilter.set_out.clearing import clearing_of
from kilter.set_out.models import Cost, Planting, SeedLot

#: Fillings that are paid for, and are used up by what grows in them.
FRESH_MEDIUM = ("filled", "reused", "topped up")


class _Stood(NamedTuple):
    """What is read of a planting to share a price with those beside it."""

    pk: int
    place_id: int
    season: int
    share: float | None
    planted_on: date | None
    finished_on: date | None
    lot_id: int | None
    units: int | None

    def weight(self, clearing: Mapping[int, Clears]) -> float:
        """Its share of the place times the half-months of its season that it stood there, or is
        expected to.
        """
        begins, year_ends = self.planted_on or date(self.season, 1, 1), date(self.season, 12, 31)
        known = clearing.get(self.pk)
        over = (known.day if known else self.finished_on) or year_ends
        return (self.share or 1.0) * half_months(begins, min(over, year_ends))


@dataclass
class _Sharing:
    """Who bears what."""

    by_place: dict[tuple[int, int], list[_Stood]]
    found: dict[int, list[CostShare]]
    clearing: Mapping[int, Clears]

    def weights(self, to: list[_Stood]) -> list[float]:
        """By the share of the place and the time in it."""
        return [one.weight(self.clearing) for one in to]

    def give(self, what: str, minor: int, to: list[_Stood], weights: list[float]) -> None:
        """Split a price over plantings by weights, to the coin; what cost nothing is known too."""
        if to and sum(weights):
            for one, part in zip(to, split_whole(minor, weights), strict=False):
                self.found[one.pk].append(CostShare(what, part))


def costs_of(
    household: Household, plantings: QuerySet[Planting]
) -> dict[int, tuple[CostShare, ...]]:
    """What each planting bears: its own costs, its part of the lot,
    its share of place and medium in its season.
    """
    asked = dict(plantings.order_by().values_list("pk", "place_id"))
    beside = Planting.objects.of(household).filter(place__in=set(asked.values()))
    by_place: dict[tuple[int, int], list[_Stood]] = defaultdict(list)
    for columns in beside.order_by("pk").values_list(*_Stood._fields):
        one = _Stood(*columns)
        by_place[one.place_id, one.season].append(one)
    sharing = _Sharing(by_place, defaultdict(list), clearing_of(household))
    _own_and_places(household, sharing)
    _lots(household, sharing)
    _medium(household, sharing)
    return {pk: tuple(sharing.found.get(pk, ())) for pk in asked}


def over_years(what: str, years: int) -> str:
    """What was paid for, with over how many years its price is shared where that is more than
    one.
    """
    return what if years == 1 else f"{what}, over {years} years"


def _own_and_places(household: Household, sharing: _Sharing) -> None:
    of_place: dict[int, list[Cost]] = defaultdict(list)
    for cost in Cost.objects.of(household):
        if cost.planting_id:
            sharing.found[cost.planting_id].append(CostShare(cost.what, cost.price_minor))
        elif cost.place_id:
            of_place[cost.place_id].append(cost)
    first: dict[int, int] = {}
    for place, season in sharing.by_place:
        first[place] = min(first.get(place, season), season)
    for (place, season), to in sharing.by_place.items():
        for cost in of_place[place]:
            # Without a day it falls on the season in which the place first served.
            year = season - (cost.day.year if cost.day else first[place])
            if 0 <= year < cost.over_years:
                part = yearly_parts(cost.price_minor, cost.over_years)[year]
                sharing.give(over_years(cost.what, cost.over_years), part, to, sharing.weights(to))


def _lots(household: Household, sharing: _Sharing) -> None:
    """Each planting bears the part of the packet it took; what is left in it is nobody's yet."""
    priced = SeedLot.objects.of(household).filter(price_minor__isnull=False, bought_count__gt=0)
    lots = {lot.pk: lot for lot in priced}
    sown: dict[int, list[_Stood]] = defaultdict(list)
    of_lots = Planting.objects.of(household).filter(lot__in=list(lots), units__gt=0).order_by("pk")
    for columns in of_lots.values_list(*_Stood._fields):
        one = _Stood(*columns)
        sown[one.lot_id or 0].append(one)
    for pk, to in sown.items():
        lot, units = lots[pk], [float(one.units or 0) for one in to]
        left = max((lot.bought_count or 0) - sum(units), 0.0)
        sharing.give(f"from lot {lot.name}", lot.price_minor or 0, to, [*units, left])


def _medium(household: Household, sharing: _Sharing) -> None:
    """Each medium is shared over so many uses, a season of the place being one;
    after those it is paid for.
    """
    places = {place for place, _ in sharing.by_place}
    fills: dict[int, list[Fill]] = defaultdict(list)
    fresh = Fill.objects.of(household).filter(
        place__in=places, price_minor__isnull=False, kind__in=FRESH_MEDIUM
    )
    for fill in fresh.select_related("mix").order_by("day", "pk"):
        fills[fill.place_id].append(fill)
    seasons: dict[int, set[int]] = defaultdict(set)
    for place, season in sharing.by_place:
        seasons[place].add(season)
    for (place, season), to in sharing.by_place.items():
        for fill in fills[place]:
            used = sorted(year for year in seasons[place] if date(year, 12, 31) >= fill.day)
            use = used.index(season) if season in used else fill.over_uses
            if use < fill.over_uses:
                part = yearly_parts(fill.price_minor or 0, fill.over_uses)[use]
                sharing.give(f"medium, {fill}", part, to, sharing.weights(to))


def has_costs(household: Household) -> bool:
    """Whether anything that money was paid for is noted at all."""
    priced = SeedLot.objects.of(household).filter(price_minor__isnull=False).order_by().values("pk")
    fills = Fill.objects.of(household).filter(price_minor__isnull=False).order_by().values("pk")
    return len(Cost.objects.of(household).order_by().values("pk").union(priced, fills)[:1]) > 0
