"""What the servings of a season needed of each crop: for the rooms before the plan,
and beside what was lifted last.
"""

from __future__ import annotations

from dataclasses import dataclass

from kilter.look_back.needs import NEEDED, Need
from kilter.next_year.dates import dates_of
from kilter.next_year.garden import Garden, who_eats_what
from kilter.next_year.need import needed_of
from kilter.people.models import Household
from kilter.plans.models import PlannedCrop
from kilter.set_out.models import Crop


@NEEDED.answered_by
def needed(household: Household, season: int) -> dict[int, Need]:
    """Kilograms to be lifted of each crop, from servings: as the season's plan says,
    else the handbook's.
    """
    shared = who_eats_what(household, season)
    found = {crop.pk: need_of(crop, shared) for crop in shared.crops}
    return {crop: need for crop, need in found.items() if need is not None}


def need_of(crop: Crop, shared: Garden) -> Need | None:
    """The same of one crop; None where nobody is named as eating."""
    said = shared.words_for(crop)
    lift_day = (
        dates_of(crop, said, shared).lift_day if said.goal == PlannedCrop.Goal.UNTIL else None
    )
    chain = needed_of(crop, said, shared, None, lift_day).plate.chain
    if chain is None:
        return None
    return Need(chain.lifted_kg + said.given_kg + said.animals_kg, is_said=said.pk is not None)


@dataclass(frozen=True)
class LastYear:
    """What was needed last, what came of it, and when it ran out."""

    season: int
    lifted_kg: float
    needed_kg: float | None
    is_so_far: bool  #: some of it still stands
    ran_out_week: int | None  #: of the weeks in which some lay in store; None while some does

    @property
    def is_short(self) -> bool:
        return self.needed_kg is not None and self.lifted_kg < self.needed_kg

    @property
    def short_kg(self) -> float:
        return max((self.needed_kg or 0.0) - self.lifted_kg, 0.0)


def last_year(crop: Crop, shared: Garden) -> LastYear | None:
    """The season before the planned one, as Look back tells it;
    None where nothing of the crop was lifted.
    """
    last, season = shared.last, shared.season - 1
    if last is None or crop.pk not in last.lifted_kg:
        return None
    need = need_of(crop, last.wanted)
    stands = crop.pk in last.standing
    gone = None if stands else last.lasted_weeks.get(crop.pk)
    return LastYear(season, last.lifted_kg[crop.pk], need.kg if need else None, stands, gone)
