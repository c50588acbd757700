"""Plans beside each other, wishes, and shelves under lights."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse

from kilter.next_year import actions
from kilter.next_year.forms import CopyForm, PlanForm, ShelfForm, WishForm
from kilter.next_year.rows import CropRow, rows
from kilter.next_year.views import address, may_plan, plan_asked, refused
from kilter.people.access import Who, page_for
from kilter.people.actions import save_owned, strike
from kilter.people.middleware import HouseholdRequest
from kilter.people.pages import form_page
from kilter.people.undo import flash_change
from kilter.plans.models import Plan, Shelf, Wish
from kilter.plans.queries import plans_of

#: So many plans of a season stand side by side.
MOST_BESIDE = 4


@dataclass(frozen=True)
class BesideLine:
    """One crop in each of the plans that stand side by side; None where one leaves it out."""

    name: str
    of_plans: tuple[CropRow | None, ...]

    @property
    def differs(self) -> bool:
        return len({None if one is None else one.plants for one in self.of_plans}) > 1


@page_for(reads=Who.MEMBER)
def plans(request: HouseholdRequest) -> HttpResponse:
    """All plans, and those of the coming season crop by crop."""
    usual = plan_asked(request)
    found = list(plans_of(request.household))
    beside = [one for one in found if one.season == usual.season][:MOST_BESIDE]
    of_plans = [{row.crop.name: row for row in rows(request.household, plan)} for plan in beside]
    names = sorted({name for of in of_plans for name in of})
    context = {
        "plans": [(one, may_plan(request, one)) for one in found],
        "season": usual.season,
        "beside": beside,
        "lines": [BesideLine(name, tuple(of.get(name) for of in of_plans)) for name in names]
        if beside
        else [],
        "copy_form": CopyForm(plan=usual),
        "shelves": list(Shelf.objects.of(request.household)),
    }
    return render(request, "next_year/plans.html", context)


@page_for(reads=Who.WRITER, writes=Who.WRITER, of=Plan)
def plan(request: HouseholdRequest, found: Plan) -> HttpResponse:
    """A plan's own name and choices."""
    if request.method == "POST" and (no := refused(request, found)) is not None:
        return no
    form = PlanForm(request.POST or None, instance=found, household=request.household)
    return form_page(
        request,
        form,
        title=f"Plan for {found.season}",
        save=lambda: actions.save_plan(request.actor, form.save(commit=False)),
        back=reverse("next_year:plans"),
        for_helpers=not found.is_chosen,
    )


@page_for(writes=Who.WRITER)
def copy_plan(request: HouseholdRequest) -> HttpResponse:
    """Begin another plan as this one stands."""
    usual = plan_asked(request)
    form = CopyForm(request.POST, plan=usual)
    return form_page(
        request,
        form,
        title=f"Another plan for {usual.season}",
        save=lambda: actions.copy_plan(request.actor, usual, form.cleaned_data["name"]),
        back=reverse("next_year:plans"),
        for_helpers=True,
    )


@page_for(writes=Who.OWNER, of=Plan)
def choose_plan(request: HouseholdRequest, found: Plan) -> HttpResponse:
    """Make this one the plan."""
    flash_change(request, actions.choose_plan(request.actor, found))
    return redirect("next_year:plans")


@page_for(writes=Who.WRITER, of=Plan)
def strike_plan(request: HouseholdRequest, found: Plan) -> HttpResponse:
    """Put a plan away."""
    if (no := refused(request, found)) is not None:
        return no
    flash_change(request, actions.strike_plan(request.actor, found))
    return redirect("next_year:plans")


@page_for(writes=Who.OWNER, of=Plan)
def freeze(request: HouseholdRequest, found: Plan) -> HttpResponse:
    """Keep what is promised, so that what comes is held against it."""
    flash_change(request, actions.freeze(request.actor, found))
    return redirect(address("next_year:index", found))


@page_for(reads=Who.WRITER, writes=Who.WRITER)
def wish(request: HouseholdRequest) -> HttpResponse:
    """Wish for something."""
    form = WishForm(request.POST or None, initial={"said_by": str(request.user)})
    return form_page(
        request,
        form,
        title="Wish for something",
        save=lambda: save_owned(
            request.actor,
            form.save(commit=False),
            f"{form.cleaned_data['crop_name']} is wished for.",
        ),
        back=reverse("next_year:index"),
        for_helpers=True,
    )


@page_for(writes=Who.WRITER, of=Wish)
def take_wish(request: HouseholdRequest, found: Wish) -> HttpResponse:
    """Take up what somebody wished for."""
    asked = plan_asked(request)
    if (no := refused(request, asked)) is not None:
        return no
    flash_change(request, actions.plan_crop(request.actor, asked, found.crop_name, found))
    return redirect(address("next_year:index", asked))


@page_for(writes=Who.WRITER, of=Wish)
def strike_wish(request: HouseholdRequest, found: Wish) -> HttpResponse:
    """Not after all."""
    flash_change(request, strike(request.actor, found, f"{found} is put aside."))
    return redirect("next_year:index")


@page_for(reads=Who.OWNER, writes=Who.OWNER, of=Shelf)
def shelf(request: HouseholdRequest, found: Shelf | None = None) -> HttpResponse:
    """A shelf under lights."""
    form = ShelfForm(request.POST or None, instance=found)
    return form_page(
        request,
        form,
        title=str(found) if found else "A shelf under lights",
        save=lambda: save_owned(
            request.actor,
            form.save(commit=False),
            f"The shelf {form.cleaned_data['name']} is saved.",
        ),
        back=reverse("next_year:trays"),
        strike=reverse("next_year:strike_shelf", args=[found.pk]) if found else "",
    )


@page_for(writes=Who.OWNER, of=Shelf)
def strike_shelf(request: HouseholdRequest, found: Shelf) -> HttpResponse:
    """Take a shelf away."""
    flash_change(request, strike(request.actor, found, f"{found} is taken away."))
    return redirect("next_year:trays")
