"""Varieties ranked by what was measured and what was said of them."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.people import clock
from kilter.people.access import Who, page_for
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Household
from kilter.people.pages import form_page
from kilter.people.records import RecordPage, RecordPages
from kilter.set_out.models import Variety
from kilter.weigh_up.land.forms import CropForm
from kilter.weigh_up.varieties.actions import say_scores, say_verdict
from kilter.weigh_up.varieties.forms import CriterionForm, ScoresForm, VerdictForm, WeightsForm
from kilter.weigh_up.varieties.models import Criterion, Score, Verdict
from kilter.weigh_up.varieties.queries import MEASURED_WEIGHTS, ranking

USES = ("fresh", "bake", "soup", "dry", "keep")
RECORDS = RecordPages(
    "weigh_up",
    {
        "criterion": RecordPage(
            at="criteria",
            model=Criterion,
            form=CriterionForm,
            new="A criterion to judge by",
            title="Criterion: {}",
            saved="“{}” is a criterion.",
            back="weigh_up:ranking",
            reads=Who.OWNER,
            about="Scores go from 1, poor, to 5, excellent. It counts against the others; "
            "the ranking page lets you try.",
        ),
    },
    {"score": Score, "verdict": Verdict},
)


def _weights(household: Household) -> dict[str, float]:
    return MEASURED_WEIGHTS | {c.name: c.weight for c in Criterion.objects.of(household)}


@page_for(reads=Who.MEMBER)
def ranked(request: HouseholdRequest) -> HttpResponse:
    """A crop's varieties in order, with reasons, how firm each place is,
    and their seasons side by side.
    """
    form = CropForm(request.GET, household=request.household)
    crop = form.cleaned_data["crop"] if form.is_valid() else form.fields["crop"].queryset.first()  # type: ignore[attr-defined]
    weights = WeightsForm(request.GET, weights=_weights(request.household))
    use = (
        form.cleaned_data.get("use", "") if form.is_bound and hasattr(form, "cleaned_data") else ""
    )
    context: dict[str, Any] = {
        "form": form,
        "weights": weights,
        "crop": crop,
        "use": use,
        "uses": USES,
    }
    if crop is not None:
        context["found"] = ranking(request.household, crop, weights.weights(), use)
        context["criteria"] = list(Criterion.objects.of(request.household))
        context["shown"] = list(zip(weights.begin, weights.weights().values(), strict=True))
    return render(request, "weigh_up/ranking.html", context)


@page_for(
    reads=Who.OWNER,
    writes=Who.OWNER,
    of=lambda household: Variety.objects.of(household).select_related("crop"),
)
def scores(request: HouseholdRequest, variety: Variety) -> HttpResponse:
    """One person's scores of a variety."""
    criteria = list(Criterion.objects.of(request.household))
    if not criteria:
        return redirect("weigh_up:new_criterion")
    begin = {"season": clock.today(request.household).year, "judge": str(request.user)}
    form = ScoresForm(request.POST or None, criteria=criteria, initial=begin)
    names = "season", "judge", "use", "note"
    return form_page(
        request,
        form,
        title=f"{variety.crop} ‘{variety}’: scores",
        save=lambda: say_scores(
            request.actor, variety, form.said(), {n: form.cleaned_data[n] for n in names}
        ),
        back=f"{reverse('weigh_up:ranking')}?crop={variety.crop_id}",
        lists={"uses": USES},
    )


@page_for(
    reads=Who.OWNER,
    writes=Who.OWNER,
    of=lambda household: Variety.objects.of(household).select_related("crop"),
)
def verdict(request: HouseholdRequest, variety: Variety) -> HttpResponse:
    """What is made of a variety after a season."""
    row = next(
        row for row in ranking(request.household, variety.crop, {}).rows if row.variety == variety
    )
    known = sum(year.places > 0 for year in row.years)
    begin = Verdict(variety=variety, season=clock.today(request.household).year)
    form = VerdictForm(request.POST or None, instance=begin, variety=variety, seasons_known=known)
    return form_page(
        request,
        form,
        title=f"{variety.crop} ‘{variety}’: verdict",
        about=f"It was measured in {known} season{'s' * (known != 1)}.",
        save=lambda: say_verdict(request.actor, form.save(commit=False)),
        back=f"{reverse('weigh_up:ranking')}?crop={variety.crop_id}",
    )
