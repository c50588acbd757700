"""What happened, what was done, and photographs of it."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse

from kilter.core.growing.care import JOBS
from kilter.people import clock
from kilter.people.access import MARGIN_BYTES, Who, page_for, strike_view
from kilter.people.forms import BackForm
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.set_out.models import Planting
from kilter.set_out.steps import SITE, not_yet, step_before
from kilter.tending import actions, queries
from kilter.tending.forms import (
    PHOTO_ABOUT,
    SUGGESTIONS,
    HappeningChangeForm,
    HappeningForm,
    JobForm,
    PhotoForm,
    RepeatForm,
    TickedForm,
)
from kilter.tending.models import SOW_AGAIN, Happening, Job, Photo, Repeat
from kilter.tending.pictures import MAX_FILE_BYTES

LATEST = 200


def _after_striking(found: Any) -> str:
    planting = getattr(found, "planting_id", None)
    return reverse("atlas:planting", args=[planting]) if planting else reverse("tending:index")


strike_one = strike_view(
    {"happening": Happening, "job": Job, "photo": Photo, "repeat": Repeat}, _after_striking
)


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """What happened, latest first, and the work on places and sites."""
    household = request.household
    context = {
        "happenings": list(queries.happenings(household)[:LATEST]),
        "jobs": list(
            Job.objects.of(household).filter(planting=None).select_related("place", "site")[:LATEST]
        ),
        "repeats": list(
            Repeat.objects.of(household).filter(planting=None).select_related("place")[:LATEST]
        ),
    }
    return render(request, "tending/index.html", context)


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def new(request: HouseholdRequest) -> HttpResponse:
    """Write down what happened, for many places at once."""
    if step := step_before(request.household, SITE):
        return not_yet(request, "Write down what happened", step)
    form = HappeningForm(request.POST or None, household=request.household, **_begin(request))
    return form_page(
        request,
        form,
        title="Write down what happened",
        save=lambda: actions.happened(
            request.actor,
            form.instance,
            form.cleaned_data["targets"],
            form.cleaned_data["lost_each"],
        ),
        back=reverse("tending:index"),
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=queries.happenings)
def happening(request: HouseholdRequest, found: Happening) -> HttpResponse:
    """Change what happened, or say later whether it helped."""
    form = HappeningChangeForm(request.POST or None, household=request.household, instance=found)
    return form_page(
        request,
        form,
        title=str(found),
        save=lambda: actions.change_happening(request.actor, form.save(commit=False)),
        back=reverse("tending:index"),
        strike=reverse("tending:strike", args=["happening", found.pk]),
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def do(request: HouseholdRequest) -> HttpResponse:
    """Write down a job done for many places at once, with its minutes and water."""
    if step := step_before(request.household, SITE):
        return not_yet(request, "Work done", step)
    form = JobForm(request.POST or None, household=request.household, **_begin(request))
    came_from = BackForm(request.POST, host=request.get_host())
    return form_page(
        request,
        form,
        title="Work done",
        save=lambda: actions.do(
            request.actor, form.instance, form.cleaned_data["targets"], form.cleaned_data
        ),
        back=reverse("today:index"),
        then=came_from.cleaned_data["back"] if came_from.is_valid() else "",
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def repeat(request: HouseholdRequest) -> HttpResponse:
    """Let a job come back every so many days, or once on a day ahead."""
    if step := step_before(request.household, SITE):
        return not_yet(request, "A job that comes back", step)
    form = RepeatForm(request.POST or None, household=request.household, **_begin(request))
    return form_page(
        request,
        form,
        title="A job that comes back",
        save=lambda: actions.repeat(request.actor, form.instance, form.cleaned_data["targets"]),
        back=reverse("today:index"),
        about="Today says when it is due; the next time counts from the day it was done.",
        lists={"jobs": [*JOBS, SOW_AGAIN]},
    )


@page_for(
    reads=Who.OWNER,
    writes=Who.OWNER,
    kinds={"planting": Planting, "happening": Happening},
    by="of",
    takes_bytes=MAX_FILE_BYTES + MARGIN_BYTES,
)
def add_photo(request: HouseholdRequest, found: Planting | Happening, of: str) -> HttpResponse:
    """Keep a photograph with a planting or a happening."""
    initial = {"day": clock.today(request.household)}
    form = PhotoForm(
        request.POST or None, request.FILES or None, household=request.household, initial=initial
    )
    back = (
        reverse("atlas:planting", args=[found.pk]) if of == "planting" else reverse("tending:index")
    )
    return form_page(
        request,
        form,
        title=f"A photograph of {found}",
        save=lambda: actions.add_photo(
            request.actor, form.cleaned_data["photo"], form.cleaned_data, **{of: found}
        ),
        back=back,
        about=PHOTO_ABOUT,
    )


@page_for(reads=Who.MEMBER, of=Photo)
def photo(_: HouseholdRequest, found: Photo) -> HttpResponse:
    """A photograph, to its household only."""
    with found.file.open("rb") as kept:
        response = HttpResponse(kept.read(), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    response["X-Content-Type-Options"] = "nosniff"
    return response


def _begin(request: HouseholdRequest) -> dict[str, Any]:
    """What a form about many places begins with: what was ticked, and of a planting its place."""
    form = TickedForm(request.GET)
    form.is_valid()
    target = form.cleaned_data.get("target", "")
    initial = {name: said for name in ("kind", "job") if (said := form.cleaned_data.get(name))}
    kind, _, key = target.partition("-")
    is_planting = kind == "planting" and key.isascii() and key.isdigit() and len(key) < 18
    return {
        "initial": initial | ({"targets": [target]} if target else {}),
        "also": int(key) if is_planting else None,
    }
