"""Trials: asked before planting, laid out by chance, planted in one step, printed, and answered at the end."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kilter.people import clock
from kilter.people.access import owner_only
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import say
from kilter.set_out.models import Crop, MethodTag
from kilter.weigh_up.trials import actions, queries
from kilter.weigh_up.trials.forms import PlantTrialForm, TrialForm
from kilter.weigh_up.trials.models import Trial, TrialUnit

ALIKE = "The same mix, depth, water and feed; planted on one day and lifted at the same ripeness; nobody favours one."


@require_GET
def listed(request: HouseholdRequest) -> HttpResponse:
    """All trials, the newest first."""
    found = Trial.objects.of(request.household).select_related("crop")
    pages = [queries.trial_page(request.household, trial) for trial in found]
    return render(request, "weigh_up/trials.html", {"pages": pages})


@owner_only
@require_http_methods(["GET", "POST"])
def new(request: HouseholdRequest) -> HttpResponse:
    """Ask the question first; what so many places can show stands beside it."""
    season = clock.today(request.household).year + (clock.today(request.household).month >= queries.NEXT_SEASON_FROM)
    form = TrialForm(request.POST or None, household=request.household, initial={"season": season, "alike": ALIKE})
    if request.method == "POST" and form.is_valid():
        try:
            change = actions.begin(request.hand, form.instance, form.cleaned_data["crop_name"], form.picked())
            say(request, change)
            return redirect("weigh_up:trial", form.instance.pk)
        except ValidationError as error:
            form.add_error(None, error)
    tags = MethodTag.objects.filter(planting__household=request.household).order_by("name")
    things = ["variety", *tags.values_list("name", flat=True).distinct()]
    context = {
        "form": form, "gaps": queries.gaps_for(request.household, None), "things": things,
        "crops": Crop.objects.of(request.household).values_list("name", flat=True),
    }  # fmt: skip
    return render(request, "weigh_up/trial_new.html", context, status=422 if form.errors else 200)


@require_GET
def trial(request: HouseholdRequest, pk: int) -> HttpResponse:
    """One trial: its layout, what it can show, and what is next."""
    page = queries.trial_page(request.household, _trial(request, pk))
    return render(request, "weigh_up/trial.html", {"page": page})


@require_GET
def sheet(request: HouseholdRequest, pk: int) -> HttpResponse:
    """The sheet and labels of a trial, to print."""
    return render(
        request, "weigh_up/trial_sheet.html", {"page": queries.trial_page(request.household, _trial(request, pk))}
    )


@require_POST
@owner_only
def draw(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Let chance lay the trial out anew."""
    try:
        say(request, actions.draw_again(request.hand, _trial(request, pk)))
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("weigh_up:trial", pk)


@owner_only
@require_http_methods(["GET", "POST"])
def plant(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Set out every place of the trial in one step."""
    found = _trial(request, pk)
    form = PlantTrialForm(request.POST or None, household=request.household, trial=found)
    count = TrialUnit.objects.of(request.household).filter(trial=found).count()
    return form_page(
        request, form, title=f"Plant “{found}”", save=lambda: actions.plant(request.hand, found, form.cleaned_data),
        back=reverse("weigh_up:trial", args=[pk]),
        about=f"{count} plantings at once, each with what chance gave its place. Must stay alike: {found.alike}",
    )  # fmt: skip


@require_POST
@owner_only
def show(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Show the results before all are in."""
    say(request, actions.show(request.hand, _trial(request, pk)))
    return redirect("weigh_up:trial", pk)


@require_POST
@owner_only
def take_out(request: HouseholdRequest, pk: int) -> HttpResponse:
    """Take a trial out; its plantings stay."""
    say(request, actions.take_out(request.hand, _trial(request, pk)))
    return redirect("weigh_up:trials")


def _trial(request: HouseholdRequest, pk: int) -> Trial:
    found: Trial = get_object_or_404(Trial.objects.of(request.household).select_related("crop"), pk=pk)
    return found
