"""Writes on the plan."""

from __future__ import annotations

from kilter.next_year.models import CropPlan
from kilter.next_year.queries import plan_of
from kilter.people.actions import save_owned
from kilter.people.history import Actor, changing
from kilter.people.models import Change
from kilter.set_out.actions import crop_named


def plan_crop(actor: Actor, crop_name: str) -> Change:
    """Take a crop into the plan."""
    with changing(actor, f"{crop_name.strip()} is in the plan.") as recorder:
        recorder.save(plan_of(crop_named(recorder, actor.household, crop_name)))
    return recorder.change


def save_plan(actor: Actor, plan: CropPlan) -> Change:
    """Save what was said of a crop."""
    return save_owned(actor, plan, f"The plan for {plan.crop} is changed.")
