"""A season's plantings once more: what each gave, what was decided of it, and planned again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.fit.problem import SLOTS
from kilter.core.growing.succession import Tenancy
from kilter.core.yields.record import food_so_far
from kilter.ground.models import Place
from kilter.look_back.models import Decision
from kilter.next_year.actions import saved_plan
from kilter.people import clock
from kilter.people.history import Actor, changing
from kilter.people.models import Change, Household
from kilter.plans.models import Plan, PlannedPlanting
from kilter.records.facts import facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.clearing import clearing_of, last_day
from kilter.set_out.families import SameFamily, family_among, stood_in
from kilter.set_out.models import Planting
from kilter.set_out.queries import Lane, family_of, lanes, with_all_names

#: A half-month, for days that are shifted.
DAYS_A_SLOT: Final = 365.25 / SLOTS


@dataclass(frozen=True, kw_only=True)
class Before:
    """Plantings alike of a season that is past."""

    lane: Lane
    mass_mg: float | None  #: of food; None where nothing is known
    count: float | None
    is_estimated: bool
    is_blinded: bool  #: a trial keeps back what it gave
    decisions: tuple[Decision, ...]
    family: SameFamily  #: where its family stood lately, of its own places
    start: int  #: half-months of the season's year
    end: int

    @property
    def key(self) -> str:
        return str(self.lane.first.pk)

    @property
    def place(self) -> Place | None:
        """Its place where it is one, which can be another."""
        return self.lane.first.place if len(self.lane.plantings) == 1 else None


@dataclass(frozen=True, kw_only=True)
class Again:
    """What is planned of plantings alike: how many in each place, from when, and where."""

    before: Before
    plants: int
    start: int
    place: Place | None


def before(household: Household, season: int) -> list[Before]:
    """The plantings of a season that may come again, those alike together."""
    today = clock.today(household)
    of_season = Planting.objects.of(household).filter(
        season=season, is_perennial=False, is_volunteer=False
    )
    found = list(with_all_names(of_season))
    kept_back = blinded_of(household)
    foods = {fact.pk: food_so_far(fact.record) for fact in facts(household, of_season)}
    clearing = clearing_of(household)
    ends = {one.pk: last_day(one.pk, one.finished_on, clearing) for one in found}
    decided = _decided(household, season)
    stood = stood_in(household, {one.place for one in found}) if found else []
    rows = []
    for lane in lanes(found, today):
        start = _slot(lane.planted.day if lane.planted else None, season)
        end = max(_slot(max(ends[one.pk] for one in lane.plantings), season), start)
        is_blinded = any(one.pk in kept_back for one in lane.plantings)
        gave = [foods[one.pk] for one in lane.plantings if one.pk in foods and not is_blinded]
        rows.append(
            Before(
                lane=lane,
                mass_mg=_sum(food.mass_mg for food in gave),
                count=_sum(food.count for food in gave),
                is_blinded=is_blinded,
                is_estimated=any(food.is_estimated for food in gave),
                decisions=tuple(one for one in decided if _is_about(one, lane.plantings)),
                family=_family(stood, lane, season + 1),
                start=start,
                end=end,
            )
        )
    return rows


def _family(stood: list[Tenancy], lane: Lane, year: int) -> SameFamily:
    """Where the family of a crop stood lately, of the places it stood in itself."""
    return family_among(
        [one for one in stood if one.start.year < year],
        family_of(lane.first.crop.name),
        [one.place for one in lane.plantings],
        year,
    )


def _sum(amounts: Iterable[float | None]) -> float | None:
    known = [one for one in amounts if one is not None]
    return sum(known) if known else None


def _slot(day: date | None, season: int) -> int:
    """The half-month of a day in a season's year; before it the first, after it the last."""
    if day is None or day.year < season:
        return 0
    return SLOTS - 1 if day.year > season else (day.month - 1) * 2 + (day.day > 15)


def _decided(household: Household, season: int) -> list[Decision]:
    return list(
        Decision.objects.of(household)
        .filter(season=season, aside="")
        .select_related("crop", "variety", "place")
    )


def _is_about(one: Decision, plantings: Iterable[Planting]) -> bool:
    """Whether a decision is about some of them: their crop, variety or place."""
    return any(
        (one.crop_id or one.variety_id or one.place_id)
        and one.crop_id in (None, planting.crop_id)
        and one.variety_id in (None, planting.variety_id)
        and one.place_id in (None, planting.place_id)
        for planting in plantings
    )


def plan_again(actor: Actor, plan: Plan, chosen: list[Again]) -> Change:
    """Write plantings into the plan, to stay as they are; what stands in it already is left."""
    rows = [one for again in chosen for one in _planned(actor.household, plan, again)]
    there = _there(plan)
    new = [row for row in rows if _key(row) not in there]
    with changing(actor, f"{len(new)} plantings are planned again for {plan.season}.") as recorder:
        saved_plan(recorder, plan)
        for row in new:
            recorder.save(row)
    return recorder.change


def _planned(household: Household, plan: Plan, again: Again) -> list[PlannedPlanting]:
    length = again.before.end - again.before.start
    made = []
    for one in again.before.lane.plantings:
        place = again.place or one.place
        made.append(
            PlannedPlanting(
                household=household,
                plan=plan,
                crop=one.crop,
                variety=one.variety,
                place=place,
                part=one.part if place == one.place else None,
                plants=again.plants,
                start=again.start,
                end=min(again.start + length, SLOTS - 1),
                is_pinned=True,
            )
        )
    return made


def _key(row: PlannedPlanting) -> tuple[int | None, ...]:
    return row.crop_id, row.variety_id, row.place_id, row.part_id, row.start


def _there(plan: Plan) -> set[tuple[int | None, ...]]:
    if plan.pk is None:
        return set()
    return {_key(row) for row in PlannedPlanting.objects.of(plan.household).filter(plan=plan)}
