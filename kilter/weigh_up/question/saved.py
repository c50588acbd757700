"""Questions that the household saved, with their answers of today."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import QueryDict

from kilter.people.models import Household
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.answer.wording import VERDICT_WORDS, manner_of, sentence
from kilter.weigh_up.question.forms import QuestionForm
from kilter.weigh_up.question.models import SavedQuestion

#: So many pinned questions find room on the front.
PINNED_SHOWN = 6


@dataclass(frozen=True)
class Answered:
    """A saved question and what the records answer today."""

    question: SavedQuestion
    answer: str
    verdict: str


def pinned_questions(household: Household) -> list[SavedQuestion]:
    """Those on the front."""
    return list(SavedQuestion.objects.of(household).filter(is_pinned=True)[:PINNED_SHOWN])


def saved_questions(household: Household) -> list[Answered]:
    """All of them, answered anew."""
    return [_answered(household, question) for question in SavedQuestion.objects.of(household)]


def _answered(household: Household, question: SavedQuestion) -> Answered:
    form = QuestionForm(QueryDict(question.address), household=household)
    if not form.is_valid():
        return Answered(question, "What it asks about is no longer there.", "")
    answer = ask(household, form.question(), form.attributes)
    if answer.comparison is None:
        said = f"{answer.blinded.name}: blinded until all of it is in." if answer.blinded else answer.problem
        return Answered(question, said, "")
    said = sentence(answer.comparison, manner_of(answer.measure)).answer
    return Answered(question, said, VERDICT_WORDS[answer.comparison.verdict])
