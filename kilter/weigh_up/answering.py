"""What a request asks, and everything a page needs to show its answer."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, QueryDict
from django.urls import reverse

from kilter.people import clock
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.set_out.queries import seasons_of
from kilter.weigh_up.fairness import in_words
from kilter.weigh_up.models import TrialUnit
from kilter.weigh_up.offers import gaps
from kilter.weigh_up.pictures import pictures, rate_figure, rate_unit, rate_words
from kilter.weigh_up.queries import LEFT_OUT_BY_HAND, STILL_BEARING, Answer, ask, first_question
from kilter.weigh_up.questions import Question, QuestionForm
from kilter.weigh_up.wording import VERDICT_WORDS, depends, manner_of, prior_words, sentence, settling

#: What can be taken away as a picture, in words.
PICTURES = {"balance": "The balance", "steelyard": "The steelyard", "blocks": "Blocks", "lines": "Lines"}


#: So many of those left out are named on the page; all are in the figures (CSV).
MOST_LEFT_OUT = 200


@dataclass(frozen=True)
class Hidden:
    """A trial whose results are not shown yet."""

    pk: int
    name: str
    done: int
    of: int


def form_of(request: HttpRequest, household: Household) -> QuestionForm | None:
    """The question in an address, or the first one worth asking; None where there is nothing to ask yet."""
    data: QueryDict = request.GET
    if "compare" not in data:
        first = first_question(household)
        if first is None:
            return None
        data = QueryDict(first.address())
    current = clock.today(household).year
    return QuestionForm(data, household=household, seasons=seasons_of(household, current))


def hidden_trial(household: Household, answer: Answer) -> Hidden | None:
    """The trial that this answer would give away before all of it is in."""
    keys = {fact.pk for fact in answer.known}
    bearing = TrialUnit.objects.of(household).filter(
        trial__is_hidden=True, trial__struck_at=None, planting__isnull=False, planting__finished_on=None
    )
    unit = next((unit for unit in bearing.select_related("trial") if unit.planting_id in keys), None)
    if unit is None:
        return None
    units = TrialUnit.objects.of(household).filter(trial=unit.trial)
    done = units.exclude(planting__finished_on=None).exclude(planting=None).count()
    return Hidden(unit.trial_id, str(unit.trial), done, units.count())


def context_of(request: HouseholdRequest, form: QuestionForm) -> dict[str, Any]:
    """The answer to a form that is valid, in words and pictures."""
    question = form.question()
    answer = ask(request.household, question, form.attributes)
    system = system_of(request)
    hidden = hidden_trial(request.household, answer)
    context: dict[str, Any] = {
        "form": form, "answer": answer, "address": question.address(), "gaps": gaps(form, question, answer.known),
        "hidden": hidden, "unfair_address": _unfair(answer), "estimates_address": _estimates(answer),
        "unlike": form.unlike_words(), "rate_unit": rate_unit(answer.measure, system),
        "may_keep": request.membership.is_owner,
    }  # fmt: skip
    if answer.comparison is not None and hidden is None:
        context |= _comparison(answer, form.attributes, system)
    context["left_out"] = [_left_out(answer, out.ref, out.reason) for out in answer.left_out[:MOST_LEFT_OUT]]
    context["left_out_count"] = len(answer.left_out)
    return context


def _comparison(answer: Answer, words: dict[str, str], system: str) -> dict[str, Any]:
    found = answer.comparison
    assert found is not None
    drawn = pictures(answer, system)
    return {
        "sentence": sentence(found, manner_of(answer.measure)),
        "settling": settling(found),
        "prior": prior_words(found),
        "unfair": in_words(answer.fairness, words, answer.facts),
        "verdict": VERDICT_WORDS[found.verdict],
        "pictures": drawn,
        "downloads": [
            (name, words)
            for (name, words), there in zip(
                PICTURES.items(), (drawn.balances, drawn.steelyards, drawn.blocks, drawn.lines), strict=True
            )
            if there
        ],
        "levels": [
            {
                "result": level,
                "mean": rate_words(level.mean, answer.measure, system),
                "low": _figure(level.low, answer, system),
                "high": _figure(level.high, answer, system),
            }
            for level in found.levels
        ],
        "depends": depends(answer.two) if answer.two else "",
        "two_words": _two(answer, system) if answer.two else None,
    }


def _two(answer: Answer, system: str) -> dict[str, Any]:
    two = answer.two
    assert two is not None
    return {
        "first": two.names[0],
        "second": two.names[1],
        "second_sentence": sentence(two.second, manner_of(answer.measure)),
        "depends": depends(two),
        "combinations": [
            {
                "a": a, "b": b, "mean": rate_words(mean, answer.measure, system),
                "low": _figure(low, answer, system), "high": _figure(high, answer, system),
            }
            for a, b, mean, low, high in two.combinations
        ],
        "within": two.within,
        "missing": two.missing,
    }  # fmt: skip


def _figure(value: float | None, answer: Answer, system: str) -> str:
    return "" if value is None else rate_figure(value, answer.measure, system)


def _left_out(answer: Answer, ref: str, reason: str) -> dict[str, Any]:
    """A planting that was left out, and how to put it in."""
    fact, question = answer.facts[ref], answer.question
    out: dict[str, Any] = {"fact": fact, "reason": reason, "remedy": ""}
    if reason == LEFT_OUT_BY_HAND:
        kept = tuple(one for one in question.without if one != ref)
        return out | {"remedy": "Put it in", "remedy_address": f"?{question.but(without=kept).address()}"}
    if reason == STILL_BEARING:
        upto = question.but(upto="date").address()
        return out | {"remedy": "Compare all up to the same date", "remedy_address": f"?{upto}"}
    if "not weighed" in reason and not question.with_estimates:
        estimates = question.but(with_estimates=True).address()
        return out | {"remedy": "With estimates", "remedy_address": f"?{estimates}"}
    if "not recorded" in reason or "written down" in reason or "in doubt" in reason:
        return out | {"remedy": "Write it down", "remedy_address": reverse("set_out:planting", args=[fact.pk])}
    return out


def _estimates(answer: Answer) -> str:
    """The same question with, or again without, what was counted and not weighed; where that makes a difference."""
    asked = answer.question
    can_change = answer.measure.is_mass and any(
        total.estimated for fact in answer.facts.values() for total in fact.record.grades.values()
    )
    return asked.but(with_estimates=not asked.with_estimates).address() if can_change else ""


def _unfair(answer: Answer) -> str:
    """The address of the same question without the blocks that cannot be told apart."""
    if not answer.aliased_with:
        return ""
    asked: Question = answer.question
    within = tuple(name for name in asked.within if name not in answer.aliased_with)
    also = "" if asked.also in answer.aliased_with else asked.also
    return asked.but(within=within, also=also, unlike=answer.aliased_with).address()
