"""Weigh up: the question as a sentence, the answer under it, and what of it can be taken away."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.people import clock
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import save_owned, strike
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import say
from kilter.weigh_up.answering import context_of, form_of
from kilter.weigh_up.exports import as_png, picture_svg, units_csv
from kilter.weigh_up.forms import KeepForm, KeptForm
from kilter.weigh_up.kept import kept_questions, pinned_questions
from kilter.weigh_up.models import KeptQuestion

DOWNLOAD_NAME = "weigh-up"


@require_GET
def sheet(request: HouseholdRequest) -> HttpResponse:
    """The question and its answer; a fragment request gets the two alone."""
    form = form_of(request, request.household)
    if form is None:
        return render(request, "weigh_up/empty.html")
    context: dict[str, Any] = {"form": form}
    if form.is_valid():
        context = context_of(request, form)
    if not request.htmx:
        context["pinned"] = pinned_questions(request.household)
    template = "weigh_up/sheet_results.html" if request.htmx else "weigh_up/sheet.html"
    # htmx swaps only good answers in, and the sentence beside the gap is one.
    status = 422 if form.errors and not request.htmx else 200
    return render(request, template, context, status=status)


def _answered(request: HouseholdRequest) -> dict[str, Any]:
    """The answer that something is taken of; 404 where there is none."""
    form = form_of(request, request.household)
    if form is None or not form.is_valid():
        raise Http404("This is no question that can be asked.")
    context = context_of(request, form)
    if context["hidden"]:
        raise Http404("The results of this trial are hidden until all are in.")
    return context


@require_GET
def difference(request: HouseholdRequest) -> HttpResponse:
    """The textbook analysis of variance behind an answer."""
    context = _answered(request)
    table = context["answer"].difference_scale
    context |= {"table": None, "no_table": table} if isinstance(table, str) else {"table": table}
    template = "weigh_up/_difference.html" if request.htmx else "weigh_up/difference.html"
    return render(request, template, context)


@require_GET
def units(request: HouseholdRequest) -> HttpResponse:
    """Every unit of an answer, and what was left out, as CSV."""
    context = _answered(request)
    return _download(units_csv(context["answer"], system_of(request)), "text/csv; charset=utf-8", "csv")


@require_GET
def picture(request: HouseholdRequest, name: str, kind: str) -> HttpResponse:
    """One picture of an answer as a file."""
    context = _answered(request)
    svg = picture_svg(context, name) if context["answer"].comparison else None
    if svg is None:
        raise Http404("This answer has no such picture.")
    if kind == "png":
        return _download(as_png(svg), "image/png", kind, name)
    return _download(svg, "image/svg+xml", kind, name)


@require_GET
def report(request: HouseholdRequest) -> HttpResponse:
    """An answer on one page to print, with method and source."""
    context = _answered(request)
    answer = context["answer"]
    sites = {offer.key: offer.label for offer in context["gaps"]["site"].offers}
    context |= {
        "asked": answer.question.in_words(answer.words, sites),
        "today": clock.today(request.household),
    }
    return render(request, "weigh_up/report.html", context)


def _download(content: str | bytes, content_type: str, kind: str, name: str = DOWNLOAD_NAME) -> HttpResponse:
    response = HttpResponse(content, content_type=content_type)
    response["Content-Disposition"] = f'attachment; filename="{name}.{kind}"'
    return response


@require_GET
def kept(request: HouseholdRequest) -> HttpResponse:
    """The questions that the household keeps, each with its answer as it stands today."""
    return render(request, "weigh_up/kept.html", {"questions": kept_questions(request.household)})


@require_POST
@owner_only
def keep(request: HouseholdRequest) -> HttpResponse:
    """Keep a question by its address."""
    form = KeepForm(request.POST, household=request.household)
    if not form.is_valid():
        raise Http404("This is no question that can be kept.")
    question = KeptQuestion(name=form.cleaned_data["name"], address=form.cleaned_data["address"], is_pinned=True)
    say(request, save_owned(request.hand, question, f"“{question}” is kept, and pinned to the front."))
    return redirect(f"{reverse('weigh_up:sheet')}?{question.address}")


@owner_writes
@require_http_methods(["GET", "POST"])
def kept_one(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Rename a question, pin it or take it from the front."""
    found = get_object_or_404(KeptQuestion.objects.of(request.household), pk=pk)
    form = KeptForm(request.POST or None, instance=found)
    return form_page(
        request, form, title=f"The question “{found}”",
        save=lambda: save_owned(request.hand, form.save(commit=False), f"“{found}” is saved."),
        back=reverse("weigh_up:kept"), strike=reverse("weigh_up:strike_kept", args=[pk]),
    )  # fmt: skip


@require_POST
@owner_only
def strike_kept(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a kept question out."""
    found = get_object_or_404(KeptQuestion.objects.of(request.household), pk=pk)
    say(request, strike(request.hand, found, f"“{found}” is no longer kept."))
    return redirect("weigh_up:kept")
