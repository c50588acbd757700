"""Does it fit: the search and what it found, taken into the plan; what would bring more;
planned plantings moved.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.errors import KilterError
from kilter.next_year.fit import actions, running
from kilter.next_year.fit.drawing_years import changed_from, changes, drawn, first_of, restored
from kilter.next_year.fit.forms import (
    PlaceRuleForm,
    PlannedPlantingForm,
    ShiftForm,
    SlotForm,
    WeekForm,
)
from kilter.next_year.fit.giving_up import more
from kilter.next_year.fit.maps import ground_then
from kilter.next_year.fit.ordering import HALF_KEY, Ordered, as_sure, ordered, planned_of, spots_of
from kilter.next_year.fit.places import places_of
from kilter.next_year.fit.process import Best
from kilter.next_year.fit.shown import KIND_LEGEND, shown, tried
from kilter.next_year.fit.varieties import splits_of
from kilter.next_year.fit.weeks import ribbons
from kilter.next_year.garden import garden, habits_of
from kilter.next_year.views import (
    address,
    may_plan,
    of_plan,
    plan_asked,
    problems_of,
    refused,
    sure_said,
)
from kilter.people.access import Who, page_for
from kilter.people.actions import strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.plans.models import HALVES, FitState, Plan, PlannedPlanting, Spot
from kilter.set_out.models import Crop

#: The half-month that the map begins with.
MIDSUMMER = 11
NOTHING_YET = "Let it be fitted first."


@page_for(reads=Who.MEMBER)
def fit(request: HouseholdRequest) -> HttpResponse:
    """What fits where, as far as it is found; the page asks again while the search goes on."""
    return _fit(request, plan_asked(request))


def _fit(request: HouseholdRequest, plan: Plan) -> HttpResponse:
    found = ordered(request.household, plan)
    context = _frame(request, plan, found)
    best, changed = _best(request, found)
    context["changed"] = changed
    if best is not None:
        context["shown"] = shown(found, best, garden(request.household, plan))
    name = "next_year/fit_results.html" if request.htmx else "next_year/fit.html"
    return render(request, name, context)


def _frame(request: HouseholdRequest, plan: Plan, found: Ordered) -> dict[str, Any]:
    return {
        "plan": plan,
        "of_plan": of_plan(plan),
        "may_plan": may_plan(request, plan),
        "found": found,
        "is_running": running.is_running(request.household.pk, found.key),
        "is_waiting": running.is_waiting(request.household.pk, found.key),
        "is_saved": request.method == "POST",
        "back": address("next_year:fit", plan),
        "may_fit": bool(found.order.options),
        "spots": [] if plan.pk is None else spots_of(plan),
        "letters": "JFMAMJJASOND",
        "currency": request.household.currency,
    }


def _best(request: HouseholdRequest, found: Ordered) -> tuple[Best | None, list[str]]:
    """Of the search that runs or ran here, else what was stored;
    after a change the nearest to it, and what differs.
    """
    best, state = running.best_of(request.household.pk, found.key), _stored(request, found)
    if state is None:
        return best, []
    before = actions.plants_of(state)
    if state.rests_on == found.key:
        return best or restored(found, before, state.ceiling, state.tries), []
    best = best or changed_from(found, before)
    return best, changes(found, before, best.plants)


def _stored(request: HouseholdRequest, found: Ordered) -> FitState | None:
    """What an earlier search left, where its options are still those of today."""
    state = actions.state_of(request.household, found.plan)
    return None if state is None or state.rests_on[:HALF_KEY] != found.key[:HALF_KEY] else state


@page_for(reads=Who.MEMBER, writes=Who.WRITER, of=Crop)
def fit_sure(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """The slider of a crop in the fit: tried while it moves, saved and mended when it rests."""
    found.household = request.membership.household
    plan = plan_asked(request)
    form, no = sure_said(request, plan, found)
    if no is not None:
        return no
    if request.method == "POST":
        for problem in problems_of(form):
            messages.error(request, problem)
        return _fit(request, plan) if request.htmx else redirect(address("next_year:fit", plan))
    order = ordered(request.household, plan)
    before = _before(request, order)
    if form.errors or before is None or not request.htmx:
        return redirect(address("next_year:fit", plan))
    shown_ = tried(as_sure(order, found.pk, form.cleaned_data["certainty"]), before)
    return render(request, "next_year/fit_tried_results.html", {"shown": shown_})


def _before(request: HouseholdRequest, found: Ordered) -> Mapping[int, float] | None:
    """The plants of the fit as it stands; nothing where there is none yet."""
    best = running.best_of(request.household.pk, found.key)
    if best is not None:
        return best.plants
    if (state := _stored(request, found)) is None:
        return None
    before = actions.plants_of(state)
    return before if state.rests_on == found.key else changed_from(found, before).plants


@page_for(writes=Who.WRITER)
def start_fit(request: HouseholdRequest) -> HttpResponse:
    """Look for a fit, or go on from what was found."""
    plan = plan_asked(request)
    if (no := refused(request, plan)) is not None:
        return no
    found = ordered(request.household, plan)
    before, _ = _best(request, found)
    try:
        first = first_of(found, before.plants if before else {})
    except KilterError as error:
        messages.error(request, str(error))
        return redirect(address("next_year:fit", plan))
    saved = actions.begun(request.actor, plan)
    pk, key = saved.pk, found.key
    running.start(
        request.household.pk,
        key,
        found.order,
        first,
        lambda best: actions.keep_from_thread(pk, key, best),
    )
    return redirect(address("next_year:fit", saved))


@page_for(writes=Who.WRITER)
def stop_fit(request: HouseholdRequest) -> HttpResponse:
    """Stop the search; what it found stays."""
    running.stop(request.household.pk)
    return redirect(address("next_year:fit", plan_asked(request)))


@page_for(writes=Who.WRITER)
def take_fit(request: HouseholdRequest) -> HttpResponse:
    """Take what was found into the plan."""
    plan = plan_asked(request)
    if (no := refused(request, plan)) is not None:
        return no
    found = ordered(request.household, plan)
    best, _ = _best(request, found)
    if best is None:
        messages.error(request, NOTHING_YET)
        return redirect(address("next_year:fit", plan))
    running.stop(request.household.pk)
    flash_change(request, actions.take(request.actor, found, best.plants))
    return redirect(address("next_year:planned", plan))


@page_for(reads=Who.MEMBER)
def fit_week(request: HouseholdRequest) -> HttpResponse:
    """What is eaten in one week of the year."""
    plan = plan_asked(request)
    form = WeekForm(request.GET)
    week = form.cleaned_data["week"] if form.is_valid() else 0
    found = ordered(request.household, plan)
    best, _ = _best(request, found)
    lines = []
    if best is not None:
        of_crops = ribbons(
            found,
            best.plants,
            drawn(found).laid.problem.draws,
            garden(request.household, plan).lying_kg,
        )
        lines = [
            (crop.name, crop.weeks[week], crop.kg[week]) for crop in of_crops if crop.weeks[week]
        ]
    context = {
        "lines": lines,
        "begins": date(plan.season, 1, 1) + timedelta(weeks=week),
        "plan": plan,
        "of_plan": of_plan(plan),
    }
    return render(request, "next_year/fit_week_results.html", context)


@page_for(reads=Who.MEMBER)
def fit_more(request: HouseholdRequest) -> HttpResponse:
    """What one more bed, some containers, an hour a week or less certainty would bring;
    it takes some seconds.
    """
    plan = plan_asked(request)
    found = ordered(request.household, plan)
    best, _ = _best(request, found)
    made = more(found, drawn(found).laid.problem, best.plants) if best else []
    return render(
        request,
        "next_year/fit_more_results.html",
        {"more": made, "plan": plan, "of_plan": of_plan(plan)},
    )


@page_for(reads=Who.MEMBER, of=Crop)
def splitting(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """What splitting a crop over varieties or places is worth; it takes a second."""
    found.household = request.membership.household
    plan = plan_asked(request)
    try:
        made, problem = splits_of(found, garden(request.household, plan)), ""
    except KilterError as error:
        made, problem = (), str(error)
    context = {"splits": made, "problem": problem, "crop": found, "of_plan": of_plan(plan)}
    return render(request, "next_year/splitting_results.html", context)


@page_for(reads=Who.MEMBER)
def planned(request: HouseholdRequest) -> HttpResponse:
    """What is planned to stand where, place by place; one sheet for each to print."""
    plan = plan_asked(request)
    return render(
        request,
        "next_year/planned.html",
        {**_planned(request, plan), **_then(request, plan, MIDSUMMER)},
    )


@page_for(reads=Who.MEMBER)
def planned_map(request: HouseholdRequest) -> HttpResponse:
    """The ground on one half-month of the year, as it is planned."""
    plan = plan_asked(request)
    form = SlotForm(request.GET)
    slot = int(form.cleaned_data["slot"] or 0) if form.is_valid() else 0
    return render(request, "next_year/planned_map_results.html", _then(request, plan, slot))


def _then(request: HouseholdRequest, plan: Plan, slot: int) -> dict[str, Any]:
    sites = ground_then(request.household, plan.season, planned_of(plan), slot)
    return {"sites": sites, "when": HALVES[slot], "slot": slot, "kinds": KIND_LEGEND}


def _planned(request: HouseholdRequest, plan: Plan) -> dict[str, Any]:
    rows = planned_of(plan)
    return {
        "plan": plan,
        "of_plan": of_plan(plan),
        "may_plan": may_plan(request, plan),
        "is_saved": request.method == "POST",
        "back": address("next_year:planned", plan),
        "places": places_of(rows, habits_of(request.household)) if rows else [],
        "letters": "JFMAMJJASOND",
    }


@page_for(writes=Who.WRITER, of=PlannedPlanting)
def shift_planned(request: HouseholdRequest, found: PlannedPlanting) -> HttpResponse:
    """A planned planting is dragged or nudged: to another half-month, or to another place."""
    plan = found.plan
    if (no := refused(request, plan)) is not None:
        return no
    form = ShiftForm(request.POST, household=request.household)
    if form.is_valid():
        flash_change(
            request,
            actions.shift(
                request.actor, found, form.cleaned_data["start"], form.cleaned_data["place"]
            ),
        )
    else:
        messages.error(request, "It cannot be moved there.")
    if request.htmx:
        return render(request, "next_year/planned_results.html", _planned(request, plan))
    return redirect(address("next_year:planned", plan))


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=PlannedPlanting)
def planned_planting(request: HouseholdRequest, found: PlannedPlanting) -> HttpResponse:
    """Move a planned planting, or change how much of it there is."""
    plan = found.plan
    if request.method == "POST" and (no := refused(request, plan)) is not None:
        return no
    form = PlannedPlantingForm(request.POST or None, instance=found, household=request.household)
    return form_page(
        request,
        form,
        title=f"{found} in {plan.season}",
        save=lambda: actions.save_planting(request.actor, form.save(commit=False)),
        back=address("next_year:planned", plan),
        strike=reverse("next_year:strike_planned", args=[found.pk]),
        for_helpers=not plan.is_chosen,
        about="What you say of it stays, and the fit works around it.",
    )


@page_for(writes=Who.WRITER, of=PlannedPlanting)
def loosen_planned(request: HouseholdRequest, found: PlannedPlanting) -> HttpResponse:
    """Let the fit move a planned planting again, or keep it where it is."""
    if (no := refused(request, found.plan)) is not None:
        return no
    flash_change(request, actions.loosen(request.actor, found))
    return redirect(address("next_year:planned", found.plan))


@page_for(writes=Who.WRITER, of=PlannedPlanting)
def strike_planned(request: HouseholdRequest, found: PlannedPlanting) -> HttpResponse:
    """Take a planned planting away."""
    if (no := refused(request, found.plan)) is not None:
        return no
    flash_change(request, strike(request.actor, found, f"{found} is out of the plan."))
    return redirect(address("next_year:planned", found.plan))


@page_for(reads=Who.WRITER, writes=Who.WRITER)
def spot(request: HouseholdRequest) -> HttpResponse:
    """Say where a crop is to stand only, or not at all, or which place is kept free."""
    plan = plan_asked(request)
    if request.method == "POST" and (no := refused(request, plan)) is not None:
        return no
    form = PlaceRuleForm(
        request.POST or None,
        instance=Spot(plan=plan, household=request.household),
        household=request.household,
    )
    return form_page(
        request,
        form,
        title="Where it may stand",
        save=lambda: actions.save_spot(request.actor, plan, form.save(commit=False)),
        back=address("next_year:fit", plan),
        for_helpers=not plan.is_chosen,
    )


@page_for(writes=Who.WRITER, of=Spot)
def strike_spot(request: HouseholdRequest, found: Spot) -> HttpResponse:
    """It may stand anywhere again."""
    if (no := refused(request, found.plan)) is not None:
        return no
    flash_change(request, strike(request.actor, found, f"No longer: {found}."))
    return redirect(address("next_year:fit", found.plan))
