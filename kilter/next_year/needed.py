"""What the plan says is needed of each crop, for the rooms before it."""

from __future__ import annotations

from contextlib import suppress

from kilter.core.errors import KilterError
from kilter.larder.learnt import Learnt, learnt
from kilter.look_back.needs import Need, tells_need
from kilter.next_year.queries import crops_to_plan, lifted_for_the_table, losses_of_plan, plan_of
from kilter.people.models import Eater, Household


@tells_need
def needed(household: Household) -> dict[int, Need]:
    """Kilograms to be lifted of each crop of the plan, from servings: those said, else the handbook's."""
    plans = [plan_of(crop) for crop in crops_to_plan(household)]
    if not plans:
        return {}
    appetites = list(Eater.objects.of(household).values_list("appetite", flat=True))
    known = learnt(household, [plan.crop for plan in plans])
    found: dict[int, Need] = {}
    for plan in plans:
        losses = losses_of_plan(plan, plan.crop.in_handbook, known.get(plan.crop_id, Learnt()))
        with suppress(KilterError):
            kg = lifted_for_the_table(plan, appetites, losses).lifted_kg
            found[plan.crop_id] = Need(kg, is_said=plan.pk is not None)
    return found
