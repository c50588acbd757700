"""When each crop of a plan is sown, planted out, lifted and eaten, and the jobs that go with it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date, timedelta

from kilter.core.errors import KilterError
from kilter.core.growing.climate import Climate
from kilter.core.growing.season import day_in, day_of_season
from kilter.core.handbook import HandbookCrop, Span
from kilter.core.plan.quantities import pots_in_rotation, sow_every_days
from kilter.core.plan.when import (
    LeadJob,
    Sowing,
    When,
    earliness,
    steady_sowings,
    when_to_grow,
)
from kilter.core.trade.units import unit_kind
from kilter.next_year.garden import Garden, what_is_due
from kilter.next_year.need import weeks_of
from kilter.people.models import Household
from kilter.plans.models import Plan, PlannedCrop, PlannedPlanting, begins_words
from kilter.plans.queries import waiting_plantings
from kilter.set_out.models import Crop
from kilter.set_out.wording import name_together

#: A job is told so many days before it begins.
DUE_DAYS = 7
LIFT = "lift"
#: Jobs that a planting of the season has done, where it is sown in one go.
BEGINS = frozenset({"sow", "plant", "sow under lights", "start slips"})
#: Jobs that have a place.
PLANTED = frozenset({"sow", "plant", "plant out"})
#: As a gardener says how a day is known.
BASES = {
    "own": "from {years} years of frosts on record here",
    "average": "the average of {years} years on record here, give or take 10 days",
    "stated": "your average, give or take 10 days",
    "assumed": "assumed, as no frosts are known of this site",
}


@dataclass(frozen=True)
class Steady:
    """Something to pull all the time: how many in rotation, and when each is sown."""

    plants: int
    every_days: float
    weeks_to_clear: float
    sown: tuple[int, ...]  #: days of the season


@dataclass(frozen=True)
class CropDates:
    """All dates of one crop in a plan."""

    season: int
    when: When | None
    steady: Steady | None
    weeks_kept: float  #: from store, after the last lift
    problem: str = ""

    @property
    def sowings(self) -> tuple[Sowing, ...]:
        return self.when.sowings if self.when else ()

    @property
    def lift_day(self) -> int | None:
        """The first day of lifting."""
        return _first_lift(self.sowings)

    def on(self, day: int | None) -> date | None:
        """The date of a day of the season."""
        return None if day is None else self.date_of(day)

    def date_of(self, day: int) -> date:
        """The same of a day that there is."""
        return day_of_season(self.season, day)

    @property
    def frost_words(self) -> str:
        """How the frost day is known."""
        if self.when is None:
            return ""
        frost = self.when.last_frost
        return BASES[frost.basis].format(years=frost.years)


@dataclass(frozen=True)
class InTurn:
    """One variety set out on the crop's first day: how early it is, and when it is lifted."""

    variety: str
    earliness: str
    lifted: tuple[date, date]


@dataclass(frozen=True)
class DatedJob:
    """One job of the plan with the days in which it falls."""

    crop: Crop
    what: str
    begins: date
    ends: date
    note: str = ""


def dates_of(crop: Crop, said: PlannedCrop, shared: Garden) -> CropDates:
    """Find all dates of a crop at the site where it grows; what cannot be found says why."""
    book = crop.in_handbook
    if book is None:
        return CropDates(
            shared.season,
            None,
            None,
            0,
            "The handbook does not know this crop, so it says no dates.",
        )
    climate = shared.climates.get(shared.site_of(crop))
    if climate is None:
        return CropDates(
            shared.season, None, None, 0, "Say where you grow: a site is needed for the dates."
        )
    days = _days_of(book, crop, shared)
    try:
        found = _grown(book, said, shared, climate, days, said.weeks)
        weeks = weeks_of(said, _first_lift(found.sowings))  # until a day counts from the first lift
        found = _grown(book, said, shared, climate, days, weeks) if weeks != said.weeks else found
    except KilterError as error:
        return CropDates(shared.season, None, None, 0, str(error))
    kept = 0.0  # what may stand stays in the ground until it is wanted
    if said.is_kept and not book.is_standing:
        kept = float(weeks) if book.keep_weeks is None else min(float(weeks), book.keep_weeks)
    return CropDates(shared.season, found, _steady(book, said, shared.season), kept, found.problem)


def _grown(
    book: HandbookCrop,
    said: PlannedCrop,
    shared: Garden,
    climate: Climate,
    days: Span | None,
    weeks: int,
) -> When:
    """As it was grown here last."""
    habit = shared.habits.get(said.crop.pk)
    return when_to_grow(
        book,
        climate,
        (said.frost_risk or shared.plan.frost_risk) / 100,
        days=days,
        goes=said.sowings,
        is_raised=None if habit is None else unit_kind(habit.unit_kind).from_seed != "sown",
        is_in_autumn=habit is not None and habit.is_in_autumn,
        weeks=weeks if book.is_standing or not said.is_kept else min(weeks, book.weeks_at_table),
    )


def in_turn(said: PlannedCrop, shared: Garden) -> list[InTurn]:
    """Varieties that say their days, set out on one day: those lifted first stand first."""
    book, climate = said.crop.in_handbook, shared.climates.get(shared.site_of(said.crop))
    if book is None or book.days is None or climate is None:
        return []
    found = []
    for (crop, variety), days in shared.days.items():
        if crop != said.crop.pk:
            continue
        first = _grown(book, said, shared, climate, days, said.weeks).sowings[0]
        if first.lift_from is not None and first.lift_to is not None:
            lifted = (
                day_of_season(shared.season, first.lift_from),
                day_of_season(shared.season, first.lift_to),
            )
            found.append(InTurn(variety, earliness(days, book), lifted))
    return sorted(found, key=lambda one: (one.lifted, one.variety))


