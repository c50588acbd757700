"""Next year drawn many times over, all plantings together,
so that a good summer is good for all of them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from kilter.core.arrays import FloatArray
from kilter.core.errors import PlanError
from kilter.core.plan.effects import Believed, Planned, sobol

#: So many years are drawn.
SCENARIOS: Final = 4096
#: Vectors of SDs are taken in the order of what they promise in a poor year: mean less so many SDs.
POOR_YEAR: Final = 0.84
#: A planting fails with a chance Beta(1 + failed, 9 + came through) (rule).
FAILS, COMES = 1, 9
#: A setback once noted at a site comes in a year with a chance Beta(0.5 + years hit, 4.5 + years
#: missed) (rule).
HITS, MISSES = 0.5, 4.5
MOST_PLANTS: Final = 100_000


@dataclass(frozen=True)
class SiteRisk:
    """What may hit a site next year, as it was noted there."""

    site: str
    hits: int  #: years in which it came
    misses: int
    losses: tuple[float, ...]  #: shares lost, as noted


@dataclass(frozen=True)
class Years:
    """Next year, drawn many times."""

    #: (years, planned): log kilograms a plant of the planting, before its own deviation
    level: FloatArray
    deviation: FloatArray  #: (years, planned): standard normal, of the planting itself
    unit_variance: FloatArray  #: (years, 2): of a unit, and of a plant in it
    share: FloatArray  #: (years, planned): what failures and setbacks leave, 0 to 1
    plants: FloatArray  #: (planned,)

    def masses(self, times: float = 1.0) -> FloatArray:
        """Kilograms of each planting in each year, with so many times its plants."""
        plants = self.plants * times
        noise = self.unit_variance[:, [0]] + self.unit_variance[:, [1]] / plants
        logs = self.level - noise / 2 + np.sqrt(noise) * self.deviation
        return np.asarray(plants * np.exp(logs) * self.share)

    def totals(self, times: float = 1.0) -> FloatArray:
        """Kilograms of the whole plan in each year."""
        return np.asarray(self.masses(times).sum(axis=1))


def draw_years(
    believed: Believed,
    planned: Sequence[Planned],
    *,
    failed: int = 0,
    came: int | None = None,
    setbacks: Sequence[SiteRisk] = (),
    seed: int = 1,
    years: int = SCENARIOS,
) -> Years:
    """Draw next year so many times over.

    Parameters
    ----------
    believed : Believed
        What is believed of the planned plantings.
    planned : sequence of Planned
        The same plantings.
    failed, came : int
        Of the record, plantings that gave nothing and that gave something; without ``came`` nothing
        ever fails.
    setbacks : sequence of Setback
        Of the sites of these plantings.
    seed : int
        The same seed gives the same years: plans are compared on common random numbers.
    years : int
        A power of two.

    Returns
    -------
    Years
        Joint over the plantings.

    Raises
    ------
    PlanError
        A loss that is no share.

    Notes
    -----
    One scrambled Sobol sequence: coordinate 1 picks the vector of SDs by cumulative weight, in the
    order of mean − 0.84 SD of the plan; coordinate 2 is the direction C·w/√(wᵀCw) of the whole
    plan; then a Cholesky factor of the rest, the plantings' own deviates, and what fails and hits.
    Kilter's own arrangement of quasi-Monte Carlo (Caflisch 1998, *Acta Numerica* 7; memory).

    Examples
    --------
    >>> from kilter.core.plan.effects import Grown, believe
    >>> plan = [Planned("a", "", "bed", 10)]
    >>> drawn = draw_years(
    ...     believe(
    ...         [Grown(variety="a", method="", place="bed", season=2025, plants=10, mass_kg=5.0)],
    ...         plan,
    ...         0.4,
    ...     ),
    ...     plan,
    ... )
    >>> 2.5 < float(np.median(drawn.totals())) < 6
    True
    """
    if any(not 0 <= loss <= 1 for setback in setbacks for loss in setback.losses):
        raise PlanError("What a setback takes is a share from 0 to 1.")
    k = len(planned)
    sites = sorted({one.site for one in planned})
    causes = [setback for setback in setbacks if setback.losses and setback.site in sites]
    points = sobol(2 + 2 * k + 1 + k + 3 * len(causes), years, seed)
    plants = np.array([one.plants for one in planned], float)
    share = plants * np.exp(np.array(believed.weights @ believed.means))
    toward = share / share.sum()
    mean = believed.means @ toward
    sd = np.sqrt(np.einsum("i,pij,j->p", toward, believed.covariances, toward))
    order = np.argsort(mean - POOR_YEAR * sd)
    cumulative = np.cumsum(believed.weights[order])
    at = order[
        np.minimum(np.searchsorted(cumulative, points[:, 0] * cumulative[-1]), len(order) - 1)
    ]
    direction = (
        np.einsum("pij,j->pi", believed.covariances, toward) / np.maximum(sd, 1e-12)[:, None]
    )
    rest = _factors(believed.covariances - direction[:, :, None] * direction[:, None, :])
    normal = scipy.special.ndtri(points[:, 1 : 2 + 2 * k])
    level = believed.means[at] + direction[at] * normal[:, [0]]
    level += np.einsum("sij,sj->si", rest[at], normal[:, 1 : 1 + k])
    left = np.ones((years, k))
    if came is not None:
        fails = scipy.special.betaincinv(FAILS + failed, COMES + came, points[:, 2 + 2 * k])
        left = (points[:, 3 + 2 * k : 3 + 3 * k] >= fails[:, None]).astype(float)
    for n, cause in enumerate(causes):
        left *= _hit(cause, planned, points[:, 3 + 3 * k + 3 * n : 6 + 3 * k + 3 * n])
    return Years(level, normal[:, 1 + k : 1 + 2 * k], believed.unit_variance[at], left, plants)


def _factors(rest: FloatArray) -> FloatArray:
    """Square roots of what is left of the covariances beside the plan's direction;
    they lack a dimension.
    """
    values, vectors = np.linalg.eigh((rest + rest.transpose(0, 2, 1)) / 2)
    return np.asarray(vectors * np.sqrt(np.maximum(values, 0.0))[:, None, :])


def _hit(cause: SiteRisk, planned: Sequence[Planned], points: FloatArray) -> FloatArray:
    """What a cause leaves of each planting: once a site-year one of the losses noted there."""
    chance = scipy.special.betaincinv(HITS + cause.hits, MISSES + cause.misses, points[:, 0])
    losses = np.array(cause.losses)
    loss = losses[np.minimum((points[:, 2] * len(losses)).astype(int), len(losses) - 1)]
    taken = np.where(points[:, 1] < chance, loss, 0.0)
    is_here = np.array([one.site == cause.site for one in planned])
    return np.where(is_here[None, :], 1 - taken[:, None], 1.0)


@dataclass(frozen=True)
class Enough:
    """How many plants make a plan as sure as wanted."""

    plants: int
    certainty: float
    harvest: tuple[
        float, float, float
    ]  #: kilograms in one year of ten, in the middle, in nine of ten
    expected_kg: float
    surplus_kg: float  #: expected harvest less the need, of the years that give more


def _bracket(low: Callable[[float], float], need_kg: float, guess: float) -> tuple[int, int]:
    """Whole plants of which the fewer are too few and the more enough,
    about a guess that is nearly right.
    """
    above, step = math.ceil(guess), max(math.ceil(guess * 0.005), 1)
    if low(above) >= need_kg:
        below = max(above - step, 0)
        while below and low(below) >= need_kg:
            above, below, step = below, max(below - 2 * step, 0), 2 * step
        return below, above
    below, above = above, min(above + step, MOST_PLANTS)
    while above < MOST_PLANTS and low(above) < need_kg:
        below, above, step = above, min(above + 2 * step, MOST_PLANTS), 2 * step
    return below, above


def enough_for(years: Years, need_kg: float, certainty: float) -> Enough | None:
    """Find the smallest plan, in the proportions given, that meets a need as surely as wanted.

    Parameters
    ----------
    years : Years
        Of the plan as it stands.
    need_kg : float
        Kilograms of food to be lifted, above zero.
    certainty : float
        Wanted share of the years in which it is met, between 0 and 1.

    Returns
    -------
    Enough or None
        None where no number of plants is that sure, as too many years fail altogether: split it
        over places.

    Raises
    ------
    PlanError
        A figure out of its range.

    Notes
    -----
    Three steps n ← n·need/q₁₋α(n), then bisection on whole plants, on common random numbers.

    Examples
    --------
    >>> from kilter.core.plan.effects import Grown, believe
    >>> plan = [Planned("a", "", "bed", 10)]
    >>> drawn = draw_years(
    ...     believe(
    ...         [Grown(variety="a", method="", place="bed", season=2025, plants=10, mass_kg=5.0)],
    ...         plan,
    ...         0.4,
    ...     ),
    ...     plan,
    ... )
    >>> enough_for(drawn, 10, 0.8).plants > enough_for(drawn, 10, 0.5).plants
    True
    """
    if not 0 < certainty < 1:
        raise PlanError("How sure to be lies between 0 and 100 %, neither included.")
    if need_kg <= 0 or not math.isfinite(need_kg):
        raise PlanError("A need is above zero.")
    planned = float(years.plants.sum())

    def low(plants: float) -> float:
        return float(np.quantile(years.totals(plants / planned), 1 - certainty))

    if low(MOST_PLANTS) < need_kg:
        return None
    guess = planned
    for _ in range(3):
        reached = low(guess)
        guess = (
            min(max(guess * need_kg / reached, 1.0), MOST_PLANTS)
            if reached > 0
            else min(guess * 4, MOST_PLANTS)
        )
    below, above = _bracket(low, need_kg, guess)
    while above - below > 1:
        middle = (above + below) // 2
        above, below = (middle, below) if low(middle) >= need_kg else (above, middle)
    totals = years.totals(above / planned)
    ten, half, ninety = (float(one) for one in np.quantile(totals, (0.1, 0.5, 0.9)))
    surplus = float(np.maximum(totals - need_kg, 0).mean())
    return Enough(above, certainty, (ten, half, ninety), float(totals.mean()), surplus)
