"""What one plant of a crop will give next year: the garden's own record against the handbook's figure.

A first form of the forecast: one lognormal per crop, its parts as random effects with stated SDs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Final

from kilter.core.errors import PlanError

#: SDs on the log scale (rules, from memory).
HANDBOOK_SD: Final = 0.5
VARIETY_SD: Final = 0.25
METHOD_SD: Final = 0.15
PLACE_SD: Final = 0.20
SEASON_SD: Final = 0.25
VARIETY_SEASON_SD: Final = 0.15
UNIT_SD: Final = 0.20
PLANT_SD: Final = 0.40


@dataclass(frozen=True)
class PastYield:
    """One finished planting: what it gave in food, from how many plants."""

    season: int
    variety: str
    food_kg: float
    plants: float  #: that stood when the harvest began


@dataclass(frozen=True)
class OnePlant:
    """What a plant will give next year."""

    median_kg: float
    sigma: float  #: SD of the log of next year's yield about the median
    own_share: float  #: weight of the garden's own record, 0 to 1; the rest is the handbook's
    plantings: int  #: used of the own record
    seasons: int
    failed: int  #: plantings that gave nothing, said apart and not used
    own_kg: float | None  #: the own record alone: all food over all plants
    handbook_kg: float | None

    @property
    def mean_kg(self) -> float:
        """Expected kilograms: a lognormal's mean lies above its median."""
        return self.median_kg * math.exp(self.sigma**2 / 2)


def forecast_one_plant(past: Sequence[PastYield], handbook_kg: float | None) -> OnePlant:
    """Weigh the garden's own record against the handbook.

    Parameters
    ----------
    past : sequence of PastYield
        Finished plantings of one crop; those that gave nothing are counted apart.
    handbook_kg : float or None
        The handbook's kilograms a plant, taken as a median.

    Returns
    -------
    OnePlant
        Median kilograms a plant, the SD of its log, and who speaks how loud.

    Raises
    ------
    PlanError
        Neither a record nor a handbook figure.

    Notes
    -----
    z = log(kg/plants) + s²/2 with s² = unit² + plant²/n. The crop's level has prior
    N(log handbook, 0.5²); each season's mean of z is one observation of it, with variance season² +
    (variety² + variety×season²)/varieties + (method² + place² + unit² + plant²/n)/plantings; the
    posterior is their precision-weighted mean (normal–normal updating; Gelman et al., *Bayesian
    Data Analysis*, §2.5; memory). Next year draws every effect anew.

    Examples
    --------
    >>> forecast_one_plant([], 0.5).median_kg < 0.5, round(forecast_one_plant([], 0.5).sigma, 3)
    (True, 0.707)
    """
    giving = sorted((p for p in past if p.food_kg > 0 and p.plants > 0), key=lambda p: p.season)
    failed = sum(p.food_kg == 0 for p in past)
    if not giving and not handbook_kg:
        raise PlanError("Nothing is known of what one plant gives: weigh a harvest of it first.")
    prior_precision = HANDBOOK_SD**-2 if handbook_kg else 0.0
    observations = [_season_mean(list(group)) for _, group in groupby(giving, key=lambda p: p.season)]
    own_precision = sum(1 / variance for _, variance in observations)
    precision = prior_precision + own_precision
    weighted = sum(mean / variance for mean, variance in observations)
    level = (weighted + prior_precision * math.log(handbook_kg or 1.0)) / precision
    new = VARIETY_SD**2 + METHOD_SD**2 + PLACE_SD**2 + SEASON_SD**2 + VARIETY_SEASON_SD**2 + UNIT_SD**2
    return OnePlant(
        median_kg=math.exp(level - UNIT_SD**2 / 2),
        sigma=math.sqrt(1 / precision + new),
        own_share=own_precision / precision,
        plantings=len(giving),
        seasons=len(observations),
        failed=failed,
        own_kg=sum(p.food_kg for p in giving) / sum(p.plants for p in giving) if giving else None,
        handbook_kg=handbook_kg,
    )


def _season_mean(plantings: list[PastYield]) -> tuple[float, float]:
    """Mean of z over one season's plantings, and its variance about the crop's level."""
    n = len(plantings)
    varieties = len({p.variety for p in plantings})
    within = [UNIT_SD**2 + PLANT_SD**2 / p.plants for p in plantings]
    mean = sum(math.log(p.food_kg / p.plants) + s2 / 2 for p, s2 in zip(plantings, within, strict=True)) / n
    variance = (
        SEASON_SD**2
        + (VARIETY_SD**2 + VARIETY_SEASON_SD**2) / varieties
        + (METHOD_SD**2 + PLACE_SD**2 + sum(within) / n) / n
    )
    return mean, variance
