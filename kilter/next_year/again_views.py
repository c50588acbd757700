"""Again from a season: its plantings as a list, ticked, changed and planned."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import redirect, render

from kilter.next_year.again import before, plan_again
from kilter.next_year.forms import AgainForm
from kilter.next_year.views import address, may_plan, of_plan, plan_asked, refused
from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import flash_change
from kilter.set_out.forms import SeasonForm
from kilter.set_out.queries import seasons_of


@page_for(reads=Who.MEMBER, writes=Who.WRITER)
def again(request: HouseholdRequest) -> HttpResponse:
    """Plantings of a season that is past, to be planned again."""
    plan = plan_asked(request)
    asked = SeasonForm(request.GET)
    season = (asked.cleaned_data["season"] if asked.is_valid() else None) or plan.season - 1
    rows = before(request.household, season)
    if request.method == "POST" and (no := refused(request, plan)) is not None:
        return no
    form = AgainForm(request.POST or None, rows=rows, household=request.household)
    if request.method == "POST" and form.is_valid():
        flash_change(request, plan_again(request.actor, plan, form.chosen))
        return redirect(address("next_year:planned", plan))
    context = {
        "plan": plan,
        "of_plan": of_plan(plan),
        "season": season,
        "seasons": [year for year in seasons_of(request.household, season) if year < plan.season],
        "form": form,
        "may_plan": may_plan(request, plan),
    }
    return render(request, "next_year/again.html", context, status=422 if form.errors else 200)
