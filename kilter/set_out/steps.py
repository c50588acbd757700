"""What has to be there before a form can be filled, and the one step that comes next."""

from __future__ import annotations

from typing import NamedTuple

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from kilter.ground.models import Place, Site
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.set_out.models import Planting

SITE, PLACE, PLANTING = "site", "place", "planting"


class NextStep(NamedTuple):
    """The next step of a garden that is just begun."""

    words: str
    label: str
    address: str


def step_before(household: Household, wanted: str) -> NextStep | None:
    """The first of site, place and planting that is still missing,
    up to the one that is wanted; None if all are.
    """
    steps = (
        (
            SITE,
            Site,
            "First name the piece of land: a yard, a plot, a balcony.",
            "Name the first site",
            "ground:new_site",
        ),
        (
            PLACE,
            Place,
            "First make the beds or containers that things grow in.",
            "Make some containers",
            "ground:new_set",
        ),
        (PLANTING, Planting, "First set something out.", "Set out", "set_out:new"),
    )
    for name, model, words, label, route in steps:
        if not model.objects.of(household).exists():
            return NextStep(words, label, reverse(route))
        if name == wanted:
            break
    return None


def not_yet(request: HouseholdRequest, title: str, step: NextStep) -> HttpResponse:
    """Instead of a form that cannot be filled yet: what is missing, and the way there."""
    context = {"title": title, "step": step, "may_begin": request.membership.is_owner}
    return render(request, "set_out/not_yet.html", context)
