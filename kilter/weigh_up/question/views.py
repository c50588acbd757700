"""Questions saved: listed with today's answers, saved, renamed, pinned, taken out."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.people.access import Who, page_for
from kilter.people.actions import strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.weigh_up.question.actions import save_question
from kilter.weigh_up.question.forms import SavedForm, SaveForm
from kilter.weigh_up.question.models import SavedQuestion
from kilter.weigh_up.question.saved import remembered, saved_questions


@page_for(reads=Who.MEMBER)
def saved(request: HouseholdRequest) -> HttpResponse:
    """The questions that the household saved, each with its answer as it stands today."""
    return render(request, "weigh_up/saved.html", {"questions": saved_questions(request.household)})


@page_for(writes=Who.OWNER)
def save(request: HouseholdRequest) -> HttpResponse:
    """Save a question by its address."""
    form = SaveForm(request.POST, household=request.household)
    if not form.is_valid():
        raise Http404("This is no question that can be saved.")
    question = SavedQuestion(
        name=form.cleaned_data["name"], address=form.cleaned_data["address"], is_pinned=True
    )
    flash_change(request, save_question(request.actor, remembered(request.household, question)))
    return redirect(f"{reverse('weigh_up:index')}?{question.address}")


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=SavedQuestion)
def saved_one(request: HouseholdRequest, found: SavedQuestion) -> HttpResponse:
    """Rename a question, pin it or take it from the front."""
    form = SavedForm(request.POST or None, instance=found)
    return form_page(
        request,
        form,
        title=f"The question “{found}”",
        save=lambda: save_question(request.actor, form.save(commit=False)),
        back=reverse("weigh_up:saved"),
        strike=reverse("weigh_up:strike_saved", args=[found.pk]),
    )


@page_for(writes=Who.OWNER, of=SavedQuestion)
def strike_saved(request: HouseholdRequest, found: SavedQuestion) -> HttpResponse:
    """Take a saved question out."""
    flash_change(request, strike(request.actor, found, f"“{found}” is taken out."))
    return redirect("weigh_up:saved")
