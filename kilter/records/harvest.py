"""What came of each planting, and from how many plants: the record that every later figure is reckoned from."""

from __future__ import annotations

import contextlib
import math
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from django.db.models import Min, QuerySet, Sum

from kilter.core.errors import RecordError
from kilter.core.growing.growth import CameThrough, CountEvent, Stood, came_through, stood_at
from kilter.core.growing.medium import fill_of
from kilter.core.yields.bearing import part_lifted
from kilter.core.yields.costs import CostShare
from kilter.core.yields.harvest import BasketLine, Harvest, Lift, harvest, of_year
from kilter.core.yields.record import KnownBy, PlantingRecord
from kilter.people.models import Household
from kilter.records.kept import Kept, kept_of
from kilter.records.rows import FactRow, Ground
from kilter.set_out.costs import costs_of
from kilter.set_out.models import PlantCount, Planting
from kilter.tending.models import Job
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
#: What was not lifted by itself was lifted with the rest, or gave nothing: then the harvest is of all plants.
ALL_IN = frozenset({Planting.Rest.LIFTED, Planting.Rest.NOTHING})
_Kind = tuple[int, str]  # a crop, and as what it was set out


class Plants(NamedTuple):
    """How many plants stood when the harvest began, and how that is known."""

    number: float | None
    known_by: KnownBy
    relative_sd: float


@dataclass(frozen=True)
class Given:
    """What was lifted and put in, by planting."""

    lifts: Lifts
    counts: Mapping[int, list[CountEvent]]
    began: Mapping[tuple[int, int | None], date]  #: first lift of what was counted; also by year
    through: Mapping[_Kind, CameThrough]  #: what share of those set out stood, where that was counted
    work: Mapping[int, tuple[float | None, float | None]]
    costs: Mapping[int, tuple[CostShare, ...]]
    kept: Mapping[int, Kept]
    baskets: Mapping[int, tuple[BasketLine, ...]]

    def lifts_of(self, row: FactRow) -> tuple[Lift, ...]:
        """A planting's lifts; of what stays over years those of the row's year."""
        lifts = self.lifts.get(row.pk, ())
        return of_year(lifts, row.season) if row.is_perennial else lifts


def given_of(household: Household, plantings: QuerySet[Planting], rows: list[FactRow], needs: frozenset[str]) -> Given:
    """Read what was lifted, counted and put in; a fixed number of queries."""
    counts, kinds = _counts(household, {row.crop_id for row in rows})
    began = _began(household, counts) if counts else {}
    return Given(
        lifts_of(household, plantings, {row.pk for row in rows if row.is_perennial}, is_by_day="lifts" in needs),
        counts,
        began,
        _through(counts, kinds, began),
        _work(household, plantings) if "work" in needs else {},
        costs_of(household, plantings) if "cost" in needs else {},
        kept_of(household, {row.pk for row in rows}) if "kept" in needs else {},
        basket_lines(household),
    )


def harvests(household: Household, plantings: QuerySet[Planting]) -> dict[int, Harvest]:
    """What came of each planting so far, with its days of lifting, without the rest of its record."""
    return {pk: harvest(lifts) for pk, lifts in lifts_of(household, plantings, is_by_day=True).items()}


class _Counted(NamedTuple):
    """What is known of a planting whose plants were counted."""

    kind: _Kind
    units: int | None
    is_perennial: bool


def _counts(household: Household, crops: set[int]) -> tuple[dict[int, list[CountEvent]], dict[int, _Counted]]:
    """Every count of these crops, and what was counted; one query."""
    counts: dict[int, list[CountEvent]] = defaultdict(list)
    kinds: dict[int, _Counted] = {}
    standing = PlantCount.objects.of(household).filter(planting__crop__in=crops, planting__struck_at=None)
    columns = (
        "planting_id",
        "day",
        "kind",
        "count",
        "planting__crop_id",
        "planting__unit_kind",
        "planting__units",
        "planting__is_perennial",
    )
    for pk, day, kind, count, crop_id, unit_kind, units, is_perennial in standing.values_list(*columns):
        counts[pk].append(CountEvent(day, kind, count))
        kinds[pk] = _Counted((crop_id, unit_kind), units, is_perennial)
    return counts, kinds


