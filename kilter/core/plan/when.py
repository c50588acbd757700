"""When to sow, plant, lift and keep a crop at a site, at the risk that the gardener takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.errors import PlanError
from kilter.core.growing.clearing import good_until
from kilter.core.growing.climate import EVEN, Climate
from kilter.core.growing.season import (
    ANY_YEAR,
    BASE_C,
    DayAtRisk,
    day_in,
    day_of_season,
    heat_between,
    latest_start,
    makes_it,
    still_from,
    warm_from,
)
from kilter.core.handbook import HandbookCrop, Span, care_rows

#: Days before planting out in which plants are hardened off (common practice, no source).
HARDEN_DAYS: Final = 8
#: Under lights for at least so long, where a crop is raised at all (rule).
LEAST_LIGHTS_DAYS: Final = 21
#: In the open for at least so long before the first lift (rule).
LEAST_OUT_DAYS: Final = 14
#: What ripens in autumn takes so many days longer where its heat is not known (common practice, no
#: source).
AUTUMN_SLOW_DAYS: Final = 14
#: Planted in autumn from so many days before the first frost to so many after (rule).
AUTUMN_BEFORE, AUTUMN_AFTER = 21, 28
#: What is sown in summer for autumn is sown within so many days before the last sensible one
#: (rule).
SUMMER_DAYS: Final = 35
#: The hardy still grow for so many days after the first frost (rule).
HARDY_DAYS: Final = 28
#: What stays over years is planted so many weeks before the last frost (rule).
PERENNIAL_WEEKS: Final = -4
MOST_SOWINGS: Final = 60
#: A variety is early or late if it takes as long as the first or last third of the crop's own range
#: (rule; that there are early, middle and late ones is common practice, no source).
EARLY_UNTIL, LATE_FROM = 1 / 3, 2 / 3
#: A sowing or planting is asked for within so many days (rule).
PLANT_WITHIN: Final = 14


@dataclass(frozen=True)
class Sowing:
    """One sowing or planting, in days of the season."""

    kind: str  #: ``spring``, ``summer``, ``autumn`` or ``again`` for a later one of the same
    ground_from: int  #: in the ground from this day
    ground_to: int  #: or up to this one at the latest
    lift_from: int | None
    lift_to: int | None
    lights_from: int | None = None  #: sown under lights on this day

    @property
    def begins(self) -> int:
        return self.ground_from if self.lights_from is None else self.lights_from


@dataclass(frozen=True)
class MakesIt:
    """In how many of a site's own years a crop would have had its heat and its time."""

    years: int
    of: int
    heat: float  #: degree days to the first lift
    base_c: float


@dataclass(frozen=True)
class LeadJob:
    """A job that goes before or with a planting."""

    what: str
    from_day: int
    to_day: int
    note: str = ""


@dataclass(frozen=True, kw_only=True)
class When:
    """All dates of a crop at a site, and what they rest on."""

    sowings: tuple[Sowing, ...]
    jobs: tuple[LeadJob, ...]
    last_frost: DayAtRisk
    first_frost: DayAtRisk
    last_sensible: int | None  #: latest day of sowing or planting that still ripens
    is_by_heat: bool  #: that comes from the heat of the site's own years; else from days
    warm: tuple[DayAtRisk, str] | None = None  #: warm enough from that day, by soil or air
    makes: MakesIt | None = None
    problem: str = ""


