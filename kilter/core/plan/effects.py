"""What varieties, methods, places and seasons do to a crop here:
random effects whose spreads are not known.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Final

import numpy as np
import scipy

from kilter.core.arrays import FloatArray
from kilter.core.errors import PlanError

#: SD of a crop's level about the handbook's figure, and about its own mean where there is none
#: (rules, memory).
CROP_SD, NO_HANDBOOK_SD = 0.5, 2.0
#: log SD = log rule + LOG_SPREAD·t, t ~ N(0, 1): how far a garden may differ from the rules (rule).
LOG_SPREAD: Final = 0.5
#: The mode is sought in so many rounds, with central differences of this width.
ROUNDS, STEP = 6, 0.05
#: The curvature at the mode is not taken for less than this.
LEAST_CURVATURE: Final = 0.5
#: Eight values in ten of a normal lie within so many SDs.
EIGHT_IN_TEN: Final = 1.2816
#: So many vectors of SDs stand for what is not known of them, spread a little wider than the
#: curvature says.
POINTS, WIDER = 256, 1.1


@dataclass(frozen=True, kw_only=True)
class Spreads:
    """Standard deviations on the log scale, as rules (memory)."""

    variety: float = 0.25
    method: float = 0.15
    place: float = 0.20
    season: float = 0.25
    variety_season: float = 0.15
    unit: float = 0.20
    plant: float = 0.40

    @classmethod
    def of(cls, array: FloatArray) -> Spreads:
        """From an array in the order of the fields."""
        return cls(**{one.name: float(sd) for one, sd in zip(fields(cls), array, strict=True)})

    @property
    def array(self) -> FloatArray:
        return np.array([getattr(self, one.name) for one in fields(self)])


RULES: Final = Spreads()
_VARIETY, _METHOD, _PLACE, _SEASON, _CELL, _UNIT, _PLANT = range(7)
#: The kinds of effects that next year's plantings may share with earlier ones.
_KINDS: Final = ("variety", "method", "place", "season")


@dataclass(frozen=True, kw_only=True)
class Grown:
    """One finished planting that gave something; of one crop."""

    variety: str
    method: str
    place: str
    season: int
    plants: float
    mass_kg: float  #: food, before what a setback took is added again
    loss: float = 0.0  #: share lost to a setback, 0 to below 1


@dataclass(frozen=True)
class Planned:
    """One planting of next year."""

    variety: str
    method: str
    place: str
    plants: float
    site: str = ""


@dataclass(frozen=True)
class Effect:
    """What a variety, method, place or season made of a plant,
    beside the mean of all plantings here.
    """

    kind: str  #: ``variety``, ``method``, ``place`` or ``season``
    label: str
    times: float  #: so many times as much as the mean of its kind; 1 where it makes no difference
    low: float  #: in eight of ten, no less than this
    high: float
    plantings: int


@dataclass(frozen=True, kw_only=True)
class Believed:
    """What is believed of the planned plantings, for each vector of SDs."""

    weights: FloatArray  #: (points,), of each vector
    means: (
        FloatArray  #: (points, planned): of log kilograms a plant, before the unit's own deviation
    )
    covariances: FloatArray  #: (points, planned, planned)
    unit_variance: FloatArray  #: (points, 2): of a unit, and of a plant in it
    spreads: Spreads  #: their weighted geometric mean
    own_share: float  #: how loud the own record speaks, 0 to 1
    used: int
    effective: float  #: vectors that carry the weight
    effects: tuple[Effect, ...] = ()


class _Model:
    """The records of one crop, laid out once."""

    def __init__(self, grown: Sequence[Grown], handbook_kg: float | None) -> None:
        self.n = len(grown)
        self.plants = np.array([one.plants for one in grown], float)
        masses = np.array([one.mass_kg / (1 - one.loss) for one in grown], float)
        raw = np.log(masses / self.plants) if self.n else np.zeros(0)
        self.level = math.log(handbook_kg) if handbook_kg else float(raw.mean())
        self.crop_sd = CROP_SD if handbook_kg else NO_HANDBOOK_SD
        self.raw = raw - self.level
        self.labels = {kind: sorted({str(getattr(one, kind)) for one in grown}) for kind in _KINDS}
        columns = [np.ones((self.n, 1))]
        for kind in _KINDS:
            known = self.labels[kind]
            indicator = np.zeros((self.n, len(known)))
            for i, one in enumerate(grown):
                indicator[i, known.index(str(getattr(one, kind)))] = 1.0
            columns.append(indicator)
        self.effects = np.hstack(columns)  # (records, effects)
        self.sizes = [1, *(len(self.labels[kind]) for kind in _KINDS)]
        cells = sorted({(one.variety, one.season) for one in grown})
        self.cells = np.zeros((self.n, len(cells)))
        for i, one in enumerate(grown):
            self.cells[i, cells.index((one.variety, one.season))] = 1.0
        # products of the columns, so that what is summed over records is one product of matrices
        # for all points
        width = self.effects.shape[1]
        self.pairs = (self.effects[:, :, None] * self.effects[:, None, :]).reshape(
            self.n, width * width
        )
        self.in_cell = (self.effects[:, :, None] * self.cells[:, None, :]).reshape(
            self.n, width * len(cells)
        )

    def _laid(self, t: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
        """For each row of t: precision and right side of the effects, a shift of all,
        the likelihood but for these.
        """
        sds = RULES.array * np.exp(LOG_SPREAD * t)  # (points, 7)
        noise = sds[:, [_UNIT]] ** 2 + sds[:, [_PLANT]] ** 2 / self.plants  # (points, records)
        z, w = self.raw + noise / 2, 1 / noise
        per_cell = w @ self.cells  # (points, cells)
        shrink = sds[:, [_CELL]] ** 2 / (1 + sds[:, [_CELL]] ** 2 * per_cell)
        points, effects = len(t), self.effects.shape[1]
        in_cells = (w @ self.in_cell).reshape(
            points, effects, self.cells.shape[1]
        )  # (points, effects, cells)
        prior = self._prior(sds)  # (points, effects): variances
        precision = (w @ self.pairs).reshape(points, effects, effects)
        precision -= (in_cells * shrink[:, None, :]) @ in_cells.transpose(0, 2, 1)
        precision[:, np.arange(prior.shape[1]), np.arange(prior.shape[1])] += 1 / prior
        z_cells, one_cells = (w * z) @ self.cells, per_cell
        right = (w * z) @ self.effects - (in_cells @ (shrink * z_cells)[:, :, None])[:, :, 0]
        shift = w @ self.effects - (in_cells @ (shrink * one_cells)[:, :, None])[:, :, 0]
        squares = (w * z**2).sum(axis=1) - (shrink * z_cells**2).sum(axis=1)
        logs = np.log(noise).sum(axis=1) + np.log1p(sds[:, [_CELL]] ** 2 * per_cell).sum(axis=1)
        return precision, right, shift, squares + logs + np.log(prior).sum(axis=1)

    def solved(self, t: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """For each row of t: the effects' mean, covariance and answer to a shift of all."""
        precision, right, shift, _ = self._laid(t)
        covariance = np.linalg.inv(precision)
        mean = np.einsum("pij,pj->pi", covariance, right)
        return (
            np.asarray(mean),
            np.asarray(covariance),
            np.asarray(np.einsum("pij,pj->pi", covariance, shift)),
        )

    def likelihood(self, t: FloatArray) -> FloatArray:
        """The log likelihood of each row of t, but for a constant."""
        precision, right, _, rest = self._laid(t)
        root = np.linalg.cholesky(
            precision
        )  # a third of the work of an inverse, of which there are many
        logs = 2 * np.log(np.diagonal(root, axis1=1, axis2=2)).sum(axis=1)
        mean = np.linalg.solve(precision, right[:, :, None])[:, :, 0]
        return np.asarray(-(rest + logs - (right * mean).sum(axis=1)) / 2)

    def _prior(self, sds: FloatArray) -> FloatArray:
        crop = np.full((len(sds), 1), self.crop_sd**2)
        of_kinds = [
            np.repeat(sds[:, [k]] ** 2, size, axis=1) for k, size in enumerate(self.sizes[1:])
        ]
        return np.hstack([crop, *of_kinds])

    def height(self, t: FloatArray) -> FloatArray:
        """Log likelihood and log prior of each row of t, but for a constant."""
        return np.asarray(self.likelihood(t) - (t**2).sum(axis=1) / 2)


