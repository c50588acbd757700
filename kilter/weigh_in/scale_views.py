"""The scale on the bench: its live reading, zero and tare, and the page that loads the simulated one."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.core import signing
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from kilter.core.amounts.units import format_mass
from kilter.devices.scale import SCALES, ScaleError, ScaleReading, command, read_scale
from kilter.drawing.dial import dial_face as dial_reading
from kilter.people.access import Who, everything, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.weigh_in.forms import HandForm

SCALE_SALT = "kilter.scale"
KEY_AGE_S = 60 * 60 * 24
UNSTEADY = "The scale has not come to rest yet."
OVERLOADED = "That is more than the scale bears: take it in several loads, 5000+3120."


@login_not_required
@never_cache
@require_safe
def live(request: HttpRequest) -> HttpResponse:
    """What lies on the scale now; asked a few times a second, so it touches no database.

    The page that asks was given a signed key of its household, and sends no cookie.
    """
    try:
        household_pk = signing.loads(request.GET.get("key", ""), salt=SCALE_SALT, max_age=KEY_AGE_S)
    except signing.BadSignature:
        return JsonResponse({"problem": "This page is too old for the scale; load it again."}, status=403)
    try:
        found = SCALES.ask(household_pk, settings.KILTER_SCALE, read_scale)
    except ScaleError as error:
        return JsonResponse({"problem": str(error)})
    assert found is not None
    return JsonResponse(_shown(found))


def _shown(found: ScaleReading) -> dict[str, object]:
    if found.is_overloaded:
        return {"problem": OVERLOADED}
    face = dial_reading(max(found.mass_mg, 0) / 1e6)
    figure, unit = format_mass(found.mass_mg).split()
    return {
        "text": found.text,
        "is_steady": found.is_steady,
        "big": figure,
        "unit": unit,
        "angle": face.angle_deg,
        "labels": face.labels,
        "word": "" if found.is_steady else UNSTEADY,
        "is_nothing": found.mass_mg <= 0,
    }


@page_for(writes=Who.WRITER, guests=everything)
def zero(request: HouseholdRequest) -> HttpResponse:
    """What lies on the scale now is nothing."""
    try:
        SCALES.ask(request.household.pk, settings.KILTER_SCALE, lambda line: command(line, "zero"))
    except ScaleError as error:
        return JsonResponse({"problem": str(error)})
    return JsonResponse({})


@page_for(reads=Who.WRITER, writes=Who.WRITER, guests=everything)
def hand(request: HouseholdRequest) -> HttpResponse:
    """The hand over the simulated scale: puts things on it, and makes it behave badly."""
    scale = SCALES.simulated(request.household.pk)
    form = HandForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            refusal = scale.ask(form.wish)
        except ScaleError as error:
            refusal = str(error)
        if refusal == "ok":
            return redirect("weigh_in:hand")
        form.add_error("grams", refusal.removeprefix("error "))
    key = signing.dumps(request.household.pk, salt=SCALE_SALT)
    context = {"form": form, "scale": scale, "is_real": bool(settings.KILTER_SCALE), "scale_key": key}
    return render(request, "weigh_in/hand.html", context, status=422 if form.errors else 200)
