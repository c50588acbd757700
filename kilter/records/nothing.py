"""Where nothing is written of what is finished: whether it gave nothing, or nobody knows."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date
from typing import NamedTuple

from django.db.models import Q

from kilter.core.growing.lasting import NOTHING, UNWRITTEN, YOUNG, bears_in, year_of_life
from kilter.core.yields import lacks
from kilter.core.yields.lacks import Lack
from kilter.people import clock
from kilter.people.models import Household
from kilter.records.rows import FactRow
from kilter.set_out.models import Crop, PlantCount, Planting, PlantingQuerySet, YearSaid
from kilter.set_out.queries import standing_of, with_all_names
from kilter.tending.queries import happened_to_each
from kilter.weigh_in.lifts import Lifts
from kilter.weigh_in.models import WeighIn

#: What was set up to this month of its first year was set in spring (rule).
LAST_MONTH_OF_SPRING = 6


def unknown_of(
    household: Household, rows: Sequence[FactRow], lifts: Lifts
) -> dict[tuple[int, int], Lack]:
    """By planting and year, why nobody knows what it gave; what is not here and has no line gave
    nothing. A fixed number of queries, none where each has a line.

    It gave nothing where that was said, where all its plants died, where a setback took all, and
    what is no lasting crop also where another planting of the same crop and season was weighed or
    counted.
    """
    bare = [row for row in rows if row.finished_on is not None and _is_bare(row, lifts)]
    if not bare:
        return {}
    taken = _taken_whole(household, [row.pk for row in bare])
    lasting = [row for row in bare if row.is_perennial]
    others = [
        row
        for row in bare
        if not row.is_perennial
        and row.rest != Planting.Rest.NOTHING
        and (row.pk, row.season) not in taken
    ]
    return _years(household, lasting, taken) | _seasons(household, others)


def _is_bare(row: FactRow, lifts: Lifts) -> bool:
    mine = lifts.get(row.pk, ())
    if row.is_perennial:
        return not any(lift.day and lift.day.year == row.season for lift in mine)
    return not mine


def _taken_whole(household: Household, pks: Collection[int]) -> set[tuple[int, int]]:
    """Plantings with the years in which a setback took all of them."""
    hits = happened_to_each(household, pks)
    return {
        (pk, hit.day.year)
        for pk, of in hits.items()
        for hit in of
        if hit.lost_share is not None and hit.lost_share >= 1
    }


def _seasons(household: Household, rows: Sequence[FactRow]) -> dict[tuple[int, int], Lack]:
    if not rows:
        return {}
    lines = WeighIn.objects.of(household).filter(
        planting__crop__in={row.crop_id for row in rows},
        planting__season__in={row.season for row in rows},
        planting__is_perennial=False,
    )
    written = set(lines.order_by().values_list("planting__crop_id", "planting__season").distinct())
    alone = [row for row in rows if (row.crop_id, row.season) not in written]
    dead = _dead(household, [row.pk for row in alone]) if alone else set()
    return {(row.pk, row.season): lacks.NOT_WRITTEN for row in alone if row.pk not in dead}


def _dead(household: Household, pks: Sequence[int]) -> set[int]:
    """Of which no plant was left."""
    counted = PlantCount.objects.of(household).filter(planting__in=pks).values("planting")
    plantings = with_all_names(Planting.objects.of(household).filter(pk__in=counted))
    return {one.pk for one in plantings if standing_of(one).now == 0}


def _years(
    household: Household, rows: Sequence[FactRow], taken: set[tuple[int, int]]
) -> dict[tuple[int, int], Lack]:
    """Years of what stays over years in which nothing was lifted."""
    if not rows:
        return {}
    crops = Crop.objects.ever_of(household).in_bulk({row.crop_id for row in rows})
    said = said_nothing(household, {row.pk for row in rows}) | taken
    this_year = clock.today(household).year
    found = {}
    for row in rows:
        state = year_of_life(
            row.season,
            this_year,
            share_in(crops[row.crop_id], row.first_season, row.season, row.planted_on),
            is_lifted=False,
            is_said_nothing=(row.pk, row.season) in said,
        )
        if state != NOTHING:
            found[row.pk, row.season] = lacks.TOO_YOUNG if state == YOUNG else lacks.NOT_WRITTEN
    return found


def said_nothing(household: Household, pks: set[int]) -> set[tuple[int, int]]:
    """Plantings with the years of which somebody said that they gave nothing."""
    nothing = Q(came=YearSaid.Came.NOTHING, planting__in=pks)
    return set(
        YearSaid.objects.of(household).filter(nothing).order_by().values_list("planting_id", "year")
    )


def share_in(crop: Crop, season: int, year: int, day: date | None) -> float:
    """What of a full year something that stays over years bears in a year, by the day it was
    planted.
    """
    book = crop.in_handbook
    is_spring = day is not None and day.year == season and day.month <= LAST_MONTH_OF_SPRING
    return bears_in(book, year - season + 1, is_set_in_spring=is_spring) if book else 1.0


class YearToSay(NamedTuple):
    """A year of a lasting planting, after its first lift, of which nothing was written or said."""

    planting: Planting
    year: int


def years_to_say(household: Household, plantings: PlantingQuerySet) -> list[YearToSay]:
    """Each year of some plantings that is to be asked about; a fixed number of queries, one where
    none stays over years.
    """
    lasting = list(plantings.filter(is_perennial=True).with_names())
    if not lasting:
        return []
    lines = WeighIn.objects.of(household).filter(planting__in=lasting).order_by()
    lifted = set(lines.values_list("planting_id", "weighed_on__year").distinct())
    said = YearSaid.objects.of(household).filter(planting__in=lasting).order_by()
    answered = set(said.values_list("planting_id", "year")) | _taken_whole(
        household, [one.pk for one in lasting]
    )
    this_year = clock.today(household).year
    found = []
    for one in lasting:
        first = min((year for pk, year in lifted if pk == one.pk), default=this_year)
        last = min(one.finished_on.year if one.finished_on else this_year, this_year - 1)
        for year in range(first + 1, last + 1):
            share = share_in(one.crop, one.season, year, one.planted_on)
            is_lifted = (one.pk, year) in lifted
            state = year_of_life(year, this_year, share, is_lifted=is_lifted)
            if state == UNWRITTEN and (one.pk, year) not in answered:
                found.append(YearToSay(one, year))
    return found
