"""Weigh in: the bench and the picking round, their events,
and what keeps them working with no connection.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.contrib.staticfiles import finders
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from django.shortcuts import redirect, render
from django.templatetags.static import static
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from kilter.core.amounts.units import format_mass, parse_bench_line
from kilter.core.errors import KilterError
from kilter.core.trade.grades import USUAL
from kilter.drawing.dial import dial_face
from kilter.people import clock
from kilter.people.access import Who, everything, page_for
from kilter.people.events import answer
from kilter.people.forms import BackForm
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest, who_of
from kilter.people.undo import flash_change
from kilter.set_out import actions as set_out_actions
from kilter.set_out.forms import RestForm
from kilter.set_out.models import Planting
from kilter.set_out.views import plantings
from kilter.weigh_in import queries
from kilter.weigh_in.bench_page import bench_day, bench_form, bench_url, show_bench
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.forms import YARD, FinishManyForm, LineForm, ReadForm
from kilter.weigh_in.guests import (
    check_lifted,
    guest_of,
    lifted_by,
    own_lines,
)
from kilter.weigh_in.models import OwnMeasure, WeighIn, new_client_id


@page_for(reads=Who.MEMBER, guests=everything)
def bench(request: HouseholdRequest) -> HttpResponse:
    """The bench: strip, dial and tape; a fragment request gets the strip and tape alone."""
    return show_bench(request, bench_form(request, request.GET))


@page_for(writes=Who.WRITER, guests=everything)
def store_events(request: HouseholdRequest) -> HttpResponse:
    """Store what devices kept; the answer names the ids that are stored, after commit."""
    return answer(request, BENCH)


@page_for(reads=Who.MEMBER, guests=everything)
@never_cache
def token(request: HouseholdRequest) -> HttpResponse:
    """A fresh token to send kept lines with, and who is signed in."""
    return JsonResponse({"token": get_token(request), "who": who_of(request)})


@page_for(reads=Who.MEMBER, guests=everything)
def worker(_: HttpRequest) -> HttpResponse:
    """The service worker of the bench: its own address,
    so that it may serve the room and no more.
    """
    return worker_script()


def worker_script() -> HttpResponse:
    """The script of the service worker, as each room that works with no connection serves it."""
    path = finders.find("kilter/worker.js") or Path(settings.STATIC_ROOT) / "kilter" / "worker.js"
    body = Path(str(path)).read_text(encoding="utf-8")
    return HttpResponse(body, content_type="text/javascript", headers={"Cache-Control": "no-cache"})


@login_not_required
@require_safe
def manifest(_: HttpRequest) -> HttpResponse:
    """What a phone needs to install the bench."""
    png = {"type": "image/png", "purpose": "any"}
    icons = [
        {
            "src": static("kilter/icon.svg"),
            "sizes": "any",
            "type": "image/svg+xml",
            "purpose": "any",
        },
        {**png, "src": static("kilter/icon-192.png"), "sizes": "192x192"},
        {**png, "src": static("kilter/icon-512.png"), "sizes": "512x512"},
        {
            **png,
            "src": static("kilter/icon-maskable-512.png"),
            "sizes": "512x512",
            "purpose": "maskable",
        },
    ]
    found = {
        "name": "Kilter: the bench",
        "short_name": "Kilter",
        "start_url": reverse("weigh_in:bench"),
        "scope": reverse("weigh_in:bench"),
        "display": "standalone",
        "background_color": "#F6F1E7",
        "theme_color": "#8E1F4B",
        "icons": icons,
    }
    return JsonResponse(found, content_type="application/manifest+json")


@page_for(writes=Who.WRITER, guests=everything)
def write(request: HouseholdRequest) -> HttpResponse:
    """Store one line from the plain form; the same line sent twice is stored once."""
    form = LineForm(request.POST)
    if form.is_valid():
        day, now = bench_day(request), clock.now(request.household)
        at = (
            {"at": now.replace(year=day.year, month=day.month, day=day.day).isoformat()}
            if day
            else {}
        )
        _, refusals = BENCH.take(request.actor, [{**form.raw, **at}])
        if not refusals:
            pots = form.cleaned_data["plantings"] or (form.cleaned_data["planting"],)
            return redirect(bench_url(request, pots[0]))
        form.add_error("typed", refusals[0].reason)
        form.is_unusual = refusals[0].is_unusual
    pot = form.cleaned_data.get("planting")
    crop_pk = (
        Planting.objects.of(request.household)
        .filter(pk=pot or 0)
        .values_list("crop_id", flat=True)
        .first()
    )
    crop = YARD if request.POST.get("crop") == YARD else crop_pk
    shown = {"crop": crop, "pot": pot, "day": request.POST.get("day", "")}
    return show_bench(request, bench_form(request, shown), form)


@page_for(reads=Who.MEMBER, guests=everything)
def picking(request: HouseholdRequest) -> HttpResponse:
    """The picking round: one line for each crop that is picked again and again."""
    today = clock.today(request.household)
    rounds = queries.picking_round(request.household, today)
    context = {
        "rounds": [(one, new_client_id()) for one in rounds],
        "usual_grade": USUAL,
        "today": today,
        "who": who_of(request),
        "shift_days": clock.shift_days(request.household),
        "tape": queries.tape(request.household, today, guest_of(request)),
    }
    return render(request, "weigh_in/round.html", context)


@page_for(reads=Who.MEMBER, guests=everything)
def read(request: HouseholdRequest) -> HttpResponse:
    """Say what a line typed so far would weigh, for the dial; touches no harvest."""
    form = ReadForm(request.GET)
    typed = form.cleaned_data["typed"].strip() if form.is_valid() else ""
    system = system_of(request)
    try:
        names = (
            OwnMeasure.objects.of(request.household).values_list("name", flat=True)
            if typed[-1:].isalpha()
            else ()
        )
        line = (
            parse_bench_line(typed, request.household.default_unit, list(names)) if typed else None
        )
    except KilterError as error:
        return JsonResponse({"problem": str(error)})
    mass_mg = line.mass.mass_mg if line and line.mass else 0
    # One unit stands under its figure; pounds and ounces stay together.
    figure, unit = format_mass(mass_mg, system), ""
    if system != "imperial":
        figure, unit = figure.split()
    other = request.household.pounds if system == "metric" else "metric"
    face = dial_face(mass_mg / 1e6)
    return JsonResponse(
        {
            "big": figure if line is None or line.mass else "",
            "unit": unit if line and line.mass else "",
            "small": f" · {format_mass(mass_mg, other)}" if line and line.mass else "",
            "count": line.count if line else None,
            "angle": face.angle_deg,
            "labels": face.labels,
        }
    )


@page_for(writes=Who.WRITER, of=plantings, guests=everything)
def finish(request: HouseholdRequest, planting: Planting) -> HttpResponse:
    """Say at the bench that a pot is done, or take that back.

    After a part lift it is asked what became of the others; and of a pot with no line whether it
    gave nothing.
    """
    check_lifted(request, planting)
    if planting.finished_on:
        flash_change(request, set_out_actions.reopen(request.actor, planting))
        return redirect(bench_url(request, planting.pk))
    form = RestForm(request.POST)
    said: dict[str, Any] = form.cleaned_data if form.is_valid() else {"rest": "", "is_sure": False}
    day = bench_day(request)
    so_far = queries.lifted_so_far(request.household, [planting])[planting.pk]
    part, is_bare = so_far.part, not (so_far.is_written or said["is_sure"] or said["rest"])
    if is_bare or (part and not said["rest"]):
        context = {
            "planting": planting,
            "part": part,
            "day": day,
            "rests": Planting.Rest.choices,
            "back": bench_url(request, planting.pk),
        }
        return render(request, "weigh_in/rest.html", context)
    today = day or clock.today(request.household)
    flash_change(
        request,
        set_out_actions.finish(
            request.actor, planting, max(today, planting.planted_on or today), said["rest"]
        ),
    )
    return redirect(bench_url(request, planting.pk))


@page_for(writes=Who.WRITER, of=plantings, guests=everything)
def finish_many(request: HouseholdRequest, planting: Planting) -> HttpResponse:
    """Say of every pot written today, or of a whole set, that it is done;
    what needs a question stays open.
    """
    form, household, day = (
        FinishManyForm(request.POST),
        request.household,
        bench_day(request) or clock.today(request.household),
    )
    if not form.is_valid():
        return redirect(bench_url(request, planting.pk))
    is_set = form.cleaned_data["which"] == "set"
    ready: list[Planting] = []
    asked: list[Planting] = []
    beside = queries.open_beside(household, planting, day, is_set=is_set)
    if request.membership.is_guest:
        mine = set(lifted_by(request, Planting.objects.of(household)).values_list("pk", flat=True))
        beside = [one for one in beside if one.pk in mine]
    so_far = queries.lifted_so_far(household, beside)
    for one in beside:
        (ready if so_far[one.pk].is_clear else asked).append(one)
    if ready:
        flash_change(request, set_out_actions.finish_all(request.actor, dict.fromkeys(ready, day)))
    if asked or not ready:
        left = ", ".join(one.where for one in asked)
        says = (
            f"Left open, as something is to be said of each: {left}."
            if asked
            else "None of them is open."
        )
        messages.info(request, says)
    return redirect(bench_url(request, planting.pk))


@page_for(
    writes=Who.WRITER, of=lambda household: WeighIn.objects.ever_of(household), guests=own_lines
)
def strike(request: HouseholdRequest, line: WeighIn) -> HttpResponse:
    """Strike a line of the tape, or put it back: the plain way of the same events."""
    kind = "strike" if line.struck_at is None else "unstrike"
    BENCH.take(
        request.actor, [{"client_id": new_client_id(), "kind": kind, "target": line.client_id}]
    )
    back = BackForm(request.POST, host=request.get_host())
    return redirect(
        back.cleaned_data["back"] if back.is_valid() else bench_url(request, line.planting_id)
    )
