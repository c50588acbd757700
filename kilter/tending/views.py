"""What happened, what was done, and photographs of it."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.people import clock
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import strike
from kilter.people.forms import BackForm
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Owned
from kilter.people.pages import form_page
from kilter.people.undo import say
from kilter.set_out.models import Planting
from kilter.tending import actions, queries
from kilter.tending.forms import (
    PHOTO_ABOUT,
    SUGGESTIONS,
    BeginForm,
    HappeningChangeForm,
    HappeningForm,
    JobForm,
    PhotoForm,
    TargetsForm,
)
from kilter.tending.models import Happening, Job, Photo

LATEST = 200
PICTURED: dict[str, type[Owned]] = {"planting": Planting, "happening": Happening}
STRIKABLE: dict[str, type[Owned]] = {"happening": Happening, "job": Job, "photo": Photo}


@require_GET
def index(request: HouseholdRequest) -> HttpResponse:
    """What happened, latest first."""
    found = list(queries.happenings(request.household)[:LATEST])
    return render(request, "tending/index.html", {"happenings": found})


@owner_only
@require_http_methods(["GET", "POST"])
def new(request: HouseholdRequest) -> HttpResponse:
    """Write down what happened, for many places at once."""
    begin = _begin(request)
    form = HappeningForm(request.POST or None, household=request.household, also=begin.pop("also", None), initial=begin)
    if request.method == "POST" and form.is_valid():
        say(request, actions.happened(request.hand, form.instance, form.cleaned_data["targets"]))
        return redirect("tending:index")
    return _targets_page(request, form, "What happened", reverse("tending:index"))


@owner_writes
@require_http_methods(["GET", "POST"])
def happening(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change what happened, or say later whether it helped."""
    found = get_object_or_404(queries.happenings(request.household), pk=pk)
    form = HappeningChangeForm(request.POST or None, household=request.household, instance=found)
    return form_page(
        request, form, title=str(found),
        save=lambda: actions.change_happening(request.hand, form.save(commit=False)), back=reverse("tending:index"),
        strike=reverse("tending:strike", args=["happening", pk]),
    )  # fmt: skip


@owner_only
@require_http_methods(["GET", "POST"])
def do(request: HouseholdRequest) -> HttpResponse:
    """Write down a job done for many places at once, with its minutes and water."""
    begin = _begin(request)
    form = JobForm(request.POST or None, household=request.household, also=begin.pop("also", None), initial=begin)
    if request.method == "POST" and form.is_valid():
        say(request, actions.do(request.hand, form.instance, form.cleaned_data["targets"], form.cleaned_data))
        back = BackForm(request.POST, host=request.get_host())
        return redirect(back.cleaned_data["back"] if back.is_valid() else "today:index")
    return _targets_page(request, form, "Work done", reverse("today:index"))


@owner_only
@require_http_methods(["GET", "POST"])
def add_photo(request: HouseholdRequest, of: str, pk: int) -> HttpResponse:
    """Keep a photograph with a planting or a happening."""
    found = get_object_or_404(PICTURED[of].objects.of(request.household), pk=pk)
    initial = {"day": clock.today(request.household)}
    form = PhotoForm(request.POST or None, request.FILES or None, initial=initial)
    back = reverse("atlas:planting", args=[pk]) if of == "planting" else reverse("tending:index")
    return form_page(
        request, form, title=f"A photograph of {found}",
        save=lambda: actions.add_photo(request.hand, form.cleaned_data["photo"], form.cleaned_data, **{of: found}),
        back=back,
        about=PHOTO_ABOUT,
    )  # fmt: skip


@require_GET
def photo(request: HouseholdRequest, pk: int) -> HttpResponse:
    """A photograph, to its household only."""
    found = get_object_or_404(Photo.objects.of(request.household), pk=pk)
    with found.file.open("rb") as kept:
        response = HttpResponse(kept.read(), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    response["X-Content-Type-Options"] = "nosniff"
    return response


@require_POST
@owner_only
def strike_one(request: HouseholdRequest, what: str, pk: int) -> HttpResponse:
    """Take a happening, job or photograph out; it can be put back."""
    found = get_object_or_404(STRIKABLE[what].objects.of(request.household), pk=pk)
    say(request, strike(request.hand, found, f"{found} was taken out."))
    planting = getattr(found, "planting_id", None)
    return redirect("atlas:planting", planting) if planting else redirect("tending:index")


def _begin(request: HouseholdRequest) -> dict[str, Any]:
    form = BeginForm(request.GET)
    form.is_valid()
    target = form.cleaned_data.get("target", "")
    begin: dict[str, Any] = {"targets": [target]} if target else {}
    kind, _, key = target.partition("-")
    if kind == "planting" and key.isascii() and key.isdigit() and len(key) < 18:
        begin["also"] = int(key)
    return begin | ({"kind": form.cleaned_data["kind"]} if form.cleaned_data.get("kind") else {})


def _targets_page(request: HouseholdRequest, form: TargetsForm, title: str, back: str) -> HttpResponse:
    context = {"form": form, "title": title, "back": back, "lists": SUGGESTIONS}
    return render(request, "tending/new.html", context, status=422 if form.errors else 200)