def believe(
    grown: Sequence[Grown], planned: Sequence[Planned], handbook_kg: float | None, *, seed: int = 1
) -> Believed:
    """Weigh the record of a crop against the handbook, for next year's plantings.

    Parameters
    ----------
    grown : sequence of Grown
        Finished plantings of one crop that gave something; kilograms of food.
    planned : sequence of Planned
        Next year's plantings.
    handbook_kg : float or None
        The handbook's kilograms a plant, taken as a median.
    seed : int
        Of the points that stand for what is not known of the SDs.

    Returns
    -------
    Believed
        Means and covariances of the log of what a plant gives, one of each for every vector of SDs.

    Raises
    ------
    PlanError
        Neither a record nor a handbook figure, nothing planned, or a figure that is not above zero.

    Notes
    -----
    z = log(mass/plants) − log handbook + D/2, D = unit² + plant²/n, crop + variety + method + place
    + season + variety×season + e, every term a random effect (BLUP; Henderson; Robinson 1991,
    *Statistical Science* 6:15–32) in effects form, variety×season eliminated first. The SDs are not
    known: the mode by damped Newton, then 256 Sobol points about it weighted by likelihood × prior
    over their own density (importance sampling; Rue, Martino & Chopin 2009; memory).

    Examples
    --------
    >>> found = believe(
    ...     [Grown(variety="a", method="", place="bed", season=2025, plants=10, mass_kg=5.0)],
    ...     [Planned("a", "", "bed", 10)],
    ...     0.4,
    ... )
    >>> 0 < found.own_share < 1, found.used
    (True, 1)
    """
    if not planned:
        raise PlanError("Plan at least one planting.")
    if not grown and not handbook_kg:
        raise PlanError("Nothing is known of what one plant gives: weigh a harvest of it first.")
    if any(one.plants <= 0 or one.mass_kg <= 0 or not 0 <= one.loss < 1 for one in grown):
        raise PlanError(
            "A planting of the record has plants and a harvest above zero, and lost less than all "
            "of it."
        )
    if any(one.plants <= 0 for one in planned):
        raise PlanError("A planned planting has at least one plant.")
    model = _Model(grown, handbook_kg)
    t, weights = _points(model, seed)
    effect, covariance, answer = model.solved(t)
    sds = RULES.array * np.exp(LOG_SPREAD * t)
    loads = _loads(model, planned)
    means = model.level + effect @ loads.T
    covariances = loads @ covariance @ loads.T + _new(model, planned, sds)
    share = np.einsum("p,pj->j", weights, answer @ loads.T)
    by_plants = np.array([one.plants for one in planned])
    return Believed(
        weights=weights,
        means=means,
        covariances=covariances,
        unit_variance=sds[:, [_UNIT, _PLANT]] ** 2,
        spreads=Spreads.of(np.exp(weights @ np.log(sds))),
        own_share=float(share @ by_plants / by_plants.sum()) if grown else 0.0,
        used=len(grown),
        effective=float(1 / (weights**2).sum()),
        effects=_told(model, weights, effect, covariance),
    )


