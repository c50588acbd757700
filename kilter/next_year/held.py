"""Last year's harvest held against what would have been foretold of it, crop by crop."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass

import numpy as np

from kilter.core.errors import KilterError
from kilter.core.plan.forecast import forecast_one_plant
from kilter.next_year.queries import crops_to_plan
from kilter.next_year.records import MOST_PLANNED, pasts_of
from kilter.people.models import Household
from kilter.set_out.models import Crop


@dataclass(frozen=True)
class Held:
    """One crop in the last season in which it was lifted."""

    crop: Crop
    season: int
    tenth_kg: float
    quarter_kg: float
    median_kg: float
    three_quarters_kg: float
    ninetieth_kg: float
    got_kg: float
    plantings: int  #: finished ones, of which that is

    @property
    def is_in_eighty(self) -> bool:
        return self.tenth_kg <= self.got_kg <= self.ninetieth_kg

    @property
    def is_in_fifty(self) -> bool:
        return self.quarter_kg <= self.got_kg <= self.three_quarters_kg


def held(household: Household) -> list[Held]:
    """What finished plantings of a crop gave in the last season, against what the record before would have said."""
    pasts = pasts_of(household)
    found = []
    for crop in crops_to_plan(household):
        past = pasts.get(crop.pk)
        if past is None:
            continue
        season = past.seasons[-1]
        book, before, plantings = crop.in_handbook, past.before(season), past.of(season)
        planned = tuple(one.as_planned for one in plantings[:MOST_PLANNED])
        with suppress(KilterError):
            foretold = forecast_one_plant(
                before.grown, planned, book.kg_per_plant if book else None, before.failed, before.setbacks
            )
            # the largest plantings stand for all of them
            times = sum(one.as_planned.plants for one in plantings) / sum(of.plants for of in planned)
            low, quarter, middle, three, high = np.quantile(foretold.years.totals(times), (0.1, 0.25, 0.5, 0.75, 0.9))
            said = float(low), float(quarter), float(middle), float(three), float(high)
            found.append(Held(crop, season, *said, sum(one.mass_kg for one in plantings), len(plantings)))
    return found
