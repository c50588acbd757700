"""From a question to its answer: plantings to units, units to the core's comparison."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass

from django.db.models import Count

from kilter.core.compare import Comparison, Prior, Unit, compare
from kilter.core.errors import AliasedError, ComparisonError
from kilter.core.fairness import Imbalance
from kilter.core.measures import LeftOut, Measure, MeasuredYield, measure_named, measure_yield
from kilter.people.models import Household
from kilter.set_out.models import Crop, Planting
from kilter.weigh_in.facts import NEEDS, PlantingFacts, facts
from kilter.weigh_up.fairness import fairness_of
from kilter.weigh_up.questions import Question


@dataclass(frozen=True)
class Answer:
    """A comparison with the plantings behind it, or why there is none."""

    question: Question
    measure: Measure
    comparison: Comparison | None
    problem: str
    aliased_with: tuple[str, ...]  #: blocks to leave out for an answer that is not fair
    facts: dict[str, PlantingFacts]
    left_out: tuple[LeftOut, ...]
    fairness: tuple[Imbalance, ...] = ()  #: what else differed, worst first


def ask(household: Household, question: Question, words: dict[str, str], prior: Prior | None = None) -> Answer:
    """Answer a question from the household's records; ``words`` are its attributes in words."""
    measure = measure_named(question.by)
    needs = frozenset({"work", *([NEEDS[question.by]] if question.by in NEEDS else [])})
    known = facts(household, question.plantings(household), needs)
    rows = [row for row in known if question.is_about(row.season)]
    units, left_out = _units(rows, question, words)
    comparison: Comparison | None = None
    fairness: tuple[Imbalance, ...] = ()
    problem, aliased_with = "", tuple[str, ...]()
    try:
        names = tuple(words[name] for name in question.within)
        comparison = compare(units, block_names=names, is_count=measure.is_count, prior=prior)
        left_out += comparison.left_out
        fairness = fairness_of(comparison, question, words, {row.record.ref: row for row in rows})
    except AliasedError as error:
        wanted = {words[name]: name for name in question.within}
        problem, aliased_with = str(error), tuple(wanted[name] for name in error.block_names)
    except ComparisonError as error:
        problem = str(error)
    return Answer(
        question,
        measure,
        comparison,
        problem,
        aliased_with,
        {row.record.ref: row for row in rows},
        tuple(left_out),
        fairness,
    )


def first_question(household: Household) -> Question | None:
    """What to ask when nothing has been: the choice with most units in the latest finished season.

    A method in use is asked first, as it was tagged to be compared.
    """
    finished = Planting.objects.of(household).exclude(finished_on=None)
    names = "season", "crop_id", "variety_id", "methods__name", "methods__value"
    rows = finished.order_by().values_list(*names).annotate(units=Count("pk"))
    levels: dict[tuple[int, str, int], Counter[object]] = defaultdict(Counter)
    for season, crop_id, variety_id, name, value, units in rows:
        if variety_id:
            levels[crop_id, "variety", season][variety_id] += units
        if name:
            levels[crop_id, f"method:{name}", season][value] += units
    asked = [
        (season, compare != "variety", seen.total(), crop_id, compare)
        for (crop_id, compare, season), seen in levels.items()
        if len(seen) > 1
    ]
    if not asked:
        return None
    season, _, _, crop_id, compare_by = max(asked)
    crop = Crop.objects.of(household).get(pk=crop_id)
    within = ("variety",) if compare_by != "variety" and len(levels[crop_id, "variety", season]) > 1 else ()
    return Question(crop, compare_by, "kg_per_plant", within, (season,))


def _units(
    rows: list[PlantingFacts], question: Question, words: dict[str, str]
) -> tuple[list[Unit], tuple[LeftOut, ...]]:
    units, left_out = [], []
    for row in rows:
        labels = [row.attribute(name) for name in (question.compare, *question.within)]
        unknown = [
            (words[name], "is in doubt" if name in row.doubtful else "was not recorded")
            for name, label in zip((question.compare, *question.within), labels, strict=True)
            if label is None
        ]
        measured = measure_yield(row.record, question.by, with_estimates=question.with_estimates)
        if unknown:
            left_out.append(LeftOut(row.record.ref, " and ".join(f"its {word} {why}" for word, why in unknown)))
        elif isinstance(measured, MeasuredYield):
            level, *blocks = (label or "" for label in labels)
            units.append(
                Unit(
                    measured.ref, measured.amount, measured.exposure, level, tuple(blocks), measured.plants,
                    measured.vague_sd,
                )
            )  # fmt: skip
        else:
            left_out.append(measured)
    return units, tuple(left_out)
