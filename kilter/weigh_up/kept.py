"""Questions that the household keeps, with their answers of today."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import QueryDict

from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.queries import seasons_of
from kilter.weigh_up.answering import hidden_trial
from kilter.weigh_up.models import KeptQuestion
from kilter.weigh_up.queries import ask
from kilter.weigh_up.questions import QuestionForm
from kilter.weigh_up.wording import VERDICT_WORDS, manner_of, sentence

#: So many pinned questions find room on the front.
PINNED_SHOWN = 6


@dataclass(frozen=True)
class Kept:
    """A kept question and what the records answer today."""

    question: KeptQuestion
    answer: str
    verdict: str


def pinned_questions(household: Household) -> list[KeptQuestion]:
    """Those on the front."""
    return list(KeptQuestion.objects.of(household).filter(is_pinned=True)[:PINNED_SHOWN])


def kept_questions(household: Household) -> list[Kept]:
    """All of them, answered anew."""
    seasons = seasons_of(household, clock.today(household).year)
    return [_kept(household, question, seasons) for question in KeptQuestion.objects.of(household)]


def _kept(household: Household, question: KeptQuestion, seasons: list[int]) -> Kept:
    form = QuestionForm(QueryDict(question.address), household=household, seasons=seasons)
    if not form.is_valid():
        return Kept(question, "What it asks about is no longer there.", "")
    answer = ask(household, form.question(), form.attributes)
    if hidden := hidden_trial(household, answer):
        return Kept(question, f"{hidden.name}: hidden until all are in.", "")
    if answer.comparison is None:
        return Kept(question, answer.problem, "")
    said = sentence(answer.comparison, manner_of(answer.measure))
    return Kept(question, said.answer, VERDICT_WORDS[answer.comparison.verdict])
