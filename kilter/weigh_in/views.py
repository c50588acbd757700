"""Weigh in: the bench, its events, and the strip and tape that follow them."""

from __future__ import annotations

import json
from typing import Any

from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.core.errors import KilterError
from kilter.core.units import format_mass, parse_bench_line
from kilter.drawing.dial import dial_marks, reading
from kilter.people import clock
from kilter.people.access import harvest_writer
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import say
from kilter.set_out import actions as set_out_actions
from kilter.set_out.models import Crop, Planting
from kilter.tending.forms import PHOTO_ABOUT, PhotoForm
from kilter.weigh_in import actions, events, queries
from kilter.weigh_in.forms import BenchForm, LineForm, ReadForm
from kilter.weigh_in.models import Grade, WeighIn, new_client_id

GRADE_KEYS = {"table": "t", "small": "s", "seed": "e", "hurt": "h", "unripe": "u", "lost": "l"}
OTHER_SYSTEM = {"metric": "imperial", "imperial": "metric"}


@require_GET
def bench(request: HouseholdRequest) -> HttpResponse:
    """The bench: strip, dial and tape; a fragment request gets the strip and tape alone."""
    return _show_bench(request, BenchForm(request.GET, household=request.household))


@require_POST
@harvest_writer
def store_events(request: HouseholdRequest) -> HttpResponse:
    """Store events; the answer names the ids that are stored, after commit."""
    try:
        raw = json.loads(request.body)
        sent = raw["events"]
        if not isinstance(sent, list) or len(sent) > events.MAX_EVENTS:
            raise ValueError
    except (ValueError, KeyError, TypeError, RecursionError):
        return JsonResponse({"problem": 'Send {"events": […]}, at most 500 at once.'}, status=400)
    good, refused = [], []
    for one in sent:
        try:
            good.append(events.read_event(one))
        except KilterError as error:
            client_id = one.get("client_id", "") if isinstance(one, dict) else ""
            refused.append({"client_id": str(client_id)[:32], "reason": str(error)})
    stored, refusals = events.store(request.membership.household, request.user, good)  # type: ignore[arg-type]
    refused += [{"client_id": r.client_id, "reason": r.reason} for r in refusals]
    return JsonResponse({"stored": stored, "refused": refused})


@require_POST
@harvest_writer
def write(request: HouseholdRequest) -> HttpResponse:
    """Store one line from the plain form; the same line sent twice is stored once."""
    form = LineForm(request.POST)
    refusal = ""
    if form.is_valid():
        event = events.Event(kind="write", **form.cleaned_data)
        _, refusals = events.store(request.membership.household, request.user, [event])  # type: ignore[arg-type]
        if not refusals:
            return redirect(_bench_url(request, form.cleaned_data["planting"]))
        refusal = refusals[0].reason
        form.add_error("typed", refusal)
    pot = form.cleaned_data.get("planting")
    crop_pk = Planting.objects.of(request.household).filter(pk=pot or 0).values_list("crop_id", flat=True).first()
    return _show_bench(request, BenchForm({"crop": crop_pk, "pot": pot}, household=request.household), form)


@require_GET
def read(request: HouseholdRequest) -> HttpResponse:
    """Say what a line typed so far would weigh, for the dial; touches no harvest."""
    form = ReadForm(request.GET)
    typed = form.cleaned_data["typed"].strip() if form.is_valid() else ""
    system = system_of(request)
    try:
        line = parse_bench_line(typed, request.household.default_unit) if typed else None
    except KilterError as error:
        return JsonResponse({"problem": str(error)})
    mass_mg = line.mass.mass_mg if line and line.mass else 0
    # Metric has one unit, which stands under its figure; pounds and ounces stay together.
    figure, unit = format_mass(mass_mg, system), ""
    if system == "metric":
        figure, unit = figure.split()
    face = reading(mass_mg / 1e6)
    return JsonResponse(
        {
            "big": figure if line is None or line.mass else "",
            "unit": unit if line and line.mass else "",
            "small": f" · {format_mass(mass_mg, OTHER_SYSTEM[system])}" if line and line.mass else "",
            "count": line.count if line else None,
            "angle": face.angle_deg,
            "labels": face.labels,
        }
    )


