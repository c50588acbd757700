"""How much a household eats in a week when there is some,
learnt from weeks in which it may have run out.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from kilter.core.arrays import FloatArray
from kilter.core.errors import PlanError

#: The servings weigh as much as so many weeks of the own record (rule).
PRIOR_WEEKS: Final = 8
#: How uneven weeks are, as the shape of a gamma distribution: one of these, believed about 2
#: (rules).
SHAPES: Final = (0.7, 1.0, 1.4, 2.0, 2.8, 4.0, 6.0)
SHAPE_MEDIAN, SHAPE_SPREAD = 2.0, 0.5
#: Habits change from year to year: SD of the log of a year's appetite (rule).
YEAR_SD: Final = 0.15
ROUNDS: Final = 500


@dataclass(frozen=True)
class WeekEaten:
    """One week in which there was some of it."""

    eaten_kg: float
    is_gone: bool = False  #: nothing was left, so more might have been eaten
    year: int = 0


@dataclass(frozen=True)
class Appetite:
    """What is eaten in a week when there is enough."""

    a_week_kg: float
    sd_log: float
    own_share: float  #: how loud the own record speaks beside the servings, 0 to 1
    weeks: int
    gone: int  #: of these, weeks in which it was eaten up
    shape: float

    def need_kg(self, weeks: float, appetites_now: float, appetites_then: float) -> float:
        """Kilograms for so many weeks, of those who eat now and not of those who ate then."""
        return self.a_week_kg * weeks * (appetites_now / appetites_then if appetites_then else 1.0)


def own_appetite(
    weeks: Sequence[WeekEaten],
    plate_kg: float,
    *,
    prior_weeks: float = PRIOR_WEEKS,
    shape: float | None = None,
) -> Appetite:
    """Learn from the own record of eating what would be eaten in a week.

    Parameters
    ----------
    weeks : sequence of WeekEaten
        Weeks in which there was some of it; what was wasted or given is not eaten, assumed eating
        is no week.
    plate_kg : float
        What the servings say of a week.
    prior_weeks : float
        How many weeks the servings weigh as much as.
    shape : float, optional
        Of the gamma distribution of weeks; the likeliest of `SHAPES` if not given.

    Returns
    -------
    Appetite
        Kilograms a week with its doubt.

    Raises
    ------
    PlanError
        A negative figure, or neither weeks nor servings.

    Notes
    -----
    Something left: the appetite was what was eaten. Eaten up: it was at least that (censored).
    Weekly appetite Gamma(k, mean r); EM: r ← (8 r₀ + Σ exact + Σ E[D | D > c]) / (8 + weeks), E[D |
    D > c] = r S₍ₖ₊₁₎(kc/r) / Sₖ(kc/r), S the gamma survival function; k by censored likelihood with
    log k ~ N(log 2, 0.5). SD of log r = √(1/(k(8 + I)) + 0.15²/years), I = exact weeks + Σ c/E[D |
    D > c] (Dempster, Laird & Rubin 1977, *J. R. Stat. Soc. B* 39:1; memory).

    Examples
    --------
    >>> weeks = [WeekEaten(1), WeekEaten(2, is_gone=True), WeekEaten(0.5)]
    >>> round(own_appetite(weeks, 1, prior_weeks=0, shape=1).a_week_kg, 6)
    1.75
    """
    if plate_kg < 0 or prior_weeks < 0 or any(week.eaten_kg < 0 for week in weeks):
        raise PlanError("What is eaten is zero or more.")
    if not weeks and not (plate_kg and prior_weeks):
        raise PlanError("Neither servings nor the own record say what is eaten.")
    shapes = SHAPES if shape is None else (shape,)
    tried = [(k, _settled(weeks, plate_kg, prior_weeks, k)) for k in shapes]
    k, r = max(tried, key=lambda pair: _likelihood(weeks, *pair) - _unlikely(pair[0]))
    gone = np.array([week.eaten_kg for week in weeks if week.is_gone])
    told = len(weeks) - len(gone) + float((gone / _beyond(gone, r, k)).sum())
    years = max(len({week.year for week in weeks}), 1)
    of_weeks = 1 / (k * (prior_weeks + told)) if prior_weeks + told else math.inf
    sd = math.sqrt(of_weeks + YEAR_SD**2 / years)
    share = told / (prior_weeks + told) if prior_weeks + told else 0.0
    return Appetite(r, sd, share, len(weeks), len(gone), k)


def _settled(weeks: Sequence[WeekEaten], plate_kg: float, prior_weeks: float, k: float) -> float:
    exact = sum(week.eaten_kg for week in weeks if not week.is_gone)
    gone = np.array([week.eaten_kg for week in weeks if week.is_gone])
    r = max(plate_kg, 1e-6) if prior_weeks else max((exact + float(gone.sum())) / len(weeks), 1e-6)
    for _ in range(ROUNDS):
        told = prior_weeks * plate_kg + exact + float(_beyond(gone, r, k).sum())
        after = told / (prior_weeks + len(weeks))
        if abs(after - r) <= 1e-10 * max(after, 1e-9):
            break
        r = max(after, 1e-12)
    return r


def _beyond(c: FloatArray, r: float, k: float) -> FloatArray:
    """E[D | D > c] of a gamma with shape k and mean r."""
    at = k * c / r
    below = scipy.special.gammaincc(k, at)
    found = r * scipy.special.gammaincc(k + 1, at) / np.maximum(below, 1e-300)
    return np.asarray(np.where(below > 1e-300, found, c + r / k))


def _likelihood(weeks: Sequence[WeekEaten], k: float, r: float) -> float:
    at = k * np.array([week.eaten_kg for week in weeks], float) / r
    gone = np.array([week.is_gone for week in weeks], bool)
    beyond = np.log(np.maximum(scipy.special.gammaincc(k, at[gone]), 1e-300))
    exact = at[~gone]
    density = (k - 1) * np.log(np.maximum(exact, 1e-12)) - exact - math.lgamma(k) + math.log(k / r)
    return float(beyond.sum() + density.sum())


def _unlikely(k: float) -> float:
    return (math.log(k / SHAPE_MEDIAN) / SHAPE_SPREAD) ** 2 / 2
