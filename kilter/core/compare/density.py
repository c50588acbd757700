"""Crowding: what each plant gives less and the bed gives more, and from where more plants stop paying."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.compare.answer import t_quantile
from kilter.core.compare.fitted import Prior, relative_variance
from kilter.core.compare.loglink import FloatArray
from kilter.core.errors import ComparisonError

#: More plants stop paying where one more adds less than this share of what a plant with all the room gives (rule).
PAYING_SHARE: Final = 0.1
MAX_STEPS: Final = 60


@dataclass(frozen=True)
class Stand:
    """One planting at its density."""

    ref: str
    per_m2: float  #: plants per square metre
    per_plant: float  #: kg or pieces per plant
    plants: float | None = None

    @property
    def per_ground_m2(self) -> float:
        """kg or pieces per square metre."""
        return self.per_plant * self.per_m2


@dataclass(frozen=True)
class Crowding:
    """The curve 1/w = α + β·d, and what it says."""

    alpha: float  #: 1/α is what a plant with all the room gives
    beta: float  #: 1/β is the most that a square metre can give
    beta_low: float  #: 95 % interval of β
    beta_high: float
    pays_to: float | None  #: plants per m²; None where no crowding is sure
    pays_low: float | None
    pays_high: float | None
    tried: tuple[float, float]  #: least and most plants per m² on record
    n: int
    df: float

    def per_plant(self, density: float) -> float:
        """The yield of one plant at a density."""
        return 1 / max(self.alpha + self.beta * density, 1e-9)

    def per_m2(self, density: float) -> float:
        """The yield of a square metre at a density."""
        return density * self.per_plant(density)


def crowding(stands: Sequence[Stand], prior: Prior | None = None) -> Crowding:
    """Fit how the yield of a plant falls as more stand on a square metre.

    Parameters
    ----------
    stands : sequence of Stand
        Three or more, of two densities or more.
    prior : Prior, optional
        Belief on the spread between like units; the rule if not given.

    Returns
    -------
    Crowding
        The curve with its doubt, and the density from which one more plant on the square metre adds less than a tenth
        of what a plant with all the room gives.

    Raises
    ------
    ComparisonError
        Too few, or all equally dense; or nothing came from any.

    Notes
    -----
    The reciprocal law 1/w = α + β·d (Shinozaki & Kira 1956; Willey & Heath 1969, *Advances in Agronomy* 21:281;
    memory), by quasi-likelihood with a constant coefficient of variation: Fisher scoring, as a Gamma model with an
    inverse link and weights 1/c. φ is moderated as in comparisons. One more plant adds α/(α + βd)², which is a share
    s of 1/α at d = (α/β)(1/√s − 1); its interval by the delta method on the log.

    Examples
    --------
    >>> beds = [Stand(str(d), d, 1 / (0.5 + 0.1 * d)) for d in (2.0, 5.0, 10.0, 20.0)]
    >>> found = crowding(beds)
    >>> round(found.alpha, 6), round(found.beta, 6), round(found.pays_to, 2)
    (0.5, 0.1, 10.81)
    """
    prior = prior or Prior()
    if len(stands) < 3 or len({round(s.per_m2, 6) for s in stands}) < 2:
        raise ComparisonError("Crowding shows from three plantings on, of which two differ in plants per square metre.")
    d, y = np.array([s.per_m2 for s in stands]), np.array([s.per_plant for s in stands])
    if not np.any(y > 0):
        raise ComparisonError("Nothing came from any of these, so there is nothing to draw yet.")
    c = np.array([relative_variance(s.plants) for s in stands])
    x = np.column_stack([np.ones_like(d), d])
    coef, mu = _fit(y, x, c)
    bread = np.linalg.inv(x.T @ ((mu**2 / c)[:, None] * x))
    df = prior.weight + len(stands) - 2
    phi = (prior.weight * prior.kappa + float(np.sum(((y - mu) / mu) ** 2 / c))) / df
    cov = phi * bread
    half = t_quantile(df)
    alpha, beta = float(coef[0]), float(coef[1])
    reach = half * math.sqrt(cov[1, 1])
    pays: tuple[float | None, float | None, float | None] = (None, None, None)
    if beta - reach > 0 and alpha > 0:
        at = alpha / beta * (1 / math.sqrt(PAYING_SHARE) - 1)
        gradient = np.array([1 / alpha, -1 / beta])
        sd = math.sqrt(float(gradient @ cov @ gradient))
        pays = at, at * math.exp(-half * sd), at * math.exp(half * sd)
    tried = float(d.min()), float(d.max())
    return Crowding(alpha, beta, beta - reach, beta + reach, *pays, tried, len(stands), float(df))


def _fit(y: FloatArray, x: FloatArray, c: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Fisher scoring for μ = 1/(x·b), V ∝ cμ²; steps are halved where a mean would leave the positive side."""
    coef = np.array([1 / np.average(y), 0.0])
    for _ in range(MAX_STEPS):
        mu = 1 / (x @ coef)
        step = np.linalg.solve(x.T @ ((mu**2 / c)[:, None] * x), -(x.T @ ((y - mu) / c)))
        while np.any(x @ (coef + step) <= 1e-6 * np.max(x @ coef)):
            step = step / 2
        coef = coef + step
        if float(np.max(np.abs(step) / (np.abs(coef) + 1e-12))) < 1e-10:
            break
    return coef, 1 / (x @ coef)
