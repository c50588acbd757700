"""Find: a page, and the results alone for the box that / opens."""

from __future__ import annotations

from django import forms
from django.http import HttpResponse
from django.shortcuts import render

from kilter.find.queries import find
from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest


class FindForm(forms.Form):
    """A few words."""

    q = forms.CharField(max_length=80, required=False, label="Find a planting, place or variety")


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """What the words are found in."""
    form = FindForm(request.GET)
    words = form.cleaned_data["q"] if form.is_valid() else ""
    context = {"form": form, "words": words, "found": find(request.household, words)}
    return render(
        request, "find/index_results.html" if request.htmx else "find/index.html", context
    )
