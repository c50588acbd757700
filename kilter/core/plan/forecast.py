"""What one plant of a crop will give next year:
the garden's own record against the handbook's figure.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import numpy as np

from kilter.core.plan.effects import Effect, Grown, Planned, Spreads, believe
from kilter.core.plan.scenarios import Enough, SiteRisk, Years, draw_years, enough_for

#: So many forecasts are kept; each is reckoned anew only when what it rests on changes.
MOST_KEPT: Final = 128
_Key = tuple[tuple[Grown, ...], tuple[Planned, ...], float | None, int, tuple[SiteRisk, ...]]


@dataclass(frozen=True, kw_only=True)
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
    effects: tuple[Effect, ...]  #: of what was grown here
    spreads: Spreads  #: how much varieties, methods, places, seasons and pots differ here
    years: Years  #: next year drawn many times, for a planting as it was last grown
    _found: dict[tuple[float, float], Enough | None] = field(
        default_factory=dict, repr=False, compare=False
    )

    def enough(self, need_kg: float, certainty: float) -> Enough | None:
        """How many plants are that sure;
        reckoned once for a need and a certainty (`enough_for`).
        """
        key = need_kg, certainty
        if key not in self._found:
            self._found[key] = enough_for(self.years, need_kg, certainty)
        return self._found[key]

    def sure_of(self, need_kg: float, plants: float) -> float:
        """In what share of the years so many plants give what is needed, 0 to 1."""
        if plants <= 0:
            return 0.0 if need_kg > 0 else 1.0
        return float((self.years.totals(plants / self.years.plants.sum()) >= need_kg).mean())

    def span_kg(self, plants: float, *shares: float) -> tuple[float, ...]:
        """What so many plants give at most in some shares of the years, kilograms."""
        if plants <= 0:
            return tuple(0.0 for _ in shares)
        totals = self.years.totals(plants / self.years.plants.sum())
        return tuple(float(one) for one in np.quantile(totals, shares))


_kept: dict[_Key, OnePlant] = {}


def is_foretold(
    grown: tuple[Grown, ...],
    planned: tuple[Planned, ...],
    handbook_kg: float | None,
    failed: int = 0,
    setbacks: tuple[SiteRisk, ...] = (),
) -> bool:
    """Tell whether a forecast is kept, so that it costs nothing.

    Parameters
    ----------
    grown, planned, handbook_kg, failed, setbacks
        As `forecast_one_plant` takes them.

    Returns
    -------
    bool
        It was reckoned lately, from the same.

    Notes
    -----
    The last 128 are kept.

    Examples
    --------
    >>> is_foretold((), (Planned("", "", "", 11),), 0.512)
    False
    """
    return (grown, planned, handbook_kg, failed, setbacks) in _kept


def forecast_one_plant(
    grown: tuple[Grown, ...],
    planned: tuple[Planned, ...],
    handbook_kg: float | None,
    failed: int = 0,
    setbacks: tuple[SiteRisk, ...] = (),
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
        Kilograms a plant in one year of ten, in the middle and in nine of ten; failures and
        setbacks are in it.

    Raises
    ------
    PlanError
        Neither a record nor a handbook figure, or a figure out of its range.

    Notes
    -----
    `kilter.core.plan.effects` and `kilter.core.plan.scenarios`. The same arguments give the same
    years.

    Examples
    --------
    >>> found = forecast_one_plant((), (Planned("", "", "", 10),), 0.5)
    >>> found.tenth_kg < found.median_kg < 0.5 < found.ninetieth_kg, found.own_share
    (True, 0.0)
    """
    key = grown, planned, handbook_kg, failed, setbacks
    found = _kept.get(key)
    if found is None:
        found = _foretell(*key)
        while len(_kept) >= MOST_KEPT:
            _kept.pop(next(iter(_kept)), None)  # another thread may have been first
        _kept[key] = found
    return found


def _foretell(
    grown: tuple[Grown, ...],
    planned: tuple[Planned, ...],
    handbook_kg: float | None,
    failed: int,
    setbacks: tuple[SiteRisk, ...],
) -> OnePlant:
    believed = believe(grown, planned, handbook_kg)
    years = draw_years(believed, planned, failed=failed, came=len(grown), setbacks=setbacks)
    each = years.totals() / years.plants.sum()
    tenth, median, ninetieth = (float(one) for one in np.quantile(each, (0.1, 0.5, 0.9)))
    plants = sum(one.plants for one in grown)
    return OnePlant(
        tenth_kg=tenth,
        median_kg=median,
        ninetieth_kg=ninetieth,
        mean_kg=float(each.mean()),
        own_share=believed.own_share if handbook_kg else 1.0,
        plantings=len(grown),
        seasons=len({one.season for one in grown}),
        failed=failed,
        own_kg=sum(one.mass_kg for one in grown) / plants if plants else None,
        handbook_kg=handbook_kg,
        effects=believed.effects,
        spreads=believed.spreads,
        years=years,
    )
