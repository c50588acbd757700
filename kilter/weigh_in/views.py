"""Weigh in: the bench and the picking round, their events,
and what keeps them working with no connection.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

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
from kilter.core.trade.grades import GRADES, USUAL
from kilter.drawing.dial import dial_face, dial_marks
from kilter.people import clock
from kilter.people.access import Who, everything, page_for
from kilter.people.events import answer
from kilter.people.forms import BackForm
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest, who_of
from kilter.people.undo import flash_change
from kilter.set_out import actions as set_out_actions
from kilter.set_out.forms import RestForm
from kilter.set_out.models import Crop, Planting
from kilter.set_out.views import plantings
from kilter.weigh_in import queries
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.forms import BenchForm, FinishManyForm, LineForm, ReadForm
from kilter.weigh_in.guests import (
    check_lifted,
    guest_of,
    lifted_by,
    lines_for,
    own_lines,
    token_of_guest,
)
from kilter.weigh_in.late import waiting_late
from kilter.weigh_in.models import Cleaned, Fullness, OwnMeasure, Topped, WeighIn, new_client_id
from kilter.weigh_in.scale_views import key_of

OTHER_SYSTEM = {"metric": "imperial", "imperial": "metric"}


@page_for(reads=Who.MEMBER, guests=everything)
def bench(request: HouseholdRequest) -> HttpResponse:
    """The bench: strip, dial and tape; a fragment request gets the strip and tape alone."""
    return _show_bench(request, BenchForm(request.GET, household=request.household))


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
    shown = {"crop": crop_pk, "pot": pot, "day": request.POST.get("day", "")}
    return _show_bench(request, BenchForm(shown, household=request.household), form)


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
    # Metric has one unit, which stands under its figure; pounds and ounces stay together.
    figure, unit = format_mass(mass_mg, system), ""
    if system == "metric":
        figure, unit = figure.split()
    face = dial_face(mass_mg / 1e6)
    return JsonResponse(
        {
            "big": figure if line is None or line.mass else "",
            "unit": unit if line and line.mass else "",
            "small": f" · {format_mass(mass_mg, OTHER_SYSTEM[system])}"
            if line and line.mass
            else "",
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
    part, is_bare = so_far.part, not so_far.is_written and not said["is_sure"]
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
        flash_change(request, set_out_actions.finish_all(request.actor, ready, day))
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


def bench_day(request: HouseholdRequest) -> date | None:
    """The day that the bench was set to when something was sent from it; None for today."""
    said = BenchForm({"day": request.POST.get("day", "")}, household=request.household)
    day: date | None = (
        said.cleaned_data["day"] if said.is_valid() and not request.membership.is_guest else None
    )
    return day


def bench_url(request: HouseholdRequest, pot: int) -> str:
    """The bench with a pot in hand."""
    crop = (
        Planting.objects.of(request.household)
        .filter(pk=pot)
        .values_list("crop_id", flat=True)
        .first()
    )
    return _address(crop, pot, bench_day(request))


def _address(crop: int | None, pot: int | None, day: date | None) -> str:
    """The bench with a crop, a pot in hand and a day chosen, each where there is one."""
    said = {"crop": crop, "pot": pot, "day": day}
    return f"{reverse('weigh_in:bench')}?{urlencode({k: v for k, v in said.items() if v})}"


def _show_bench(
    request: HouseholdRequest, form: BenchForm, line_form: LineForm | None = None
) -> HttpResponse:
    household, real_day = request.household, clock.today(request.household)
    form.is_valid()
    day = None if request.membership.is_guest else form.cleaned_data.get("day")
    today = day or real_day
    crops = queries.crops_in_reach(household, today)
    crop = form.cleaned_data.get("crop") or _crop_at_hand(request, crops)
    is_hidden = form.cleaned_data.get("hidden", False)
    everywhere = queries.strip(household, crop, today, is_hidden=is_hidden)
    site, sites = form.cleaned_data.get("site"), queries.sites_of(everywhere)
    pots = (
        [pot for pot in everywhere if pot.planting.place.site_id == site.pk]
        if site in sites
        else everywhere
    )
    in_hand = next((pot for pot in pots if pot.planting.pk == form.cleaned_data.get("pot")), None)
    pot = in_hand or next((pot for pot in pots if not pot.grades_today), pots[0] if pots else None)
    still_open = [one for one in everywhere if one.planting.finished_on is None]
    written_open = sum(bool(one.grades_today) for one in still_open)
    set_open = sum(pot is not None and one.is_beside(pot) for one in still_open)
    context: dict[str, Any] = {
        "crops": crops,
        "lately": [] if crops else queries.finished_lately(household),
        "crop": crop,
        "pots": pots,
        "pot": pot,
        "written_open": written_open if written_open > 1 else 0,
        "set_open": set_open if set_open > 1 else 0,
        "usual": queries.usual_grades(household, crop, today),
        "tape": queries.tape(household, today, guest_of(request)),
        "today": today,
        "is_hidden": is_hidden,
        "day": day,
        "of_day": f"&day={day}" if day else "",
        "of_hidden": "&hidden=on" if is_hidden else "",
        "sites": sites if len(sites) > 1 else [],
        "site": site if site in sites else None,
        "of_site": f"&site={site.pk}" if site in sites else "",
        "only": only_of(form),
        "here": _address(crop.pk if crop else None, pot.planting.pk if pot else None, day),
        "day_field": form["day"],
        "waiting": lines_for(request, queries.waiting_lines(household)).count(),
    }
    if request.htmx:
        return render(request, "weigh_in/bench_results.html", context)
    shift_days = clock.shift_days(household) + (today - real_day).days
    context |= {
        "line_form": line_form,
        "shift_days": shift_days,
        **_whole_bench(request, crop, crops),
    }
    return render(request, "weigh_in/bench.html", context, status=422 if line_form else 200)


def _whole_bench(
    request: HouseholdRequest, crop: Crop | None, crops: Sequence[Crop]
) -> dict[str, Any]:
    """What the whole page needs beside the pots, the tape and the pot in hand."""
    household = request.household
    return {
        "grades": tuple(GRADES.values()),
        "usual_grade": USUAL,
        "marks": dial_marks(),
        "face": dial_face(0),
        "client_id": new_client_id(),
        "who": who_of(request),
        "guest": token_of_guest(request),
        "late": waiting_late(household).count() if request.membership.is_owner else 0,
        "kit": queries.kit_of(household),
        "habits": queries.habits_of(household, crop),
        "cleaned": Cleaned.choices,
        "topped": Topped.choices,
        "fullness": Fullness.choices,
        "scale_key": key_of(request),
        "pages": [
            reverse("weigh_in:round"),
            *(f"{reverse('weigh_in:bench')}?crop={one.pk}" for one in crops),
        ],
    }


def only_of(form: BenchForm) -> frozenset[str] | None:
    """The lines that the device asks for, as it shows the others already; None for all of them."""
    said = form.cleaned_data.get("only") or ""
    return frozenset(said.split(",")) if said else None


def _crop_at_hand(request: HouseholdRequest, crops: list[Crop]) -> Crop | None:
    """The crop weighed last, else the first one growing."""
    last = WeighIn.objects.of(request.household).filter(planting__crop__in=crops).order_by("-pk")
    crop_id = last.values_list("planting__crop_id", flat=True).first()
    return next((crop for crop in crops if crop.pk == crop_id), crops[0] if crops else None)
