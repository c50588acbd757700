"""Writes on the plan."""

from __future__ import annotations

from kilter.next_year.models import CropPlan
from kilter.next_year.queries import plan_of
from kilter.people.models import Household
from kilter.people.writing import writing
from kilter.set_out.actions import crop_named


def plan_crop(household: Household, crop_name: str) -> CropPlan:
    """Take a crop into the plan."""
    with writing():
        plan = plan_of(crop_named(household, crop_name))
        plan.save()
    return plan


def save_plan(plan: CropPlan) -> CropPlan:
    """Save what was said of a crop."""
    with writing():
        plan.save()
    return plan