def _told(
    model: _Model, weights: FloatArray, effect: FloatArray, covariance: FloatArray
) -> tuple[Effect, ...]:
    """Every effect of a kind that has two labels at least, beside the mean of its kind,
    over all vectors of SDs.
    """
    found, at = [], 1
    for kind in _KINDS:
        known = model.labels[kind]
        here = slice(at, at + len(known))
        at += len(known)
        if len(known) < 2:
            continue
        plantings = model.effects[:, here].sum(axis=0)
        beside = (
            np.eye(len(known)) - plantings / plantings.sum()
        )  # each less the mean of all plantings
        means = effect[:, here] @ beside.T  # (points, labels)
        within = np.einsum("ij,pjk,ik->pi", beside, covariance[:, here, here], beside)
        mean = weights @ means
        sds = np.sqrt(weights @ (within + (means - mean) ** 2))
        for label, middle, sd, count in zip(known, mean, sds, plantings, strict=True):
            times, low, high = (
                math.exp(float(middle + z * sd)) for z in (0.0, -EIGHT_IN_TEN, EIGHT_IN_TEN)
            )
            found.append(Effect(kind, label, times, low, high, int(count)))
    return tuple(found)


def _points(model: _Model, seed: int) -> tuple[FloatArray, FloatArray]:
    """Vectors of SDs, as t, and their weights."""
    normal = _normals(7, POINTS, seed)
    if not model.n:
        return normal, np.full(POINTS, 1 / POINTS)
    mode, curvature, axes = _mode(model)
    t = mode + (normal * (WIDER / np.sqrt(curvature))) @ axes.T
    log_weights = model.height(t) + (normal**2).sum(axis=1) / 2
    weights = np.exp(log_weights - log_weights.max())
    return t, weights / weights.sum()


