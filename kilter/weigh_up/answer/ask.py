"""A question answered from the household's records: every page, report,
file and command asks here.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from dataclasses import replace as with_changes
from functools import cached_property
from typing import Any

from kilter.core.compare import Comparison, Prior, compare
from kilter.core.compare.anova import Anova, anova
from kilter.core.compare.factorial import TwoFactor, compare_two
from kilter.core.errors import AliasedError, ComparisonError
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import Measure
from kilter.people import clock
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts
from kilter.set_out.blinding import Blinded, blinded_of
from kilter.weigh_up.answer.fairness import Fairness, fairness_of
from kilter.weigh_up.answer.reading import ForOne, Rows
from kilter.weigh_up.answer.spread import spread_here
from kilter.weigh_up.answer.units import Measured, units_of
from kilter.weigh_up.question.question import Question


@dataclass(frozen=True, kw_only=True)
class Answer:
    """A comparison with the plantings behind it, or why there is none."""

    question: Question
    words: Mapping[str, str]
    measure: Measure
    facts: dict[str, PlantingFacts]  #: those asked about, by ref
    known: tuple[PlantingFacts, ...]  #: all of these crops that the question could be about
    left_out: tuple[LeftOut, ...]
    blinded: Blinded | None = None  #: a trial whose plantings are kept back until all of it is in
    plants_known: Mapping[str, int] = field(
        default_factory=dict
    )  #: of how many units the plants are known how
    joined: Mapping[str, tuple[str, ...]] = field(
        default_factory=dict
    )  #: units that stand for several, by ref
    comparison: Comparison | None = None
    two: TwoFactor | None = None  #: where a second thing is compared too
    problem: str = ""
    aliased_with: tuple[str, ...] = ()  #: blocks to leave out for an answer that is not fair
    fairness: Fairness = field(default_factory=Fairness)  #: what else differed

    @property
    def suspect_ref(self) -> str:
        """The unit that the answer hangs on; empty where it hangs on none."""
        suspect = self.comparison.suspect if self.comparison else None
        return suspect.ref if suspect else ""

    @property
    def seasons(self) -> tuple[int, ...]:
        """The seasons that the answer speaks of: those of the two best,
        or where season is a block those both saw.
        """
        comparison = self.comparison
        if comparison is None or not comparison.pairs:
            return ()
        best = {comparison.pairs[0].a, comparison.pairs[0].b}
        shared = comparison.shared(self.words.get("season", "season"))
        seen = {self.facts[unit.ref].season for unit in comparison.units if unit.level in best}
        return tuple(sorted(season for season in seen if not shared or str(season) in shared))

    @cached_property
    def difference_scale(self) -> Anova | str:
        """The textbook analysis of variance of the same units with all differences,
        or why there is none.
        """
        return self._anova(with_differences=True)

    @cached_property
    def textbook(self) -> Anova | str:
        """Its table alone, which costs next to nothing."""
        return self._anova(with_differences=False)

    def _anova(self, *, with_differences: bool) -> Anova | str:
        if self.comparison is None:
            return self.problem
        names = [self.words[name] for name in self.question.attributes]
        of_compared = 1 + bool(self.question.second_factor)
        compared, blocks = names[:of_compared], names[of_compared:]
        units = self.comparison.units
        rates = [unit.amount / unit.exposure for unit in units]
        # the second thing compared is the last of the blocks
        columns = zip(*(unit.blocks for unit in units), strict=True)
        labels = {names[0]: [unit.level for unit in units]}
        labels |= {
            name: list(column)
            for name, column in zip(self.comparison.block_names, columns, strict=False)
        }
        terms: list[tuple[str, ...]] = [(block,) for block in blocks]
        terms += [(one,) for one in reversed(compared)]
        if len(compared) == 2:
            terms.append((compared[0], compared[1]))
        try:
            return anova(rates, labels, terms, with_differences=with_differences)
        except ComparisonError as error:
            return str(error)


def ask(
    household: Household,
    question: Question,
    words: Mapping[str, str],
    prior: Prior | None = None,
    *,
    is_plain: bool = False,
    read: Rows | None = None,
) -> Answer:
    """Answer a question; ``words`` are its attributes in words. What a trial keeps back is in no
    answer.

    ``is_plain`` reckons as the textbooks do: no place is supposed to be off, no other season is
    thought of. Whoever asks many questions reads all plantings once, with all that any question
    needs, and gives them as ``read``.
    """
    rows = read or ForOne(household)
    everything = rows.of_crops(question)
    known = question.asked_of(household, everything)
    blinded = blinded_of(household)
    measured = units_of(known, question, words, blinded, clock.today(household))
    if prior is None:
        others = [row for row in everything if row.pk not in blinded]
        prior = spread_here(question, others, measured.measures, rows)
    answer = Answer(
        question=question,
        words=words,
        measure=question.measure,
        facts={row.record.ref: row for row in known},
        known=known,
        left_out=measured.left_out,
        blinded=next((blinded[row.pk] for row in known if row.pk in blinded), None),
        plants_known=Counter(
            measure.plants_known_by
            for measure in measured.measures.values()
            if measure.plants_known_by
        ),
        joined=measured.joined,
    )
    return _compared(household, answer, measured, prior, is_plain=is_plain)


def _compared(
    household: Household, answer: Answer, measured: Measured, prior: Prior, *, is_plain: bool
) -> Answer:
    """Compare, and judge how fair that is."""
    question, words, units = answer.question, answer.words, list(measured.units)
    names, two = tuple(words[name] for name in question.within), None
    how: dict[str, Any] = {
        "block_names": names,
        "kind": question.kind,
        "is_count": answer.measure.is_count,
        "prior": prior,
        "is_plain": is_plain,
    }
    try:
        if question.second_factor:
            both = words[question.compare], words[question.second_factor]
            seconds = list(measured.seconds)
            two = compare_two(units, seconds, both, **how)
            comparison = two.first
        else:
            comparison = compare(units, **how)
    except AliasedError as error:
        wanted = {words[name]: name for name in (*question.within, question.second_factor) if name}
        aliased = tuple(wanted[name] for name in error.block_names if name in wanted)
        return with_changes(answer, problem=str(error), aliased_with=aliased)
    except ComparisonError as error:
        return with_changes(answer, problem=str(error))
    return with_changes(
        answer,
        comparison=comparison,
        two=two,
        left_out=(*answer.left_out, *comparison.left_out),
        fairness=fairness_of(household, comparison, question, words, answer.facts),
    )
