"""The scale on the bench: its live reading, zero and tare,
and the page that loads the simulated one.
"""

from __future__ import annotations

import secrets

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.core import signing
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from kilter.core.amounts.units import format_mass
from kilter.devices.reader import SCALES
from kilter.devices.scale import ScaleError, ScaleReading
from kilter.drawing.dial import dial_face as dial_reading
from kilter.people.access import Who, everything, page_for
from kilter.people.guests import is_ended
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.weigh_in.forms import HandForm

SALT = "kilter.scale"
KEY_AGE_S = 60 * 60 * 24
#: A guest's key ends with their link, which is remembered here: their keys are of this start of the
#: server.
STARTED = secrets.token_hex(8)
UNSTEADY = "The scale has not come to rest yet."
#: What the simulated scale's line can be made to do.
LINE_WORDS = {
    "good": "A good line",
    "silent": "It says nothing",
    "slow": "It is very slow",
    "garbage": "It sends garbage",
    "cut": "It breaks off",
}
OVERLOADED = "That is more than the scale bears: take it in several loads, 5000+3120."


@login_not_required
@never_cache
@require_safe
def live(request: HttpRequest) -> HttpResponse:
    """What lies on the scale now; asked a few times a second, so it touches no database.

    The page that asks was given a signed key of its household, and sends no cookie.
    """
    try:
        household_pk, is_real, link, started = signing.loads(
            request.GET.get("key", ""), salt=SALT, max_age=KEY_AGE_S
        )
        if link and (started != STARTED or is_ended(link)):
            raise signing.BadSignature
    except (signing.BadSignature, ValueError, TypeError):
        return JsonResponse(
            {"problem": "This page is too old for the scale; load it again."}, status=403
        )
    try:
        found = SCALES.reader(household_pk, settings.KILTER_SCALE if is_real else "").latest()
    except ScaleError as error:
        return JsonResponse({"problem": str(error)})
    return JsonResponse(_shown(found))


def key_of(request: HouseholdRequest) -> str:
    """What a page asks the live scale with: whose it is, which scale that is,
    and by which link a guest came.
    """
    link = request.membership.link_id if request.membership.is_guest else None
    return signing.dumps(
        [request.household.pk, bool(scale_of(request.household)), link, STARTED if link else ""],
        salt=SALT,
    )


def scale_of(household: Household) -> str:
    """The real scale where it is this household's, else none: the simulated one stands in.

    One scale stands in one kitchen: it is that of the household named in the settings, else of the
    oldest.
    """
    if not settings.KILTER_SCALE:
        return ""
    named = settings.KILTER_SCALE_HOUSEHOLD
    theirs = (
        Household.objects.filter(is_staging=False, **({"name": named} if named else {}))
        .order_by("pk")
        .first()
    )
    return settings.KILTER_SCALE if household == theirs else ""


def _shown(found: ScaleReading) -> dict[str, object]:
    if found.is_overloaded:
        return {"problem": OVERLOADED}
    face = dial_reading(max(found.mass_mg, 0) / 1e6)
    # A scale of pounds shows them as it does; grams and kilograms stand as on every page.
    is_metric = found.text.endswith("g")
    figure, unit = (format_mass(found.mass_mg) if is_metric else found.text).split()
    return {
        "text": found.text,
        "mg": found.mass_mg,
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
        SCALES.reader(request.household.pk, scale_of(request.household)).command("zero")
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
    context = {
        "form": form,
        "scale": scale,
        "lines": LINE_WORDS.items(),
        "is_real": bool(scale_of(request.household)),
        "scale_key": key_of(request),
    }
    return render(request, "weigh_in/hand.html", context, status=422 if form.errors else 200)