def sobol(dimensions: int, points: int, seed: int) -> FloatArray:
    """Spread points evenly over a unit cube.

    Parameters
    ----------
    dimensions : int
        Of the cube.
    points : int
        A power of two.
    seed : int
        Of the scrambling.

    Returns
    -------
    array
        (points, dimensions), each above 0 and below 1.

    Notes
    -----
    Scrambled Sobol sequence of `scipy.stats.qmc` (Joe & Kuo 2008; memory).

    Examples
    --------
    >>> sobol(3, 8, 1).shape
    (8, 3)
    """
    from scipy.stats import qmc  # imported where it is used: it is slow to load

    found = qmc.Sobol(dimensions, scramble=True, rng=np.random.default_rng(seed)).random(points)
    return np.asarray(np.clip(found, 1e-12, 1 - 1e-12))


def _normals(dimensions: int, points: int, seed: int) -> FloatArray:
    return np.asarray(scipy.special.ndtri(sobol(dimensions, points, seed)))


def _mode(model: _Model) -> tuple[FloatArray, FloatArray, FloatArray]:
    """The likeliest t with the curvature there: eigenvalues of −H and their axes."""
    t = np.zeros(7)
    curvature, axes = np.ones(7), np.eye(7)
    for _ in range(ROUNDS):
        gradient, hessian = _differences(model, t)
        found, axes = np.linalg.eigh(-hessian)
        curvature = np.maximum(found, LEAST_CURVATURE)
        change = axes @ ((axes.T @ gradient) / curvature)
        tried = t + np.array([1.0, 0.5, 0.25, 0.1, 0.0])[:, None] * change
        best = tried[int(np.argmax(model.height(tried)))]
        moved, t = float(np.abs(best - t).max()), best
        if moved < 1e-3:
            break
    return t, curvature, axes


def _differences(model: _Model, t: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Gradient and Hessian by central differences, all points in one batch."""
    steps = np.eye(7) * STEP
    pairs = [(i, j) for i in range(7) for j in range(i)]
    around = [t, *(t + s for s in steps), *(t - s for s in steps)]
    for i, j in pairs:
        around += [t + a * steps[i] + b * steps[j] for a, b in ((1, 1), (1, -1), (-1, 1), (-1, -1))]
    f = model.height(np.array(around))
    up, down = f[1:8], f[8:15]
    hessian = np.diag((up - 2 * f[0] + down) / STEP**2)
    for n, (i, j) in enumerate(pairs):
        a, b, c, d = f[15 + 4 * n : 19 + 4 * n]
        hessian[i, j] = hessian[j, i] = (a - b - c + d) / (4 * STEP**2)
    return (up - down) / (2 * STEP), hessian


def _loads(model: _Model, planned: Sequence[Planned]) -> FloatArray:
    """Which known effects each planned planting has: (planned, effects).

    Next year's season is a new one.
    """
    loads = np.zeros((len(planned), model.effects.shape[1]))
    loads[:, 0] = 1.0
    start = 1
    for kind in _KINDS[:3]:
        known = model.labels[kind]
        for j, one in enumerate(planned):
            if getattr(one, kind) in known:
                loads[j, start + known.index(getattr(one, kind))] = 1.0
        start += len(known)
    return loads


def _new(model: _Model, planned: Sequence[Planned], sds: FloatArray) -> FloatArray:
    """Covariance of what is new next year: the season, a variety's answer to it,
    and labels never grown.
    """
    k = len(planned)
    found = np.broadcast_to(sds[:, [_SEASON]][:, :, None] ** 2, (len(sds), k, k)).copy()
    alike = {
        kind: np.array([[getattr(a, kind) == getattr(b, kind) for b in planned] for a in planned])
        for kind in _KINDS[:3]
    }
    found += sds[:, [_CELL]][:, :, None] ** 2 * alike["variety"]
    for n, kind in enumerate(_KINDS[:3]):
        is_new = np.array([getattr(one, kind) not in model.labels[kind] for one in planned])
        found += sds[:, [n]][:, :, None] ** 2 * (alike[kind] & is_new[:, None] & is_new[None, :])
    return found
