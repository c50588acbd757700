"""A planting's own figures: by every measure, so far or in all, by day,
and what a part lift promises.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.core.trade.grades import CHOICES, food_grades
from kilter.core.yields.harvest import GradeTotal, by_day
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import FIGURES, MEASURES, Measure, MeasuredYield, measure_yield
from kilter.core.yields.record import expected_whole_mg, spoilt_share
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts
from kilter.weigh_in.models import Fullness, WeighIn


@dataclass(frozen=True)
class Figure:
    """One measure: the yield by it, or why there is none."""

    measure: Measure
    found: MeasuredYield | None
    reason: str = ""

    @property
    def words(self) -> str:
        return self.measure.words


@dataclass(frozen=True)
class DayLift:
    """What was lifted on one day, and the food up to it."""

    day: date
    grades: tuple[tuple[str, GradeTotal], ...]
    food_mg: int  #: up to and with that day


@dataclass(frozen=True)
class Figures:
    """Everything that is reckoned of one planting."""

    by_measure: tuple[Figure, ...]
    days: tuple[DayLift, ...]
    expected: tuple[float, float] | None  #: milligrams of the whole and its SD, of a part lift
    spoilt: float | None
    gappy: tuple[int, int] | None  #: ears or pods gappy, of those looked at
    is_so_far: bool


def figures_of(household: Household, fact: PlantingFacts, today: date) -> Figures:
    """Reckon a planting's figures from its record and its lifts by day; one query."""
    record = fact.record
    food = food_grades(is_small_food=record.is_small_food)
    days, so_far = [], 0
    labels = dict(CHOICES)
    for day, grades in by_day(fact.lifts):
        so_far += sum(total.mass_mg for grade, total in grades.items() if grade in food)
        named = tuple((labels[grade], grades[grade]) for grade in labels if grade in grades)
        days.append(DayLift(day, named, so_far))
    return Figures(
        tuple(_figure(fact, MEASURES[key], today) for key in FIGURES),
        tuple(days),
        expected_whole_mg(record),
        spoilt_share(record),
        _gappy(household, fact),
        record.finished_on is None,
    )


def _gappy(household: Household, fact: PlantingFacts) -> tuple[int, int] | None:
    """Ears or pods that were gappy, of those looked at."""
    lines = WeighIn.objects.of(household).filter(planting=fact.pk).exclude(fullness="")
    if fact.is_perennial:
        lines = lines.filter(weighed_on__year=fact.season)
    looked = [(count or 0, fullness) for count, fullness in lines.values_list("count", "fullness")]
    return (
        (sum(n for n, f in looked if f == Fullness.GAPPY), sum(n for n, _ in looked))
        if looked
        else None
    )


def _figure(fact: PlantingFacts, measure: Measure, today: date) -> Figure:
    found = measure_yield(fact.record, measure.key, with_estimates=True, so_far=today)
    return (
        Figure(measure, None, found.reason)
        if isinstance(found, LeftOut)
        else Figure(measure, found)
    )
