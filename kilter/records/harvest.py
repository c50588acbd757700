"""What came of each planting, and from how many plants:
the record that every later figure is reckoned from.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Mapping
from dataclasses import dataclass
from datetime import date

from django.db.models import Min, QuerySet

from kilter.core.growing.growth import CameThrough, CountEvent
from kilter.core.growing.medium import fill_of
from kilter.core.yields.bearing import part_lifted
from kilter.core.yields.costs import CostShare
from kilter.core.yields.harvest import BasketLine, Lift, harvest, of_year
from kilter.core.yields.lacks import Lack
from kilter.core.yields.plants import Counted, plants_of, shares_through
from kilter.core.yields.record import PlantingRecord
from kilter.core.yields.work import WorkShare
from kilter.people.models import Household
from kilter.records.kept import Keeping, kept_of
from kilter.records.nothing import unknown_of
from kilter.records.rows import FactRow, GroundFacts
from kilter.set_out.costs import costs_of
from kilter.set_out.models import PlantCount, Planting
from kilter.tending.work import Spent, shares_by_planting, together
from kilter.weigh_in.lifts import Lifts, basket_lines, lifts_of
from kilter.weigh_in.models import WeighIn

#: What costs a query of its own, and is asked for only where a figure needs it.
ALL_NEEDS = frozenset({"work", "cost", "lifts", "handling", "kept"})
NEEDS = {
    **{f"{unit}_per_{per}": "work" for unit in ("kg", "count") for per in ("minute", "water_l")},
    **{f"{unit}_per_money": "cost" for unit in ("kg", "count")},
    "days_to_first": "lifts",
    "share_lost": "kept",
    "days_bearing": "lifts",
}
#: What was not lifted by itself was lifted with the rest, or gave nothing: then the harvest is of
#: all plants.
ALL_IN = frozenset({Planting.Rest.LIFTED, Planting.Rest.NOTHING})


@dataclass(frozen=True, kw_only=True)
class Given:
    """What was lifted and put in, by planting."""

    lifts: Lifts
    counted: Mapping[int, Counted]
    began: Mapping[tuple[int, int], date]  #: first lift of what was counted, by year
    through: Mapping[
        Hashable, CameThrough
    ]  #: what share of those set out stood, where that was counted
    work: Mapping[int, tuple[WorkShare, ...]]
    costs: Mapping[tuple[int, int], tuple[CostShare, ...]]  #: by planting and year
    kept: Mapping[int, Keeping]
    unknown: Mapping[tuple[int, int], Lack]  #: by planting and year, why nobody knows what it gave
    baskets: Mapping[int, tuple[BasketLine, ...]]

    def lifts_of(self, row: FactRow) -> tuple[Lift, ...]:
        """A planting's lifts; of what stays over years those of the row's year."""
        lifts = self.lifts.get(row.pk, ())
        return of_year(lifts, row.season) if row.is_perennial else lifts

    def began_of(self, row: FactRow) -> date | None:
        """The first lift of what was counted; of what stays over years that of the row's year."""
        counted = self.counted.get(row.pk)
        return (
            self.began.get((row.pk, row.season))
            if row.is_perennial
            else counted.began
            if counted
            else None
        )

    def spent_of(self, row: FactRow) -> Spent:
        """Work and water it took; of what stays over years those of the row's year."""
        shares = self.work.get(row.pk, ())
        return together(
            share for share in shares if not row.is_perennial or share.year == row.season
        )

    def through_of(self, row: FactRow) -> CameThrough | None:
        """What share of like plantings stood; None for what was not set out this season."""
        is_like = not (row.is_volunteer or row.is_perennial)
        return self.through.get((row.crop_id, row.unit_kind)) if is_like else None


def given_of(
    household: Household, plantings: QuerySet[Planting], rows: list[FactRow], needs: frozenset[str]
) -> Given:
    """Read what was lifted, counted and put in; a fixed number of queries."""
    counted, began = _counted(household, {row.crop_id for row in rows})
    perennial = {row.pk for row in rows if row.is_perennial}
    lifts = lifts_of(household, plantings, perennial, is_by_day="lifts" in needs)
    return Given(
        lifts=lifts,
        unknown=unknown_of(household, rows, lifts),
        counted=counted,
        began=began,
        through=shares_through(counted.values()),
        work=shares_by_planting(household) if "work" in needs else {},
        costs=costs_of(household).of if "cost" in needs else {},
        kept=kept_of(household, {row.pk for row in rows}) if "kept" in needs else {},
        baskets=basket_lines(household),
    )


