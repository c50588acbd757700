"""Crowding: what each plant gives less and the bed gives more,
and from where more plants stop paying.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.compare.judge import t_quantile
from kilter.core.compare.kinds import relative_variance
from kilter.core.compare.moderation import Prior, collapse, posterior
from kilter.core.errors import AliasedError, ComparisonError

#: More plants stop paying where one more adds less than this share of what a plant with all the
#: room gives (rule).
PAYING_SHARE: Final = 0.1
MAX_STEPS: Final = 60


@dataclass(frozen=True)
class Stand:
    """One planting at its density."""

    ref: str
    per_m2: float  #: plants per square metre
    per_plant: float  #: kg or pieces per plant
    plants: float | None = None
    block: str = ""  #: its season, where like is held against like within it

    @property
    def per_ground_m2(self) -> float:
        """kg or pieces per square metre."""
        return self.per_plant * self.per_m2


@dataclass(frozen=True, kw_only=True)
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
    phi: float
    df: float
    blocks: tuple[
        tuple[str, float], ...
    ] = ()  #: of each block, how many times the average one it gave

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
        Belief on the spread between like units, learnt from others than these; the rule if not
        given.

    Returns
    -------
    Crowding
        The curve with its doubt, and the density from which one more plant on the square metre adds
        less than a tenth of what a plant with all the room gives.

    Raises
    ------
    ComparisonError
        Too few, or all equally dense; or nothing came from any.
    AliasedError
        The densities all stood in blocks of their own.

    Notes
    -----
    The reciprocal law 1/w = α + β·d (Shinozaki & Kira 1956; Willey & Heath 1969, *Advances in
    Agronomy* 21:281; memory), times a factor for each block, whose logs average to nothing; by
    quasi-likelihood with a constant coefficient of variation: Fisher scoring, as a Gamma model with
    weights 1/c. φ is moderated as in comparisons. One more plant adds α/(α + βd)², which is a share
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
        raise ComparisonError(
            "This needs three plantings at two spacings, with their plants per square metre."
        )
    stands, names = _giving(stands)
    d, y = np.array([s.per_m2 for s in stands]), np.array([s.per_plant for s in stands])
    c = np.array([relative_variance(s.plants) for s in stands])
    blocks = np.array([[float(s.block == name) for name in names[1:]] for s in stands]).reshape(
        len(stands), -1
    )
    blocks = blocks - blocks.mean(axis=0)  # so that α and β are of the average block
    if np.linalg.matrix_rank(np.column_stack([np.ones_like(d), blocks, d])) < blocks.shape[1] + 2:
        raise AliasedError(
            "No two densities stood in the same season, so that what is the density's cannot be "
            "told from what is the season's. Ask without like-with-like within the season; the "
            "answer is then not a fair one.",
            block_names=("season",),
        )
    coef, mu = _fit(y, d, blocks, c)
    nu = len(stands) - len(coef)
    gradient = _gradient(d, blocks, coef)
    bread = np.linalg.inv((gradient.T / c) @ gradient)
    if prior.weight + nu <= 0:
        raise ComparisonError(
            "So few plantings leave nothing to judge the spread by; give the prior a weight."
        )
    after = posterior(prior.components, np.array([np.sum(((y - mu) / mu) ** 2 / c)]), nu)
    phi, df = (float(one[0]) for one in collapse(after.weights, after.phi, after.df[None]))
    cov = phi * bread
    half = t_quantile(round(df, 6))
    alpha, beta = float(coef[0]), float(coef[1])
    reach = half * math.sqrt(cov[1, 1])
    effects = np.concatenate([[0.0], coef[2:]])
    effects = effects - effects @ np.array(
        [sum(s.block == name for s in stands) for name in names]
    ) / len(stands)
    pays_to, pays_low, pays_high = _pays(alpha, beta, cov, half)
    return Crowding(
        alpha=alpha,
        beta=beta,
        beta_low=beta - reach,
        beta_high=beta + reach,
        pays_to=pays_to,
        pays_low=pays_low,
        pays_high=pays_high,
        tried=(float(d.min()), float(d.max())),
        n=len(stands),
        phi=phi,
        df=df,
        blocks=tuple(zip(names, map(float, np.exp(effects)), strict=True))
        if len(names) > 1
        else (),
    )


def _giving(stands: Sequence[Stand]) -> tuple[list[Stand], list[str]]:
    """The stands in blocks that gave anything, and those blocks."""
    giving = sorted({s.block for s in stands if s.per_plant > 0})
    if not giving:
        raise ComparisonError("Nothing came from any of these, so there is nothing to draw yet.")
    return [s for s in stands if s.block in giving], giving


def _pays(
    alpha: float, beta: float, cov: FloatArray, half: float
) -> tuple[float | None, float | None, float | None]:
    """The density from which more plants stop paying with its interval;
    None where no crowding is sure.
    """
    if beta - half * math.sqrt(cov[1, 1]) <= 0 or alpha <= 0:
        return None, None, None
    at = alpha / beta * (1 / math.sqrt(PAYING_SHARE) - 1)
    gradient = np.array([1 / alpha, -1 / beta])
    sd = math.sqrt(float(gradient @ cov[:2, :2] @ gradient))
    return at, at * math.exp(-half * sd), at * math.exp(half * sd)


def _gradient(d: FloatArray, blocks: FloatArray, coef: FloatArray) -> FloatArray:
    """(n, p) of log μ in the coefficients."""
    whole = coef[0] + coef[1] * d
    return np.column_stack([-1 / whole, -d / whole, blocks])


def _fit(
    y: FloatArray, d: FloatArray, blocks: FloatArray, c: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Fisher scoring for μ = exp(block)/(α + βd), V ∝ cμ²;
    a step is halved where a mean would not stay positive.
    """
    coef = np.concatenate([[1 / np.average(y), 0.0], np.zeros(blocks.shape[1])])
    x = np.column_stack([np.ones_like(d), d])

    def mean(at: FloatArray) -> FloatArray:
        return np.asarray(np.exp(blocks @ at[2:]) / (x @ at[:2]))

    for _ in range(MAX_STEPS):
        gradient = _gradient(d, blocks, coef)
        step = np.linalg.solve((gradient.T / c) @ gradient, gradient.T @ ((y / mean(coef) - 1) / c))
        while (
            np.any(x @ (coef + step)[:2] <= 1e-6 * np.max(x @ coef[:2]))
            or np.max(np.abs(step[2:]), initial=0.0) > 2
        ):
            step = step / 2
        coef = coef + step
        if float(np.max(np.abs(step) / (np.abs(coef) + 1e-12))) < 1e-10:
            break
    return coef, mean(coef)
