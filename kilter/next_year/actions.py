"""Writes on the plan."""

from __future__ import annotations

from kilter.next_year.models import CropPlan
from kilter.next_year.queries import plan_of
from kilter.people.actions import save_owned
from kilter.people.history import Actor, changing
from kilter.people.models import Change
from kilter.set_out.actions import crop_named
from kilter.set_out.models import Crop


def plan_crop(actor: Actor, crop_name: str) -> Change:
    """Take a crop into the plan."""
    with changing(actor, f"{crop_name.strip()} is in the plan.") as recorder:
        plan = plan_of(crop_named(recorder, actor.household, crop_name))
        plan.is_out = False
        recorder.save(plan)
    return recorder.change


def leave_out(actor: Actor, crop: Crop) -> Change:
    """Take a crop out of the plan; what was said of it is kept for when it comes back."""
    plan = plan_of(crop)
    plan.is_out = True
    return save_owned(actor, plan, f"{crop} is out of the plan.")


def save_plan(actor: Actor, plan: CropPlan) -> Change:
    """Save what was said of a crop."""
    return save_owned(actor, plan, f"The plan for {plan.crop} is changed.")
