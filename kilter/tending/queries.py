"""Jobs that are due, put together for many places at once; what happened where."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Final

from django.db.models import Q, QuerySet

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.care import (
    AHEAD_DAYS,
    Done,
    offers,
    repeat_due,
    times_due,
    weather_offers,
)
from kilter.core.handbook import care_rows
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.set_out.wording import name_places
from kilter.tending.models import SOW_AGAIN, Happening, Job, Repeat
from kilter.weather.queries import SiteSky

#: From so many times on it is told how often a job was missed (rule).
LEAST_TOLD: Final = 2
#: Further ahead than anybody plans.
A_LONG_TIME: Final = 3650


@dataclass(frozen=True, kw_only=True)
class Task:
    """One job for all that ask for it on one day for one reason."""

    job: str
    crop: str
    why: str
    due_on: date
    places: str
    targets: tuple[str, ...]  #: keys of what it is for, as the form of work done takes them
    repeat: Repeat | None = None  #: set by the household itself

    @property
    def sow_from(self) -> int | None:
        """The planting to be sown once more, where that is the job."""
        return self.repeat.planting_id if self.repeat and self.repeat.job == SOW_AGAIN else None


def tasks(
    household: Household,
    plantings: Sequence[Planting],
    skies: dict[int, SiteSky],
    today: date,
    ahead_days: int = AHEAD_DAYS,
) -> list[Task]:
    """What the handbook, the weather and the household itself ask for, soonest first;
    a fixed number of queries.
    """
    done = _done(household, plantings)
    grouped: dict[tuple[str, str, str, date], list[Planting]] = defaultdict(list)
    for planting in plantings:
        crop, mine = planting.crop.in_handbook, done[planting.pk]
        rows = care_rows().get(crop.name, ()) if crop else ()
        found = list(offers(planting.planted_on, rows, mine, today, ahead_days))
        sky = skies.get(planting.place.site_id)
        is_out = planting.planted_on is None or planting.planted_on <= today
        if sky is not None and is_out and not planting.place.is_covered:
            is_tender = crop is not None and crop.frost == "tender"
            found += weather_offers(
                sky.recent,
                sky.threat,
                mine,
                today,
                is_bed=planting.place.is_bed,
                is_tender=is_tender,
            )
        for offer in found:
            grouped[offer.job, planting.crop.name, offer.why, offer.due_on].append(planting)
    listed = [
        Task(
            job=job,
            crop=crop,
            why=why,
            due_on=due,
            places=name_places(group),
            targets=tuple(f"planting-{planting.pk}" for planting in group),
        )
        for (job, crop, why, due), group in grouped.items()
    ]
    listed += _repeating(household, today, ahead_days)
    return sorted(listed, key=lambda t: (t.due_on, t.crop, t.job))


def _open_repeats(household: Household) -> list[Repeat]:
    """Those that still ask for something: what is finished only to be sown again."""
    names = (
        "place",
        "planting__place__site",
        "planting__part",
        "planting__crop",
        "planting__variety",
    )
    return [
        repeat
        for repeat in Repeat.objects.of(household).select_related(*names)
        if repeat.target.struck_at is None
        and (
            repeat.planting is None
            or repeat.job == SOW_AGAIN
            or repeat.planting.finished_on is None
        )
    ]


def _repeating(household: Household, today: date, ahead_days: int) -> list[Task]:
    """What the household set itself;
    what has been lifted asks for nothing more but to be sown again.
    """
    repeats = _open_repeats(household)
    if not repeats:
        return []
    last = _last_done(household, repeats)
    listed = []
    for repeat in repeats:
        due = repeat_due(
            repeat.first_on, repeat.every_days, repeat.until, last.get(repeat.pk), today, ahead_days
        )
        if due is not None:
            by = today + timedelta(days=ahead_days if ahead_days > AHEAD_DAYS else 0)
            listed.append(_task(repeat, due, _missed(repeat, due, today, by)))
    return listed


def _task(repeat: Repeat, due: date, missed: str = "") -> Task:
    planting = repeat.planting
    crop, where = (planting.label, planting.where) if planting else ("", str(repeat.place))
    why = repeat.note or repeat.how_often
    return Task(
        job=repeat.job,
        crop=crop,
        why=f"{why}; {missed}" if missed else why,
        due_on=due,
        places=where,
        targets=(f"planting-{planting.pk}" if planting else f"place-{repeat.place_id}",),
        repeat=repeat,
    )


def _missed(repeat: Repeat, due: date, today: date, by: date) -> str:
    """How often it was missed, or will be by a day until which nobody has time."""
    times = times_due(due, repeat.every_days, by, repeat.until)
    if times < LEAST_TOLD:
        return ""
    return f"due {times} times by then" if by > today else f"missed {times} times"


def jobs_ahead(household: Household, today: date) -> list[Task]:
    """Jobs of the household's own that lie further ahead than what is asked for now, soonest
    first.
    """
    repeats = _open_repeats(household)
    last = _last_done(household, repeats) if repeats else {}
    found = []
    for repeat in repeats:
        done = last.get(repeat.pk)
        soon = repeat_due(repeat.first_on, repeat.every_days, repeat.until, done, today)
        ever = repeat_due(
            repeat.first_on, repeat.every_days, repeat.until, done, today, ahead_days=A_LONG_TIME
        )
        if soon is None and ever is not None:
            found.append(_task(repeat, ever))
    ahead = Job.objects.of(household).filter(day__gt=today, is_skipped=False)
    found += [
        Task(
            job=job.job,
            crop=job.planting.label if job.planting else "",
            why=job.note,
            due_on=job.day,
            places=str(job.planting.where if job.planting else job.target),
            targets=(),
        )
        for job in ahead.select_related(
            "site", "place", *(f"planting__{name}" for name in ("place", "part", "crop", "variety"))
        )
    ]
    return sorted(found, key=lambda task: (task.due_on, task.crop, task.job))


def _last_done(household: Household, repeats: Sequence[Repeat]) -> dict[int, date]:
    """When each was done or put aside last;
    sown again counts by what was sown of the same variety since.
    """
    of_planting, of_place = (
        {r.planting_id for r in repeats} - {None},
        {r.place_id for r in repeats} - {None},
    )
    jobs = list(
        Job.objects.of(household)
        .filter(
            Q(planting__in=of_planting) | Q(place__in=of_place), job__in={r.job for r in repeats}
        )
        .order_by()
        .values_list("job", "planting_id", "place_id", "day")
    )
    again = [r.planting for r in repeats if r.job == SOW_AGAIN and r.planting]
    sown = list(
        Planting.objects.of(household)
        .filter(crop__in={p.crop_id for p in again}, planted_on__isnull=False)
        .order_by()
        .values_list("pk", "crop_id", "variety_id", "planted_on")
    )
    found: dict[int, date] = {}
    for repeat in repeats:
        days = [
            day
            for job, p, place, day in jobs
            if (job, p, place) == (repeat.job, repeat.planting_id, repeat.place_id)
        ]
        if repeat.job == SOW_AGAIN and (mine := repeat.planting):
            same = [
                day
                for pk, *of, day in sown
                if pk != mine.pk and of == [mine.crop_id, mine.variety_id]
            ]
            days += [day for day in same if mine.planted_on is None or day > mine.planted_on]
        # What was done before the first time does not count as it, unless it was done a little
        # early.
        days = [day for day in days if (repeat.first_on - day).days < AHEAD_DAYS]
        if days:
            found[repeat.pk] = max(days)
    return found


def _done(household: Household, plantings: Sequence[Planting]) -> dict[int, list[Done]]:
    """Jobs noted for each planting or for its place while it stood."""
    places = {p.place_id for p in plantings}
    known = Job.objects.of(household).filter(
        Q(planting__in=[p.pk for p in plantings]) | Q(place__in=places)
    )
    rows = list(known.order_by().values_list("planting_id", "place_id", "job", "day"))
    found: dict[int, list[Done]] = {p.pk: [] for p in plantings}
    of_place: dict[int, list[Planting]] = defaultdict(list)
    for planting in plantings:
        of_place[planting.place_id].append(planting)
    for planting_id, place_id, job, day in rows:
        if planting_id is not None:
            found[planting_id].append(Done(job, day))
        for planting in of_place.get(place_id, ()):
            if planting.planted_on is None or day >= planting.planted_on:
                found[planting.pk].append(Done(job, day))
    return found


def happenings(household: Household) -> QuerySet[Happening]:
    """Everything that happened, latest first."""
    return Happening.objects.of(household).with_names()


def happened_to(household: Household, planting: Planting) -> QuerySet[Happening]:
    """What happened to a planting, or to its part, place or site while it stood."""
    hits = happened_to_each(household, [planting.pk]).get(planting.pk, [])
    return happenings(household).filter(pk__in=[one.pk for one in hits])


@dataclass(frozen=True)
class PlantingStay:
    """Where a planting stood, and when: what happened to it follows from that."""

    pk: int
    place_id: int
    part_id: int | None
    site_id: int
    start: date
    end: date

    def is_hit_by(self, one: Happening) -> bool:
        """Whether it happened to the planting, or to its part, place or site while it stood."""
        if one.planting_id is not None:
            return one.planting_id == self.pk
        lasted_into = one.day < self.start and one.until is not None and one.until >= self.start
        if not (self.start <= one.day <= self.end or lasted_into):
            return False
        if one.part is not None:
            return (
                one.part_id == self.part_id if self.part_id else one.part.place_id == self.place_id
            )
        return self.place_id == one.place_id or self.site_id == one.site_id


def happened_to_each(
    household: Household, plantings: Collection[int]
) -> dict[int, list[Happening]]:
    """What happened to each of many plantings; two queries, one where nothing ever happened."""
    known = list(Happening.objects.of(household).select_related("part"))
    if not known:
        return {}
    columns = (
        "pk",
        "place_id",
        "part_id",
        "place__site_id",
        "season",
        "planted_on",
        "planted_precision",
        "finished_on",
    )
    found = {}
    for pk, place, part, site, season, planted_on, precision, end in (
        Planting.objects.of(household).filter(pk__in=plantings).order_by().values_list(*columns)
    ):
        start = VagueDate(planted_on, precision).earliest if planted_on else date(season, 1, 1)
        stay = PlantingStay(pk, place, part, site, start, end or date(9999, 1, 1))
        if hits := [one for one in known if stay.is_hit_by(one)]:
            found[pk] = hits
    return found


def happened_in(household: Household, places: Iterable[int]) -> QuerySet[Happening]:
    """What happened in some places, their parts and what grew there."""
    within = list(places)
    return happenings(household).filter(
        Q(place__in=within) | Q(part__place__in=within) | Q(planting__place__in=within)
    )
