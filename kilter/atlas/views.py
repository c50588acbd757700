"""The ground's maps, and the page of each place and of each planting."""

from __future__ import annotations

from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import render

from kilter.atlas.forms import AtlasForm
from kilter.atlas.places import place_page
from kilter.atlas.plantings import planting_page
from kilter.atlas.queries import atlas, families_of
from kilter.ground.forms import DIVISIONS, PartForm
from kilter.ground.models import Mix, Part, Place
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.set_out.forms import FinishForm
from kilter.set_out.models import Planting
from kilter.set_out.queries import seasons_of, with_all_names


@page_for(reads=Who.MEMBER, is_kept=True)
def index(request: HouseholdRequest) -> HttpResponse:
    """All sites to scale."""
    household, today = request.household, clock.today(request.household)
    seasons = seasons_of(household, today.year)
    form = AtlasForm(
        request.GET, seasons=seasons, families=families_of(household), today_year=today.year
    )
    colour, season = form.chosen()
    shown = {"colour": colour, "season": season}
    context = {
        "atlas": atlas(household, colour, season, today),
        "form": AtlasForm(
            shown, seasons=seasons, families=families_of(household), today_year=today.year
        ),
        "mixes": Mix.objects.of(household),
    }
    return render(request, "atlas/index.html", context)


@page_for(
    reads=Who.MEMBER,
    of=lambda household: Place.objects.of(household).select_related("site"),
    is_kept=True,
)
def place(request: HouseholdRequest, found: Place) -> HttpResponse:
    """One place."""
    context = {
        "page": place_page(request.household, found, clock.today(request.household)),
        "part_form": PartForm(place=found, instance=Part(place=found)) if found.is_bed else None,
        "divisions": list(DIVISIONS),
        "system": system_of(request),
    }
    return render(request, "atlas/place.html", context)


def _with_kin(household: Household) -> QuerySet[Planting]:
    kin = "kin__crop", "kin__variety", "kin__place", "kin__part"
    return with_all_names(Planting.objects.of(household)).select_related(*kin)


@page_for(reads=Who.MEMBER, of=_with_kin, is_kept=True)
def planting(request: HouseholdRequest, found: Planting) -> HttpResponse:
    """One planting."""
    today = clock.today(request.household)
    context = {
        "page": planting_page(request.household, found, today),
        "finish_form": FinishForm(household=request.household, initial={"finished_on": today}),
        "today": today,
        "currency": request.household.currency,
        "system": system_of(request),
    }
    return render(request, "atlas/planting.html", context)
