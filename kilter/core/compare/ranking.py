"""Ranking by several criteria at once, with how firm each place is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
import numpy.typing as npt

from kilter.core.errors import ComparisonError

FloatArray = npt.NDArray[np.float64]

DRAWS: Final = 4000
SEED: Final = 20260311
#: How firmly weights are meant: as if the gardener had shared out so many beans over the criteria
#: (rule).
BEANS: Final = 20.0
#: One tongue against another, and against itself on another day, on the scale of 1 to 5 (rule).
JUDGE_SD: Final = 0.8
LOWEST, HIGHEST = 1.0, 5.0
#: Half the width of a 95 % interval in standard deviations.
INTERVAL_Z: Final = 1.96


@dataclass(frozen=True)
class Candidate:
    """One that is ranked, with what is known of it."""

    name: str
    scores: Mapping[str, Sequence[float]] = field(
        default_factory=dict
    )  #: by criterion, from 1 to 5
    measured: Mapping[str, tuple[float, float]] = field(
        default_factory=dict
    )  #: by criterion, value and its SD


@dataclass(frozen=True, kw_only=True)
class Placed:
    """One candidate in its place."""

    name: str
    place: int
    total: float  #: 0 to 1
    holds: float  #: share of the draws in which it keeps its place
    is_first: float  #: share of the draws in which it comes first
    parts: tuple[
        tuple[str, float, float], ...
    ]  #: criterion, its value from 0 to 1, its share of the weight
    missing: tuple[str, ...]  #: criteria on which nobody judged it


def rank(
    candidates: Sequence[Candidate], weights: Mapping[str, float], seed: int = SEED
) -> tuple[Placed, ...]:
    """Rank candidates by weighted criteria.

    Parameters
    ----------
    candidates : sequence of Candidate
        Two or more.
    weights : mapping of str to float
        By criterion, zero or more, not all zero.
    seed : int
        Of the draws.

    Returns
    -------
    tuple of Placed
        Best first; who lacks a criterion is ranked on the others, and that is said.

    Raises
    ------
    ComparisonError
        Fewer than two candidates, or no weight that counts.

    Notes
    -----
    Scores as (mean − 1)/4; a measured value as its place between the lowest and the highest, or,
    where those lie closer than a usual 95 % interval is wide, as its place on one of that width
    about their middle: so a gap that is nothing beside its doubt is nothing in points. How firm:
    4,000 draws of the weights (Dirichlet with 20 times their shares, rule), of each mean score (SD
    0.8/√judges, rule) and of each measured value (normal), all seeded (stochastic multicriteria
    acceptability: Lahdelma, Hokkanen & Salminen 1998, *Eur. J. Oper. Res.* 106:137; memory).

    Examples
    --------
    >>> placed = rank(
    ...     [Candidate("x", {"flavour": [5, 5]}), Candidate("y", {"flavour": [2, 1]})],
    ...     {"flavour": 1},
    ... )
    >>> [(one.name, one.total) for one in placed], placed[0].holds > 0.95
    ([('x', 1.0), ('y', 0.125)], True)
    """
    names = [name for name, weight in weights.items() if weight > 0]
    if len(candidates) < 2 or not names:
        raise ComparisonError("A ranking takes two or more, and one criterion that counts.")
    rng = np.random.default_rng(seed)
    share = np.array([weights[name] for name in names])
    share = share / share.sum()
    drawn_weights = rng.dirichlet(share * BEANS, DRAWS)  # (draws, criteria)
    points = np.full((len(candidates), len(names)), np.nan)
    drawn = np.full((DRAWS, len(candidates), len(names)), np.nan)
    for j, name in enumerate(names):
        points[:, j], drawn[:, :, j] = _criterion(candidates, name, rng)
    totals = _weighed(points[None], share[None])[0]
    drawn_totals = _weighed(drawn, drawn_weights)
    order = sorted(range(len(candidates)), key=lambda i: (-totals[i], candidates[i].name))
    places = (-drawn_totals).argsort(axis=1).argsort(axis=1)
    return tuple(
        Placed(
            name=candidates[i].name,
            place=at + 1,
            total=float(totals[i]),
            holds=float(np.mean(places[:, i] == at)),
            is_first=float(np.mean(places[:, i] == 0)),
            parts=tuple(
                (n, float(points[i, j]), float(share[j]))
                for j, n in enumerate(names)
                if not np.isnan(points[i, j])
            ),
            missing=tuple(n for j, n in enumerate(names) if np.isnan(points[i, j])),
        )
        for at, i in enumerate(order)
    )


def _criterion(
    candidates: Sequence[Candidate], name: str, rng: np.random.Generator
) -> tuple[FloatArray, FloatArray]:
    """Points (candidates,) and draws (draws, candidates) of one criterion,
    NaN where it was not judged.
    """
    points, drawn = np.full(len(candidates), np.nan), np.full((DRAWS, len(candidates)), np.nan)
    known = [candidate.measured[name][0] for candidate in candidates if name in candidate.measured]
    low, wide = _scale(candidates, name, known) if known else (0.0, 0.0)
    for i, one in enumerate(candidates):
        noise = rng.standard_normal(
            DRAWS
        )  # drawn for all, so that one more candidate changes no other's
        if name in one.measured:
            value, sd = one.measured[name]
            points[i] = (value - low) / wide if wide else 0.5
            drawn[:, i] = (value + sd * noise - low) / wide if wide else 0.5 + sd * noise
        elif one.scores.get(name):
            mean = float(np.mean(one.scores[name]))
            points[i] = (mean - LOWEST) / (HIGHEST - LOWEST)
            drawn[:, i] = (
                points[i] + JUDGE_SD / np.sqrt(len(one.scores[name])) / (HIGHEST - LOWEST) * noise
            )
    return points, drawn


def _scale(
    candidates: Sequence[Candidate], name: str, known: Sequence[float]
) -> tuple[float, float]:
    """What counts as no points of a measured criterion, and how much more as all of them."""
    doubt = (
        2
        * INTERVAL_Z
        * float(
            np.mean(
                [
                    candidate.measured[name][1]
                    for candidate in candidates
                    if name in candidate.measured
                ]
            )
        )
    )
    wide = max(max(known) - min(known), doubt)
    return (max(known) + min(known) - wide) / 2, wide


def _weighed(points: FloatArray, weights: FloatArray) -> FloatArray:
    """Weighted means over the criteria that are known; (draws, candidates)."""
    known = ~np.isnan(points)
    share = weights[:, None, :] * known
    whole = share.sum(axis=2)
    weighed = np.sum(np.nan_to_num(points) * share, axis=2)
    return np.asarray(np.divide(weighed, whole, out=np.full(whole.shape, -np.inf), where=whole > 0))
