"""When each crop of a plan is sown, planted out, lifted and eaten, and the jobs that go with it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.errors import KilterError
from kilter.core.growing.season import day_in, day_of_season
from kilter.core.handbook import HandbookCrop, Span
from kilter.core.plan.quantities import pots_in_rotation, sow_every_days
from kilter.core.plan.when import LeadJob, Sowing, When, steady_sowings, when_to_grow
from kilter.next_year.garden import Garden, what_is_due
from kilter.people.models import Household
from kilter.plans.models import PlannedCrop
from kilter.set_out.models import Crop

#: A job is told so many days before it begins.
DUE_DAYS = 7
LIFT = "lift"
#: Jobs that a planting of the season has done, where it is sown in one go.
BEGINS = frozenset({"sow", "plant", "sow under lights", "start slips"})
SOWN = frozenset({"seed", "seeds"})
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
        return min((one.lift_from for one in self.sowings if one.lift_from is not None), default=None)

    @property
    def last_lift(self) -> int | None:
        return max((one.lift_to for one in self.sowings if one.lift_to is not None), default=None)

    def on(self, day: int | None) -> date | None:
        return None if day is None else day_of_season(self.season, day)

    @property
    def frost_words(self) -> str:
        """How the frost day is known."""
        if self.when is None:
            return ""
        frost = self.when.last_frost
        return BASES[frost.basis].format(years=frost.years)


@dataclass(frozen=True)
class Job:
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
        return CropDates(shared.season, None, None, 0, "The handbook does not know this crop, so it says no dates.")
    climate = shared.climates.get(shared.site_of(crop))
    if climate is None:
        return CropDates(shared.season, None, None, 0, "Say where you grow: a site is needed for the dates.")
    habit = shared.habits.get(crop.pk)
    risk = (said.frost_risk or shared.plan.frost_risk) / 100
    weeks = min(said.weeks, book.weeks_at_table) if said.is_kept and not book.is_standing else said.weeks
    try:
        found = when_to_grow(
            book,
            climate,
            risk,
            days=_days_of(book, crop, shared),
            goes=said.sowings,
            is_raised=None if habit is None else habit.unit_kind not in SOWN,
            is_in_autumn=habit is not None and habit.is_in_autumn,
            weeks=weeks,
        )
    except KilterError as error:
        return CropDates(shared.season, None, None, 0, str(error))
    kept = float(said.weeks) if said.is_kept else 0.0
    if book.keep_weeks:
        kept = min(kept, book.keep_weeks)
    if book.is_standing:  # it stays in the ground until it is wanted
        kept = 0.0
    return CropDates(shared.season, found, _steady(book, said, shared.season), kept, found.problem)


def _days_of(book: HandbookCrop, crop: Crop, shared: Garden) -> Span | None:
    """The days of the variety that was grown last with most plants, where it says them; else the handbook's."""
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
        sown = steady_sowings(every, book.days.high, day_in(season, said.pull_from), day_in(season, said.pull_until))
    return Steady(plants, every, weeks, sown)


def jobs_of(crop: Crop, dates: CropDates) -> list[Job]:
    """Every job of one crop, with lifting, in the order of its days."""
    if dates.when is None:
        return []
    leads: list[LeadJob] = list(dates.when.jobs)
    if dates.steady and dates.steady.sown:
        leads = [job for job in leads if job.what != "sow"]
        leads += [LeadJob("sow", day, day + 3, "one of those in rotation") for day in dates.steady.sown]
    leads += [
        LeadJob(LIFT, one.lift_from, one.lift_to or one.lift_from) for one in dates.sowings if one.lift_from is not None
    ]
    found = [
        Job(
            crop, one.what, day_of_season(dates.season, one.from_day), day_of_season(dates.season, one.to_day), one.note
        )
        for one in leads
    ]
    return sorted(found, key=lambda job: (job.begins, job.what))


def due(household: Household, today: date) -> list[Job]:
    """Jobs of the plan whose week has come, but what is planted already; lifting is said elsewhere."""
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
            is_done = is_begun or (planted is not None and planted >= job.begins - timedelta(days=DUE_DAYS))
            if has_come and not is_done and job.what != LIFT:
                found.append(job)
    return sorted(found, key=lambda job: (job.begins, job.crop.name, job.what))


def by_week(jobs: Iterable[Job]) -> list[tuple[date, list[Job]]]:
    """Jobs by the Monday of the week in which they begin."""
    weeks: dict[date, list[Job]] = {}
    for job in sorted(jobs, key=lambda one: (one.begins, one.crop.name, one.what)):
        weeks.setdefault(job.begins - timedelta(days=job.begins.weekday()), []).append(job)
    return sorted(weeks.items())


def under_lights(pairs: Sequence[tuple[Crop, CropDates, int | None]]) -> list[tuple[date, date, Crop, int]]:
    """Who stands under lights from when until when, and with how many cells."""
    found = []
    for crop, dates, plants in pairs:
        for one in dates.sowings:
            if one.lights_from is not None and plants:
                cells = -(-plants // max(len(dates.sowings), 1))
                begins, ends = dates.on(one.lights_from), dates.on(one.ground_from)
                if begins is not None and ends is not None:
                    found.append((begins, ends, crop, cells))
    return sorted(found, key=lambda one: (one[0], one[2].name))
