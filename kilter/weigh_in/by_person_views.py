"""The page on which an owner takes back all that one person wrote."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render

from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.weigh_in.by_person import undo_all, written_by
from kilter.weigh_in.forms import PersonForm


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def index(request: HouseholdRequest) -> HttpResponse:
    """Choose a person and a day, look at what would go, and take it back."""
    form = PersonForm(request.POST or request.GET or None, household=request.household)
    found = None
    if form.is_valid():
        person, since = form.cleaned_data["person"], form.cleaned_data["since"]
        if request.method == "POST":
            undone = undo_all(request.actor, person, since)
            messages.success(
                request, f"{undone.words(person)} Each can be done again in What was written."
            )
            for words in undone.left:
                messages.error(request, words)
            return redirect("people:changes")
        found = written_by(request.household, person, since)
    context = {"form": form, "found": found}
    return render(request, "weigh_in/by_person.html", context, status=422 if form.errors else 200)
