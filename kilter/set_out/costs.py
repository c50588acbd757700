"""What each planting bears of what was paid, year by year and to the coin: its own, its lot's,
its share of place and medium.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from types import MappingProxyType

from kilter.core.yields.costs import (
    CostShare,
    half_months,
    life_parts,
    split_whole,
    yearly_parts,
)
from kilter.ground.models import Fill
from kilter.people import clock
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.set_out.clearing import clearing_of, last_day
from kilter.set_out.models import Cost, Crop, Planting, SeedLot

#: Fillings that are paid for, and are used up by what grows in them.
FRESH_MEDIUM = ("filled", "reused", "topped up")
#: What is left of the price of something that ended before its years were over.
REST = "the rest, as it ended"


@dataclass(frozen=True)
class PlaceCost:
    """A year's part of what a place cost, in which nothing stood there."""

    place: int
    year: int
    what: str
    minor: int


@dataclass(frozen=True)
class Costs:
    """Who bears what; the parts add up to what was paid."""

    of: Mapping[tuple[int, int], tuple[CostShare, ...]]  #: by planting and year
    unshared: tuple[PlaceCost, ...]


@dataclass(frozen=True, kw_only=True)
class _Year:
    """A planting in one of its years; what does not stay over years has one, its season."""

    pk: int
    place: int
    year: int
    share: float | None
    begins: date
    ends: date
    lot: int | None
    units: int | None

    @property
    def weight(self) -> float:
        """Its share of the place times the half-months of the year that it stood there, or is
        expected to.
        """
        year_ends = date(self.year, 12, 31)
        return (self.share or 1.0) * half_months(self.begins, min(self.ends, year_ends))


@dataclass(frozen=True, kw_only=True)
class _Life:
    """Over how many years the first cost of what stays over years is spread, and when it ended."""

    begins: int
    years: int
    ended: int | None


@dataclass
class _Sharing:
    """Plantings by place and year, and what each of them bears so far."""

    this_year: int
    by_place: dict[tuple[int, int], list[_Year]]
    lives: Mapping[int, _Life]
    found: dict[tuple[int, int], list[CostShare]] = field(default_factory=lambda: defaultdict(list))
    unshared: list[PlaceCost] = field(default_factory=list)

    def give(
        self,
        what: str,
        minor: int,
        to: Sequence[_Year],
        weights: Sequence[float],
        *,
        is_first: bool = False,
    ) -> None:
        """Split a price over plantings by weights, to the coin; what cost nothing is known too.

        Weights beyond the plantings are nobody's. Of what stays over years a first cost is spread
        over them.
        """
        for one, part in zip(to, split_whole(minor, weights), strict=False):
            life = self.lives.get(one.pk)
            if is_first and life is not None and one.year == life.begins:
                self.give_first(what, part, one.pk)
            else:
                self.found[one.pk, one.year].append(CostShare(what, part))

    def give_first(self, what: str, minor: int, pk: int, years: int = 1) -> None:
        """Spread the first cost of what stays over years over them; what ended early bears the
        rest in its last year.
        """
        life = self.lives[pk]
        years = years if years > 1 else life.years
        parts = life_parts(minor, years, life.begins, life.ended)
        for year, (part, rest) in parts.items():
            if year <= self.this_year:
                self.found[pk, year].append(CostShare(over_years(what, years), part))
                if rest:
                    self.found[pk, year].append(CostShare(f"{what}, {REST}", rest))


def costs_of(household: Household) -> Costs:
    """What everything bears; a fixed number of queries, none if nothing was written."""
    key = "costs", household.pk, clock.today(household)
    return while_unchanged(key, lambda: _costs(household))


def over_years(what: str, years: int) -> str:
    """What was paid for, with over how many years its price is shared where that is more than
    one.
    """
    return what if years == 1 else f"{what}, over {years} years"


def _costs(household: Household) -> Costs:
    this_year = clock.today(household).year
    plantings = list(Planting.objects.of(household).order_by("pk"))
    by_place: dict[tuple[int, int], list[_Year]] = defaultdict(list)
    clearing = clearing_of(household)
    for planting in plantings:
        ends = last_day(planting.pk, planting.finished_on, clearing)
        for one in _years(planting, ends, this_year):
            by_place[one.place, one.year].append(one)
    sharing = _Sharing(this_year, by_place, _lives(household, plantings))
    _own(household, sharing, {planting.pk: planting for planting in plantings})
    _places(household, sharing)
    _lots(household, sharing)
    _medium(household, sharing)
    of = {key: tuple(shares) for key, shares in sharing.found.items()}
    return Costs(MappingProxyType(of), tuple(sharing.unshared))


def _years(planting: Planting, ends: date, this_year: int) -> Iterator[_Year]:
    begins = planting.planted_on or date(planting.season, 1, 1)
    last = planting.season
    if planting.is_perennial:
        last = max(min(ends.year, this_year), planting.season)
    for year in range(planting.season, last + 1):
        yield _Year(
            pk=planting.pk,
            place=planting.place_id,
            year=year,
            share=planting.share,
            begins=begins if year == planting.season else date(year, 1, 1),
            ends=ends,
            lot=planting.lot_id,
            units=planting.units,
        )


