"""Set out: the season's lanes, the sentence of a new planting, changing and finishing."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.drawing.lanes import calendar_of
from kilter.ground.models import Place
from kilter.people import clock
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import restore, strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import say_struck
from kilter.set_out import actions, queries
from kilter.set_out.forms import FinishForm, PlantingForm, SeasonForm, SetOutForm, known_words
from kilter.set_out.models import Planting


def chosen_season(request: HouseholdRequest) -> int:
    """The season asked for, else the one of today."""
    form = SeasonForm(request.GET)
    return (form.is_valid() and form.cleaned_data["season"]) or clock.today(request.household).year


@require_GET
def sheet(request: HouseholdRequest) -> HttpResponse:
    """The plantings of a season as lanes over the weeks."""
    season, today = chosen_season(request), clock.today(request.household)
    plantings = list(queries.plantings_of(request.household, season))
    calendar = calendar_of(season, [p.planted_on for p in plantings if p.planted_on])
    lanes = [
        {
            "lane": lane,
            "growing": calendar.stretch(lane.planted_on, lane.finished_on or min(today, calendar.end)),
            "due": calendar.stretch(lane.due_from, lane.due_to),
        }
        for lane in queries.lanes(plantings)
    ]
    context = {
        "season": season,
        "seasons": queries.seasons_of(request.household, today.year),
        "lanes": lanes,
        "months": calendar.months(),
        "today_x": calendar.at(today) if calendar.start <= today <= calendar.end else None,
        "plantings": plantings,
    }
    return render(request, "set_out/sheet.html", context)


@owner_only
@require_http_methods(["GET", "POST"])
def new(request: HouseholdRequest) -> HttpResponse:
    """Plant by the sentence, in one place or in many."""
    household = request.membership.household
    if not Place.objects.of(household).exists():
        messages.info(request, "First make the bed or the containers to plant in.")
        return redirect("ground:sheet")
    today = clock.today(household)
    initial = {"planted_on": today, "season": today.year + (today.month >= 9), "unit_kind": "plant"}
    form = SetOutForm(request.POST or None, household=household, initial=initial)
    if request.method == "POST" and form.is_valid():
        planted = actions.set_out(household, form.instance, form.cleaned_data)
        messages.success(request, f"{planted[0].label} is set out in {queries.name_places(planted)}.")
        return redirect(f"{reverse('set_out:sheet')}?season={planted[0].season}")
    context = _context(request, form) | {"places": list(Place.objects.of(household).in_order())}
    context["picked"] = {int(pk) for pk in request.POST.getlist("places") if pk.isdigit()}
    return render(request, "set_out/new.html", context, status=422 if form.errors else 200)


@owner_writes
@require_http_methods(["GET", "POST"])
def planting(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a planting."""
    found = _planting(request, pk)
    form = PlantingForm(request.POST or None, household=request.membership.household, instance=found)
    if request.method == "POST" and form.is_valid():
        saved = actions.change_planting(form.instance, form.cleaned_data)
        messages.success(request, f"{saved} is saved.")
        return redirect(f"{reverse('set_out:sheet')}?season={saved.season}")
    found.refresh_from_db(fields=["finished_on"])
    finish_form = FinishForm(initial={"finished_on": clock.today(request.household)})
    context = _context(request, form) | {"planting": found, "finish_form": finish_form}
    return render(request, "set_out/planting.html", context, status=422 if form.errors else 200)


@require_POST
@owner_only
def finish(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Say that all of a planting has been lifted."""
    found, form = _planting(request, pk), FinishForm(request.POST)
    try:
        if not form.is_valid():
            raise ValidationError("Write the day of the last lift as a date.")
        actions.finish(found, form.cleaned_data["finished_on"])
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
        return redirect("set_out:planting", pk)
    say_struck(request, f"{found} is finished.", reverse("set_out:reopen", args=[pk]))
    return redirect(f"{reverse('set_out:sheet')}?season={found.season}")


@require_POST
@owner_only
def reopen(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a finish back."""
    found = actions.reopen(_planting(request, pk))
    messages.success(request, f"{found} is open again.")
    return redirect("set_out:planting", pk)


@require_POST
@owner_only
def strike_planting(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a planting out of the records."""
    struck = strike(_planting(request, pk))
    say_struck(request, f"{struck} was taken out.", reverse("set_out:restore", args=[pk]))
    return redirect(f"{reverse('set_out:sheet')}?season={struck.season}")


@require_POST
@owner_only
def restore_planting(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Put a planting back."""
    found = restore(get_object_or_404(Planting.objects.ever_of(request.household), pk=pk))
    return redirect(f"{reverse('set_out:sheet')}?season={found.season}")


def _planting(request: HouseholdRequest, pk: int) -> Planting:
    found = Planting.objects.of(request.household).with_names()
    return get_object_or_404(found, pk=pk)


def _context(request: HouseholdRequest, form: PlantingForm) -> dict[str, Any]:
    return {"form": form, "words": known_words(request.household)}
