"""From a question to its answer: plantings to units, units to the core's comparison."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from dataclasses import replace as with_changes
from functools import cached_property

from django.db.models import Count, QuerySet

from kilter.core.compare import Comparison, Prior, Unit, compare
from kilter.core.compare.anova import Anova, anova
from kilter.core.compare.factorial import TwoFactor, compare_two
from kilter.core.compare.fairness import Imbalance
from kilter.core.compare.replicates import own_prior
from kilter.core.errors import AliasedError, ComparisonError
from kilter.core.yields.bearing import as_of, common_cuts
from kilter.core.yields.measures import (
    NOT_FINISHED,
    LeftOut,
    Measure,
    MeasuredYield,
    known_alike,
    measure_named,
    measure_yield,
)
from kilter.core.yields.record import density_per_m2
from kilter.ground.models import Site
from kilter.people import clock
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.records.harvest import NEEDS
from kilter.set_out.models import Crop, Planting
from kilter.weigh_up.fairness import fairness_of
from kilter.weigh_up.questions import Question

LEFT_OUT_BY_HAND = "you left it out"
#: What makes two plantings the same thing, with their spacing and methods.
ALIKE = ("crop", "variety", "season", "site", "place_kind", "volume")
#: More plantings of other crops say nothing new of how pots of the same thing differ; the latest speak (rule).
ENOUGH_LIKE = 300
STILL_BEARING = NOT_FINISHED


@dataclass(frozen=True)
class Answer:
    """A comparison with the plantings behind it, or why there is none."""

    question: Question
    words: Mapping[str, str]
    measure: Measure
    facts: dict[str, PlantingFacts]  #: those asked about, by ref
    known: tuple[PlantingFacts, ...]  #: all of these crops that the question could be about
    left_out: tuple[LeftOut, ...]
    comparison: Comparison | None = None
    two: TwoFactor | None = None  #: where a second thing is compared too
    problem: str = ""
    aliased_with: tuple[str, ...] = ()  #: blocks to leave out for an answer that is not fair
    fairness: tuple[Imbalance, ...] = ()  #: what else differed, worst first

    @cached_property
    def difference_scale(self) -> Anova | str:
        """The textbook analysis of variance of the same units, or why there is none."""
        if self.comparison is None:
            return self.problem
        names = [self.words[name] for name in self.question.attributes]
        compared, blocks = names[: 1 + bool(self.question.also)], names[1 + bool(self.question.also) :]
        refs = [unit.ref for unit in self.comparison.units]
        rates = [unit.amount / unit.exposure for unit in self.comparison.units]
        labels = {
            word: [self.facts[ref].attribute(name) or "" for ref in refs]
            for name, word in zip(self.question.attributes, names, strict=True)
        }
        terms: list[tuple[str, ...]] = [(block,) for block in blocks]
        terms += [(one,) for one in reversed(compared)]
        if len(compared) == 2:
            terms.append((compared[0], compared[1]))
        try:
            return anova(rates, labels, terms)
        except ComparisonError as error:
            return str(error)


def ask(household: Household, question: Question, words: dict[str, str], prior: Prior | None = None) -> Answer:
    """Answer a question from the household's records; ``words`` are its attributes in words."""
    measure = measure_named(question.by)
    needs = {"work", "handling", *([NEEDS[question.by]] if question.by in NEEDS else [])}
    if question.upto or _is_picked(question):
        needs.add("lifts")
    plantings = question.plantings(household)
    everything = facts(household, plantings, frozenset(needs))
    site_names = _site_names(household, question)
    known = tuple(
        row
        for row in everything
        if question.is_about(row.season) and (not site_names or row.attributes["site"] in site_names)
    )
    rows = [row for row in known if row.record.ref not in question.without]
    rows, late = _as_of(household, question, rows)
    units, seconds, left_out = _units(rows, question, words)
    left_out = (*_by_hand(known, question), *late, *left_out)
    answer = Answer(question, words, measure, {row.record.ref: row for row in rows}, known, left_out)
    answer.facts.update({row.record.ref: row for row in known if row.record.ref not in answer.facts})
    if prior is None:
        prior = _own_prior(household, question, everything, {unit.ref for unit in units})
    return _compared(answer, units, seconds, prior)


def _compared(answer: Answer, units: list[Unit], seconds: list[str], prior: Prior) -> Answer:
    """Compare, and judge how fair that is."""
    question, words = answer.question, answer.words
    names, two = tuple(words[name] for name in question.within), None
    is_count = answer.measure.is_count
    try:
        if question.also:
            both = words[question.compare], words[question.also]
            two = compare_two(units, seconds, both, block_names=names, is_count=is_count, prior=prior)
            comparison = two.first
        else:
            comparison = compare(units, block_names=names, is_count=is_count, prior=prior)
    except AliasedError as error:
        wanted = {words[name]: name for name in (*question.within, question.also) if name}
        aliased = tuple(wanted[name] for name in error.block_names if name in wanted)
        return with_changes(answer, problem=str(error), aliased_with=aliased)
    except ComparisonError as error:
        return with_changes(answer, problem=str(error))
    return with_changes(
        answer, comparison=comparison, two=two, left_out=(*answer.left_out, *comparison.left_out),
        fairness=fairness_of(comparison, question, words, answer.facts),
    )  # fmt: skip


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
        if name and name not in ("trial", "block"):
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
    return Question((crop,), compare_by, "kg_per_plant", within, (season,))


