"""``manage.py standing``: what stands, what of it is still to lift, and when its place is free."""

from __future__ import annotations

from datetime import date
from typing import Any

from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.records.left import Standing, standing_now
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Planting


class Command(HouseholdCommand):
    help = "Say of every planting that is not finished how many plants stand, and until when."

    def run(self, household: Household, options: dict[str, Any]) -> None:
        standing = Planting.objects.of(household).filter(finished_on=None)
        kept_back, today = blinded_of(household), clock.today(household)
        found = [
            _values(one, today, is_told=one.planting.pk not in kept_back)
            for one in standing_now(household, standing)
        ]
        if options["json"]:
            self.print_json({"standing": found})
            return
        head = ["planting", "place", "stands", "left kg", "free on", "why"]
        self.print_table(head, [["" if v is None else str(v) for v in of.values()] for of in found])


def _values(one: Standing, today: date, *, is_told: bool) -> dict[str, Any]:
    """One planting; what a blinded trial keeps back is null, as what nobody knows is."""
    left, clears = one.left, one.clears
    return {
        "planting": one.planting.ref,
        "place": one.planting.where,
        "stands": left.plants if is_told else None,
        "left_kg": round(left.kg, 6) if is_told and left.kg is not None else None,
        "clears_on": clears.day.isoformat() if clears.day else None,
        "why": clears.words(today),
    }
