"""What the plan wants eaten of each crop a week, to be held against what is left of it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.larder.lines import Key
from kilter.people.models import Eater, Household
from kilter.plans.models import PlannedCrop
from kilter.plans.queries import appetite, not_eaten_of


@dataclass(frozen=True)
class PlannedUse:
    """So much a week for so many weeks, as it comes out of the store, before trimming."""

    a_week_kg: float
    weeks: int

    def ends(self, begins: date) -> date:
        """Until when it is wanted, from the day that the store was begun."""
        return begins + timedelta(weeks=self.weeks)

    def points(self, begins: date) -> list[tuple[date, float]]:
        """What would have to be left by day, to last as long as the plan says."""
        return [(begins, self.a_week_kg * self.weeks), (self.ends(begins), 0.0)]


def planned_uses(household: Household, seasons: Collection[int]) -> dict[Key, PlannedUse]:
    """What the plans of some seasons want of what is kept, by crop and season; three queries."""
    said = PlannedCrop.objects.of(household).filter(
        plan__struck_at=None, plan__is_chosen=True, plan__season__in=seasons, is_out=False
    )
    kept = [
        one
        for one in said.exclude(goal=PlannedCrop.Goal.FRESH).select_related("plan", "crop")
        if one.weeks
    ]
    if not kept:
        return {}
    eaters, without = list(Eater.objects.of(household)), not_eaten_of(household)
    found = {}
    for one in kept:
        people = appetite(eaters, without.get(one.crop_id, ()), one.weeks)
        book = one.crop.in_handbook
        at_table = float(one.servings_per_week) * one.serving_g / 1000 * people
        if at_table:
            use = PlannedUse(at_table / (book.edible_share if book else 1.0), one.weeks)
            found[one.crop_id, one.plan.season] = use
    return found
