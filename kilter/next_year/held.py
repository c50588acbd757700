"""Harvests held against what was foretold of them: by frozen plans,
and by what forecasts would have said.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass

import numpy as np

from kilter.core.errors import KilterError
from kilter.core.plan.forecast import forecast_one_plant
from kilter.next_year.garden import Garden
from kilter.next_year.records import MOST_PLANNED, CropRecord
from kilter.people.models import Household
from kilter.plans.promises import FrozenPromise, Promises, promised
from kilter.set_out.models import Crop


@dataclass(frozen=True, kw_only=True)
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


def held(shared: Garden) -> list[Held]:
    """What finished plantings of a crop gave in the last season,
    against what the record before would have said.
    """
    found = (held_crop(crop, shared.past.get(crop.pk, CropRecord())) for crop in shared.crops)
    return [one for one in found if one is not None]


def held_crop(crop: Crop, past: CropRecord) -> Held | None:
    """The same of one crop; None where nothing was lifted, or nothing could have been said."""
    if not past.taken:
        return None
    season = past.seasons[-1]
    book, before, plantings = crop.in_handbook, past.before(season), past.of(season)
    planned = tuple(planting.as_planned for planting in plantings[:MOST_PLANNED])
    with suppress(KilterError):
        foretold = forecast_one_plant(
            before.grown,
            planned,
            book.kg_per_plant if book else None,
            before.failed,
            before.setbacks,
        )
        # the largest plantings stand for all of them
        times = sum(planting.as_planned.plants for planting in plantings) / sum(
            of.plants for of in planned
        )
        low, quarter, middle, three, high = np.quantile(
            foretold.years.totals(times), (0.1, 0.25, 0.5, 0.75, 0.9)
        )
        return Held(
            crop=crop,
            season=season,
            tenth_kg=float(low),
            quarter_kg=float(quarter),
            median_kg=float(middle),
            three_quarters_kg=float(three),
            ninetieth_kg=float(high),
            got_kg=sum(planting.mass_kg for planting in plantings),
            plantings=len(plantings),
        )
    return None


def held_of(household: Household, shared: Garden) -> Promises:
    """Every promise of the plans, newest season first,
    with what came of the crop in that season.
    """
    found = []
    for crop in promised(household):
        plantings = shared.past.get(crop.crop_id, CropRecord()).of(crop.plan.season)
        got = sum(of.mass_kg for of in plantings) if plantings else None
        found.append(FrozenPromise(crop, got, sum(of.as_planned.plants for of in plantings)))
    return Promises(tuple(found))
