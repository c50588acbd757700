"""The weather of a site: its record, a station read, a file brought in."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.errors import KilterError
from kilter.core.growing.almanac import GDD_BASE_C, moon_on
from kilter.ground.models import Site
from kilter.people import clock
from kilter.people.access import MARGIN_BYTES, Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import flash_change
from kilter.weather import actions, queries
from kilter.weather.forms import MAX_FILE_BYTES, RecordForm, YearForm
from kilter.weather.reading import read_record


@page_for(reads=Who.MEMBER, of=Site)
def site(request: HouseholdRequest, found: Site) -> HttpResponse:
    """A year of a site's weather and what follows from it."""
    return _show(request, found, RecordForm())


@page_for(writes=Who.OWNER, of=Site)
def read(request: HouseholdRequest, found: Site) -> HttpResponse:
    """Read the station."""
    today = clock.today(request.household)
    try:
        line = actions.station_of(found, today)
        flash_change(request, actions.read_station(request.actor, found, line, today))
    except KilterError as error:
        messages.error(request, str(error))
    return redirect("weather:site", found.pk)


@page_for(writes=Who.OWNER, of=Site, takes_bytes=MAX_FILE_BYTES + MARGIN_BYTES)
def bring(request: HouseholdRequest, found: Site) -> HttpResponse:
    """Bring a record in from a file."""
    form = RecordForm(request.POST, request.FILES)
    if form.is_valid():
        try:
            days = read_record(form.cleaned_data["record"].read())
            says = f"{len(days)} days of weather were brought in for {found}."
            flash_change(request, actions.keep_days(request.actor, found, days, "file", says))
            return redirect(f"{reverse('weather:site', args=[found.pk])}?year={days[-1].day.year}")
        except KilterError as error:
            form.add_error("record", str(error))
    return _show(request, found, form)


def _show(request: HouseholdRequest, found: Site, record_form: RecordForm) -> HttpResponse:
    today, form = clock.today(request.household), YearForm(request.GET)
    asked = form.cleaned_data if form.is_valid() else {}
    base_c = asked.get("base_c")
    record = queries.record_of(
        request.household,
        found,
        asked.get("year") or today.year,
        today,
        GDD_BASE_C if base_c is None else base_c,
    )
    context = {
        "record": record,
        "form": record_form,
        "moon": moon_on(today) if request.household.is_moon_shown else None,
        "station": actions.STATION,
    }
    return render(request, "weather/site.html", context, status=422 if record_form.errors else 200)
