"""Weigh up: the question as a sentence, the answer under it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.http import HttpResponse, QueryDict
from django.shortcuts import render
from django.views.decorators.http import require_GET

from kilter.people import clock
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.set_out.queries import seasons_of
from kilter.weigh_up.fairness import in_words
from kilter.weigh_up.pictures import pictures, rate_figure, rate_words
from kilter.weigh_up.queries import Answer, ask, first_question
from kilter.weigh_up.questions import Question, QuestionForm
from kilter.weigh_up.wording import VERDICT_WORDS, sentence, settling


@require_GET
def sheet(request: HouseholdRequest) -> HttpResponse:
    """The question and its answer; a fragment request gets the answer alone."""
    current = clock.today(request.household).year
    data: QueryDict = request.GET
    if "compare" not in data:
        first = first_question(request.household)
        if first is None:
            return render(request, "weigh_up/empty.html")
        data = _address(first)
    form = QuestionForm(data, household=request.household, seasons=seasons_of(request.household, current))
    context: dict[str, Any] = {"form": form}
    if form.is_valid():
        context |= _answer(request, form.question(), form.attributes) | {"unlike": form.unlike_words}
    template = "weigh_up/sheet_results.html" if request.htmx else "weigh_up/sheet.html"
    # htmx swaps only good answers in, and the sentence beside the gap is one.
    status = 422 if form.errors and not request.htmx else 200
    return render(request, template, context, status=status)


def _answer(request: HouseholdRequest, question: Question, words: dict[str, str]) -> dict[str, Any]:
    answer = ask(request.household, question, words)
    system = system_of(request)
    context: dict[str, Any] = {
        "answer": answer,
        "unfair_address": _unfair(answer),
        "estimates_address": _estimates(answer),
    }
    if (found := answer.comparison) is not None:
        context |= {
            "sentence": sentence(found),
            "settling": settling(found),
            "unfair": in_words(answer.fairness, words, answer.facts),
            "verdict": VERDICT_WORDS[found.verdict],
            "pictures": pictures(answer, system),
            "levels": [
                {
                    "result": level,
                    "mean": rate_words(level.mean, answer.measure, system),
                    "low": _figure(level.low, answer, system),
                    "high": _figure(level.high, answer, system),
                }
                for level in found.levels
            ],
        }
    context["left_out"] = [{"fact": answer.facts[out.ref], "reason": out.reason} for out in answer.left_out]
    return context


def _figure(value: float | None, answer: Answer, system: str) -> str:
    return "" if value is None else rate_figure(value, answer.measure, system)


def _address(question: Question) -> QueryDict:
    data = QueryDict(mutable=True)
    data.update({"compare": question.compare, "by": question.by, "crop": str(question.crop.pk)})
    data.setlist("season", [str(year) for year in question.seasons])
    data.setlist("within", list(question.within))
    if question.with_estimates:
        data["estimates"] = "on"
    return data


def _estimates(answer: Answer) -> str:
    """The same question with, or again without, what was counted and not weighed; where that makes a difference."""
    asked = answer.question
    can_change = not answer.measure.is_count and any(
        total.estimated for fact in answer.facts.values() for total in fact.record.grades.values()
    )
    return _address(replace(asked, with_estimates=not asked.with_estimates)).urlencode() if can_change else ""


def _unfair(answer: Answer) -> str:
    """The address of the same question without the blocks that cannot be told apart."""
    if not answer.aliased_with:
        return ""
    asked = answer.question
    within = tuple(name for name in asked.within if name not in answer.aliased_with)
    data = _address(replace(asked, within=within))
    data.setlist("unlike", list(answer.aliased_with))
    return data.urlencode()
