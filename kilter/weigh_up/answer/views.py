"""Weigh up: the question as a sentence, the answer under it, and what of it can be taken away."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render

from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.downloads import as_download, as_table
from kilter.people.middleware import HouseholdRequest
from kilter.weigh_up.answer.exports import as_png, picture_svg, units_csv
from kilter.weigh_up.answer.page import AnswerPage, form_of, page_of, unasked
from kilter.weigh_up.question.saved import changed_since, pinned_questions


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The question and its answer; a fragment request gets the two alone."""
    form = form_of(request, request.household)
    if form is None:
        return render(request, "weigh_up/empty.html")
    context: dict[str, Any] = {"form": form, "may_save": request.membership.is_owner}
    if form.is_valid():
        context["page"] = page_of(request, request.household, form)
    else:
        context["unasked"] = unasked(request.household, form)
    if not request.htmx:
        context["pinned"] = pinned_questions(request.household)
    template = "weigh_up/index_results.html" if request.htmx else "weigh_up/index.html"
    # htmx swaps only good answers in, and the sentence beside the gap is one.
    status = 422 if form.errors and not request.htmx else 200
    return render(request, template, context, status=status)


def _answered(request: HouseholdRequest) -> AnswerPage:
    """The answer that something is taken of; 404 where there is none."""
    form = form_of(request, request.household)
    if form is None or not form.is_valid():
        raise Http404("This is no question that can be asked.")
    page = page_of(request, request.household, form)
    if page.is_kept_back:
        raise Http404("This trial is blinded: its results are shown once all of it is in.")
    return page


@page_for(reads=Who.MEMBER)
def difference(request: HouseholdRequest) -> HttpResponse:
    """The textbook analysis of variance behind an answer."""
    page = _answered(request)
    table = page.answer.difference_scale
    found = {"table": None, "no_table": table} if isinstance(table, str) else {"table": table}
    template = "weigh_up/_difference.html" if request.htmx else "weigh_up/difference.html"
    return render(request, template, {"page": page, **found})


@page_for(reads=Who.MEMBER)
def units(request: HouseholdRequest) -> HttpResponse:
    """Every unit of an answer, and what was left out, as CSV."""
    page = _answered(request)
    text = units_csv(page.answer, page.system)
    return as_table(request, request.household, text, _asked(page), name="figures")


@page_for(reads=Who.MEMBER)
def picture(request: HouseholdRequest, name: str, kind: str) -> HttpResponse:
    """One picture of an answer as a file."""
    page = _answered(request)
    svg = picture_svg(page, name) if page.answer.comparison else None
    if svg is None:
        raise Http404("This answer has no such picture.")
    if kind == "png":
        return _download(request, page, as_png(svg), "image/png", kind, name)
    return _download(request, page, svg, "image/svg+xml", kind, name)


@page_for(reads=Who.MEMBER)
def report(request: HouseholdRequest) -> HttpResponse:
    """An answer on one page to print, with method and source."""
    page = _answered(request)
    sites = {ref: str(site) for ref, site in page.form.records["site"].items()}
    asked = page.answer.question.in_words(page.answer.words, sites)
    context = {
        "page": page,
        "asked": asked,
        "today": clock.today(request.household),
        "changed": changed_since(request.household, page.answer),
    }
    return render(request, "weigh_up/report.html", context)


def _download(
    request: HouseholdRequest,
    page: AnswerPage,
    content: str | bytes,
    content_type: str,
    kind: str,
    name: str = "",
) -> HttpResponse:
    """Named by the question: what was compared, and by what."""
    return as_download(request.household, content, content_type, _asked(page), name, kind=kind)


def _asked(page: AnswerPage) -> str:
    question = page.answer.question
    return f"{page.answer.words[question.compare]} by {question.by.replace('_', ' ')}"
