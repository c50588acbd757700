"""Set out: the season's lanes, the sentence of a new planting, changing and finishing;
counts, lots, costs.
"""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.succession import FAMILY_PAUSE_YEARS
from kilter.ground.choosing import spot_key, spots_of
from kilter.ground.models import Place
from kilter.people import clock
from kilter.people.access import Who, page_for, strike_view
from kilter.people.forms import BackForm
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.set_out import actions, queries
from kilter.set_out.families import same_family
from kilter.set_out.forms import (
    BeforeForm,
    CostForm,
    CountForm,
    CropValuesForm,
    FinishForm,
    KeepForm,
    LotForm,
    PlantingChangeForm,
    SeasonForm,
    SentenceStartForm,
    SetOutForm,
    VarietyForm,
    YearSaidForm,
    known_words,
    said_of,
)
from kilter.set_out.memory import memory_of
from kilter.set_out.models import Cost, Crop, PlantCount, Planting, SeedLot, Variety
from kilter.set_out.planned import planned_in
from kilter.set_out.steps import PLACE, step_before

MAX_KEY = 2**63 - 1


def plantings(household: Household) -> QuerySet[Planting]:
    """Plantings with all that they are called by."""
    return Planting.objects.of(household).with_names()


def _after_striking(found: Any) -> str:
    """The season of a planting, all lots, or the page that the count or cost stood on."""
    if isinstance(found, Planting):
        return f"{reverse('set_out:index')}?season={found.season}"
    if isinstance(found, SeedLot):
        return reverse("set_out:lots")
    of_place = getattr(found, "place_id", None)
    return (
        reverse("atlas:place", args=[of_place])
        if of_place
        else reverse("atlas:planting", args=[found.planting_id])
    )


strike_one = strike_view(
    {"planting": Planting, "count": PlantCount, "lot": SeedLot, "cost": Cost}, _after_striking
)


def chosen_season(request: HouseholdRequest) -> int:
    """The season asked for, else the one of today."""
    form = SeasonForm(request.GET)
    return (form.is_valid() and form.cleaned_data["season"]) or clock.today(request.household).year


@page_for(reads=Who.MEMBER)
def index(request: HouseholdRequest) -> HttpResponse:
    """The plantings of a season as lanes over the weeks."""
    season, today = chosen_season(request), clock.today(request.household)
    coming = today.year + 1
    ahead = {coming} if planned_in(request.household, coming) else set()
    sheet = queries.season_sheet(request.household, season, today)
    context = {
        "season": season,
        "seasons": sorted(
            {*queries.seasons_of(request.household, today.year), *ahead}, reverse=True
        ),
        "planned": planned_in(request.household, season),
        "sheet": sheet,
        "step": None if sheet.lanes else step_before(request.household, PLACE),
    }
    return render(request, "set_out/index.html", context)


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def new(request: HouseholdRequest) -> HttpResponse:
    """Plant by the sentence, in one place or in many."""
    household = request.membership.household
    if not Place.objects.of(household).exists():
        messages.info(request, "First make the bed or the containers to plant in.")
        return redirect("atlas:index")
    begin = _begin(request)
    form = SetOutForm(request.POST or None, household=household, initial=begin)
    if request.method == "POST" and form.is_valid():
        change = actions.set_out(request.actor, form.instance, form.cleaned_data)
        flash_change(request, change)
        return redirect(f"{reverse('set_out:index')}?season={change.saved[0].season}")
    kin = form.cleaned_data.get("kin") if form.is_bound else _known(request, begin.get("kin"))
    context = {"form": form, "words": known_words(household), "kin": kin}
    return render(request, "set_out/new.html", context, status=422 if form.errors else 200)


