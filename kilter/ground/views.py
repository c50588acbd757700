"""Making, changing, striking sites and places; their parts, moves and fills. The maps are in the atlas."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from kilter.ground import actions
from kilter.ground.forms import (
    SUGGESTIONS,
    DivideForm,
    FillForm,
    MixForm,
    MoveForm,
    PartForm,
    PlaceForm,
    SetForm,
    SiteForm,
    SpotForm,
)
from kilter.ground.models import Fill, Mix, Part, Place, Site
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Change, Owned
from kilter.people.pages import form_page
from kilter.people.undo import say

SHEET = "atlas:index"
STRIKABLE: dict[str, type[Owned]] = {"site": Site, "place": Place, "part": Part, "fill": Fill, "mix": Mix}


@owner_only
@require_http_methods(["GET", "POST"])
def new_site(request: HouseholdRequest) -> HttpResponse:
    """Make a site."""
    form = SiteForm(request.POST or None)
    return form_page(
        request, form, title="A new site", save=lambda: actions.save_site(request.hand, form.save(commit=False)),
        back=reverse(SHEET), lists=SUGGESTIONS,
    )  # fmt: skip


@owner_writes
@require_http_methods(["GET", "POST"])
def site(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a site."""
    found = get_object_or_404(Site.objects.of(request.household), pk=pk)
    form, title = SiteForm(request.POST or None, instance=found), str(found)
    return form_page(
        request, form, title=title, save=lambda: actions.save_site(request.hand, form.save(commit=False)),
        back=reverse(SHEET), strike=reverse("ground:strike", args=["site", pk]), lists=SUGGESTIONS,
    )  # fmt: skip


@owner_only
@require_http_methods(["GET", "POST"])
def new_bed(request: HouseholdRequest) -> HttpResponse:
    """Make one place, a bed by default."""
    if (first := _needs_site(request)) is not None:
        return first
    form = PlaceForm(request.POST or None, household=request.household, initial={"kind": "bed", "name": "Bed"})
    return form_page(
        request, form, title="A new bed", save=lambda: actions.save_place(request.hand, form.save(commit=False)),
        back=reverse(SHEET), lists=SUGGESTIONS,
    )  # fmt: skip


@owner_only
@require_http_methods(["GET", "POST"])
def new_set(request: HouseholdRequest) -> HttpResponse:
    """Make a numbered set of containers in one step."""
    if (first := _needs_site(request)) is not None:
        return first
    form = SetForm(request.POST or None, household=request.household, initial={"kind": "pot", "name": "Pot"})
    return form_page(
        request, form, title="A set of containers", save=lambda: actions.make_set(request.hand, form.cleaned_data),
        back=reverse(SHEET), lists=SUGGESTIONS,
    )  # fmt: skip


@owner_writes
@require_http_methods(["GET", "POST"])
def place(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a place."""
    found = _place(request, pk)
    form, title = PlaceForm(request.POST or None, household=request.household, instance=found), str(found)
    return form_page(
        request, form, title=title, save=lambda: actions.save_place(request.hand, form.save(commit=False)),
        back=reverse("atlas:place", args=[pk]), strike=reverse("ground:strike", args=["place", pk]), lists=SUGGESTIONS,
    )  # fmt: skip


@require_POST
@owner_only
def spot(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Put a place elsewhere on the map; asked by the map, answered with what was done and its undo."""
    found, form = _place(request, pk), SpotForm(request.POST)
    if not form.is_valid():
        return JsonResponse({"problem": "That spot is off the map."}, status=400)
    is_move = form.cleaned_data["is_move"]
    change = actions.put(request.hand, found, form.cleaned_data["x_m"], form.cleaned_data["y_m"], is_move=is_move)
    return JsonResponse({"says": change.says, "undo": reverse("people:undo", args=[change.pk])})


@owner_only
@require_http_methods(["GET", "POST"])
def move(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Log that a place was moved."""
    found = _place(request, pk)
    form = MoveForm(request.POST or None, household=request.household, place=found)
    return form_page(
        request, form, title=f"{found} was moved",
        save=lambda: actions.move_place(request.hand, found, form.save(commit=False), form.cleaned_data),
        back=reverse("atlas:place", args=[pk]),
        about="Where it stood before keeps its dates; figures use where it stood when.",
    )  # fmt: skip


@owner_only
@require_http_methods(["GET", "POST"])
def new_part(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Make a part of a bed."""
    found = _place(request, pk)
    form = PartForm(request.POST or None, place=found, instance=Part(household=request.hand.household, place=found))
    return form_page(
        request, form, title=f"A part of {found}",
        save=lambda: actions.save_part(request.hand, form.save(commit=False)), back=reverse("atlas:place", args=[pk]),
    )  # fmt: skip


@owner_writes
@require_http_methods(["GET", "POST"])
def part(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a part."""
    found = get_object_or_404(Part.objects.of(request.household).select_related("place"), pk=pk)
    form = PartForm(request.POST or None, place=found.place, instance=found)
    return form_page(
        request, form, title=f"{found.name} of {found.place}",
        save=lambda: actions.save_part(request.hand, form.save(commit=False)),
        back=reverse("atlas:place", args=[found.place_id]), strike=reverse("ground:strike", args=["part", pk]),
    )  # fmt: skip


@require_POST
@owner_only
def divide(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Make several parts in one step."""
    found, form = _place(request, pk), DivideForm(request.POST)
    if form.is_valid():
        say(request, actions.divide(request.hand, found, form.cleaned_data["into"]))
    return redirect("atlas:place", pk)


@owner_only
@require_http_methods(["GET", "POST"])
def fill(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Write down what was done to a place's medium."""
    found = _place(request, pk)
    form = FillForm(request.POST or None, household=request.household, place=found)

    def save() -> Change:
        is_for_set = form.cleaned_data.get("is_for_set", False)
        return actions.fill(request.hand, found, form.save(commit=False), is_for_set=is_for_set)

    return form_page(request, form, title=f"Medium of {found}", save=save, back=reverse("atlas:place", args=[pk]))


@owner_writes
@require_http_methods(["GET", "POST"])
def mix(request: HouseholdRequest, pk: int | None = None) -> HttpResponse:
    """Make or change a mix."""
    found = get_object_or_404(Mix.objects.of(request.household), pk=pk) if pk else Mix(household=request.hand.household)
    form = MixForm(request.POST or None, instance=found)
    return form_page(
        request, form, title=found.name or "A new mix",
        save=lambda: actions.save_mix(request.hand, form.save(commit=False)), back=reverse(SHEET),
        strike=reverse("ground:strike", args=["mix", pk]) if pk else "",
    )  # fmt: skip


@require_POST
@owner_only
def strike_one(request: HouseholdRequest, what: str, pk: int) -> HttpResponse:
    """Take a site, place, part, fill or mix out; it can be put back."""
    found = get_object_or_404(STRIKABLE[what].objects.of(request.household), pk=pk)
    try:
        say(request, strike(request.hand, found, f"{found} was taken out."))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    if isinstance(found, Part | Fill):
        return redirect("atlas:place", found.place_id)
    return redirect(SHEET)


def _place(request: HouseholdRequest, pk: int) -> Place:
    return get_object_or_404(Place.objects.of(request.household).select_related("site"), pk=pk)


def _needs_site(request: HouseholdRequest) -> HttpResponse | None:
    if Site.objects.of(request.household).exists():
        return None
    messages.info(request, "First name the site that it stands in.")
    return redirect("ground:new_site")
