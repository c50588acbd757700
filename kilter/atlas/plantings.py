"""One planting: when it was planted, when to lift, what was counted, what happened,
what it cost, what came of it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.growing.almanac import Moon, WeatherDay, degree_days, moon_on
from kilter.core.growing.growth import StandingPlants
from kilter.core.growing.ready import LiftWindow
from kilter.core.growing.whereabouts import Stay
from kilter.core.handbook import HandbookCrop, Sign, ripe_signs
from kilter.core.trade.grades import CHOICES
from kilter.core.yields.costs import CostShare
from kilter.core.yields.harvest import GradeTotal, harvest, of_year
from kilter.core.yields.record import PlantingRecord, area_m2, density_per_m2
from kilter.core.yields.work import WorkShare
from kilter.drawing.cumulative import CumulativeLine, cumulative_line
from kilter.ground.models import Move, stays_of
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.records.figures import Figures, figures_of
from kilter.records.harvest import ALL_NEEDS
from kilter.records.left import Standing, standing_now
from kilter.records.nothing import YearToSay, years_to_say
from kilter.set_out.blinding import Blinded, blinded_of
from kilter.set_out.costs import costs_of
from kilter.set_out.models import PlantCount, Planting
from kilter.set_out.queries import counts_of, may_stand, standing_of, window_of
from kilter.tending.models import Happening, Job, Photo, Repeat
from kilter.tending.queries import happened_to
from kilter.tending.work import shares_by_planting, together
from kilter.weather.models import Day
from kilter.weigh_in.models import Renaming, SinglePlant


@dataclass(frozen=True)
class YearOfLife:
    """What a lasting planting gave in one year, by grade."""

    year: int
    life: int
    grades: tuple[tuple[str, GradeTotal], ...]


@dataclass(frozen=True)
class Work:
    """Minutes and litres that a planting took: its own jobs, and its share of those on places."""

    jobs: tuple[Job, ...]
    shared: tuple[tuple[Job, WorkShare], ...]  #: jobs on its place and site, with what it bears
    minutes: float | None
    litres: float | None


@dataclass(frozen=True, kw_only=True)
class PlantingPage:
    """Everything of one planting."""

    planting: Planting
    fact: PlantingFacts
    record: PlantingRecord
    area_m2: float | None
    density: float | None
    window: LiftWindow | None
    state: str
    free: str  #: from when its place is, in words
    stands: Standing  #: what it has still to give, and from when its place is expected to be free
    age_days: int | None
    age_doubt: int
    standing: StandingPlants
    counts: tuple[PlantCount, ...]
    followers: tuple[Planting, ...]
    signs: tuple[Sign, ...]
    book: HandbookCrop | None
    stays: tuple[tuple[Stay, int], ...]  #: each with its days, where the place was moved
    happenings: tuple[Happening, ...]
    work: Work
    repeats: tuple[Repeat, ...]
    costs: tuple[CostShare, ...]
    cost_sum: float
    photos: tuple[Photo, ...]
    years: tuple[YearOfLife, ...]
    figures: Figures
    curve: CumulativeLine | None
    singles: tuple[SinglePlant, ...]
    renamings: tuple[Renaming, ...]
    moon: Moon | None
    gdd: float | None
    years_to_say: tuple[YearToSay, ...]  #: of which nothing is written
    blinded: Blinded | None  #: the trial that keeps its harvest back

    @property
    def has_disease(self) -> bool:
        """Whether a disease was noted of it."""
        return any(happening.kind == Happening.Kind.DISEASE for happening in self.happenings)


def _state(
    planting: Planting, record: PlantingRecord, window: LiftWindow | None, today: date
) -> str:
    """Growing, due or overdue, as Today says it: what may stand,
    or is being picked, is not overdue.
    """
    if window is None or planting.finished_on:
        return ""
    book = planting.crop.in_handbook
    is_bearing = (
        record.first_lift is not None and book is not None and book.pick_every_days is not None
    )
    state = window.state(today)
    return "due" if state == "overdue" and (is_bearing or may_stand(planting)) else state


def planting_page(household: Household, planting: Planting, today: date) -> PlantingPage:
    """Gather a planting's page; a fixed number of queries."""
    of_years = facts(
        household, Planting.objects.of(household).filter(pk=planting.pk), needs=ALL_NEEDS
    )
    fact = of_years[-1]
    window = window_of(planting, today)
    planted, book = planting.planted, planting.crop.in_handbook
    this = Planting.objects.of(household).filter(pk=planting.pk)
    costs = costs_of(household).of.get((planting.pk, fact.season), ())
    figures = figures_of(household, fact, today)
    kept = Photo.objects.of(household).filter(planting=planting)
    return PlantingPage(
        planting=planting,
        fact=fact,
        record=fact.record,
        area_m2=area_m2(fact.record),
        density=density_per_m2(fact.record),
        window=window,
        state=_state(planting, fact.record, window, today),
        stands=(stands := standing_now(household, this)[0]),
        free=stands.clears.words(today),
        age_days=(today - planted.day).days if planted else None,
        age_doubt=planted.half_days if planted else 0,
        standing=standing_of(planting),
        counts=tuple(counts_of(planting)),
        followers=tuple(Planting.objects.of(household).filter(kin=planting).with_names()),
        signs=ripe_signs().get(book.name, ()) if book else (),
        book=book,
        stays=_stays(household, planting, today),
        happenings=tuple(happened_to(household, planting)),
        work=_work(household, planting),
        repeats=tuple(Repeat.objects.of(household).filter(planting=planting)),
        costs=costs,
        cost_sum=sum(share.minor for share in costs),
        photos=tuple(kept),
        years=_years(planting, of_years),
        figures=figures,
        curve=cumulative_line([(lift.day, lift.food_mg / 1e6) for lift in figures.days], "kg"),
        singles=tuple(SinglePlant.objects.of(household).filter(planting=planting)),
        renamings=tuple(
            Renaming.objects.of(household).filter(planting=planting).select_related("was")
        ),
        moon=moon_on(planted.day)
        if household.is_moon_shown and planted and planted.is_exact
        else None,
        gdd=_gdd(household, planting, today),
        years_to_say=tuple(years_to_say(household, this)),
        blinded=blinded_of(household).get(planting.pk),
    )


