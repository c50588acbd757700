"""Questions that the household saved, with their answers of today."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from django.http import QueryDict

from kilter.core.compare import METHOD_VERSION
from kilter.people.models import Household
from kilter.weigh_up.answer.ask import Answer, ask
from kilter.weigh_up.answer.gap_words import manner_of
from kilter.weigh_up.answer.wording import VERDICT_WORDS, sentence
from kilter.weigh_up.question.forms import QuestionForm
from kilter.weigh_up.question.models import ANSWER_LENGTH, SavedQuestion

#: So many pinned questions find room on the front.
PINNED_SHOWN = 6


@dataclass(frozen=True)
class Answered:
    """A saved question and what the records answer today."""

    question: SavedQuestion
    answer: str
    verdict: str
    changed: str = ""  #: why the answer is another one than when it was saved


def pinned_questions(household: Household) -> list[SavedQuestion]:
    """Those on the front."""
    return list(SavedQuestion.objects.of(household).filter(is_pinned=True)[:PINNED_SHOWN])


def saved_questions(household: Household) -> list[Answered]:
    """All of them, answered anew."""
    return [_answered(household, question) for question in SavedQuestion.objects.of(household)]


def remembered(household: Household, question: SavedQuestion) -> SavedQuestion:
    """The question with its answer of now, from which records and by which method."""
    form = QuestionForm(QueryDict(question.address), household=household)
    question.method = METHOD_VERSION
    if form.is_valid():
        answer = ask(household, form.question(), form.attributes)
        question.answer_then, question.records_then = _said(answer)[:ANSWER_LENGTH], _mark(answer)
    return question


def changed_since(household: Household, answer: Answer) -> str:
    """Why an answer is another one than when its question was saved;
    empty where it is not, or was never saved.
    """
    question = SavedQuestion.objects.of(household).filter(address=answer.question.address()).first()
    if question is None or answer.comparison is None:
        return ""
    return _changed(question, _said(answer), _mark(answer))


def _answered(household: Household, question: SavedQuestion) -> Answered:
    form = QuestionForm(QueryDict(question.address), household=household)
    if not form.is_valid():
        return Answered(question, "What it asks about is no longer there.", "")
    answer = ask(household, form.question(), form.attributes)
    said = _said(answer)
    if answer.comparison is None:
        return Answered(question, said, "")
    verdict = VERDICT_WORDS[answer.comparison.verdict]
    return Answered(question, said, verdict, _changed(question, said, _mark(answer)))


def _said(answer: Answer) -> str:
    """The answer in a sentence, or why there is none."""
    if answer.comparison is None:
        return (
            f"{answer.blinded.name}: blinded until all of it is in."
            if answer.blinded
            else answer.problem
        )
    return sentence(answer.comparison, manner_of(answer.measure), answer.seasons).answer


def _mark(answer: Answer) -> str:
    """What tells the records of an answer from others: the units with their figures,
    and what is known of like pots.
    """
    if answer.comparison is None:
        return ""
    units = sorted(
        (u.ref, u.level, u.blocks, f"{u.amount:.9g}", f"{u.exposure:.9g}", f"{u.vague_sd:.6g}")
        for u in answer.comparison.units
    )
    like = [f"{component.kappa:.9g}" for component in answer.comparison.prior.components]
    return hashlib.sha256(repr((units, like)).encode()).hexdigest()[:16]


def _changed(question: SavedQuestion, said: str, mark: str) -> str:
    """Why the answer is another one than when the question was saved; empty where it is not."""
    is_older = question.method < METHOD_VERSION
    versions = f"version {METHOD_VERSION} after {question.method}"
    if not question.answer_then:
        return (
            f"Reckoned by a newer method than when it was saved ({versions})." if is_older else ""
        )
    if said[:ANSWER_LENGTH] == question.answer_then:
        return ""
    then = f"When it was saved: {question.answer_then}"
    if mark == question.records_then:
        return f"It changed because the method did ({versions}); the records are the same. {then}"
    both = (
        f"The records changed since, and the method did ({versions})"
        if is_older
        else "The records changed since"
    )
    return f"{both}. {then}"
