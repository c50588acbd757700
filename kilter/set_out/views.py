"""Set out: the season's lanes, the sentence of a new planting, changing and finishing; counts, lots, costs."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.core.amounts.vague import VagueDate
from kilter.ground.models import Place
from kilter.people import clock
from kilter.people.access import owner_only, owner_writes
from kilter.people.actions import strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Owned
from kilter.people.pages import form_page
from kilter.people.undo import say
from kilter.set_out import actions, queries
from kilter.set_out.forms import (
    BeginForm,
    CostForm,
    CountForm,
    FinishForm,
    KeepForm,
    LotForm,
    PlantingForm,
    SeasonForm,
    SetOutForm,
    VarietyForm,
    known_words,
)
from kilter.set_out.models import Cost, PlantCount, Planting, SeedLot, Variety

COSTED: dict[str, type[Owned]] = {"planting": Planting, "place": Place}
MAX_KEY = 2**63 - 1
STRIKABLE: dict[str, type[Owned]] = {"planting": Planting, "count": PlantCount, "lot": SeedLot, "cost": Cost}


def chosen_season(request: HouseholdRequest) -> int:
    """The season asked for, else the one of today."""
    form = SeasonForm(request.GET)
    return (form.is_valid() and form.cleaned_data["season"]) or clock.today(request.household).year


@require_GET
def index(request: HouseholdRequest) -> HttpResponse:
    """The plantings of a season as lanes over the weeks."""
    season, today = chosen_season(request), clock.today(request.household)
    context = {
        "season": season,
        "seasons": queries.seasons_of(request.household, today.year),
        "sheet": queries.season_sheet(request.household, season, today),
    }
    return render(request, "set_out/index.html", context)


@owner_only
@require_http_methods(["GET", "POST"])
def new(request: HouseholdRequest) -> HttpResponse:
    """Plant by the sentence, in one place or in many."""
    household = request.membership.household
    if not Place.objects.of(household).exists():
        messages.info(request, "First make the bed or the containers to plant in.")
        return redirect("atlas:index")
    begin = _begin(request)
    form = SetOutForm(request.POST or None, household=household, initial=begin)
    if request.method == "POST" and form.is_valid():
        change = actions.set_out(request.hand, form.instance, form.cleaned_data)
        say(request, change)
        return redirect(f"{reverse('set_out:index')}?season={change.saved[0].season}")
    kin = form.cleaned_data.get("kin") if form.is_bound else _known(request, begin.get("kin"))
    context = {"form": form, "words": known_words(household), "places": form.offered, "picked": form.picked, "kin": kin}
    return render(request, "set_out/new.html", context, status=422 if form.errors else 200)


def _begin(request: HouseholdRequest) -> dict[str, Any]:
    """What the gaps hold at first: nothing but a date, or what is known of the planting this one follows."""
    asked, today = BeginForm(request.GET), clock.today(request.household)
    initial: dict[str, Any] = {"planted": VagueDate(today), "unit_kind": "plant"}
    begin = asked.cleaned_data if asked.is_valid() else {}
    if begin.get("place"):
        initial["places"] = [begin["place"]]
    found = _known(request, begin.get("kin"))
    if found is not None:
        initial |= {
            "kin": found.pk, "kinship": begin["kinship"], "crop_name": found.crop.name, "unit_kind": found.unit_kind,
            "season": found.season,
            "places": [f"{found.place_id}-{found.part_id}" if found.part_id else str(found.place_id)],
        }  # fmt: skip
        if begin["kinship"] == Planting.Kinship.COHORT and found.variety:
            initial["variety_name"] = found.variety.name
    return initial


@owner_writes
@require_http_methods(["GET", "POST"])
def planting(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a planting."""
    found = _planting(request, pk)
    title = f"{found}"
    form = PlantingForm(request.POST or None, household=request.membership.household, instance=found)
    return form_page(
        request, form, title=title,
        save=lambda: actions.change_planting(request.hand, form.instance, form.cleaned_data),
        back=reverse("atlas:planting", args=[pk]), strike=reverse("set_out:strike", args=["planting", pk]),
        lists=known_words(request.household),
    )  # fmt: skip


