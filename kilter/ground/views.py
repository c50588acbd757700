"""Making, changing, striking sites and places; their parts, moves and fills.

The maps are in the atlas.
"""

from __future__ import annotations

from django.contrib import messages
from django.db.models import QuerySet
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.html import format_html

from kilter.ground import actions
from kilter.ground.choosing import MOST_TYPED, ChooseField, understood
from kilter.ground.forms import (
    SUGGESTIONS,
    DivideForm,
    FillForm,
    MixForm,
    MoveForm,
    PartForm,
    PlaceChangeForm,
    PlaceForm,
    PutOnMapForm,
    SetForm,
    SiteForm,
)
from kilter.ground.models import Fill, Mix, Part, Place, Site
from kilter.people.access import Who, page_for, strike_view
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Change, Household, Owned
from kilter.people.pages import form_page
from kilter.people.undo import flash_change

SHEET = "atlas:index"


def places(household: Household) -> QuerySet[Place]:
    """Places with their site."""
    return Place.objects.of(household).select_related("site")


def _after_striking(found: Owned) -> str:
    of_place = isinstance(found, Part | Fill)
    return reverse("atlas:place", args=[found.place_id]) if of_place else reverse(SHEET)  # type: ignore[attr-defined]


strike_one = strike_view(
    {"site": Site, "place": Place, "part": Part, "fill": Fill, "mix": Mix}, _after_striking
)


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def new_site(request: HouseholdRequest) -> HttpResponse:
    """Make a site."""
    form = SiteForm(request.POST or None, household=request.household)
    return form_page(
        request,
        form,
        title="A new site",
        save=lambda: actions.save_site(request.actor, form.save(commit=False)),
        back=reverse(SHEET),
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=Site)
def site(request: HouseholdRequest, found: Site) -> HttpResponse:
    """Change a site."""
    form, title = (
        SiteForm(request.POST or None, instance=found, household=request.household),
        str(found),
    )
    return form_page(
        request,
        form,
        title=title,
        save=lambda: actions.save_site(request.actor, form.save(commit=False)),
        back=reverse(SHEET),
        strike=reverse("ground:strike", args=["site", found.pk]),
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def new_bed(request: HouseholdRequest) -> HttpResponse:
    """Make one place, a bed by default."""
    if (first := _needs_site(request)) is not None:
        return first
    form = PlaceForm(
        request.POST or None, household=request.household, initial={"kind": "bed", "name": "Bed"}
    )
    return form_page(
        request,
        form,
        title="A new bed",
        save=lambda: actions.save_place(request.actor, form.save(commit=False)),
        back=reverse(SHEET),
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def new_set(request: HouseholdRequest) -> HttpResponse:
    """Make a numbered set of containers in one step."""
    if (first := _needs_site(request)) is not None:
        return first
    form = SetForm(
        request.POST or None, household=request.household, initial={"kind": "pot", "name": "Pot"}
    )
    return form_page(
        request,
        form,
        title="A set of containers",
        save=lambda: actions.make_set(request.actor, form.cleaned_data),
        back=reverse(SHEET),
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=places)
def place(request: HouseholdRequest, found: Place) -> HttpResponse:
    """Change a place."""
    form, title = (
        PlaceChangeForm(request.POST or None, household=request.household, instance=found),
        f"Change {found}",
    )

    def save() -> Change:
        is_for_set = form.cleaned_data.get("is_for_set", False)
        return actions.change_place(
            request.actor, form.save(commit=False), form.changed_of_set, is_for_set=is_for_set
        )

    return form_page(
        request,
        form,
        title=title,
        save=save,
        back=reverse("atlas:place", args=[found.pk]),
        strike=reverse("ground:strike", args=["place", found.pk]),
        lists=SUGGESTIONS,
    )


@page_for(reads=Who.OWNER)
def called(request: HouseholdRequest) -> HttpResponse:
    """What a text in a chooser of places is understood to mean, while it is typed."""
    field = ChooseField(("place",))
    field.know(request.household)
    typed = next((str(text) for name, text in request.GET.items() if name.endswith("_typed")), "")
    says, keys = understood(field, typed[:MOST_TYPED])
    return HttpResponse(format_html('<span data-means="{}">{}</span>', " ".join(keys), says))


@page_for(writes=Who.OWNER, of=places)
def spot(request: HouseholdRequest, found: Place) -> HttpResponse:
    """Put a place elsewhere on the map; asked by the map,
    answered with what was done and its undo.
    """
    form = PutOnMapForm(request.POST)
    if not form.is_valid():
        return JsonResponse({"problem": "That spot is off the map."}, status=400)
    is_move = form.cleaned_data["is_move"]
    change = actions.put(
        request.actor, found, form.cleaned_data["x_m"], form.cleaned_data["y_m"], is_move=is_move
    )
    return JsonResponse({"says": change.says, "undo": reverse("people:undo", args=[change.pk])})


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=places)
def move(request: HouseholdRequest, found: Place) -> HttpResponse:
    """Log that a place was moved."""
    form = MoveForm(request.POST or None, household=request.household, place=found)
    return form_page(
        request,
        form,
        title=f"{found} was moved",
        save=lambda: actions.move_place(
            request.actor, found, form.save(commit=False), form.cleaned_data
        ),
        back=reverse("atlas:place", args=[found.pk]),
        about="Where it stood before keeps its dates; figures use where it stood at the time.",
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=places)
def new_part(request: HouseholdRequest, found: Place) -> HttpResponse:
    """Make a part of a bed."""
    form = PartForm(
        request.POST or None,
        place=found,
        instance=Part(household=request.actor.household, place=found),
    )
    return form_page(
        request,
        form,
        title=f"A part of {found}",
        save=lambda: actions.save_part(request.actor, form.save(commit=False)),
        back=reverse("atlas:place", args=[found.pk]),
    )


@page_for(
    reads=Who.MEMBER,
    writes=Who.OWNER,
    of=lambda household: Part.objects.of(household).select_related("place"),
)
def part(request: HouseholdRequest, found: Part) -> HttpResponse:
    """Change a part."""
    form = PartForm(request.POST or None, place=found.place, instance=found)
    return form_page(
        request,
        form,
        title=f"{found.name} of {found.place}",
        save=lambda: actions.save_part(request.actor, form.save(commit=False)),
        back=reverse("atlas:place", args=[found.place_id]),
        strike=reverse("ground:strike", args=["part", found.pk]),
    )


@page_for(writes=Who.OWNER, of=places)
def divide(request: HouseholdRequest, found: Place) -> HttpResponse:
    """Make several parts in one step."""
    form = DivideForm(request.POST)
    if form.is_valid():
        flash_change(request, actions.divide(request.actor, found, form.cleaned_data["into"]))
    return redirect("atlas:place", found.pk)


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=places)
def fill(request: HouseholdRequest, found: Place) -> HttpResponse:
    """Write down what was done to a place's medium."""
    form = FillForm(request.POST or None, household=request.household, place=found)

    def save() -> Change:
        return actions.fill(request.actor, form.cleaned_data["places"], form.save(commit=False))

    return form_page(
        request,
        form,
        title=f"Medium of {found}",
        save=save,
        back=reverse("atlas:place", args=[found.pk]),
    )


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=Mix)
def mix(request: HouseholdRequest, known: Mix | None) -> HttpResponse:
    """Make or change a mix."""
    found = known or Mix(household=request.actor.household)
    form = MixForm(request.POST or None, instance=found)
    return form_page(
        request,
        form,
        title=found.name or "A new mix",
        save=lambda: actions.save_mix(request.actor, form.save(commit=False)),
        back=reverse(SHEET),
        strike=reverse("ground:strike", args=["mix", known.pk]) if known else "",
    )


def _needs_site(request: HouseholdRequest) -> HttpResponse | None:
    if Site.objects.of(request.household).exists():
        return None
    messages.info(request, "First name the site that it stands in.")
    return redirect("ground:new_site")