def when_to_grow(
    crop: HandbookCrop,
    climate: Climate,
    risk: float,
    *,
    days: Span | None = None,
    goes: int = 1,
    is_raised: bool | None = None,
    is_in_autumn: bool = False,
    weeks: float = 0,
) -> When:
    """Find when a crop is sown, planted out and lifted.

    Parameters
    ----------
    crop : HandbookCrop
        Its days, frost hardiness and weeks from the last frost.
    climate : Climate
        Of the site.
    risk : float
        Share of the years in which a frost may come after all.
    days : Span, optional
        Of the variety, to the first lift; the crop's own if not given.
    goes : int
        In so many goes, from the first day to the last sensible one.
    is_raised : bool, optional
        Raised under lights, or sown in its place; as the handbook does it if not given.
    is_in_autumn : bool
        Set in autumn, where the crop may be.
    weeks : float
        For so many weeks it is picked, or stands.

    Returns
    -------
    When
        Days of the season; without days to ripen, planting days only.

    Raises
    ------
    PlanError
        No or too many goes, or a risk that is none.

    Notes
    -----
    Weeks from the last frost at the risk taken (N9); the tender wait for warmth; the last sensible
    day is the latest from which the heat up to the frost reaches what the crop takes in spring
    here, in as many of the site's years as the risk leaves, or without a record the first frost
    less its days and a fortnight (`kilter.core.growing.season`).

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> found = when_to_grow(
    ...     handbook()["courgette"], Climate(stated_last=111, stated_first=288), 0.1, weeks=12
    ... )
    >>> (
    ...     found.last_frost.day,
    ...     found.sowings[0].ground_from,
    ...     found.sowings[0].lights_from,
    ...     found.sowings[0].lift_from,
    ... )
    (124, 138, 103, 178)
    """
    if not 1 <= goes <= MOST_SOWINGS:
        raise PlanError(f"In one go at least, and in {MOST_SOWINGS} at most.")
    days = days or crop.days
    last, first = climate.last_frost(risk), climate.first_frost(risk)
    warm = (
        warm_from(climate.years, crop.warm_c, EVEN)
        if crop.warm_c is not None and climate.years
        else None
    )
    plan = _Planner(crop, climate, days, weeks, is_raised)
    if crop.is_for_autumn or (is_in_autumn and crop.autumn_days):
        sowings: tuple[Sowing, ...] = (plan.autumn(),)
        return When(
            sowings=sowings,
            jobs=_jobs(crop, sowings),
            last_frost=last,
            first_frost=first,
            last_sensible=sowings[0].ground_to,
            is_by_heat=False,
        )
    earliest = plan.earliest(last, warm)
    if plan.stays:
        sowings = (Sowing("spring", earliest, earliest + HARDY_DAYS, None, None),)
        return When(
            sowings=sowings,
            jobs=_jobs(crop, sowings),
            last_frost=last,
            first_frost=first,
            last_sensible=None,
            is_by_heat=False,
            warm=warm,
        )
    latest, is_by_heat, makes, problem = plan.latest(earliest, first, risk)
    if crop.out_weeks is None and latest is not None:
        earliest = max(earliest, latest - SUMMER_DAYS)
    ends = max(earliest, earliest if latest is None else latest)
    kind = "summer" if crop.out_weeks is None else "spring"
    starts = np.linspace(earliest, ends, goes).round().astype(int) if goes > 1 else [earliest]
    sowings = tuple(
        plan.sowing(kind if i == 0 else "again", int(day), ends) for i, day in enumerate(starts)
    )
    return When(
        sowings=sowings,
        jobs=_jobs(crop, sowings),
        last_frost=last,
        first_frost=first,
        last_sensible=latest,
        is_by_heat=is_by_heat,
        warm=warm,
        makes=makes,
        problem=problem,
    )


