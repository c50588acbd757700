"""What the plan learns from: what every crop gave, how it was last grown,
what hit its sites, how it was eaten.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass, replace
from datetime import date, timedelta
from functools import cached_property
from typing import TypeVar

from django.db.models import Q

from kilter.core.larder.lasting import GONE_MG
from kilter.core.plan.appetite import WeekEaten
from kilter.core.plan.effects import Grown, Planned
from kilter.core.plan.scenarios import SiteRisk
from kilter.core.trade.uses import EATEN
from kilter.core.yields.measures import MeasuredYield, measure_yield
from kilter.larder.ledger import Larder, StoreStep, larder
from kilter.larder.weeks import monday_of
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting
from kilter.set_out.queries import seasons_of
from kilter.tending.models import Happening
from kilter.tending.queries import happened_to_each
from kilter.weigh_up.question.first import OWN_TAGS

_Key = TypeVar("_Key", bound=Hashable)
#: So many plantings, the largest of the season it was last grown in, stand for how a crop is grown
#: (rule).
MOST_PLANNED = 8


@dataclass(frozen=True)
class FinishedPlanting:
    """One finished planting: how it was grown, what it gave, and what took how much of it."""

    season: int
    as_planned: Planned
    mass_kg: float
    harm: tuple[tuple[str, float], ...] = ()  #: each cause with the share lost to it
    is_estimated: bool = False  #: part of it was counted only

    @property
    def lost(self) -> float:
        return sum(share for _, share in self.harm)

    @property
    def per_plant_kg(self) -> float:
        return self.mass_kg / self.as_planned.plants


@dataclass(frozen=True)
class Worked:
    """What a plant of a crop took here, where it was noted."""

    minutes: float | None = None
    water_l: float | None = None
    cost_minor: float | None = None


@dataclass(frozen=True)
class CropRecord:
    """The record of one crop."""

    taken: tuple[FinishedPlanting, ...] = ()

    def before(self, season: int) -> CropRecord:
        """What was known of it before a season."""
        return CropRecord(tuple(one for one in self.taken if one.season < season))

    @property
    def seasons(self) -> list[int]:
        return sorted({one.season for one in self.taken})

    def of(self, season: int) -> list[FinishedPlanting]:
        """Its plantings of a season, those with most plants first."""
        return sorted(
            (one for one in self.taken if one.season == season),
            key=lambda one: -one.as_planned.plants,
        )

    @cached_property
    def grown(self) -> tuple[Grown, ...]:
        """Plantings that gave something;
        what lost all of it and still gave something was misjudged.
        """
        return tuple(
            Grown(
                variety=one.as_planned.variety,
                method=one.as_planned.method,
                place=one.as_planned.place,
                season=one.season,
                plants=one.as_planned.plants,
                mass_kg=one.mass_kg,
                loss=one.lost if one.lost < 1 else 0.0,
            )
            for one in self.taken
            if one.mass_kg > 0
        )

    @property
    def failed(self) -> int:
        """Plantings that gave nothing; what a setback took whole is in the setback."""
        return sum(one.mass_kg <= 0 and one.lost < 1 for one in self.taken)

    @cached_property
    def setbacks(self) -> tuple[SiteRisk, ...]:
        """What once took a share at a site: in how many seasons it came,
        and what share of the crop there it took.
        """
        plants: dict[tuple[str, int], float] = defaultdict(float)
        hit: dict[tuple[str, str], dict[int, float]] = defaultdict(lambda: defaultdict(float))
        for one in self.taken:
            plants[one.as_planned.site, one.season] += one.as_planned.plants
            for cause, share in one.harm:
                hit[one.as_planned.site, cause][one.season] += share * one.as_planned.plants
        found = []
        for (site, _), years in sorted(hit.items()):
            seasons = {season for at, season in plants if at == site}
            losses = tuple(
                min(took / plants[site, season], 1.0) for season, took in sorted(years.items())
            )
            found.append(SiteRisk(site, len(years), len(seasons - set(years)), losses))
        return tuple(found)

    @property
    def planned(self) -> tuple[Planned, ...]:
        """As it was last grown; a crop never grown here is planted in one place."""
        if not self.taken:
            return (Planned("", "", "", 10.0),)
        return tuple(one.as_planned for one in self.of(self.seasons[-1])[:MOST_PLANNED])


def _finished(household: Household) -> tuple[list[PlantingFacts], dict[int, int]]:
    """Finished plantings, what a blinded trial keeps back left out, and the crop of each."""
    finished = Planting.objects.of(household).filter(
        Q(finished_on__isnull=False) | Q(is_perennial=True)
    )
    kept_back = blinded_of(household)
    rows = facts(household, finished.order_by("pk"), frozenset({"work", "cost"}))
    return [row for row in rows if row.pk not in kept_back], dict(
        finished.order_by().values_list("pk", "crop_id")
    )


def worked(rows: Iterable[PlantingFacts], crop_of: dict[int, int]) -> dict[int, Worked]:
    """By crop: what a plant took, over the plantings where it was noted."""
    sums: dict[int, list[list[float]]] = defaultdict(lambda: [[0.0, 0.0] for _ in range(3)])
    for row in rows:
        took = row.record.minutes, row.record.water_l, row.record.cost_minor
        for pair, amount in zip(sums[crop_of[row.pk]], took, strict=True):
            if amount is not None and row.record.plants:
                pair[0] += amount
                pair[1] += row.record.plants
    return {
        crop: Worked(*(took / plants if plants else None for took, plants in of))
        for crop, of in sums.items()
    }


def past_and_work(household: Household) -> tuple[dict[int, CropRecord], dict[int, Worked]]:
    """What every finished planting gave, and what a plant took; read once while nothing is
    written.
    """

    def read() -> tuple[dict[int, CropRecord], dict[int, Worked]]:
        rows, crop_of = _finished(household)
        return _pasts(household, rows, crop_of), worked(rows, crop_of)

    return while_unchanged(("past", household.pk), read)


def _pasts(
    household: Household, rows: list[PlantingFacts], crop_of: dict[int, int]
) -> dict[int, CropRecord]:
    """What every finished planting gave in food, per plant that stood,
    as Weigh up measures it, by crop.
    """
    hits = happened_to_each(household, [row.pk for row in rows])
    crops = Crop.objects.ever_of(household).in_bulk(set(crop_of.values()))
    found: dict[int, list[FinishedPlanting]] = defaultdict(list)
    for row in rows:
        measured = _measured(row, crops[crop_of[row.pk]])
        if measured is not None and measured.exposure > 0:
            harm = [
                one for one in hits.get(row.pk, ()) if one.lost_share and one.day.year == row.season
            ]
            found[crop_of[row.pk]].append(_taken(row, measured, harm))
    return {crop: CropRecord(tuple(taken)) for crop, taken in found.items()}


def _measured(row: PlantingFacts, crop: Crop) -> MeasuredYield | None:
    """What a planting gave, in kilograms; what was counted and not weighed by what a piece weighs
    here, else by the handbook.
    """
    for with_estimates in (False, True):
        found = measure_yield(row.record, "kg_per_plant", with_estimates=with_estimates)
        if isinstance(found, MeasuredYield):
            return found
    pieces, book = measure_yield(row.record, "count_per_plant"), crop.in_handbook
    if isinstance(pieces, MeasuredYield) and book is not None and book.piece_kg is not None:
        return replace(pieces, amount=pieces.amount * book.piece_kg, is_estimated=True)
    return None


def _taken(row: PlantingFacts, measured: MeasuredYield, harm: list[Happening]) -> FinishedPlanting:
    method = "; ".join(
        f"{name}={value}" for name, value in sorted(row.methods.items()) if name not in OWN_TAGS
    )
    variety, site = row.attributes["variety"] or "", row.attributes["site"] or ""
    planned = Planned(variety, method, row.place, measured.exposure, site)
    causes = tuple(
        ((happening.what or happening.kind).lower(), happening.lost_share or 0.0)
        for happening in harm
    )
    amount = max(measured.amount, 0.0)
    return FinishedPlanting(row.season, planned, amount, causes, is_estimated=measured.is_estimated)


@dataclass(frozen=True)
class Stored:
    """What the larder knows: what was eaten week by week,
    and of each season what was lifted and how long it lasted.
    """

    eaten: dict[int, list[WeekEaten]]  #: by crop: each week in which some lay in store
    lifted_kg: dict[tuple[int, int], float]  #: by crop and season
    lasted_weeks: dict[
        tuple[int, int], int
    ]  #: by crop and season, of what lay in store and is gone
    lying_kg: dict[int, float]  #: by crop, in store now


def stored(household: Household, today: date) -> Stored:
    """Read the larder's ledger of all seasons."""
    found = larder(household, seasons_of(household, today.year))
    by_season = _weeks(found, lambda step: step.key)
    lasted = {
        key: len(weeks) for key, weeks in by_season.items() if weeks and not _lies(found, key)
    }
    lifted = {key: one.lifted_mg / 1e6 for key, one in found.of.items() if one.lifted_mg}
    lying: dict[int, float] = defaultdict(float)
    for step in found.steps:
        lying[step.key[0]] += step.mass_mg / 1e6
    there = {crop: kg for crop, kg in lying.items() if kg * 1e6 > GONE_MG}
    return Stored(_weeks(found, lambda step: step.key[0]), lifted, lasted, there)


