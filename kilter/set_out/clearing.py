"""Until when plantings stand: one answer for every page, by `kilter.core.growing.clearing`."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from types import MappingProxyType
from typing import Any

from django.db.models import Prefetch

from kilter.core.growing.clearing import FINISHED, Clears, Frost, clears_on
from kilter.core.growing.climate import Climate
from kilter.core.growing.succession import Tenancy
from kilter.people import clock
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.set_out.models import PlantCount, Planting
from kilter.set_out.queries import family_of, window_of, with_all_names
from kilter.weather.climates import climates_of


def clearing_of(household: Household) -> Mapping[int, Clears]:
    """Of every planting that is not cleared; a fixed number of queries, none if nothing was
    written.
    """
    key = "clearing", household.pk, clock.today(household)
    return while_unchanged(key, lambda: _of_all(household))


def clears(planting: Planting, of_all: Mapping[int, Clears] = MappingProxyType({})) -> Clears:
    """Of one planting, by what was read of all of them."""
    if planting.finished_on is not None and not planting.is_left_in_ground:
        return Clears(planting.finished_on, FINISHED)
    known = of_all.get(planting.pk)
    return known or clearing_of(planting.household)[planting.pk]


def _of_all(household: Household) -> Mapping[int, Clears]:
    counts = Prefetch(
        "counts", PlantCount.objects.filter(struck_at=None), to_attr="standing_counts"
    )
    standing = Planting.objects.of(household).not_cleared()
    climates = climates_of(household)
    return MappingProxyType(
        {
            planting.pk: _clears(planting, climates)
            for planting in standing.with_names().prefetch_related(counts)
        }
    )


def _clears(planting: Planting, climates: Mapping[str, Climate]) -> Clears:
    site = planting.place.site
    due = window_of(planting, planting.planted_on) if planting.planted_on else None
    return clears_on(
        planting.season,
        due,
        planting.crop.in_handbook,
        until=planting.until,
        is_lasting=planting.is_perennial,
        frost=_frost(planting, climates.get(site.name)),
        is_southern=site.is_southern,
    )


def _frost(planting: Planting, climate: Climate | None) -> Frost | None:
    """The first frost it meets once it is out; none under glass."""
    if planting.planted_on is None or climate is None or planting.place.is_covered:
        return None
    return climate.frost_after(planting.planted_on)


def standing_on(household: Household, day: date) -> list[Planting]:
    """What stands in the ground on a day, of whatever season; what is past its day and not
    finished does too.
    """
    clearing = clearing_of(household)
    reach = Planting.objects.of(household).in_reach(day) | (
        Planting.objects.of(household).not_cleared()
    )
    return [
        planting
        for planting in with_all_names(reach)
        if planting.stands_on(day)
        or (planting.is_left_in_ground and not clearing[planting.pk].is_by(day))
    ]


#: What stays over years has no last day yet.
NO_END = date(2200, 12, 31)


def last_day(pk: int, finished_on: date | None, clearing: Mapping[int, Clears]) -> date:
    """The last day of a planting in its place: its end, or when that is expected to be free."""
    if pk in clearing:
        return clearing[pk].day or NO_END
    assert finished_on is not None
    return finished_on


def tenancies(household: Household, **filters: Any) -> list[Tenancy]:
    """Each planting's time in its place; one query, and those of `clearing_of`."""
    plantings = Planting.objects.of(household).filter(**filters).order_by()
    columns = "pk", "place_id", "crop__name", "season", "planted_on", "finished_on"
    clearing = clearing_of(household)
    found = []
    for pk, place_id, crop, season, start, end in plantings.values_list(*columns):
        start = start or date(season, 1, 1)
        last = last_day(pk, end, clearing)
        found.append(Tenancy(pk, place_id, crop, family_of(crop), start, max(last, start)))
    return found