@dataclass(frozen=True)
class _Planner:
    """What the dates of one crop at one site are reckoned from."""

    crop: HandbookCrop
    climate: Climate
    days: Span | None
    weeks: float
    is_raised: bool | None

    @property
    def is_tender(self) -> bool:
        return self.crop.frost == "tender"

    @property
    def stays(self) -> bool:
        """It stays over years, and bears by its own calendar."""
        return self.days is None or self.crop.is_lasting

    @property
    def base_c(self) -> float:
        return BASE_C[self.crop.frost]

    def earliest(self, last: DayAtRisk, warm: tuple[DayAtRisk, str] | None) -> int:
        """The first day in the open."""
        if self.crop.out_weeks is None:
            return last.day + 7 * (PERENNIAL_WEEKS if self.stays else 0)
        by_frost = last.day + 7 * self.crop.out_weeks
        return max(by_frost, warm[0].day) if warm and self.is_tender else by_frost

    @property
    def lights_days(self) -> int | None:
        """Days under lights; None for what is sown where it stays."""
        if self.crop.indoors_weeks is None:
            return None
        as_usual = self.crop.planted[0].is_started
        if not (as_usual if self.is_raised is None else self.is_raised):
            return None
        return max(7 * (self.crop.indoors_weeks + (self.crop.out_weeks or 0)), LEAST_LIGHTS_DAYS)

    def sowing(self, kind: str, day: int, ends: int) -> Sowing:
        """What follows from a day in the open."""
        assert self.days is not None
        lights = self.lights_days
        head_start = lights or 0 if self.crop.is_counted_from_sowing else 0
        lift_from = day + max(round(self.days.low) - head_start, LEAST_OUT_DAYS)
        return Sowing(
            kind,
            day,
            ends,
            lift_from,
            self.lift_to(day, lift_from),
            None if lights is None else day - lights,
        )

    def lift_to(self, day: int, lift_from: int) -> int:
        """Until when it is picked or stands."""
        assert self.days is not None
        if self.crop.is_standing:
            wanted = lift_from + max(round(7 * self.weeks), 7)
            window_ends = day_of_season(ANY_YEAR, day + round(self.days.high))
            good = good_until(self.crop, window_ends, is_southern=self.climate.is_southern)
            return wanted if good is None else min(wanted, day_in(ANY_YEAR, good))
        if self.crop.pick_every_days:
            picked = lift_from + max(round(7 * self.weeks), 14)
            frost = self.climate.first_frost(EVEN).day
            return max(min(picked, frost), lift_from) if self.is_tender else picked
        return max(day + round(self.days.high), lift_from)

    def autumn(self) -> Sowing:
        """Set in the autumn before its season."""
        frost = self.climate.first_frost(EVEN).day - 365
        span = self.crop.autumn_days or self.crop.days
        assert span is not None
        day, ends = frost - AUTUMN_BEFORE, frost + AUTUMN_AFTER
        return Sowing("autumn", day, ends, day + round(span.low), day + round(span.high))

    def ends(self, first: DayAtRisk) -> tuple[int, list[int]]:
        """By which day it must be ready: at the risk taken, and in each year on record."""
        if self.is_tender:
            return first.day, list(self.climate.frosts)
        still = None if self.climate.latitude is None else still_from(self.climate.latitude)
        if still is not None:
            return still, [still] * len(self.climate.years)
        return first.day + HARDY_DAYS, [frost + HARDY_DAYS for frost in self.climate.frosts]

    def latest(
        self, earliest: int, first: DayAtRisk, risk: float
    ) -> tuple[int | None, bool, MakesIt | None, str]:
        """The last sensible day, whether heat says so, and in how many years it makes it."""
        assert self.days is not None
        end, ends = self.ends(first)
        years = self.climate.years
        head_start = self.lights_days or 0 if self.crop.is_counted_from_sowing else 0
        takes = max(round(self.days.middle) - head_start, LEAST_OUT_DAYS)
        if not years or self.crop.is_standing:
            latest = end - takes - AUTUMN_SLOW_DAYS
            if self.crop.is_standing:  # frost does not end it
                return max(latest, earliest), False, None, ""
            return (
                latest,
                False,
                None,
                "" if latest >= earliest else "There is hardly time for it between the frosts.",
            )
        heat = float(
            np.median(heat_between(years, self.base_c, *self._usual_time(earliest, takes)))
        )
        share = max(1 - risk, 1 / len(years))
        latest_day = latest_start(years, self.base_c, heat, ends, share)
        made = makes_it(years, self.base_c, earliest, heat, ends)
        late = (
            ""
            if latest_day is not None and latest_day >= earliest
            else "It seldom has the heat it needs here."
        )
        return latest_day, True, MakesIt(made, len(years), heat, self.base_c), late

    def _usual_time(self, earliest: int, takes: int) -> tuple[int, int]:
        """When it usually grows: its days as the handbook counts them are those of a usual
        spring.
        """
        usual = (
            earliest
            if self.crop.out_weeks is None
            else self.climate.last_frost(EVEN).day + 7 * self.crop.out_weeks
        )
        return usual, usual + takes