def _stays(household: Household, planting: Planting, today: date) -> tuple[tuple[Stay, int], ...]:
    """Where the place stood while this grew in it, if it was moved at all."""
    moves = list(
        Move.objects.of(household).filter(place=planting.place).select_related("left_site")
    )
    if not moves:
        return ()
    first = planting.planted_on or date(planting.season, 1, 1)
    # The day of lifting is no day in the ground any more, so that these days sum to those in the
    # ground.
    last = max((planting.finished_on or today) - timedelta(days=1), first)
    laid = [(stay, stay.days_within(first, last)) for stay in stays_of(planting.place, moves)]
    return tuple((stay, days) for stay, days in laid if days)


def _work(household: Household, planting: Planting) -> Work:
    borne = {share.job: share for share in shares_by_planting(household).get(planting.pk, ())}
    of_places = Job.objects.of(household).filter(pk__in=borne, planting=None)
    spent = together(borne.values())
    return Work(
        tuple(Job.objects.of(household).filter(planting=planting)),
        tuple((job, borne[job.pk]) for job in of_places.select_related("place", "site")),
        spent.minutes,
        spent.water_l,
    )


def _years(planting: Planting, of_years: list[PlantingFacts]) -> tuple[YearOfLife, ...]:
    """What was lifted in each year, by grade."""
    lifts = [lift for fact in of_years for lift in fact.lifts]
    labels = dict(CHOICES)
    found = []
    for year in sorted({lift.day.year for lift in lifts if lift.day}):
        grades = harvest(of_year(lifts, year)).grades
        named = tuple(
            (labels[grade], grades[grade])
            for grade in labels
            if grade in grades and grades[grade].lines
        )
        found.append(YearOfLife(year, year - planting.season + 1, named))
    return tuple(found)


def _gdd(household: Household, planting: Planting, today: date) -> float | None:
    """Growing degree days since planting, where the site has a record of most of them."""
    if planting.planted_on is None:
        return None
    end = planting.finished_on or today
    days = (
        Day.objects.of(household)
        .seen(planting.place.site)
        .filter(day__gte=planting.planted_on, day__lte=end)
    )
    record: list[WeatherDay] = [day.plain for day in days]
    is_whole = len(record) >= 0.9 * max((end - planting.planted_on).days, 1)
    return degree_days(record) if record and is_whole else None
