"""A row per crop: what is needed, what one plant gives, how sure, how many plants,
what that takes, and its year.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from kilter.core.errors import KilterError
from kilter.core.plan.effects import Grown, Planned
from kilter.core.plan.forecast import OnePlant, forecast_one_plant, is_foretold
from kilter.core.plan.scenarios import Enough, SiteRisk
from kilter.drawing.chain import Marks, Times, YearStrip, marks, strip, year_calendar
from kilter.drawing.lanes import Calendar
from kilter.drawing.promise import Promise, promise
from kilter.look_back.decisions import DecisionStanding
from kilter.next_year.dates import CropDates, dates_of
from kilter.next_year.garden import Garden, Habit, garden
from kilter.next_year.need import Needed, needed_of
from kilter.next_year.needed import LastYear, last_year
from kilter.next_year.records import CropRecord
from kilter.next_year.takes import Takes, takes_of
from kilter.people.models import Household
from kilter.plans.models import Plan, PlannedCrop
from kilter.set_out.models import Crop

NEVER_SURE = (
    "However many are planted, too many years fail altogether for that: split it over more places "
    "or varieties, or be less sure."
)
HALF, EIGHTY = 50, 80
#: To sort by work and money together, a minute stands for so many of the smallest coin (rule).
MINUTE_MINOR = 10
_RestsOn = tuple[tuple[Grown, ...], tuple[Planned, ...], float | None, int, tuple[SiteRisk, ...]]
#: How rows may be sorted.
SORTS = {
    "name": "by name",
    "first": "what comes first",
    "short": "short last year",
    "costly": "work and money",
    "open": "undecided first",
}


@dataclass(frozen=True, kw_only=True)
class CropRow:
    """The chain of reasoning for one crop, left to right."""

    crop: Crop
    said: PlannedCrop
    needed: Needed
    one_plant: OnePlant | None
    at_half: int | None  #: plants to be 50 % sure
    at_eighty: int | None
    plants: int | None  #: as sure as wanted, by the rule, or by the gardener's own word
    sure: float | None  #: of so many plants: in what share of the years they give what is needed
    span_kg: (
        tuple[float, float, float] | None
    )  #: what they give in one year of ten, in the middle and in nine of ten
    expected_kg: float | None
    takes: Takes | None
    dates: CropDates
    last: LastYear | None
    decided: tuple[DecisionStanding, ...]  #: decisions of Look back that wait for the plan
    memory: tuple[str, ...]  #: what hit it, and how often
    calendar: Calendar  #: the year that it is drawn over
    price_minor: int | None = None  #: of a kilogram, in the smallest coin
    problem: str = ""

    @property
    def promise(self) -> Promise | None:
        """What one plant gives, drawn."""
        if (one := self.one_plant) is None:
            return None
        return promise(one.tenth_kg, one.median_kg, one.ninetieth_kg, one.own_share)

    @property
    def marks(self) -> Marks:
        """What each way says, drawn."""
        needed = self.needed
        return marks(needed.plate.table_kg, needed.own.table_kg, needed.rule.table_kg)

    @property
    def surplus_kg(self) -> float | None:
        """What is expected less what is to be lifted; below 0 where it is less."""
        if self.expected_kg is None or self.needed.lift_kg is None:
            return None
        return self.expected_kg - self.needed.lift_kg

    @property
    def more_kg(self) -> float | None:
        """How much more is expected than needed; None where it is no more."""
        return self.surplus_kg if self.surplus_kg is not None and self.surplus_kg > 0 else None

    @property
    def short_last_kg(self) -> float:
        """What was lacking last year of what is needed; 0 where nothing was."""
        return self.last.short_kg if self.last else 0.0

    @property
    def strip(self) -> YearStrip:
        """Its year, drawn."""
        dates = self.dates
        times = [
            Times(
                dates.on(sowing.lights_from),
                day,
                dates.on(sowing.lift_from),
                dates.on(sowing.lift_to),
            )
            for sowing in dates.sowings
            if (day := dates.on(sowing.ground_from)) is not None
        ]
        sown = [dates.date_of(day) for day in dates.steady.sown] if dates.steady else []
        if sown:
            times = [Times(None, sown[0], self.said.pull_from, self.said.pull_until)]
        return strip(self.calendar, times, dates.weeks_kept, sown)

    @property
    def comes_first(self) -> float:
        """How early it is thought of, by what the plan puts first: staples, what is dear,
        or as the gardener says.
        """
        kg = self.needed.lift_kg or 0.0
        by = {Plan.First.STAPLES: kg, Plan.First.DEAR: kg * (self.price_minor or 0)}
        return by.get(Plan.First(self.said.plan.first), float(self.said.weight))

    @property
    def begins(self) -> date | None:
        """The first day of the first sowing."""
        return self.dates.on(min((sowing.begins for sowing in self.dates.sowings), default=None))

    @property
    def lifts(self) -> date | None:
        """The first day of lifting."""
        return self.dates.on(self.dates.lift_day)

    @property
    def follows_sure(self) -> bool:
        """Whether its number follows how sure one wants to be."""
        by_word = self.said.own_plants is not None or self.needed.by == PlannedCrop.Way.RULE
        return self.one_plant is not None and bool(self.needed.lift_kg) and not by_word

    @property
    def is_open(self) -> bool:
        """Nobody said yet how much is wanted, or a decision waits."""
        return self.said.pk is None or bool(self.decided)


def rows(household: Household, plan: Plan | None = None) -> list[CropRow]:
    """All rows of a plan, by the names of their crops."""
    shared = garden(household, plan)
    return [row(crop, shared) for crop in shared.crops]


@dataclass(frozen=True)
class Sums:
    """What stands in the sentence over the rows."""

    short: int  #: crops that came short last time
    open: int
    metres_a_person: float | None


def sums(found: Sequence[CropRow]) -> Sums:
    """Add up some rows."""
    each = [one.takes.metres_a_person for one in found if one.takes and one.takes.metres_a_person]
    return Sums(
        sum(one.short_last_kg > 0 for one in found),
        sum(one.is_open for one in found),
        sum(each) if each else None,
    )


def _work_minor(row: CropRow) -> float:
    """What a row takes, its minutes reckoned in money."""
    if row.takes is None:
        return 0.0
    return (row.takes.minutes or 0.0) * MINUTE_MINOR + (row.takes.cost_minor or 0.0)


def sorted_rows(found: Iterable[CropRow], by: str) -> list[CropRow]:
    """Rows in the order asked for."""
    keys = {
        "first": lambda one: -one.comes_first,
        "short": lambda one: -one.short_last_kg,
        "costly": lambda one: -_work_minor(one),
        "open": lambda one: not one.is_open,
    }
    return sorted(found, key=lambda one: (keys[by](one) if by in keys else 0, one.crop.name))


def row(
    crop: Crop, shared: Garden, said: PlannedCrop | None = None, certainty: int | None = None
) -> CropRow:
    """One row, for what the plan says or for what is tried;
    what cannot be reckoned leaves the rest standing.
    """
    said = said or shared.words_for(crop)
    certainty = certainty or said.certainty
    one_plant, problem = foretold(crop, shared)
    dates = dates_of(crop, said, shared)
    needed = needed_of(crop, said, shared, one_plant, dates.lift_day)
    counts = (
        {} if one_plant is None else _enough(one_plant, needed.lift_kg, {HALF, EIGHTY, certainty})
    )
    plants = _plants(said, needed, one_plant, counts, certainty)
    if one_plant is not None and plants is None and needed.lift_kg is not None and not problem:
        problem = NEVER_SURE
    found = CropRow(
        crop=crop,
        said=said,
        needed=needed,
        one_plant=one_plant,
        at_half=counts.get(HALF),
        at_eighty=counts.get(EIGHTY),
        plants=plants,
        sure=None,
        span_kg=None,
        expected_kg=None,
        takes=None,
        dates=dates,
        last=last_year(crop, shared),
        decided=tuple(shared.decided.get(crop.pk, ())),
        memory=shared.memory.get(crop.pk, ()),
        calendar=year_calendar(shared.season, is_southern=shared.is_southern),
        price_minor=shared.prices.get(crop.pk),
        problem=problem or needed.chosen.problem,
    )
    return as_planned(found, plants, shared)


def as_planned(found: CropRow, plants: int | None, shared: Garden) -> CropRow:
    """A row with so many plants: what they take, how sure they are, what they give;
    as it is where it is not said.
    """
    if plants is None:
        return found
    one_plant, lift_kg = found.one_plant, found.needed.lift_kg
    takes = takes_of(
        found.crop, found.said, shared, plants, found.dates, spacing_of(found.crop, shared.habits)
    )
    if one_plant is None:
        return replace(found, plants=plants, takes=takes)
    low, middle, high = one_plant.span_kg(plants, 0.1, 0.5, 0.9)
    return replace(
        found,
        plants=plants,
        takes=takes,
        sure=None if lift_kg is None else one_plant.sure_of(lift_kg, plants),
        span_kg=(low, middle, high),
        expected_kg=float(one_plant.mean_kg * plants),
    )


def cold(shared: Garden) -> int:
    """How many forecasts are still to be reckoned for the rows of a plan."""
    return sum(not is_foretold(*_rests_on(crop, shared)) for crop in shared.crops)


def _rests_on(crop: Crop, shared: Garden) -> _RestsOn:
    past, book = shared.past.get(crop.pk, CropRecord()), crop.in_handbook
    return past.grown, past.planned, book.kg_per_plant if book else None, past.failed, past.setbacks


def foretold(crop: Crop, shared: Garden) -> tuple[OnePlant | None, str]:
    """What a plant will give, planted as it was last, or why nobody can tell."""
    try:
        return forecast_one_plant(*_rests_on(crop, shared)), ""
    except KilterError as error:
        return None, str(error)


def _enough(one_plant: OnePlant, lift_kg: float | None, sures: set[int]) -> dict[int, int]:
    """Plants for each certainty that can be had."""
    if lift_kg is None:
        return {}
    if lift_kg <= 0:
        return dict.fromkeys(sures, 0)
    found: dict[int, Enough | None] = {}
    for percent in sures:
        try:
            found[percent] = one_plant.enough(lift_kg, percent / 100)
        except KilterError:
            found[percent] = None
    return {percent: one.plants for percent, one in found.items() if one}


def _plants(
    said: PlannedCrop,
    needed: Needed,
    one_plant: OnePlant | None,
    counts: dict[int, int],
    certainty: int,
) -> int | None:
    """By the gardener's own word, by the rule of thumb, else as sure as wanted."""
    if said.own_plants is not None:
        return said.own_plants
    if needed.by == PlannedCrop.Way.RULE and needed.rule.plants is not None:
        beside = (
            math.ceil(needed.beside_kg / one_plant.median_kg - 1e-9)
            if one_plant and needed.beside_kg
            else 0
        )
        return needed.rule.plants + beside
    return counts.get(certainty)


def spacing_of(crop: Crop, habits: Mapping[int, Habit]) -> float | None:
    """The crop's own spacing in the row, as last planted; else the handbook's."""
    habit, book = habits.get(crop.pk), crop.in_handbook
    return (habit.in_row_m if habit else None) or (book.in_row_m if book else None)