def _begin(request: HouseholdRequest) -> dict[str, Any]:
    """What the gaps hold at first: nothing but a date,
    or what is known of the planting this one follows.
    """
    asked, today = SentenceStartForm(request.GET), clock.today(request.household)
    initial: dict[str, Any] = {"planted": VagueDate(today), "unit_kind": "plant"}
    begin = asked.cleaned_data if asked.is_valid() else {}
    if begin.get("place"):
        initial["places"] = [f"place-{begin['place']}"]
    if begin.get("places"):
        initial["places"] = begin["places"].split(",")
    asked_for = {"crop_name": begin.get("crop"), "variety_name": begin.get("variety")}
    asked_for |= {name: begin.get(name) for name in ("units", "unit_kind")}
    initial |= {name: value for name, value in asked_for.items() if value}
    if again := _known(request, begin.get("again")):
        initial |= said_of(again)
    found = _known(request, begin.get("kin"))
    if found is not None:
        initial |= {
            "kin": found.pk,
            "kinship": begin["kinship"],
            "crop_name": found.crop.name,
            "unit_kind": found.unit_kind,
            "season": found.season,
            "places": [spot_key(found.place_id, found.part_id)],
        }
        if begin["kinship"] == Planting.Kinship.COHORT and found.variety:
            initial["variety_name"] = found.variety.name
    return initial


@page_for(reads=Who.OWNER)
def before(request: HouseholdRequest) -> HttpResponse:
    """Who stood lately in the places chosen, while the sentence is still being written."""
    form = BeforeForm(request.GET, household=request.household)
    form.is_valid()
    said = form.cleaned_data
    year = (said.get("planted") or VagueDate(clock.today(request.household))).day.year
    spots = spots_of(said.get("places") or ())
    found = same_family(
        request.household, said.get("crop_name") or "", [place for place, _ in spots], year
    )
    remembered = (
        memory_of(request.household, spots, clock.today(request.household)) if spots else []
    )
    context = {"found": found, "pause": FAMILY_PAUSE_YEARS, "remembered": remembered}
    return render(request, "set_out/_before.html", context)


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=plantings)
def planting(request: HouseholdRequest, found: Planting) -> HttpResponse:
    """Change a planting."""
    title = f"{found}"
    form = PlantingChangeForm(
        request.POST or None, household=request.membership.household, instance=found
    )

    def save() -> Any:
        others = form.others if form.cleaned_data.get("is_for_set") else ()
        return actions.change_planting(
            request.actor, form.instance, form.cleaned_data, others, form.changed_data
        )

    return form_page(
        request,
        form,
        title=title,
        save=save,
        back=reverse("atlas:planting", args=[found.pk]),
        strike=reverse("set_out:strike", args=["planting", found.pk]),
        lists=known_words(request.household),
    )


@page_for(writes=Who.OWNER, of=plantings)
def finish(request: HouseholdRequest, found: Planting) -> HttpResponse:
    """Say that all of a planting has been lifted."""
    form = FinishForm(request.POST, household=request.household)
    try:
        if not form.is_valid():
            raise ValidationError("Write the day of the last lift as a date.")
        said = form.cleaned_data
        flash_change(
            request, actions.finish(request.actor, found, said["finished_on"], said["rest"])
        )
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("atlas:planting", found.pk)


@page_for(writes=Who.OWNER, of=plantings)
def say_year(request: HouseholdRequest, found: Planting) -> HttpResponse:
    """Say what came of a year in which nothing of a lasting planting was written."""
    form, came_from = YearSaidForm(request.POST), BackForm(request.POST, host=request.get_host())
    if form.is_valid():
        said = form.cleaned_data
        flash_change(request, actions.say_year(request.actor, found, said["year"], said["came"]))
    else:
        messages.error(request, "Choose what came of that year.")
    if came_from.is_valid() and came_from.cleaned_data["back"]:
        return redirect(came_from.cleaned_data["back"])
    return redirect("atlas:planting", found.pk)


@page_for(writes=Who.OWNER, of=plantings)
def reopen(request: HouseholdRequest, found: Planting) -> HttpResponse:
    """Take a finish back."""
    flash_change(request, actions.reopen(request.actor, found))
    return redirect("atlas:planting", found.pk)


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=plantings)
def count(request: HouseholdRequest, found: Planting) -> HttpResponse:
    """Write down what was counted of a planting."""
    form = CountForm(request.POST or None, household=request.household)
    return form_page(
        request,
        form,
        title=f"Counted of {found}",
        save=lambda: actions.count(request.actor, found, form.save(commit=False)),
        back=reverse("atlas:planting", args=[found.pk]),
        about="“up”, “planted out” and “standing” are how many there are in all; “thinned” and "
        "“died” how many went; "
        "“renewed” how many were added. Thinnings that are eaten are weighed in as a harvest.",
    )


