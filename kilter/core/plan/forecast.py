"""What one plant of a crop will give next year: the garden's own record against the handbook's figure."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Final

import numpy as np

from kilter.core.plan.effects import Grown, Planned, Spreads, believe
from kilter.core.plan.scenarios import Enough, Setback, Years, draw_years, enough_for

#: So many forecasts are kept; each is reckoned anew only when what it rests on changes.
MOST_KEPT: Final = 64


@dataclass(frozen=True)
class OnePlant:
    """What a plant will give next year, in kilograms, with who says so; never the mean alone."""

    tenth_kg: float  #: in one year of ten it is less
    median_kg: float
    ninetieth_kg: float
    mean_kg: float
    own_share: float  #: weight of the garden's own record, 0 to 1; the rest is the handbook's
    plantings: int  #: used of the own record
    seasons: int
    failed: int  #: plantings that gave nothing: how often that may happen is in the certainty
    own_kg: float | None  #: the own record alone: all food over all plants
    handbook_kg: float | None
    spreads: Spreads  #: how much varieties, methods, places, seasons and pots differ here
    years: Years  #: next year drawn many times, for a planting as it was last grown
    _found: dict[tuple[float, float], Enough | None] = field(default_factory=dict, repr=False, compare=False)

    def enough(self, need_kg: float, certainty: float) -> Enough | None:
        """How many plants are that sure; reckoned once for a need and a certainty (`enough_for`)."""
        key = need_kg, certainty
        if key not in self._found:
            self._found[key] = enough_for(self.years, need_kg, certainty)
        return self._found[key]


@lru_cache(maxsize=MOST_KEPT)
def forecast_one_plant(
    grown: tuple[Grown, ...],
    planned: tuple[Planned, ...],
    handbook_kg: float | None,
    failed: int = 0,
    setbacks: tuple[Setback, ...] = (),
) -> OnePlant:
    """Weigh the garden's own record against the handbook, for plantings like those planned.

    Parameters
    ----------
    grown : tuple of Grown
        Finished plantings of one crop that gave something.
    planned : tuple of Planned
        Next year's plantings, in the proportions in which they are grown.
    handbook_kg : float or None
        The handbook's kilograms a plant, taken as a median.
    failed : int
        Plantings that gave nothing at all.
    setbacks : tuple of Setback
        What may hit their sites.

    Returns
    -------
    OnePlant
        Kilograms a plant in one year of ten, in the middle and in nine of ten; failures and setbacks are in it.

    Raises
    ------
    PlanError
        Neither a record nor a handbook figure, or a figure out of its range.

    Notes
    -----
    `kilter.core.plan.effects` and `kilter.core.plan.scenarios`. The same arguments give the same years.

    Examples
    --------
    >>> found = forecast_one_plant((), (Planned("", "", "", 10),), 0.5)
    >>> found.tenth_kg < found.median_kg < 0.5 < found.ninetieth_kg, found.own_share
    (True, 0.0)
    """
    believed = believe(grown, planned, handbook_kg)
    years = draw_years(believed, planned, failed=failed, came=len(grown), setbacks=setbacks)
    each = years.totals() / years.plants.sum()
    tenth, median, ninetieth = (float(one) for one in np.quantile(each, (0.1, 0.5, 0.9)))
    plants = sum(one.plants for one in grown)
    return OnePlant(
        tenth,
        median,
        ninetieth,
        float(each.mean()),
        believed.own_share if handbook_kg else 1.0,
        len(grown),
        len({one.season for one in grown}),
        failed,
        sum(one.mass_kg for one in grown) / plants if plants else None,
        handbook_kg,
        believed.spreads,
        years,
    )
