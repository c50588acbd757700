"""What the plan says is needed of each crop, for the rooms before it."""

from __future__ import annotations

from kilter.look_back.needs import Need, tells_need
from kilter.next_year.dates import dates_of
from kilter.next_year.garden import who_eats_what
from kilter.next_year.need import needed_of
from kilter.people.models import Household
from kilter.plans.models import PlannedCrop


@tells_need
def needed(household: Household, season: int) -> dict[int, Need]:
    """Kilograms to be lifted of each crop, from servings: as the season's plan says, else the handbook's."""
    shared = who_eats_what(household, season)
    found: dict[int, Need] = {}
    for crop in shared.crops:
        said = shared.words_for(crop)
        lift_day = dates_of(crop, said, shared).lift_day if said.goal == PlannedCrop.Goal.UNTIL else None
        chain = needed_of(crop, said, shared, None, lift_day).plate.chain
        if chain is not None:
            found[crop.pk] = Need(chain.lifted_kg + said.given_kg + said.animals_kg, is_said=said.pk is not None)
    return found
