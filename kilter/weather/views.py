"""The weather of a site: its record, a station read, a file brought in."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from kilter.core.errors import KilterError
from kilter.core.growing.almanac import GDD_BASE_C, moon_on
from kilter.ground.models import Site
from kilter.people import clock
from kilter.people.access import owner_only
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import say
from kilter.weather import actions, queries
from kilter.weather.forms import RecordForm, YearForm
from kilter.weather.reading import read_record


@require_GET
def site(request: HouseholdRequest, pk: int) -> HttpResponse:
    """A year of a site's weather and what follows from it."""
    return _show(request, pk, RecordForm())


@require_POST
@owner_only
def read(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Read the station."""
    found, today = _site(request, pk), clock.today(request.household)
    try:
        line = actions.station_of(found, today)
        say(request, actions.read_station(request.hand, found, line, today))
    except KilterError as error:
        messages.error(request, str(error))
    return redirect("weather:site", pk)


@require_POST
@owner_only
def bring(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Bring a record in from a file."""
    found, form = _site(request, pk), RecordForm(request.POST, request.FILES)
    if form.is_valid():
        try:
            days = read_record(form.cleaned_data["record"].read())
            says = f"{len(days)} days of weather were brought in for {found}."
            say(request, actions.keep_days(request.hand, found, days, "file", says))
            return redirect(f"{reverse('weather:site', args=[pk])}?year={days[-1].day.year}")
        except KilterError as error:
            form.add_error("record", str(error))
    return _show(request, pk, form)


def _show(request: HouseholdRequest, pk: int, record_form: RecordForm) -> HttpResponse:
    found, today, form = _site(request, pk), clock.today(request.household), YearForm(request.GET)
    asked = form.cleaned_data if form.is_valid() else {}
    base_c = asked.get("base_c")
    record = queries.record_of(
        request.household, found, asked.get("year") or today.year, today, GDD_BASE_C if base_c is None else base_c
    )
    context = {
        "record": record,
        "form": record_form,
        "moon": moon_on(today) if request.household.is_moon_shown else None,
        "station": actions.STATION,
    }
    return render(request, "weather/site.html", context, status=422 if record_form.errors else 200)


def _site(request: HouseholdRequest, pk: int) -> Site:
    return get_object_or_404(Site.objects.of(request.household), pk=pk)
