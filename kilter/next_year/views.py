"""Next year: who eats, a row of reasoning for each crop, and the page that a row opens to."""

from __future__ import annotations

import copy
from typing import Any

from django import forms
from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.handbook import handbook
from kilter.drawing.chain import letters, today_on, year_calendar
from kilter.look_back import actions as look_back
from kilter.look_back.decisions import decisions
from kilter.look_back.models import Decision
from kilter.next_year import actions
from kilter.next_year.facts import facts_of
from kilter.next_year.forms import AddCropForm, CertaintyForm, PlannedCropForm
from kilter.next_year.garden import Garden, first_words, garden, usual_plan
from kilter.next_year.held import held, held_of
from kilter.next_year.opened import opened
from kilter.next_year.rows import SORTS, cold, row, sorted_rows, sums
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.actions import save_owned, strike
from kilter.people.forms import EaterForm
from kilter.people.meeting import MAX_KEY
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Eater
from kilter.people.undo import flash_change
from kilter.plans.models import Plan, Wish
from kilter.plans.queries import planned_crops, plans_of, season_to_plan
from kilter.set_out.models import Crop

#: So many forecasts are reckoned while a page is waited for; about 60 ms each.
MOST_COLD = 8
DRAFTS_ONLY = "Owners change the plan; you may begin another one here, and draft that."


def plan_asked(request: HouseholdRequest) -> Plan:
    """The plan that an address names, else the one for the coming season."""
    asked = request.GET.get("plan", "")
    if not asked:
        return usual_plan(request.household)
    is_key = asked.isdecimal() and int(asked) <= MAX_KEY
    found = plans_of(request.household).filter(pk=int(asked)).first() if is_key else None
    if found is None:
        raise Http404
    return found


def refused(request: HouseholdRequest, plan: Plan) -> HttpResponse | None:
    """Owners write every plan; helpers those that are not the plan,
    and are shown where one begins another.
    """
    if may_plan(request, plan):
        return None
    messages.error(request, DRAFTS_ONLY)
    return redirect("next_year:plans")


def may_plan(request: HouseholdRequest, plan: Plan) -> bool:
    """Whether somebody may write a plan."""
    return request.membership.is_owner or (request.membership.may_write and not plan.is_chosen)


def address(route: str, plan: Plan, *args: int, at: str = "") -> str:
    """Where a page of a plan lies."""
    return f"{reverse(route, args=args)}{of_plan(plan)}{at}"


