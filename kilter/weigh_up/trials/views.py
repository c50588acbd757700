"""Trials: asked before planting, laid out by chance, planted in one step, printed,
and answered at the end.
"""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db.models import QuerySet
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.set_out.models import Crop, MethodTag
from kilter.set_out.steps import PLACE, PLANTING, not_yet, step_before
from kilter.weigh_up.question.first import OWN_TAGS
from kilter.weigh_up.trials import actions, queries
from kilter.weigh_up.trials.forms import AfterwardsForm, PlantTrialForm, TrialForm
from kilter.weigh_up.trials.models import Trial, TrialUnit

ALIKE = (
    "The same mix, depth, water and feed; planted on one day and lifted at the same ripeness; "
    "nobody favours one."
)


def trials_of(household: Household) -> QuerySet[Trial]:
    """Trials with their crop."""
    return Trial.objects.of(household).select_related("crop")


def things_of(household: Household) -> list[str]:
    """What can be compared, to be offered as one types."""
    tags = (
        MethodTag.objects.filter(planting__household=household)
        .exclude(name__in=OWN_TAGS)
        .order_by("name")
    )
    return [
        "variety",
        "plants",
        "material",
        "volume",
        "light",
        "bed",
        *tags.values_list("name", flat=True).distinct(),
    ]


@page_for(reads=Who.MEMBER)
def listed(request: HouseholdRequest) -> HttpResponse:
    """All trials, the newest first."""
    found = Trial.objects.of(request.household).select_related("crop")
    pages = [queries.trial_page(request.household, trial) for trial in found]
    return render(request, "weigh_up/trials.html", {"pages": pages})


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def new(request: HouseholdRequest) -> HttpResponse:
    """Ask the question first; what so many places can show stands beside it."""
    if step := step_before(request.household, PLACE):
        return not_yet(request, "A new trial", step)
    season = clock.today(request.household).year + (
        clock.today(request.household).month >= queries.NEXT_SEASON_FROM
    )
    form = TrialForm(
        request.POST or None,
        household=request.household,
        initial={"season": season, "alike": ALIKE},
    )
    if request.method == "POST" and form.is_valid():
        try:
            change = actions.begin(
                request.actor, form.instance, form.cleaned_data["crop_name"], form.picked()
            )
            flash_change(request, change)
            return redirect("weigh_up:trial", form.instance.pk)
        except ValidationError as error:
            form.add_error(None, error)
    context = {
        "form": form,
        "gaps": queries.gaps_for(request.household, None),
        "things": things_of(request.household),
        "crops": Crop.objects.of(request.household).values_list("name", flat=True),
    }
    return render(request, "weigh_up/trial_new.html", context, status=422 if form.errors else 200)


@page_for(reads=Who.OWNER, writes=Who.OWNER)
def afterwards(request: HouseholdRequest) -> HttpResponse:
    """Set a trial up from plantings that already stand."""
    if step := step_before(request.household, PLANTING):
        return not_yet(request, "A trial of what stands already", step)
    form = AfterwardsForm(
        request.POST or None, household=request.household, initial={"alike": ALIKE}
    )
    if request.method == "POST" and form.is_valid():
        try:
            flash_change(
                request, actions.begin_afterwards(request.actor, form.instance, form.picked())
            )
            return redirect("weigh_up:trial", form.instance.pk)
        except ValidationError as error:
            form.add_error(None, error)
    context = {"form": form, "things": things_of(request.household), "is_afterwards": True}
    return render(request, "weigh_up/trial_new.html", context, status=422 if form.errors else 200)


@page_for(reads=Who.MEMBER, of=trials_of)
def trial(request: HouseholdRequest, found: Trial) -> HttpResponse:
    """One trial: its layout, what it can show, and what is next."""
    page = queries.trial_page(request.household, found)
    return render(request, "weigh_up/trial.html", {"page": page})


@page_for(reads=Who.MEMBER, of=trials_of)
def sheet(request: HouseholdRequest, found: Trial) -> HttpResponse:
    """The sheet and labels of a trial, to print."""
    return render(
        request, "weigh_up/trial_sheet.html", {"page": queries.trial_page(request.household, found)}
    )


@page_for(writes=Who.OWNER, of=trials_of)
def draw(request: HouseholdRequest, found: Trial) -> HttpResponse:
    """Let chance lay the trial out anew."""
    try:
        flash_change(request, actions.draw_again(request.actor, found))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("weigh_up:trial", found.pk)


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=trials_of)
def plant(request: HouseholdRequest, found: Trial) -> HttpResponse:
    """Set out every place of the trial in one step."""
    form = PlantTrialForm(request.POST or None, household=request.household, trial=found)
    count = TrialUnit.objects.of(request.household).filter(trial=found).count()
    return form_page(
        request,
        form,
        title=f"Plant “{found}”",
        save=lambda: actions.plant(request.actor, found, form.cleaned_data),
        back=reverse("weigh_up:trial", args=[found.pk]),
        about=(
            f"{count} plantings at once, each with what chance gave its place. Must stay alike: "
            f"{found.alike}"
        ),
    )


@page_for(writes=Who.OWNER, of=trials_of)
def show(request: HouseholdRequest, found: Trial) -> HttpResponse:
    """Show the results before all are in."""
    flash_change(request, actions.show(request.actor, found))
    return redirect("weigh_up:trial", found.pk)


@page_for(writes=Who.OWNER, of=trials_of)
def take_out(request: HouseholdRequest, found: Trial) -> HttpResponse:
    """Take a trial out; its plantings stay."""
    flash_change(request, actions.take_out(request.actor, found))
    return redirect("weigh_up:trials")
