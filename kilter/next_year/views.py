"""Next year: who eats, and a row of reasoning for each crop."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.handbook import handbook
from kilter.look_back import actions as look_back
from kilter.look_back.decisions import decisions
from kilter.look_back.models import Decision
from kilter.next_year import actions, queries
from kilter.next_year.forms import AddCropForm, CropPlanForm
from kilter.next_year.held import held
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.actions import save_owned, strike
from kilter.people.forms import EaterForm
from kilter.people.meeting import last_changes
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Eater
from kilter.people.undo import flash_change
from kilter.set_out.models import Crop


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The plan."""
    return _show(request)


@page_for(reads=Who.MEMBER)
def held_against(request: HouseholdRequest) -> HttpResponse:
    """How far off the forecasts would have been a year ago."""
    found = held(request.household)
    context = {
        "held": found,
        "in_eighty": sum(one.is_in_eighty for one in found),
        "in_fifty": sum(one.is_in_fifty for one in found),
    }
    return render(request, "next_year/held.html", context)


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=lambda household: Crop.objects.of(household).select_related("plan"))
def crop(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """One crop's row; a change is answered with the row reckoned anew."""
    found.household = request.membership.household
    form = CropPlanForm(request.POST or None, instance=queries.plan_of(found), prefix=f"c{found.pk}")
    if request.method == "POST" and form.is_valid():
        plan = form.save(commit=False)
        flash_change(request, actions.save_plan(request.actor, plan))
        if not request.htmx:
            return redirect(f"{reverse('next_year:index')}#crop-{found.pk}")
        form = CropPlanForm(instance=plan, prefix=f"c{found.pk}")
    if request.method != "POST" and not request.htmx:
        return redirect(f"{reverse('next_year:index')}#crop-{found.pk}")
    if form.errors:
        found.refresh_from_db()
    row = queries.row(found, queries.garden(request.household))
    context = {"entry": {"row": row, "form": form}}
    status = 422 if form.errors and not request.htmx else 200
    if not request.htmx:
        return _show(request, bad=form, status=status)
    return render(request, "next_year/crop_results.html", context, status=status)


@page_for(writes=Who.OWNER)
def add_crop(request: HouseholdRequest) -> HttpResponse:
    """Take a crop into the plan that has not been grown here."""
    form = AddCropForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Write the name of the crop to plan.")
        return redirect("next_year:index")
    change = actions.plan_crop(request.actor, form.cleaned_data["crop_name"])
    flash_change(request, change)
    return redirect(f"{reverse('next_year:index')}#crop-{change.saved[-1].crop_id}")


@page_for(writes=Who.OWNER, of=lambda household: Crop.objects.of(household).select_related("plan"))
def leave_out(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """Take a crop out of the plan."""
    found.household = request.membership.household
    flash_change(request, actions.leave_out(request.actor, found))
    return redirect("next_year:index")


@page_for(writes=Who.OWNER, of=decisions)
def decided(request: HouseholdRequest, found: Decision) -> HttpResponse:
    """Say that the plan has a decision of Look back, or not after all."""
    on = None if found.planned_on else clock.today(request.household)
    flash_change(request, look_back.plan(request.actor, found, on))
    return redirect(f"{reverse('next_year:index')}{f'#crop-{found.crop_id}' if found.crop_id else ''}")


@page_for(writes=Who.OWNER)
def add_eater(request: HouseholdRequest) -> HttpResponse:
    """Name somebody who eats."""
    form = EaterForm(request.POST)
    if form.is_valid():
        flash_change(
            request, save_owned(request.actor, form.save(commit=False), f"{form.cleaned_data['name']} eats here.")
        )
        return redirect("next_year:index")
    return _show(request, eater_form=form, status=422)


@page_for(writes=Who.OWNER, of=Eater)
def eater(request: HouseholdRequest, found: Eater) -> HttpResponse:
    """Change an appetite; every row follows."""
    form = EaterForm(request.POST, instance=found)
    if form.is_valid():
        says = f"The appetite of {found.name} is changed."
        flash_change(request, save_owned(request.actor, form.save(commit=False), says))
        if request.htmx:
            return render(request, "next_year/rows_results.html", _rows(request))
        return redirect("next_year:index")
    if request.htmx:
        return render(request, "next_year/index_results.html", _rows(request) | {"eater_problem": form.errors})
    messages.error(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
    return redirect("next_year:index")


@page_for(writes=Who.OWNER, of=Eater)
def strike_eater(request: HouseholdRequest, found: Eater) -> HttpResponse:
    """Somebody eats elsewhere."""
    flash_change(request, strike(request.actor, found, f"{found} is off the table."))
    return redirect("next_year:index")


def _rows(request: HouseholdRequest, bad: CropPlanForm | None = None) -> dict[str, Any]:
    entries = []
    shared = queries.garden(request.household)
    rows = queries.rows(request.household, shared)
    seen = last_changes(row.plan for row in rows)
    for row in rows:
        form = CropPlanForm(instance=row.plan, prefix=f"c{row.crop.pk}", seen=seen.get(row.plan.pk, 0))
        if bad is not None and bad.instance.crop_id == row.crop.pk:
            form = bad
        entries.append({"row": row, "form": form})
    return {"entries": entries, "of_no_crop": shared.decided.get(None, ())}


def _show(
    request: HouseholdRequest,
    *,
    bad: CropPlanForm | None = None,
    eater_form: EaterForm | None = None,
    status: int = 200,
) -> HttpResponse:
    context = _rows(request, bad) | {
        "year": clock.today(request.household).year + 1,
        "eaters": list(Eater.objects.of(request.household)),
        "eater_form": eater_form or EaterForm(),
        "crop_names": sorted(handbook()),
        "left_out": queries.left_out(request.household),
    }
    return render(request, "next_year/index.html", context, status=status)