def earliness(days: Span, crop: HandbookCrop) -> str:
    """Tell the class of earliness of a variety.

    Parameters
    ----------
    days : Span
        Of the variety, to the first lift.
    crop : HandbookCrop
        With the days that its varieties take.

    Returns
    -------
    str
        ``early``, ``middle`` or ``late``.

    Raises
    ------
    PlanError
        The handbook says no days of the crop.

    Notes
    -----
    Where the middle of its days lies in the crop's range, in thirds (Kilter's own, rule).

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> potato = handbook()["potato"]
    >>> earliness(Span(potato.days.low, potato.days.low), potato), earliness(potato.days, potato)
    ('early', 'middle')
    """
    if crop.days is None:
        raise PlanError(f"The handbook says no days of {crop.name}.")
    reach = crop.days.high - crop.days.low
    at = (days.middle - crop.days.low) / reach if reach else 0.5
    return "early" if at < EARLY_UNTIL else "late" if at > LATE_FROM else "middle"


def _jobs(crop: HandbookCrop, sowings: Sequence[Sowing]) -> tuple[LeadJob, ...]:
    """What goes before and with each sowing."""
    found = []
    for sowing in sowings:
        if sowing.lights_from is not None:
            word = "start slips" if crop.planted[0].key == "slip" else "sow under lights"
            found.append(LeadJob(word, sowing.lights_from, sowing.lights_from + 7))
            found.append(
                LeadJob("harden off", sowing.ground_from - HARDEN_DAYS, sowing.ground_from - 1)
            )
            until = min(
                sowing.ground_from + PLANT_WITHIN, max(sowing.ground_to, sowing.ground_from)
            )
            found.append(LeadJob("plant out", sowing.ground_from, until))
        else:
            word = "sow" if crop.planted[0].from_seed == "sown" else "plant"
            ends = (
                sowing.ground_to
                if sowing.kind == "autumn"
                else min(sowing.ground_from + PLANT_WITHIN, sowing.ground_to)
            )
            found.append(LeadJob(word, sowing.ground_from, max(ends, sowing.ground_from)))
        for row in care_rows().get(crop.name, ()):
            if row.from_day < 0:
                until = sowing.ground_from + (row.from_day if row.to_day is None else row.to_day)
                found.append(LeadJob(row.job, sowing.ground_from + row.from_day, until, row.note))
    return tuple(sorted(found, key=lambda job: (job.from_day, job.what)))


def steady_sowings(
    every_days: float, days_to_clear: float, pull_from: int, pull_until: int
) -> tuple[int, ...]:
    """List the days on which one after another is sown, so that something is ready all the time.

    Parameters
    ----------
    every_days : float
        From one sowing to the next (`kilter.core.plan.quantities.sow_every_days`).
    days_to_clear : float
        From sowing until it is pulled.
    pull_from, pull_until : int
        Days of the season between which it is to be pulled.

    Returns
    -------
    tuple of int
        Days of the season.

    Raises
    ------
    PlanError
        Days that are not above zero, or that run backwards.

    Notes
    -----
    The first is sown so that it is ready on the first day, the last so that it is ready by the
    last.

    Examples
    --------
    >>> steady_sowings(7.7, 77, 152, 180)
    (75, 83, 90, 98)
    """
    if every_days <= 0 or days_to_clear <= 0 or pull_until < pull_from:
        raise PlanError("Pulled from a day to a later one, with days above zero.")
    count = int((pull_until - pull_from) / every_days + 1e-9) + 1
    return tuple(round(pull_from - days_to_clear + i * every_days) for i in range(min(count, 400)))
