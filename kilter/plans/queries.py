"""Which plan is meant, and what it holds."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import date

from django.db.models import Q, QuerySet

from kilter.people.models import A_YEAR, Eater, Household
from kilter.plans.models import NotEaten, Plan, PlannedCrop, PlannedPlanting

#: From this month on the coming season is planned, before it the one that has begun (rule).
NEXT_FROM = 7


def season_to_plan(today: date) -> int:
    """The season that one plans for on a day."""
    return today.year + (today.month >= NEXT_FROM)


def plans_of(household: Household) -> QuerySet[Plan]:
    """All plans, the newest season first and its chosen one before the others."""
    return Plan.objects.of(household).order_by("-season", "-is_chosen", "pk")


def plan_for(household: Household, season: int) -> Plan | None:
    """The plan for a season: the chosen one, else the first."""
    return plans_of(household).filter(season=season).first()


def planned_crops(plan: Plan | None) -> QuerySet[PlannedCrop]:
    """What a plan says of its crops, those left out too; none of no plan."""
    if plan is None or plan.pk is None:
        return PlannedCrop.objects.none()
    return PlannedCrop.objects.of(plan.household).filter(plan=plan).select_related("crop", "plan")


def waiting_plantings(plan: Plan | None) -> QuerySet[PlannedPlanting]:
    """What a plan has for a place and is not set out;
    what was set out and struck since waits again.
    """
    if plan is None or plan.pk is None:
        return PlannedPlanting.objects.none()
    here = PlannedPlanting.objects.of(plan.household).filter(plan=plan)
    waiting = here.filter(Q(planting=None) | Q(planting__struck_at__isnull=False))
    return waiting.select_related("crop", "variety", "place", "part")


def not_eaten_of(household: Household) -> dict[int, frozenset[int]]:
    """By crop, the eaters who do not eat it."""
    found: dict[int, set[int]] = {}
    for crop, eater in NotEaten.objects.of(household).values_list("crop_id", "eater_id"):
        found.setdefault(crop, set()).add(eater)
    return {crop: frozenset(eaters) for crop, eaters in found.items()}


def appetite(eaters: Iterable[Eater], without: Collection[int], weeks: float) -> float:
    """Of all who eat a crop: a guest counts for the weeks they are here,
    the others for their share of the year.
    """
    total = 0.0
    for eater in eaters:
        if eater.pk not in without:
            share = (
                min(eater.weeks / weeks, 1.0) if eater.is_guest and weeks else eater.weeks / A_YEAR
            )
            total += eater.appetite * share
    return total
