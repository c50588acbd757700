"""An answer as its page, report and files show it;
words and pictures are made only when they are asked for.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

from django.http import HttpRequest, QueryDict
from django.urls import reverse

from kilter.core.amounts.units import half_up
from kilter.core.compare import METHOD_VERSION, Comparison, LevelResult
from kilter.core.compare.factorial import TwoFactor
from kilter.core.yields.lacks import LeftOut, Remedy
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.weigh_up.answer.ask import Answer, ask
from kilter.weigh_up.answer.differed import Unfair, in_words, word_of
from kilter.weigh_up.answer.gap_words import NO_LIMIT, manner_of, spread_words
from kilter.weigh_up.answer.pictures import Pictures, pictures, rate_figure, rate_unit, rate_words
from kilter.weigh_up.answer.wording import (
    VERDICT_WORDS,
    Sentence,
    SettlingAnswer,
    depends,
    hangs_words,
    plants_words,
    prior_words,
    reconciled,
    sentence,
    settling,
    unseen_words,
)
from kilter.weigh_up.question.first import first_question
from kilter.weigh_up.question.forms import QuestionForm
from kilter.weigh_up.question.offers import OfferedGap, gaps
from kilter.weigh_up.question.question import Question

#: What can be taken away as a picture, in words.
PICTURES = {
    "balance": "The balance",
    "steelyard": "The steelyard",
    "blocks": "Blocks",
    "lines": "Lines",
}
#: So many of those left out are named on the page; all are in the figures (CSV).
MOST_LEFT_OUT = 200


class Level(NamedTuple):
    """One level with its figures as they are shown."""

    result: LevelResult
    mean: str
    low: str
    high: str
    plain: str


class PairRow(NamedTuple):
    """Two levels against each other with their figures as they are shown."""

    a: str
    b: str
    size: str
    low: str
    high: str
    chance: float
    verdict: str


class LeftOutRow(NamedTuple):
    """A planting that was left out, why, and how to put it in."""

    fact: PlantingFacts
    reason: str
    remedy: str = ""
    remedy_address: str = ""


class Combination(NamedTuple):
    """One combination of two things compared at once."""

    a: str
    b: str
    mean: str
    low: str
    high: str


@dataclass(frozen=True, kw_only=True)
class TwoWords:
    """Two things compared at once, in words."""

    first: str
    second: str
    second_sentence: Sentence
    depends: str
    combinations: tuple[Combination, ...]
    within: tuple[Any, ...]
    missing: tuple[Any, ...]


@dataclass(frozen=True)
class AnswerPage:
    """One answer to be shown."""

    form: QuestionForm
    answer: Answer
    system: str

    @property
    def comparison(self) -> Comparison:
        assert self.answer.comparison is not None
        return self.answer.comparison

    @cached_property
    def gaps(self) -> Mapping[str, OfferedGap]:
        return gaps(self.form, self.answer.question, self.answer.known)

    @property
    def address(self) -> str:
        return self.answer.question.address()

    @property
    def is_kept_back(self) -> bool:
        """There is no answer, as a trial keeps the harvests back."""
        return self.answer.blinded is not None and self.answer.comparison is None

    @property
    def unlike(self) -> list[str]:
        return self.form.unlike_words()

    @property
    def same_share(self) -> str:
        """What the mean of a level is of, in words."""
        names = self.comparison.block_names
        return (
            f"Each level, as if each had the same share of every {' and '.join(names)}"
            if names
            else "Each level"
        )

    @property
    def rate_unit(self) -> str:
        return rate_unit(self.answer.measure, self.system)

    @cached_property
    def sentence(self) -> Sentence:
        return sentence(self.comparison, manner_of(self.answer.measure), self.answer.seasons)

    @property
    def verdict(self) -> str:
        return VERDICT_WORDS[self.comparison.verdict]

    @property
    def settling(self) -> SettlingAnswer:
        return settling(self.comparison, manner_of(self.answer.measure))

    @property
    def prior(self) -> str:
        return prior_words(self.comparison)

    @property
    def method_version(self) -> int:
        return METHOD_VERSION

    @property
    def hangs(self) -> str:
        """On which one place the answer hangs, if on any."""
        ref = self.answer.suspect_ref
        if not ref:
            return ""
        fact = self.answer.facts[ref]
        return hangs_words(self.comparison, f"{fact.place} ({fact.season})")

    @property
    def without_suspect(self) -> str:
        """The address of the same question without the place that the answer hangs on."""
        question = self.answer.question
        return question.but(without=(*question.without, self.answer.suspect_ref)).address()

    @property
    def reconciled(self) -> str:
        """Why the textbook would say otherwise, where it would."""
        words, question = self.answer.words, self.answer.question
        return reconciled(self.comparison, self.answer.textbook, words[question.compare])

    @property
    def usual_words(self) -> str:
        """How much pots of the same thing differ here, and how that is known."""
        if self.comparison.prior.source == "rule" and self.comparison.prior.weight:
            return (
                "Until you have grown a thing twice side by side, Kilter assumes that pots differ "
                f"by about ±{self.usual_spread}"
            )
        return f"Pots of the same thing differ here by about ±{self.usual_spread} ({self.prior})"

    @property
    def usual_spread(self) -> str:
        return self._spread(self.comparison.usual_sd)

    @property
    def spread(self) -> str:
        return self._spread(self.comparison.unit_sd)

    def _spread(self, sd: float) -> str:
        levels = self.comparison.levels
        return spread_words(
            sd, self.comparison.kind, sum(level.mean for level in levels) / len(levels)
        )

    @property
    def pairs_in(self) -> str:
        """What a pair's figures are."""
        return {"ratio": "Ratio", "days": "Days more", "points": "More, of 100"}[
            self.comparison.kind.answered
        ]

    @property
    def unseen(self) -> list[str]:
        """Of each level that never stood in some block: that its mean there is reckoned,
        and its plain total.
        """
        return [
            unseen_words(level.result, level.plain) for level in self.levels if level.result.unseen
        ]

    @property
    def arc_words(self) -> str:
        """In what the balance's arc is, where it is not in times."""
        kind = self.comparison.kind.answered
        return {"days": "The arc is in days.", "points": "The arc: so many more of 100."}.get(
            kind, ""
        )

    @property
    def scale_words(self) -> str:
        """How the steelyard's bar is divided."""
        return "log scale" if self.comparison.kind.answered == "ratio" else "even scale"

    @property
    def pairs(self) -> list[PairRow]:
        return [
            PairRow(
                a=pair.a,
                b=pair.b,
                size=self._apart(pair.size),
                low=self._apart(pair.low),
                high=self._apart(pair.high),
                chance=pair.chance,
                verdict=pair.verdict,
            )
            for pair in self.comparison.pairs
        ]

    def _apart(self, said: float) -> str:
        kind = self.comparison.kind.answered
        if kind == "ratio" and said >= NO_LIMIT:
            return "no limit"
        return (
            str(half_up(said, 3))
            if kind == "ratio"
            else str(half_up(said, 1))
            if kind == "days"
            else str(half_up(said * 100, 1))
        )

    @property
    def plants_known(self) -> str:
        return plants_words(self.answer.plants_known)

    @property
    def unfair(self) -> list[Unfair]:
        return in_words(self.answer.fairness.unfair, self.answer.words, self.answer.facts)

    @property
    def goes_with(self) -> str:
        """What follows from what is compared by its nature, in one line."""
        return ", ".join(
            word_of(one.attribute, self.answer.words) for one in self.answer.fairness.goes_with
        )

    @cached_property
    def pictures(self) -> Pictures:
        return pictures(self.answer, self.system)

    @property
    def downloads(self) -> list[tuple[str, str]]:
        """The pictures that this answer has."""
        return [(name, words) for name, words in PICTURES.items() if self.pictures.named(name)]

    @cached_property
    def levels(self) -> list[Level]:
        return [
            Level(
                level,
                rate_words(level.mean, self.answer.measure, self.system),
                self._figure(level.low),
                "no limit"
                if level.high and level.high >= NO_LIMIT * level.mean
                else self._figure(level.high),
                self._figure(level.plain),
            )
            for level in self.comparison.levels
        ]

    @property
    def depends(self) -> str:
        return depends(self.answer.two) if self.answer.two else ""

    @property
    def two(self) -> TwoWords | None:
        return self._two(self.answer.two) if self.answer.two else None

    def _two(self, two: TwoFactor) -> TwoWords:
        measure = self.answer.measure
        return TwoWords(
            first=two.names[0],
            second=two.names[1],
            second_sentence=sentence(two.second, manner_of(measure), self.answer.seasons),
            depends=depends(two),
            combinations=tuple(
                Combination(
                    a,
                    b,
                    rate_words(mean, measure, self.system),
                    self._figure(low),
                    self._figure(high),
                )
                for a, b, mean, low, high in two.combinations
            ),
            within=tuple(
                (
                    one.inside,
                    one.a,
                    one.b,
                    *(self._apart(said) for said in (one.size, one.low, one.high)),
                )
                for one in two.within
            ),
            missing=two.missing,
        )

    def _figure(self, value: float | None) -> str:
        return "" if value is None else rate_figure(value, self.answer.measure, self.system)

    @property
    def left_out_count(self) -> int:
        return len(self.answer.left_out)

    @property
    def left_out(self) -> list[LeftOutRow]:
        return [self._left_out(out) for out in self.answer.left_out[:MOST_LEFT_OUT]]

    def _left_out(self, out: LeftOut) -> LeftOutRow:
        fact = self.answer.facts[out.ref]
        words, address = self._remedies(fact).get(out.lack.remedy, ("", ""))
        return LeftOutRow(fact, out.reason, words, address)

    def _remedies(self, fact: PlantingFacts) -> Mapping[Remedy, tuple[str, str]]:
        """What can be done about a reason: in words, and where."""
        asked = self.answer.question
        others = tuple(ref for ref in asked.without if ref != fact.record.ref)
        per_area = asked.by.replace("_per_plant", "_per_m2")
        remedies: dict[Remedy, tuple[str, str]] = {
            "put in": ("Put it in", f"?{asked.but(without=others).address()}"),
            "same date": (
                "Compare all up to the same date",
                f"?{asked.but(cut_off='date').address()}",
            ),
            "per area": ("Compare per square metre", f"?{asked.but(by=per_area).address()}"),
            "write down": ("Write it down", reverse("set_out:planting", args=[fact.pk])),
        }
        if not asked.with_estimates:
            remedies["with estimates"] = (
                "With estimates",
                f"?{asked.but(with_estimates=True).address()}",
            )
        return remedies

    @property
    def estimates_address(self) -> str:
        """The same question with, or again without, estimates; where that makes a difference."""
        asked = self.answer.question
        can_change = self.answer.measure.is_mass and any(
            total.estimated
            for fact in self.answer.facts.values()
            for total in fact.record.grades.values()
        )
        return asked.but(with_estimates=not asked.with_estimates).address() if can_change else ""

    @property
    def unfair_address(self) -> str:
        """The address of the same question without the blocks that cannot be told apart."""
        aliased, asked = self.answer.aliased_with, self.answer.question
        if not aliased:
            return ""
        within = tuple(name for name in asked.within if name not in aliased)
        second = "" if asked.second_factor in aliased else asked.second_factor
        return asked.but(within=within, second_factor=second, unlike=aliased).address()