def _lies(found: Larder, key: tuple[int, int]) -> bool:
    return sum(step.mass_mg for step in found.steps if step.key == key) > GONE_MG


def standing_in(household: Household, season: int) -> set[int]:
    """Crops of which something of a season is not finished yet."""
    there = Planting.objects.of(household).filter(season=season, finished_on=None)
    return set(there.order_by().values_list("crop_id", flat=True))


def kept_back_in(household: Household, season: int) -> set[int]:
    """Crops of which a blinded trial keeps back a planting of a season,
    so that its sum would tell.
    """
    pks = list(blinded_of(household))
    there = Planting.objects.of(household).filter(season=season, pk__in=pks)
    return set(there.order_by().values_list("crop_id", flat=True)) if pks else set()


def _weeks(found: Larder, of: Callable[[StoreStep], _Key]) -> dict[_Key, list[WeekEaten]]:
    """Weeks in which some lay in store, by crop or by crop and season."""
    came: dict[_Key, dict[date, int]] = defaultdict(lambda: defaultdict(int))
    eaten: dict[_Key, dict[date, int]] = defaultdict(lambda: defaultdict(int))
    for step in found.steps:
        came[of(step)][monday_of(step.day)] += step.mass_mg
        if step.what == EATEN:
            eaten[of(step)][monday_of(step.day)] -= step.mass_mg
    this_week = monday_of(found.today)
    return {key: list(_of_crop(of_weeks, eaten[key], this_week)) for key, of_weeks in came.items()}


def _of_crop(came: dict[date, int], eaten: dict[date, int], this_week: date) -> Iterable[WeekEaten]:
    """Weeks that are over, from the first in which something lay there."""
    week, lying = min(came), 0
    while week < this_week:
        there = lying + max(came.get(week, 0), 0) + eaten.get(week, 0)
        lying += came.get(week, 0)
        if there > GONE_MG:
            yield WeekEaten(eaten.get(week, 0) / 1e6, is_gone=lying <= GONE_MG, year=week.year)
        week += timedelta(weeks=1)