def of_plan(plan: Plan) -> str:
    """What an address of a plan's page ends in; the plan for the coming season needs no naming."""
    is_usual = plan.is_chosen and plan.season == season_to_plan(clock.today(plan.household))
    return "" if plan.pk is None or is_usual else f"?plan={plan.pk}"


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The plan; where much is still to be reckoned the page comes at once, and the rows follow."""
    shared = garden(request.household, plan_asked(request))
    is_whole = "whole" in request.GET or cold(shared) <= MOST_COLD
    if request.htmx:
        return render(request, "next_year/index_results.html", _rows(request, shared))
    return _show(request, shared, is_whole=is_whole)


@page_for(reads=Who.MEMBER)
def held_against(request: HouseholdRequest) -> HttpResponse:
    """How far off the plans, and forecasts without one, have been."""
    shared = garden(request.household)
    found = held(shared)
    context = {
        "held": found,
        "in_eighty": sum(one.is_in_eighty for one in found),
        "in_fifty": sum(one.is_in_fifty for one in found),
        "promises": held_of(request.household, shared),
    }
    return render(request, "next_year/held.html", context)


@page_for(reads=Who.MEMBER, writes=Who.WRITER, of=Crop)
def crop(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """What a row opens to: the reasons, and what the gardener says."""
    found.household = request.membership.household
    plan = plan_asked(request)
    said = planned_crops(plan).filter(crop=found).first() or first_words(found, plan)
    said.plan, said.crop = plan, found
    before = copy.copy(said)
    form = PlannedCropForm(request.POST or None, instance=said, household=request.household)
    if request.method == "POST":
        if (no := refused(request, plan)) is not None:
            return no
        if form.is_valid():
            without = form.cleaned_data.get("without")
            flash_change(
                request, actions.save_planned(request.actor, plan, form.save(commit=False), without)
            )
            return redirect(address("next_year:crop", plan, found.pk))
    shared = garden(request.household, plan)
    shown = row(found, shared, before)
    order = [one.pk for one in shared.crops]
    at = order.index(found.pk) if found.pk in order else None
    context = {
        "row": shown,
        "form": form,
        "plan": plan,
        "of_plan": of_plan(plan),
        "may_plan": may_plan(request, plan),
        "open": opened(shown, shared),
        "facts": facts_of(shown.takes, request.household.currency) if shown.takes else [],
        "before": shared.crops[at - 1] if at else None,
        "after": shared.crops[at + 1] if at is not None and at + 1 < len(shared.crops) else None,
        "months": shown.calendar.months(),
        "today_x": today_on(shown.calendar, shared.today),
        "is_out": before.is_out,
        "currency": request.household.currency,
    }
    return render(request, "next_year/crop.html", context, status=422 if form.errors else 200)


def sure_said(
    request: HouseholdRequest, plan: Plan, crop: Crop
) -> tuple[CertaintyForm, HttpResponse | None]:
    """What a slider says, written down where it was let go; and why not,
    where the plan is not theirs to change.
    """
    form = CertaintyForm(request.POST if request.method == "POST" else request.GET)
    is_right = form.is_valid()
    if request.method == "POST":
        if (no := refused(request, plan)) is not None:
            return form, no
        if is_right:
            flash_change(
                request,
                actions.save_sure(request.actor, plan, crop, form.cleaned_data["certainty"]),
            )
    return form, None


def problems_of(form: forms.BaseForm) -> list[str]:
    """What is wrong with a form that has no place of its own for it."""
    return [str(one) for errors in form.errors.values() for one in errors]


@page_for(reads=Who.MEMBER, writes=Who.WRITER, of=Crop)
def sure(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """The slider: how many plants it takes to be so sure; tried while it moves,
    saved when it rests.
    """
    found.household = request.membership.household
    plan = plan_asked(request)
    form, no = sure_said(request, plan, found)
    if no is not None:
        return no
    is_right = not form.errors
    if not request.htmx:
        return redirect(address("next_year:index", plan, at=f"#crop-{found.pk}"))
    shown = row(
        found,
        garden(request.household, plan),
        certainty=form.cleaned_data["certainty"] if is_right else None,
    )
    problem = " ".join(problems_of(form))
    context = {
        "row": shown,
        "certainty": form.cleaned_data.get("certainty", shown.said.certainty),
        "sure_problem": problem,
        "is_saved": request.method == "POST",
        "back": address("next_year:index", plan),
    }
    return render(request, "next_year/sure_results.html", context)


@page_for(writes=Who.WRITER)
def add_crop(request: HouseholdRequest) -> HttpResponse:
    """Take a crop into the plan that has not been grown here."""
    plan = plan_asked(request)
    if (no := refused(request, plan)) is not None:
        return no
    form = AddCropForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Write the name of the crop to plan.")
        return redirect(address("next_year:index", plan))
    change = actions.plan_crop(request.actor, plan, form.cleaned_data["crop_name"])
    flash_change(request, change)
    return redirect(address("next_year:index", plan, at=f"#crop-{change.saved[-1].crop_id}"))


@page_for(writes=Who.WRITER, of=Crop)
def leave_out(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """Take a crop out of the plan."""
    plan = plan_asked(request)
    if (no := refused(request, plan)) is not None:
        return no
    found.household = request.membership.household
    flash_change(request, actions.leave_out(request.actor, plan, found))
    return redirect(address("next_year:index", plan))


@page_for(writes=Who.OWNER, of=decisions)
def decided(request: HouseholdRequest, found: Decision) -> HttpResponse:
    """Say that the plan has a decision of Look back, or not after all."""
    on = None if found.planned_on else clock.today(request.household)
    flash_change(request, look_back.plan(request.actor, found, on))
    if found.crop_id:
        return redirect("next_year:crop", pk=found.crop_id)
    return redirect("next_year:index")


@page_for(writes=Who.OWNER)
def add_eater(request: HouseholdRequest) -> HttpResponse:
    """Name somebody who eats."""
    form = EaterForm(request.POST)
    if form.is_valid():
        flash_change(
            request,
            save_owned(
                request.actor, form.save(commit=False), f"{form.cleaned_data['name']} eats here."
            ),
        )
        return redirect("next_year:index")
    return _show(request, eater_form=form, status=422)


@page_for(writes=Who.OWNER, of=Eater)
def eater(request: HouseholdRequest, found: Eater) -> HttpResponse:
    """Change an appetite or the weeks at the table; every row follows."""
    form = EaterForm(request.POST, instance=found)
    if form.is_valid():
        says = f"The appetite of {found.name} is changed."
        flash_change(request, save_owned(request.actor, form.save(commit=False), says))
        if request.htmx:
            return render(request, "next_year/rows_results.html", _rows(request))
        return redirect("next_year:index")
    if request.htmx:
        return render(
            request, "next_year/index_results.html", _rows(request) | {"eater_problem": form.errors}
        )
    messages.error(
        request, " ".join(str(error) for errors in form.errors.values() for error in errors)
    )
    return redirect("next_year:index")


@page_for(writes=Who.OWNER, of=Eater)
def strike_eater(request: HouseholdRequest, found: Eater) -> HttpResponse:
    """Somebody eats elsewhere."""
    flash_change(request, strike(request.actor, found, f"{found} is off the table."))
    return redirect("next_year:index")


def _rows(request: HouseholdRequest, shared: Garden | None = None) -> dict[str, Any]:
    shared = shared or garden(request.household, plan_asked(request))
    found = sorted_rows((row(crop, shared) for crop in shared.crops), request.GET.get("sort", ""))
    return _frame(request, shared) | {"rows": found, "sums": sums(found)}


def _frame(request: HouseholdRequest, shared: Garden) -> dict[str, Any]:
    """What stands around the rows."""
    plan, asked = shared.plan, of_plan(shared.plan)
    before, year = (
        f"{asked}&" if asked else "?",
        year_calendar(shared.season, is_southern=shared.is_southern),
    )
    return {
        "plan": plan,
        "of_plan": asked,
        "may_plan": may_plan(request, plan),
        "of_no_crop": shared.decided.get(None, ()),
        "letters": letters(year),
        "today_x": today_on(year, shared.today),
        "sort": request.GET.get("sort", "") or "name",
        "sorts": [(key, f"{before}sort={key}", says) for key, says in SORTS.items()],
        "address": request.get_full_path(),
    }


def _show(
    request: HouseholdRequest,
    shared: Garden | None = None,
    *,
    eater_form: EaterForm | None = None,
    status: int = 200,
    is_whole: bool = True,
) -> HttpResponse:
    shared = shared or garden(request.household, plan_asked(request))
    plan = shared.plan
    context = _rows(request, shared) if is_whole else _frame(request, shared)
    context |= {
        "is_whole": is_whole,
        "crops": len(shared.crops),
        "year": plan.season,
        "eaters": shared.eaters,
        "people": shared.people,
        "eater_form": eater_form or EaterForm(),
        "crop_names": sorted(handbook()),
        "left_out": shared.left_out,
        "wishes": list(Wish.objects.of(request.household)),
        "plans": [(one, address("next_year:index", one)) for one in plans_of(request.household)],
        "is_frozen": any(one.is_frozen for one in shared.said.values()),
    }
    return render(request, "next_year/index.html", context, status=status)