@require_POST
@owner_only
def finish(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Say that all of a planting has been lifted."""
    found, form = _planting(request, pk), FinishForm(request.POST)
    try:
        if not form.is_valid():
            raise ValidationError("Write the day of the last lift as a date.")
        said = form.cleaned_data
        say(request, actions.finish(request.hand, found, said["finished_on"], said["rest"]))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("atlas:planting", pk)


@require_POST
@owner_only
def reopen(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a finish back."""
    say(request, actions.reopen(request.hand, _planting(request, pk)))
    return redirect("atlas:planting", pk)


@owner_only
@require_http_methods(["GET", "POST"])
def count(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Write down what was counted of a planting."""
    found = _planting(request, pk)
    form = CountForm(request.POST or None, household=request.household)
    return form_page(
        request, form, title=f"Counted of {found}",
        save=lambda: actions.count(request.hand, found, form.save(commit=False)),
        back=reverse("atlas:planting", args=[pk]),
        about="“up”, “planted out” and “standing” are how many there are in all; “thinned” and “died” how many went; "
        "“renewed” how many were added. Thinnings that are eaten are weighed in as a harvest.",
    )  # fmt: skip


@require_GET
def lots(request: HouseholdRequest) -> HttpResponse:
    """Every seed lot and what is left of it."""
    lines = queries.lot_lines(request.household, clock.today(request.household))
    return render(request, "set_out/lots.html", {"lines": lines})


@owner_writes
@require_http_methods(["GET", "POST"])
def lot(request: HouseholdRequest, pk: int | None = None) -> HttpResponse:
    """Make or change a seed lot."""
    lots_there = SeedLot.objects.of(request.household).select_related("crop", "variety")
    found = get_object_or_404(lots_there, pk=pk) if pk else _kept_lot(request)
    form = LotForm(request.POST or None, household=request.household, instance=found)

    def save() -> Any:
        names = form.cleaned_data["crop_name"], form.cleaned_data["variety_name"]
        return actions.save_lot(request.hand, form.save(commit=False), *names)

    return form_page(
        request, form, title=found.name or "A new lot", save=save, back=reverse("set_out:lots"),
        strike=reverse("set_out:strike", args=["lot", pk]) if pk else "", lists=known_words(request.household),
    )  # fmt: skip


@owner_writes
@require_http_methods(["GET", "POST"])
def variety(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Change a variety's name and its days to the first lift."""
    found = get_object_or_404(Variety.objects.of(request.household).select_related("crop"), pk=pk)
    form = VarietyForm(request.POST or None, instance=found)
    return form_page(
        request, form, title=f"{found.crop} ‘{found.name}’",
        save=lambda: actions.save_variety(request.hand, form.save(commit=False)), back=reverse("set_out:lots"),
    )  # fmt: skip


@owner_only
@require_http_methods(["GET", "POST"])
def cost(request: HouseholdRequest, of: str, pk: int) -> HttpResponse:
    """Write down what a planting, or a pot over its years, cost."""
    found = get_object_or_404(COSTED[of].objects.of(request.household), pk=pk)
    form = CostForm(request.POST or None, instance=Cost(household=request.hand.household, **{of: found}))
    return form_page(
        request, form, title=f"What {found} cost",
        save=lambda: actions.save_cost(request.hand, form.save(commit=False)),
        back=reverse(f"atlas:{of}", args=[pk]),
        about="What lasts several years is shared over them, and each year over what grew in the place.",
    )  # fmt: skip


@require_POST
@owner_only
def strike_one(request: HouseholdRequest, what: str, pk: int) -> HttpResponse:
    """Take a planting, count, lot or cost out of the records; it can be put back."""
    found = get_object_or_404(STRIKABLE[what].objects.of(request.household), pk=pk)
    try:
        say(request, strike(request.hand, found, f"{found} was taken out."))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    if isinstance(found, Planting):
        return redirect(f"{reverse('set_out:index')}?season={found.season}")
    if isinstance(found, SeedLot):
        return redirect("set_out:lots")
    of_place = getattr(found, "place_id", None)
    return redirect("atlas:place", of_place) if of_place else redirect("atlas:planting", found.planting_id)  # type: ignore[attr-defined]


def _kept_lot(request: HouseholdRequest) -> SeedLot:
    """A new lot; where seed is kept from a planting, of its crop and variety."""
    form = KeepForm(request.GET)
    parent = _known(request, form.cleaned_data["kept_from"]) if form.is_valid() else None
    if parent is None:
        return SeedLot()
    return SeedLot(crop=parent.crop, variety=parent.variety, kept_from=parent, name=f"own {parent.season}")


def _known(request: HouseholdRequest, pk: int | None) -> Planting | None:
    if not pk or pk > MAX_KEY:
        return None
    return Planting.objects.of(request.household).with_names().filter(pk=pk).first()


def _planting(request: HouseholdRequest, pk: int) -> Planting:
    return get_object_or_404(Planting.objects.of(request.household).with_names(), pk=pk)