def _began(household: Household, counts: Iterable[int]) -> dict[tuple[int, int | None], date]:
    """The first day of lifting of what was counted, in all and by year, thinnings apart; one query."""
    lines = WeighIn.objects.of(household).filter(planting__in=list(counts), is_thinning=False, turned_from=None)
    first: dict[tuple[int, int | None], date] = {}
    by_year = lines.order_by().values("planting_id", "weighed_on__year").annotate(first=Min("weighed_on"))
    for pk, year, day in by_year.values_list("planting_id", "weighed_on__year", "first"):
        first[pk, year] = day
        first[pk, None] = min(first.get((pk, None), day), day)
    return first


def _through(
    counts: Mapping[int, list[CountEvent]],
    kinds: Mapping[int, _Counted],
    began: Mapping[tuple[int, int | None], date],
) -> dict[_Kind, CameThrough]:
    """By crop and what was set out: the share that stood, from those that were counted and stay one season."""
    pairs: dict[_Kind, list[tuple[int, int]]] = defaultdict(list)
    for pk, events in counts.items():
        of = kinds[pk]
        stood = _stood(of.units, events, began.get((pk, None)))
        if stood.is_counted and stood.plants is not None and of.units and not of.is_perennial:
            pairs[of.kind].append((stood.plants, of.units))
    found = {kind: came_through(known) for kind, known in pairs.items()}
    return {kind: share for kind, share in found.items() if share is not None}


def _stood(units: int | None, events: list[CountEvent], began: date | None) -> Stood:
    """Counts that contradict each other leave what was set out."""
    if not events:
        return Stood(units, is_counted=False)
    with contextlib.suppress(RecordError):
        return stood_at(units, events, began)
    return Stood(units, is_counted=False)


def plants_of(row: FactRow, given: Given) -> Plants:
    """The plants that stood when the harvest began: counted, reckoned from like plantings, or as set out."""
    key = row.pk, row.season if row.is_perennial else None
    stood = _stood(row.units, given.counts.get(row.pk, []), given.began.get(key))
    if stood.is_counted:
        return Plants(stood.plants, "counted", 0.0)
    if stood.plants is None:
        return Plants(None, "", 0.0)
    vague = row.units_pm / row.units if row.units and row.units_pm else 0.0
    through = None if row.is_volunteer or row.is_perennial else given.through.get((row.crop_id, row.unit_kind))
    if through is None:
        return Plants(stood.plants, "set out", vague)
    return Plants(stood.plants * through.share, "reckoned", math.hypot(vague, through.relative_sd))


def record_of(row: FactRow, given: Given, ground: Ground, *, is_small_food: bool) -> PlantingRecord:
    """A planting as the core's record."""
    part = ground.parts.get(row.part_id or 0)
    of_part = part.share_of(part.place) if part else None
    events = ground.fills.get(row.place_id)
    real_l = fill_of(events, row.planted_on or row.finished_on).litres if events else None
    minutes, water_l = given.work.get(row.pk, (None, None))
    costs = given.costs.get(row.pk)
    found, plants = harvest(given.lifts_of(row)), plants_of(row, given)
    kept = given.kept.get(row.pk)
    is_all_in = row.finished_on is not None and row.rest in ALL_IN
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
        first_lift=found.first,
        last_lift=found.last,
        place_area_m2=row.area_m2,
        path_area_m2=row.path_area_m2,
        place_volume_l=real_l or row.volume_l,
        space_share=of_part if row.share is None else row.share * (of_part or 1.0),
        in_row_m=row.in_row_m,
        row_gap_m=row.row_gap_m,
        is_alone=row.pk not in ground.shared,
        is_small_food=is_small_food,
        minutes=minutes,
        water_l=water_l,
        cost_minor=sum(share.minor for share in costs) if costs else None,
        put_by_mg=kept.put_by_mg if kept else 0.0,
        lost_in_store_mg=kept.lost_mg if kept else 0.0,
        grades=found.grades,
        baskets=given.baskets.get(row.pk, ()),
    )


def _work(household: Household, plantings: QuerySet[Planting]) -> dict[int, tuple[float | None, float | None]]:
    """Minutes and litres of water noted for each planting."""
    jobs = Job.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    summed = jobs.order_by().values("planting_id").annotate(s=Sum("seconds"), ml=Sum("water_ml"))
    return {
        row["planting_id"]: (
            None if row["s"] is None else row["s"] / 60,
            None if row["ml"] is None else row["ml"] / 1000,
        )
        for row in summed
    }
