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
from kilter.today.closing import closing as closing_of_season
from kilter.today.closing import over_winter
from kilter.today.forms import AwayForm, OverForm
from kilter.today.glance import glance_of
from kilter.today.queries import ended_on, today_sheet
from kilter.weigh_in import views as bench
from kilter.weigh_in.queries import waiting_lines
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
    _said(request, form)
    return redirect("today:index")


@page_for(reads=Who.MEMBER, writes=Who.WRITER)
def closing(request: HouseholdRequest) -> HttpResponse:
    """The end of a season: all that still stands, what waits, and what lies nowhere."""
    household, today = request.household, clock.today(request.household)
    form = OverForm(request.POST or None, household=household)
    if request.method == "POST" and form.is_valid():
        _said(request, form)
        return redirect("today:closing")
    context = {
        "closing": closing_of_season(household, today),
        "form": form,
        "waiting": waiting_lines(household),
        "larder": whole_larder(larder(household, open_seasons(household))),
    }
    return render(request, "today/closing.html", context, status=422 if form.errors else 200)


def _said(request: HouseholdRequest, form: OverForm) -> None:
    """Finish what was chosen, or keep it: until a day, or over the winter."""
    said, chosen = form.cleaned_data, list(form.cleaned_data["over"])
    if said["do"] == OverForm.KEEP:
        days = dict.fromkeys(chosen, said["keep_until"])
        change = set_out_actions.keep_all(request.actor, days)
    elif said["do"] == OverForm.WINTER:
        days = over_winter(request.household, chosen, form.today)
        change = set_out_actions.keep_all(request.actor, days)
    else:
        days = ended_on(request.household, chosen, form.today)
        change = set_out_actions.finish_all(request.actor, days)
    flash_change(request, change)


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
