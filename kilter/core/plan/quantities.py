"""How many plants, seeds and containers to be as sure as the gardener wants to be."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import scipy

from kilter.core.errors import PlanError

#: How sure to be that enough seeds come up; this comes on top of the certainty of the harvest
#: (rule).
SEED_CERTAINTY: Final = 0.9
MAX_PLANTS: Final = 100_000


@dataclass(frozen=True)
class PlantsNeeded:
    """How many plants, and what follows from it."""

    plants: int
    expected_kg: float
    expected_surplus_kg: float  #: mean of how much more comes than is needed


def plants_for(need_kg: float, median_kg: float, sigma: float, certainty: float) -> PlantsNeeded:
    """Find the smallest number of plants that meets a need as surely as wanted.

    Parameters
    ----------
    need_kg : float
        Kilograms to lift, zero or more.
    median_kg : float
        Median kilograms a plant gives, above zero.
    sigma : float
        SD of the log of the yield, shared by all plants of the year, zero or more.
    certainty : float
        Wanted P(harvest ≥ need), between 0 and 1.

    Returns
    -------
    PlantsNeeded
        Plants, and the mean harvest and surplus of so many, kilograms.

    Raises
    ------
    PlanError
        A figure out of its range, or a need beyond any garden.

    Notes
    -----
    One lognormal: n = ⌈need/median · exp(z σ)⌉. Surplus E(H − need)⁺ by the lognormal's partial
    expectation (Johnson, Kotz & Balakrishnan 1994, *Continuous Univariate Distributions* 1, ch. 14;
    memory).

    Examples
    --------
    >>> plants_for(40, 0.5, 0.35, 0.8).plants
    108
    """
    if not 0 < certainty < 1:
        raise PlanError("How sure to be lies between 0 and 100 %, neither included.")
    if need_kg < 0 or median_kg <= 0 or sigma < 0 or not math.isfinite(need_kg):
        raise PlanError("A need is zero or more, and a plant must give something.")
    exact = need_kg / median_kg * math.exp(float(scipy.special.ndtri(certainty)) * sigma)
    if exact > MAX_PLANTS:
        raise PlanError(
            f"That comes to more than {MAX_PLANTS:,} plants; check the servings and the grams."
        )
    plants = math.ceil(exact - 1e-9)
    return PlantsNeeded(plants, *_mean_and_surplus(plants * median_kg, sigma, need_kg))


def seeds_for(plants: int, germination: float, certainty: float = SEED_CERTAINTY) -> int:
    """Find the smallest number of seeds of which enough come up.

    Parameters
    ----------
    plants : int
        Plants wanted, zero or more.
    germination : float
        Chance that a seed comes up, above 0 and at most 1.
    certainty : float
        Wanted P(at least so many come up), between 0 and 1.

    Returns
    -------
    int
        Seeds to sow.

    Raises
    ------
    PlanError
        A figure out of its range.

    Notes
    -----
    Smallest s with P(Binomial(s, g) ≥ n) ≥ certainty, by bisection; seeds are taken as independent.

    Examples
    --------
    >>> seeds_for(30, 0.6), seeds_for(12, 0.85), seeds_for(100, 0.75, 0.95)
    (58, 16, 145)
    """
    if not 0 < germination <= 1 or not 0 < certainty < 1:
        raise PlanError("Germination is above 0 and at most 100 %.")
    if not 0 <= plants <= MAX_PLANTS:
        raise PlanError(f"Plants are from 0 to {MAX_PLANTS:,}.")
    low, high = plants, max(plants, 1)
    while scipy.special.bdtrc(plants - 1, high, germination) < certainty:
        high *= 2
    while low < high:
        middle = (low + high) // 2
        if scipy.special.bdtrc(plants - 1, middle, germination) >= certainty:
            high = middle
        else:
            low = middle + 1
    return low


def containers_for(plants: int, plants_per_30l: float, volume_l: float) -> int:
    """Find how many containers hold so many plants.

    Parameters
    ----------
    plants : int
        Plants to house.
    plants_per_30l : float
        Plants that 30 litres of medium carry, above zero.
    volume_l : float
        Litres of one container, above zero.

    Returns
    -------
    int
        Containers, each with at least one plant.

    Raises
    ------
    PlanError
        A figure that is not above zero.

    Notes
    -----
    Plants per container scale with its litres and are rounded down (common practice, no source).

    Examples
    --------
    >>> containers_for(20, 5, 30)
    4
    """
    if plants_per_30l <= 0 or volume_l <= 0:
        raise PlanError("A container has a volume above zero.")
    return math.ceil(plants / max(1, math.floor(plants_per_30l * volume_l / 30 + 1e-9)))


def _mean_and_surplus(median_total_kg: float, sigma: float, need_kg: float) -> tuple[float, float]:
    mean = median_total_kg * math.exp(sigma**2 / 2)
    if median_total_kg == 0 or need_kg == 0 or sigma == 0:
        return mean, max(mean - need_kg, 0.0)
    d2 = (math.log(median_total_kg / need_kg)) / sigma
    return mean, mean * float(scipy.special.ndtr(d2 + sigma)) - need_kg * float(
        scipy.special.ndtr(d2)
    )


def pots_in_rotation(lifts_a_week: float, pots_a_lift: float, weeks_to_clear: float) -> int:
    """Find how many pots or metres stand at any time so that so much can be lifted every week.

    Parameters
    ----------
    lifts_a_week, pots_a_lift : float
        How often something is pulled, and how many pots, or metres of row, each time.
    weeks_to_clear : float
        From sowing until the pot is cleared.

    Returns
    -------
    int
        Pots in rotation.

    Raises
    ------
    PlanError
        A figure that is not above zero.

    Notes
    -----
    Lifts a week × pots a lift × weeks from sowing to clearing (Little's law; common practice).

    Examples
    --------
    >>> pots_in_rotation(2, 1, 11)
    22
    """
    if min(lifts_a_week, pots_a_lift, weeks_to_clear) <= 0:
        raise PlanError("How often, how many and how long are each above zero.")
    return math.ceil(lifts_a_week * pots_a_lift * weeks_to_clear - 1e-9)


def sow_every_days(pots: int, weeks_to_clear: float) -> float:
    """Say every how many days one of so many pots is sown anew.

    Parameters
    ----------
    pots : int
        In rotation.
    weeks_to_clear : float
        From sowing until the pot is cleared.

    Returns
    -------
    float
        Days from one sowing to the next.

    Raises
    ------
    PlanError
        A figure that is not above zero.

    Notes
    -----
    The inverse of `pots_in_rotation`.

    Examples
    --------
    >>> round(sow_every_days(10, 11), 1)
    7.7
    """
    if pots <= 0 or weeks_to_clear <= 0:
        raise PlanError("Pots and weeks are above zero.")
    return 7 * weeks_to_clear / pots


def inner_share(rows: int, plants_a_row: int) -> float:
    """Give the share of a block's plants that have neighbours all round, as wind-pollinated ears
    need.

    Parameters
    ----------
    rows, plants_a_row : int
        Of the block.

    Returns
    -------
    float
        From 0 to below 1.

    Raises
    ------
    PlanError
        A block without plants.

    Notes
    -----
    (r − 2)(c − 2)/(rc) (geometry; that a block fills better than a row is common practice, no
    source).

    Examples
    --------
    >>> round(inner_share(6, 10), 2)
    0.53
    """
    if rows < 1 or plants_a_row < 1:
        raise PlanError("A block has at least one plant.")
    return max(rows - 2, 0) * max(plants_a_row - 2, 0) / (rows * plants_a_row)
