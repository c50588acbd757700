"""Next year: who eats, and a row of reasoning for each crop."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.core.handbook import handbook
from kilter.next_year import actions, queries
from kilter.next_year.forms import AddCropForm, CropPlanForm
from kilter.people import clock
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import save_owned, strike
from kilter.people.forms import EaterForm
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Eater
from kilter.people.undo import say
from kilter.set_out.models import Crop


@require_GET
def index(request: HouseholdRequest) -> HttpResponse:
    """The plan."""
    return _show(request)


@owner_writes
@require_http_methods(["GET", "POST"])
def crop(request: HouseholdRequest, pk: int) -> HttpResponse:
    """One crop's row; a change is answered with the row reckoned anew."""
    found = get_object_or_404(Crop.objects.of(request.household).select_related("plan"), pk=pk)
    found.household = request.membership.household
    form = CropPlanForm(request.POST or None, instance=queries.plan_of(found), prefix=f"c{pk}")
    if request.method == "POST" and form.is_valid():
        actions.save_plan(request.hand, form.save(commit=False))
        if not request.htmx:
            return redirect(f"{reverse('next_year:index')}#crop-{pk}")
    if request.method == "GET" and not request.htmx:
        return redirect(f"{reverse('next_year:index')}#crop-{pk}")
    if form.errors:
        found.refresh_from_db()
    row = queries.row(found, queries.garden(request.household))
    context = {"entry": {"row": row, "form": form}}
    status = 422 if form.errors and not request.htmx else 200
    if not request.htmx:
        return _show(request, bad=form, status=status)
    return render(request, "next_year/_crop.html", context, status=status)


@require_POST
@owner_only
def add_crop(request: HouseholdRequest) -> HttpResponse:
    """Take a crop into the plan that has not been grown here."""
    form = AddCropForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Write the name of the crop to plan.")
        return redirect("next_year:index")
    change = actions.plan_crop(request.hand, form.cleaned_data["crop_name"])
    say(request, change)
    return redirect(f"{reverse('next_year:index')}#crop-{change.saved[-1].crop_id}")


@require_POST
@owner_only
def add_eater(request: HouseholdRequest) -> HttpResponse:
    """Name somebody who eats."""
    form = EaterForm(request.POST)
    if form.is_valid():
        say(request, save_owned(request.hand, form.save(commit=False), f"{form.cleaned_data['name']} eats here."))
        return redirect("next_year:index")
    return _show(request, eater_form=form, status=422)


@require_POST
@owner_only
def eater(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change an appetite; every row follows."""
    found = get_object_or_404(Eater.objects.of(request.household), pk=pk)
    form = EaterForm(request.POST, instance=found)
    if form.is_valid():
        save_owned(request.hand, form.save(commit=False), f"The appetite of {found.name} is changed.")
        if request.htmx:
            return render(request, "next_year/index_results.html", _rows(request))
        return redirect("next_year:index")
    if request.htmx:
        return render(request, "next_year/index_results.html", _rows(request) | {"eater_problem": form.errors})
    messages.error(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
    return redirect("next_year:index")


@require_POST
@owner_only
def strike_eater(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Somebody eats elsewhere."""
    found = get_object_or_404(Eater.objects.of(request.household), pk=pk)
    say(request, strike(request.hand, found, f"{found} is off the table."))
    return redirect("next_year:index")


def _rows(request: HouseholdRequest, bad: CropPlanForm | None = None) -> dict[str, Any]:
    entries = []
    for row in queries.rows(request.household):
        form = CropPlanForm(instance=row.plan, prefix=f"c{row.crop.pk}")
        if bad is not None and bad.instance.crop_id == row.crop.pk:
            form = bad
        entries.append({"row": row, "form": form})
    return {"entries": entries}


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
    }
    return render(request, "next_year/index.html", context, status=status)
