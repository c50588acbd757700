"""A planting's own figures: by every measure, so far or in all, by day, and what a part lift promises."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.core.yields.measures import FIGURES, MEASURES, LeftOut, Measure, MeasuredYield, measure_yield
from kilter.core.yields.record import GradeTotal, expected_whole_mg, food_grades, spoilt_share
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.weigh_in.facts import PlantingFacts
from kilter.weigh_in.models import Fullness, Grade, WeighIn


@dataclass(frozen=True)
class Figure:
    """One measure: the yield by it, or why there is none."""

    measure: Measure
    found: MeasuredYield | None
    reason: str = ""


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


def figures_of(household: Household, planting: Planting, fact: PlantingFacts, today: date) -> Figures:
    """Reckon a planting's figures from its record and its lines; one query."""
    lines = WeighIn.objects.of(household).filter(planting=planting)
    if planting.is_perennial:
        lines = lines.filter(weighed_on__year=fact.season)
    columns = "weighed_on", "grade", "mass_mg", "count", "fullness", "turned_from"
    rows = list(lines.order_by("weighed_on", "pk").values_list(*columns))
    looked = [(count or 0, fullness) for _, _, _, count, fullness, _ in rows if fullness]
    food = food_grades(is_small_food=fact.record.is_small_food)
    by_day: dict[date, dict[str, GradeTotal]] = {}
    for day, grade, mass_mg, count, _, _ in rows:
        of_day = by_day.setdefault(day, {})
        of_day[grade] = of_day.get(grade, GradeTotal()).plus(mass_mg, count)
    days, so_far = [], 0
    labels = dict(Grade.choices)
    for day, grades in by_day.items():
        so_far += sum(total.mass_mg for grade, total in grades.items() if grade in food)
        named = tuple((labels[grade], grades[grade]) for grade in labels if grade in grades)
        days.append(DayLift(day, named, so_far))
    return Figures(
        tuple(_figure(fact, MEASURES[key], today) for key in FIGURES),
        tuple(days),
        expected_whole_mg(fact.record),
        spoilt_share(fact.record),
        (sum(n for n, f in looked if f == Fullness.GAPPY), sum(n for n, _ in looked)) if looked else None,
        fact.record.finished_on is None,
    )


def _figure(fact: PlantingFacts, measure: Measure, today: date) -> Figure:
    found = measure_yield(fact.record, measure.key, with_estimates=True, so_far=today)
    return Figure(measure, None, found.reason) if isinstance(found, LeftOut) else Figure(measure, found)
