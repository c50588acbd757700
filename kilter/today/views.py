"""Today: the sheet one lands on."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render

from kilter.ground.models import Place
from kilter.larder.ledger import larder, open_seasons
from kilter.larder.shelves import whole_larder
from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.today.forms import AwayForm
from kilter.today.glance import glance_of
from kilter.today.queries import today_sheet
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
    today = clock.today(request.household)
    form = AwayForm(request.GET, household=request.household)
    back_on = form.cleaned_data.get("until") if form.is_valid() else None
    found = today_sheet(request.household, today, back_on)
    has_places = found.has_plantings or Place.objects.of(request.household).exists()
    context = {
        "today": today,
        "sheet": found,
        "has_places": has_places,
        "trials": running(request.household),
    }
    household = request.household
    stored = whole_larder(larder(household, open_seasons(household)))
    context["glance"] = glance_of(household, found, today) if found.has_plantings else None
    context |= {"back_form": form, "back_on": back_on, "larder": stored}
    return render(request, "today/index.html", context)