@require_POST
@harvest_writer
def finish(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Say at the bench that a pot is done, or take that back."""
    planting = get_object_or_404(Planting.objects.of(request.household).with_names(), pk=pk)
    if planting.finished_on:
        say(request, set_out_actions.reopen(request.hand, planting))
    else:
        today = clock.today(request.household)
        say(request, set_out_actions.finish(request.hand, planting, max(today, planting.planted_on or today)))
    return redirect(_bench_url(request, pk))


@require_POST
@harvest_writer
def strike(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Strike a line of the tape, or put it back: the plain way of the same events."""
    line = get_object_or_404(WeighIn.objects.ever_of(request.household), pk=pk)
    kind = "strike" if line.struck_at is None else "unstrike"
    event = events.Event(new_client_id(), kind, target=line.client_id)  # type: ignore[arg-type]
    events.store(request.membership.household, request.user, [event])  # type: ignore[arg-type]
    return redirect(_bench_url(request, line.planting_id))


@harvest_writer
@require_http_methods(["GET", "POST"])
def photo(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Keep a photograph with a line of the tape, and so with its planting."""
    names = "planting__place", "planting__part", "planting__crop", "planting__variety"
    line = get_object_or_404(WeighIn.objects.of(request.household).select_related(*names), pk=pk)
    form = PhotoForm(request.POST or None, request.FILES or None, initial={"day": line.weighed_on})
    return form_page(
        request, form, title=f"A photograph of {line}",
        save=lambda: actions.add_photo_to(request.hand, line, form.cleaned_data),
        back=_bench_url(request, line.planting_id), about=PHOTO_ABOUT, for_helpers=True,
    )  # fmt: skip


def _bench_url(request: HouseholdRequest, pot: int) -> str:
    crop = Planting.objects.of(request.household).filter(pk=pot).values_list("crop_id", flat=True).first()
    return f"{reverse('weigh_in:bench')}?crop={crop}&pot={pot}"


def _show_bench(request: HouseholdRequest, form: BenchForm, line_form: LineForm | None = None) -> HttpResponse:
    household, today = request.household, clock.today(request.household)
    form.is_valid()
    crops = queries.crops_in_reach(household, today)
    crop = form.cleaned_data.get("crop") or _crop_at_hand(request, crops)
    pots = queries.strip(household, crop, today)
    in_hand = next((pot for pot in pots if pot.planting.pk == form.cleaned_data.get("pot")), None)
    context: dict[str, Any] = {
        "crops": crops,
        "crop": crop,
        "pots": pots,
        "pot": in_hand or next((pot for pot in pots if not pot.grades_today), pots[0] if pots else None),
        "tape": queries.tape(household, today),
        "today": today,
    }
    if request.htmx:
        return render(request, "weigh_in/bench_results.html", context)
    context |= {
        "grades": [{"value": v, "label": label, "key": GRADE_KEYS[v]} for v, label in Grade.choices],
        "marks": dial_marks(),
        "face": reading(0),
        "line_form": line_form,
        "client_id": new_client_id(),
        "shift_days": clock.shift_days(household),
    }
    return render(request, "weigh_in/bench.html", context, status=422 if line_form else 200)


def _crop_at_hand(request: HouseholdRequest, crops: list[Crop]) -> Crop | None:
    """The crop weighed last, else the first one growing."""
    last = WeighIn.objects.of(request.household).filter(planting__crop__in=crops).order_by("-pk")
    crop_id = last.values_list("planting__crop_id", flat=True).first()
    return next((crop for crop in crops if crop.pk == crop_id), crops[0] if crops else None)