def _first_lift(sowings: Iterable[Sowing]) -> int | None:
    return min(
        (sowing.lift_from for sowing in sowings if sowing.lift_from is not None), default=None
    )


def _days_of(book: HandbookCrop, crop: Crop, shared: Garden) -> Span | None:
    """The days of the variety that was grown last with most plants, where it says them;
    else the handbook's.
    """
    habit = shared.habits.get(crop.pk)
    return shared.days.get((crop.pk, habit.variety), book.days) if habit else book.days


def _steady(book: HandbookCrop, said: PlannedCrop, season: int) -> Steady | None:
    """What is pulled so often, all the time."""
    if not (said.lifts_per_week and said.plants_per_lift and book.days):
        return None
    weeks = book.days.high / 7
    plants = pots_in_rotation(float(said.lifts_per_week), said.plants_per_lift, weeks)
    batches = pots_in_rotation(float(said.lifts_per_week), 1, weeks)
    every = sow_every_days(batches, weeks)
    sown: tuple[int, ...] = ()
    if said.pull_from and said.pull_until:
        sown = steady_sowings(
            every, book.days.high, day_in(season, said.pull_from), day_in(season, said.pull_until)
        )
    return Steady(plants, every, weeks, sown)


def jobs_of(crop: Crop, dates: CropDates) -> list[DatedJob]:
    """Every job of one crop, with lifting, in the order of its days."""
    if dates.when is None:
        return []
    leads: list[LeadJob] = list(dates.when.jobs)
    if dates.steady and dates.steady.sown:
        leads = [job for job in leads if job.what != "sow"]
        leads += [
            LeadJob("sow", day, day + 3, "one of those in rotation") for day in dates.steady.sown
        ]
    leads += [
        LeadJob(LIFT, sowing.lift_from, sowing.lift_to or sowing.lift_from)
        for sowing in dates.sowings
        if sowing.lift_from is not None
    ]
    found = [
        DatedJob(
            crop, lead.what, dates.date_of(lead.from_day), dates.date_of(lead.to_day), lead.note
        )
        for lead in leads
    ]
    return sorted(found, key=lambda job: (job.begins, job.what))


def due(household: Household, today: date) -> list[DatedJob]:
    """Jobs of the plan whose week has come, but what is planted already;
    lifting is said elsewhere.
    """
    shared = what_is_due(household)
    if shared is None:
        return []
    found = []
    for crop in shared.crops:
        said = shared.said.get(crop.pk)
        if said is None:
            continue
        habit = shared.habits.get(crop.pk)
        planted = habit.planted_on if habit and habit.season == shared.season else None
        for job in jobs_of(crop, dates_of(crop, said, shared)):
            has_come = job.begins < today + timedelta(days=DUE_DAYS) and job.ends >= today
            is_begun = planted is not None and job.what in BEGINS and said.sowings == 1
            is_done = is_begun or (
                planted is not None and planted >= job.begins - timedelta(days=DUE_DAYS)
            )
            if has_come and not is_done and job.what != LIFT:
                found.append(job)
    return told_where(
        sorted(found, key=lambda job: (job.begins, job.crop.name, job.what)),
        where_planned(shared.plan),
    )


def where_planned(plan: Plan) -> dict[int, str]:
    """By crop, where a fit that was taken has it, how many plants and from when:
    what is not set out yet.
    """
    by_crop: dict[int, dict[tuple[int, int], list[PlannedPlanting]]] = {}
    for planting in waiting_plantings(plan).order_by(
        "start", "place__site_id", "place__name", "place__number"
    ):
        by_crop.setdefault(planting.crop_id, {}).setdefault(
            (planting.start, planting.plants), []
        ).append(planting)
    return {
        crop: "; ".join(
            f"{name_together((one.place, one.where) for one in of)}: "
            f"{plants}{' each' if len(of) > 1 else ''}, {begins_words(start)}"
            for (start, plants), of in alike.items()
        )
        for crop, alike in by_crop.items()
    }


def plants_planned(plan: Plan) -> dict[int, int]:
    """By crop, the plants of a fit that was taken."""
    if plan.pk is None:
        return {}
    found: dict[int, int] = {}
    for crop, plants in (
        PlannedPlanting.objects.of(plan.household)
        .filter(plan=plan)
        .values_list("crop_id", "plants")
    ):
        found[crop] = found.get(crop, 0) + plants
    return found


def told_where(jobs: Iterable[DatedJob], where: Mapping[int, str]) -> list[DatedJob]:
    """Jobs with the places that the plan has, said once for each crop: at its first planting."""
    told, left = [], dict(where)
    for job in jobs:
        words = left.pop(job.crop.pk, "") if job.what in PLANTED else ""
        told.append(
            replace(job, note="; ".join(one for one in (job.note, words) if one)) if words else job
        )
    return told


def by_week(jobs: Iterable[DatedJob]) -> list[tuple[date, list[DatedJob]]]:
    """Jobs by the Monday of the week in which they begin."""
    weeks: dict[date, list[DatedJob]] = {}
    for job in sorted(jobs, key=lambda one: (one.begins, one.crop.name, one.what)):
        weeks.setdefault(job.begins - timedelta(days=job.begins.weekday()), []).append(job)
    return sorted(weeks.items())
