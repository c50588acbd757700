"""How close to plant, and whether sharing a bed pays."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import render

from kilter.core.compare.density import Crowding
from kilter.core.yields.measures import Measure, measure_named
from kilter.drawing.curves import Chart, smooth
from kilter.people.access import Who, page_for
from kilter.people.look import system_of
from kilter.people.middleware import HouseholdRequest
from kilter.set_out.steps import PLANTING, not_yet, step_before
from kilter.weigh_up.answer.pictures import rate_figure, rate_unit, rate_value
from kilter.weigh_up.land.forms import CropForm
from kilter.weigh_up.land.queries import Crowded, crowded, most_varied, shared_beds, sharing_pays

CURVE_POINTS = 60


@page_for(reads=Who.MEMBER)
def crowding(request: HouseholdRequest) -> HttpResponse:
    """Less a plant, more together: yield per plant and per square metre over plants per square
    metre.
    """
    if step := step_before(request.household, PLANTING):
        return not_yet(request, "How close to plant", step)
    data = request.GET or None
    form = CropForm(data, household=request.household)
    crops = form.fields["crop"].queryset  # type: ignore[attr-defined]
    context: dict[str, Any] = {"form": form}
    crop, seasons, by = most_varied(request.household) or crops.first(), (), "kg_per_plant"
    if form.is_valid():
        crop, seasons = form.cleaned_data["crop"], tuple(form.cleaned_data["season"])
        by = form.cleaned_data["by"] or by
    elif data is None:
        form = CropForm({"crop": crop.pk if crop else ""}, household=request.household)
        context["form"] = form
    if crop is not None and not (data and form.errors):
        found = crowded(request.household, crop, seasons, by)
        measure, system = measure_named(by), system_of(request)
        context |= {"found": found, "unit": rate_unit(measure, system)}
        if found.found is not None:
            context |= {
                "charts": _charts(found, measure, system),
                "says": _says(found.found, measure, system),
            }
            context["rows"] = [
                (f, s, rate_figure(s.per_plant, measure, system)) for f, s in found.stands
            ]
    return render(
        request, "weigh_up/crowding.html", context, status=422 if data and form.errors else 200
    )


def _charts(found: Crowded, measure: Measure, system: str) -> list[tuple[str, Chart]]:
    curve = found.found
    assert curve is not None
    top = curve.tried[1] * 1.1
    densities = [max(top * i / CURVE_POINTS, curve.tried[0] * 0.5) for i in range(CURVE_POINTS + 1)]
    mark = (curve.pays_to, curve.pays_low or 0.0, curve.pays_high or 0.0) if curve.pays_to else None
    charts = []
    for title, of in (("per plant", curve.per_plant), ("per square metre", curve.per_m2)):
        is_plant = title == "per plant"
        line = [(d, rate_value(of(d), measure, system)) for d in densities]
        dots = [
            (
                stand.per_m2,
                rate_value(stand.per_plant if is_plant else stand.per_ground_m2, measure, system),
                3,
                f"{fact.place} {fact.season}",
            )
            for fact, stand in found.stands
        ]
        charts.append((title, smooth(line, dots, mark=None if is_plant else mark)))
    return charts


def _says(curve: Crowding, measure: Measure, system: str) -> str:
    """The answer in a sentence."""
    few, many = curve.tried
    tried = f"From {few:.3g} to {many:.3g} plants a square metre were tried."
    if curve.pays_to is None:
        return (
            f"{tried} No crowding is sure yet: as far as the records can tell, each plant gave "
            "as much however close."
        )
    reach = f"between {curve.pays_low:.3g} and {curve.pays_high:.3g}"
    where = "" if curve.pays_to <= many else ", which is closer than anybody tried here"
    return (
        f"{tried} More plants stop paying at about {curve.pays_to:.3g} a square metre (likely "
        f"{reach}){where}: from there on one more adds less than a tenth of what a plant with all "
        f"the room gives ({rate_figure(1 / curve.alpha, measure, system)} "
        f"{rate_unit(measure, system)})."
    )


class _BedForm(forms.Form):
    bed = forms.CharField(max_length=200, required=False)


@page_for(reads=Who.MEMBER)
def sharing(request: HouseholdRequest) -> HttpResponse:
    """The land equivalent ratio of crops that shared a bed."""
    beds = shared_beds(request.household)
    form = _BedForm(request.GET)
    wanted = form.cleaned_data["bed"] if form.is_valid() else ""
    bed = next((one for one in beds if one.key == wanted), beds[0] if beds else None)
    answer = sharing_pays(request.household, bed) if bed else None
    return render(request, "weigh_up/sharing.html", {"beds": beds, "bed": bed, "answer": answer})
