"""Questions saved: listed with today's answers, saved, renamed, pinned, taken out."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import say
from kilter.weigh_up.question.actions import save_question
from kilter.weigh_up.question.forms import SavedForm, SaveForm
from kilter.weigh_up.question.models import SavedQuestion
from kilter.weigh_up.question.saved import saved_questions


@require_GET
def saved(request: HouseholdRequest) -> HttpResponse:
    """The questions that the household saved, each with its answer as it stands today."""
    return render(request, "weigh_up/saved.html", {"questions": saved_questions(request.household)})


@require_POST
@owner_only
def save(request: HouseholdRequest) -> HttpResponse:
    """Save a question by its address."""
    form = SaveForm(request.POST, household=request.household)
    if not form.is_valid():
        raise Http404("This is no question that can be saved.")
    question = SavedQuestion(name=form.cleaned_data["name"], address=form.cleaned_data["address"], is_pinned=True)
    say(request, save_question(request.hand, question))
    return redirect(f"{reverse('weigh_up:index')}?{question.address}")


@owner_writes
@require_http_methods(["GET", "POST"])
def saved_one(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Rename a question, pin it or take it from the front."""
    found = get_object_or_404(SavedQuestion.objects.of(request.household), pk=pk)
    form = SavedForm(request.POST or None, instance=found)
    return form_page(
        request,
        form,
        title=f"The question “{found}”",
        save=lambda: save_question(request.hand, form.save(commit=False)),
        back=reverse("weigh_up:saved"),
        strike=reverse("weigh_up:strike_saved", args=[pk]),
    )


@require_POST
@owner_only
def strike_saved(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a saved question out."""
    found = get_object_or_404(SavedQuestion.objects.of(request.household), pk=pk)
    say(request, strike(request.hand, found, f"“{found}” is taken out."))
    return redirect("weigh_up:saved")