def _counted(
    household: Household, crops: set[int]
) -> tuple[dict[int, Counted], dict[tuple[int, int], date]]:
    """Every planting of these crops that was counted, and its first lift by year;
    two queries, one without counts.
    """
    events: dict[int, list[CountEvent]] = defaultdict(list)
    said: dict[int, tuple[tuple[int, str], int | None, bool]] = {}
    standing = PlantCount.objects.of(household).filter(
        planting__crop__in=crops, planting__struck_at=None
    )
    of_planting = ("crop_id", "unit_kind", "units", "is_perennial")
    columns = (
        "planting_id",
        "day",
        "kind",
        "count",
        *(f"planting__{name}" for name in of_planting),
    )
    for pk, day, kind, count, crop_id, unit_kind, units, is_perennial in standing.values_list(
        *columns
    ):
        events[pk].append(CountEvent(day, kind, count))
        said[pk] = (crop_id, unit_kind), units, is_perennial
    by_year = _began(household, events) if events else {}
    first: dict[int, date] = {}
    for (pk, _), day in by_year.items():
        first[pk] = min(first.get(pk, day), day)
    return {pk: Counted(*said[pk], events[pk], first.get(pk)) for pk in events}, by_year


def _began(household: Household, counted: Iterable[int]) -> dict[tuple[int, int], date]:
    """By year the first day of lifting of what was counted, thinnings apart; one query."""
    lines = WeighIn.objects.of(household).filter(
        planting__in=list(counted), is_thinning=False, turned_from=None
    )
    by_year = (
        lines.order_by().values("planting_id", "weighed_on__year").annotate(first=Min("weighed_on"))
    )
    return {
        (pk, year): day
        for pk, year, day in by_year.values_list("planting_id", "weighed_on__year", "first")
    }


def record_of(
    row: FactRow, lifts: tuple[Lift, ...], given: Given, ground: GroundFacts, *, is_small_food: bool
) -> PlantingRecord:
    """A planting as the core's record, from its lifts and what was given."""
    began, through = given.began_of(row), given.through_of(row)
    part, fills = ground.parts.get(row.part_id or 0), ground.fills.get(row.place_id)
    of_part = part.share_of(part.place) if part else None
    real_l = fill_of(fills, row.planted_on or row.finished_on).litres if fills else None
    spent, costs = given.spent_of(row), given.costs.get((row.pk, row.season))
    kept, counted = given.kept.get(row.pk), given.counted.get(row.pk)
    is_all_in = row.finished_on is not None and row.rest in ALL_IN
    found = harvest(lifts)
    plants = plants_of(row.units, row.units_pm, counted.events if counted else [], began, through)
    return PlantingRecord(
        ref=row.ref,
        units=row.units,
        units_sd=row.units_pm / row.units if row.units and row.units_pm else 0.0,
        plants=plants.number,
        plants_known_by=plants.known_by,
        plants_sd=plants.relative_sd,
        plants_lifted=None if is_all_in else part_lifted(found.plants_lifted, plants.number),
        seed_mass_mg=row.lot_mg,
        planted_on=row.planted_on,
        year_began_on=row.year_began_on,
        days_sd=row.days_sd,
        finished_on=row.finished_on,
        unknown=None if found.grades else given.unknown.get((row.pk, row.season)),
        is_year_of_life=row.is_perennial and row.is_whole_year,
        first_lift=found.first,
        last_lift=found.last,
        place_area_m2=row.area_m2,
        path_area_m2=row.path_area_m2,
        place_volume_l=row.volume_l if real_l is None else real_l,
        space_share=of_part if row.share is None else row.share * (of_part or 1.0),
        in_row_m=row.in_row_m,
        row_gap_m=row.row_gap_m,
        is_alone=row.pk not in ground.shared,
        is_small_food=is_small_food,
        minutes=spent.minutes,
        water_l=spent.water_l,
        cost_minor=sum(share.minor for share in costs) if costs else None,
        put_by_mg=kept.put_by_mg if kept else 0.0,
        lost_in_store_mg=kept.lost_mg if kept else 0.0,
        grades=found.grades,
        sizes=found.sizes,
        baskets=given.baskets.get(row.pk, ()),
    )