@page_for(reads=Who.MEMBER)
def lots(request: HouseholdRequest) -> HttpResponse:
    """Every seed lot and what is left of it."""
    lines = queries.lot_lines(request.household, clock.today(request.household))
    return render(request, "set_out/lots.html", {"lines": lines})


@page_for(
    reads=Who.MEMBER,
    writes=Who.OWNER,
    of=lambda household: SeedLot.objects.of(household).select_related("crop", "variety"),
)
def lot(request: HouseholdRequest, known: SeedLot | None) -> HttpResponse:
    """Make or change a seed lot."""
    found = known or _kept_lot(request)
    if known is None and found.pk:  # seed of that planting is a lot already
        return redirect("set_out:lot", found.pk)
    form = LotForm(request.POST or None, household=request.household, instance=found)

    def save() -> Any:
        names = form.cleaned_data["crop_name"], form.cleaned_data["variety_name"]
        return actions.save_lot(request.actor, form.save(commit=False), *names)

    return form_page(
        request,
        form,
        title=found.name or "A new lot",
        save=save,
        back=reverse("set_out:lots"),
        strike=reverse("set_out:strike", args=["lot", known.pk]) if known else "",
        lists=known_words(request.household),
    )


@page_for(
    reads=Who.MEMBER,
    writes=Who.OWNER,
    of=lambda household: Variety.objects.of(household).select_related("crop"),
)
def variety(request: HouseholdRequest, found: Variety) -> HttpResponse:
    """Change a variety's name and its days to the first lift."""
    form = VarietyForm(request.POST or None, instance=found)
    return form_page(
        request,
        form,
        title=f"The variety {found.crop} ‘{found.name}’",
        save=lambda: actions.save_variety(request.actor, form.save(commit=False)),
        back=reverse("set_out:lots"),
    )


@page_for(reads=Who.MEMBER, writes=Who.OWNER, of=Crop)
def crop(request: HouseholdRequest, found: Crop) -> HttpResponse:
    """Put a household's own values in place of the handbook's."""
    form = CropValuesForm(request.POST or None, household=request.household, instance=found)
    return form_page(
        request,
        form,
        title=f"{found}: what this garden knows",
        save=lambda: actions.save_crop(request.actor, form.save(commit=False)),
        back=reverse("set_out:lots"),
        about="What stands here takes the place of the handbook's value on every page, and is "
        "marked as your own. "
        "Empty fields leave it to the handbook; what you weigh yourself overrules both in the "
        "plan.",
    )


@page_for(reads=Who.OWNER, writes=Who.OWNER, kinds={"planting": Planting, "place": Place}, by="of")
def cost(request: HouseholdRequest, found: Planting | Place, of: str) -> HttpResponse:
    """Write down what a planting, or a pot over its years, cost."""
    form = CostForm(request.POST or None, household=request.household, about=(of, found))

    def save() -> Any:
        said = form.cleaned_data
        return actions.pay(
            request.actor, form.instance, said["targets"], is_for_all=said["of_each"] == "all"
        )

    return form_page(
        request,
        form,
        title=f"What {found} cost",
        save=save,
        back=reverse(f"atlas:{of}", args=[found.pk]),
        about=(
            "What lasts several years is shared over them, and each year over what grew in the "
            "place."
        ),
    )


def _kept_lot(request: HouseholdRequest) -> SeedLot:
    """A new lot; where seed is kept from a planting, of its crop and variety."""
    form = KeepForm(request.GET)
    parent = _known(request, form.cleaned_data["kept_from"]) if form.is_valid() else None
    if parent is None:
        return SeedLot()
    kept = SeedLot.objects.of(request.household).filter(kept_from=parent).last()
    return kept or SeedLot(
        crop=parent.crop, variety=parent.variety, kept_from=parent, name=f"own {parent.season}"
    )


def _known(request: HouseholdRequest, pk: int | None) -> Planting | None:
    if not pk or pk > MAX_KEY:
        return None
    return Planting.objects.of(request.household).with_names().filter(pk=pk).first()