def _site_names(household: Household, question: Question) -> set[str]:
    if not question.sites:
        return set()
    return set(Site.objects.of(household).filter(ref__in=question.sites).values_list("name", flat=True))


def _is_picked(question: Question) -> bool:
    """Whether these crops are picked again and again, so that it matters up to when."""
    books = [crop.in_handbook for crop in question.crops]
    return bool(books) and all(book is not None and book.pick_every_days for book in books)


def _as_of(
    household: Household, question: Question, rows: list[PlantingFacts]
) -> tuple[list[PlantingFacts], list[LeftOut]]:
    """The rows as they were on the day, or at the age, that all have reached; and those whose age is not known."""
    if not question.upto:
        return rows, []
    today = clock.today(household)
    seasons = {row.record.ref: row.season for row in rows}
    ahead = {row.record.ref for row in rows if row.record.finished_on is None and row.season > today.year}
    cuts = common_cuts([row.record for row in rows if row.record.ref not in ahead], seasons, question.upto, today)
    kept, late = [], []
    for row in rows:
        ref = row.record.ref
        if ref in ahead:
            late.append(LeftOut(ref, "its season has not begun"))
        elif ref in cuts:
            kept.append(with_changes(row, record=as_of(row.record, row.lifts, cuts[ref])))
        else:
            late.append(LeftOut(ref, "nobody wrote down when it was planted"))
    return kept, late


def _by_hand(known: Iterable[PlantingFacts], question: Question) -> list[LeftOut]:
    return [LeftOut(row.record.ref, LEFT_OUT_BY_HAND) for row in known if row.record.ref in question.without]


def _own_prior(household: Household, question: Question, rows: list[PlantingFacts], used: set[str]) -> Prior:
    """How much pots of the same thing differ here, from those that are not compared."""
    pool = like_units(rows, question, used)
    is_count = measure_named(question.by).is_count
    of_crop = own_prior(pool, is_count=is_count)
    if of_crop.source != "rule" or not question.crops:
        return of_crop if of_crop.source != "rule" else own_prior([], pool, is_count=is_count)
    others = Planting.objects.of(household).exclude(crop__in=question.crops).exclude(finished_on=None)
    since = _enough_since(others)
    if since is None:
        return own_prior([], pool, is_count=is_count)
    others = others.filter(season__gte=since)
    needs = frozenset([NEEDS[question.by]] if question.by in NEEDS else [])
    wider = like_units(facts(household, others.as_they_stand(), needs), question, used)
    return own_prior([], [*pool, *wider], is_count=is_count)


def _enough_since(plantings: QuerySet[Planting]) -> int | None:
    """The season since which there are enough of them, the earliest if there are not; None for none at all."""
    count, since = 0, None
    for season, inside in plantings.order_by("-season").values_list("season").annotate(Count("pk")):
        count, since = count + inside, season
        if count >= ENOUGH_LIKE:
            break
    return since


def like_units(rows: Iterable[PlantingFacts], question: Question, used: set[str]) -> list[Unit]:
    """Finished units with, as their level, what makes them the same thing."""
    found = []
    for row in rows:
        if row.record.ref in used or row.record.finished_on is None or row.doubtful:
            continue
        measured = measure_yield(row.record, question.by, grades=question.grades)
        if isinstance(measured, MeasuredYield):
            density = density_per_m2(row.record)
            spacing = None if density is None else f"{density:.2g}"
            same = [*(row.attributes[name] for name in ALIKE), spacing, *sorted(row.methods.items())]
            found.append(_unit(measured, repr(same), ()))
    return found


def _unit(measured: MeasuredYield, level: str, blocks: tuple[str, ...]) -> Unit:
    return Unit(
        measured.ref, measured.amount, measured.exposure, level, blocks, measured.plants, measured.vague_sd
    )  # fmt: skip


def _units(
    rows: list[PlantingFacts], question: Question, words: dict[str, str]
) -> tuple[list[Unit], list[str], tuple[LeftOut, ...]]:
    """Units with their levels and blocks, the second level of each, and what cannot be used with its reason."""
    labelled, measures, left_out = {}, [], []
    for row in rows:
        labels = [row.attribute(name) for name in question.attributes]
        measured = measure_yield(
            row.record, question.by, grades=question.grades, with_estimates=question.with_estimates
        )  # fmt: skip
        if None in labels:
            left_out.append(LeftOut(row.record.ref, _unknown(row, question, words)))
        elif isinstance(measured, MeasuredYield):
            labelled[measured.ref] = [label or "" for label in labels]
            measures.append(measured)
        else:
            left_out.append(measured)
    kept, unlike = known_alike(measures)
    units, seconds = [], []
    for measured in kept:
        level, *blocks = labelled[measured.ref]
        if question.also:
            seconds.append(blocks.pop(0))
        units.append(_unit(measured, level, tuple(blocks)))
    return units, seconds, (*left_out, *unlike)


def _unknown(row: PlantingFacts, question: Question, words: Mapping[str, str]) -> str:
    """Which of the attributes asked about were not recorded, or are in doubt."""
    return " and ".join(
        f"its {words[name]} {'is in doubt' if name in row.doubtful else 'was not recorded'}"
        for name in question.attributes
        if row.attribute(name) is None
    )
