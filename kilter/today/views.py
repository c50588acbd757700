"""Today: the sheet one lands on."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import redirect, render

from kilter.ground.models import Place
from kilter.larder.ledger import larder, open_seasons
from kilter.larder.shelves import whole_larder
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import flash_change
from kilter.set_out import actions as set_out_actions
from kilter.today.forms import AwayForm, OverForm
from kilter.today.glance import glance_of
from kilter.today.queries import ended_on, today_sheet
from kilter.weigh_in import views as bench
from kilter.weigh_up.trials.queries import running


@page_for(reads=Who.MEMBER)
def worker(_: HouseholdRequest) -> HttpResponse:
    """The service worker of the whole yard: under the topmost address,
    so that it may serve every page.
    """
    return bench.worker_script()


@page_for(reads=Who.MEMBER, is_kept=True)
def index(request: HouseholdRequest) -> HttpResponse:
    """What to lift, what waits, and the way into Weigh in."""
    return _sheet(request, OverForm(household=request.household))


@page_for(writes=Who.WRITER)
def over(request: HouseholdRequest) -> HttpResponse:
    """Say of what is past its day that it is finished, or until when it still stands."""
    form = OverForm(request.POST, household=request.household)
    if not form.is_valid():
        return _sheet(request, form)
    said, chosen = form.cleaned_data, list(form.cleaned_data["over"])
    if said["do"] == OverForm.KEEP:
        change = set_out_actions.keep_all(request.actor, chosen, said["keep_until"])
    else:
        days = ended_on(request.household, chosen, form.today)
        change = set_out_actions.finish_all(request.actor, days)
    flash_change(request, change)
    return redirect("today:index")


def _sheet(request: HouseholdRequest, over_form: OverForm) -> HttpResponse:
    household = request.household
    today = clock.today(household)
    form = AwayForm(request.GET, household=household)
    back_on = form.cleaned_data.get("until") if form.is_valid() else None
    found = today_sheet(household, today, back_on)
    stored = whole_larder(larder(household, open_seasons(household)))
    context = {
        "today": today,
        "sheet": found,
        "has_places": found.has_plantings or Place.objects.of(household).exists(),
        "trials": running(household),
        "glance": glance_of(household, found, today) if found.has_plantings else None,
        "back_form": form,
        "back_on": back_on,
        "larder": stored,
        "over_form": over_form,
    }
    return render(request, "today/index.html", context)