def form_of(request: HttpRequest, household: Household) -> QuestionForm | None:
    """The question in an address, or the first one worth asking;
    None where there is nothing to ask yet.
    """
    data: QueryDict = request.GET
    if "compare" not in data:
        first = first_question(household)
        if first is None:
            return None
        data = QueryDict(first.address())
    return QuestionForm(data, household=household)


@dataclass(frozen=True)
class Unasked:
    """A question that cannot be asked as it stands: its sentence, to be put right."""

    question: Question
    gaps: Mapping[str, OfferedGap]


def unasked(household: Household, form: QuestionForm) -> Unasked | None:
    """The sentence of a form that is not valid; None where nothing was ever planted."""
    first = first_question(household)
    if first is None:
        return None
    question = form.as_far_as_it_can(first)
    rows = [
        row
        for row in facts(household, question.plantings(household))
        if question.is_about(row.season)
    ]
    offered = gaps(form, question, rows)
    problems = {name: " ".join(map(str, errors)) for name, errors in form.errors.items()}
    return Unasked(
        question,
        {name: replace(gap, problem=problems.get(name, "")) for name, gap in offered.items()},
    )


def page_of(request: HouseholdRequest, household: Household, form: QuestionForm) -> AnswerPage:
    """The answer to a form that is valid."""
    return AnswerPage(form, ask(household, form.question(), form.attributes), system_of(request))