def _lives(household: Household, plantings: Sequence[Planting]) -> dict[int, _Life]:
    """Of what stays over years."""
    lasting = [planting for planting in plantings if planting.is_perennial]
    crops = Crop.objects.ever_of(household).in_bulk({one.crop_id for one in lasting})
    found = {}
    for one in lasting:
        book = crops[one.crop_id].in_handbook
        years = book.full_until_year if book and book.full_until_year else 1
        ended = one.finished_on.year if one.finished_on else None
        found[one.pk] = _Life(begins=one.season, years=years, ended=ended)
    return found


def _own(household: Household, sharing: _Sharing, plantings: Mapping[int, Planting]) -> None:
    """What was paid for a planting; of what stays over years the first cost is spread over them,
    and what was paid in a later year is of that.
    """
    for cost in Cost.objects.of(household).filter(planting__struck_at=None, planting__isnull=False):
        planting = plantings[cost.planting_id or 0]
        life = sharing.lives.get(planting.pk)
        if life is None:
            share = CostShare(cost.what, cost.price_minor)
            sharing.found[planting.pk, planting.season].append(share)
        elif cost.day is None or cost.day.year <= life.begins:
            sharing.give_first(cost.what, cost.price_minor, planting.pk, cost.over_years)
        else:
            parts = yearly_parts(cost.price_minor, cost.over_years)
            for year, part in enumerate(parts, cost.day.year):
                share = CostShare(over_years(cost.what, cost.over_years), part)
                sharing.found[planting.pk, year].append(share)


def _places(household: Household, sharing: _Sharing) -> None:
    """What a place cost, over its years; without a day from the season in which it first
    served.
    """
    first: dict[int, int] = {}
    for place, year in sharing.by_place:
        first[place] = min(first.get(place, year), year)
    for cost in Cost.objects.of(household).filter(place__isnull=False):
        place = cost.place_id or 0
        begins = cost.day.year if cost.day else first.get(place)
        if begins is None:
            continue
        what = over_years(cost.what, cost.over_years)
        for year, part in enumerate(yearly_parts(cost.price_minor, cost.over_years), begins):
            if to := sharing.by_place.get((place, year)):
                sharing.give(what, part, to, [one.weight for one in to])
            elif year <= sharing.this_year:
                sharing.unshared.append(PlaceCost(place, year, what, part))


def _lots(household: Household, sharing: _Sharing) -> None:
    """Each planting bears the part of the packet it took; what is left in it is nobody's yet."""
    priced = SeedLot.objects.of(household).filter(price_minor__isnull=False, bought_count__gt=0)
    lots = {lot.pk: lot for lot in priced}
    sown: dict[int, dict[int, _Year]] = defaultdict(dict)
    for of_place in sharing.by_place.values():
        for one in of_place:
            if one.lot in lots and one.units:
                sown[one.lot].setdefault(one.pk, one)
    for pk, by_planting in sown.items():
        lot, to = lots[pk], [by_planting[key] for key in sorted(by_planting)]
        units = [float(one.units or 0) for one in to]
        left = max((lot.bought_count or 0) - sum(units), 0.0)
        price = lot.price_minor or 0
        sharing.give(f"from lot {lot.name}", price, to, [*units, left], is_first=True)


def _medium(household: Household, sharing: _Sharing) -> None:
    """Each medium is shared over so many uses, a season of the place being one;
    after those it is paid for.
    """
    fills: dict[int, list[Fill]] = defaultdict(list)
    fresh = Fill.objects.of(household).filter(price_minor__isnull=False, kind__in=FRESH_MEDIUM)
    for fill in fresh.select_related("mix").order_by("day", "pk"):
        fills[fill.place_id].append(fill)
    seasons: dict[int, set[int]] = defaultdict(set)
    for place, year in sharing.by_place:
        seasons[place].add(year)
    for (place, season), to in sharing.by_place.items():
        for fill in fills[place]:
            used = sorted(year for year in seasons[place] if date(year, 12, 31) >= fill.day)
            use = used.index(season) if season in used else fill.over_uses
            if use < fill.over_uses:
                part = yearly_parts(fill.price_minor or 0, fill.over_uses)[use]
                sharing.give(
                    f"medium, {fill}",
                    part,
                    to,
                    [one.weight for one in to],
                    is_first=fill.over_uses == 1,
                )


def has_costs(household: Household) -> bool:
    """Whether anything that money was paid for is noted at all."""
    priced = SeedLot.objects.of(household).filter(price_minor__isnull=False).order_by().values("pk")
    fills = Fill.objects.of(household).filter(price_minor__isnull=False).order_by().values("pk")
    return len(Cost.objects.of(household).order_by().values("pk").union(priced, fills)[:1]) > 0
