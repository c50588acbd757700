"""Ground: the maps, and making, changing, striking sites and places."""

from __future__ import annotations

from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.ground import actions, queries
from kilter.ground.forms import PlaceForm, SetForm, SiteForm
from kilter.ground.models import KIND_SUGGESTIONS, Place, Site
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import restore, save_owned, strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.undo import say_struck


class ZoomForm(forms.Form):
    """How large the maps are drawn."""

    zoom = forms.TypedChoiceField(choices=[(z, f"{z}×") for z in queries.ZOOMS], coerce=int, required=False)


@require_GET
def sheet(request: HouseholdRequest) -> HttpResponse:
    """All sites to scale."""
    form = ZoomForm(request.GET)
    zoom = (form.is_valid() and form.cleaned_data["zoom"]) or 1
    context = {"sheets": queries.sheets(request.household, zoom), "zoom": zoom, "zooms": queries.ZOOMS}
    return render(request, "ground/sheet.html", context)


@owner_only
@require_http_methods(["GET", "POST"])
def new_site(request: HouseholdRequest) -> HttpResponse:
    """Make a site."""
    return _edit(request, SiteForm(request.POST or None), "A new site", "ground:new_site")


@owner_writes
@require_http_methods(["GET", "POST"])
def site(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a site."""
    found = get_object_or_404(Site.objects.of(request.household), pk=pk)
    form = SiteForm(request.POST or None, instance=found)
    return _edit(request, form, f"{found}", "ground:site", pk, strike_url=reverse("ground:strike_site", args=[pk]))


@owner_only
@require_http_methods(["GET", "POST"])
def new_bed(request: HouseholdRequest) -> HttpResponse:
    """Make one place, a bed by default."""
    if (first := _needs_site(request)) is not None:
        return first
    initial = {"kind": "bed", "name": "Bed"}
    form = PlaceForm(request.POST or None, household=request.household, initial=initial)
    return _edit(request, form, "A new bed", "ground:new_bed")


@owner_only
@require_http_methods(["GET", "POST"])
def new_set(request: HouseholdRequest) -> HttpResponse:
    """Make a numbered set of containers in one step."""
    if (first := _needs_site(request)) is not None:
        return first
    initial = {"kind": "pot", "name": "Pot"}
    form = SetForm(request.POST or None, household=request.household, initial=initial)
    if request.method == "POST" and form.is_valid():
        made = actions.make_set(request.household, form.cleaned_data)
        messages.success(request, f"{made[0]} to {made[-1].number} are in {made[0].site}.")
        return redirect("ground:sheet")
    return _show(request, form, "A set of containers", reverse("ground:new_set"))


@owner_writes
@require_http_methods(["GET", "POST"])
def place(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a place."""
    found = get_object_or_404(Place.objects.of(request.household), pk=pk)
    form = PlaceForm(request.POST or None, household=request.household, instance=found)
    return _edit(request, form, f"{found}", "ground:place", pk, strike_url=reverse("ground:strike_place", args=[pk]))


@require_POST
@owner_only
def strike_place(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a place off the ground."""
    struck = strike(get_object_or_404(Place.objects.of(request.household), pk=pk))
    say_struck(request, f"{struck} was taken off the ground.", reverse("ground:restore_place", args=[pk]))
    return redirect("ground:sheet")


@require_POST
@owner_only
def restore_place(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Put a place back."""
    restore(get_object_or_404(Place.objects.ever_of(request.household), pk=pk))
    return redirect("ground:sheet")


@require_POST
@owner_only
def strike_site(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a site away once it is empty."""
    found = get_object_or_404(Site.objects.of(request.household), pk=pk)
    try:
        actions.strike_site(found)
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
        return redirect("ground:site", pk)
    say_struck(request, f"{found} was taken away.", reverse("ground:restore_site", args=[pk]))
    return redirect("ground:sheet")


@require_POST
@owner_only
def restore_site(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Put a site back."""
    restore(get_object_or_404(Site.objects.ever_of(request.household), pk=pk))
    return redirect("ground:sheet")


def _needs_site(request: HouseholdRequest) -> HttpResponse | None:
    if Site.objects.of(request.household).exists():
        return None
    messages.info(request, "First name the site that it stands in.")
    return redirect("ground:new_site")


def _edit(
    request: HouseholdRequest, form: forms.ModelForm, title: str, route: str, *args: int, strike_url: str = ""
) -> HttpResponse:
    """Show a record's form, and save it when it is right."""
    if request.method == "POST" and form.is_valid():
        saved = save_owned(form.save(commit=False), request.membership.household)
        messages.success(request, f"{saved} is saved.")
        return redirect("ground:sheet")
    return _show(request, form, title, reverse(route, args=args), strike_url)


def _show(
    request: HouseholdRequest, form: forms.BaseForm, title: str, action: str, strike_url: str = ""
) -> HttpResponse:
    context = {"form": form, "title": title, "action": action, "strike_url": strike_url, "kinds": KIND_SUGGESTIONS}
    return render(request, "ground/edit.html", context, status=422 if form.errors else 200)
