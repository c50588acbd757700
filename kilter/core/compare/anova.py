"""The difference scale: least squares and the textbook analysis of variance, for those who want it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import numpy.typing as npt
import scipy

from kilter.core.compare.answer import tukey_p, tukey_q
from kilter.core.errors import ComparisonError

FloatArray = npt.NDArray[np.float64]


@dataclass(frozen=True)
class AnovaRow:
    """One term of the table."""

    term: str
    df: int
    sum_sq: float
    mean_sq: float
    f: float | None  #: None of the residual
    p: float | None


@dataclass(frozen=True)
class Difference:
    """Two levels on the scale of the figures themselves; a is the higher."""

    a: str
    b: str
    gap: float
    low: float  #: 95 % interval, for all pairs at once
    high: float
    p: float  #: adjusted for all pairs


@dataclass(frozen=True)
class Anova:
    """The whole table."""

    rows: tuple[AnovaRow, ...]
    residual: AnovaRow
    dropped: tuple[str, ...]  #: terms that the ones before them explain wholly
    differences: tuple[Difference, ...]  #: of the last thing compared alone


def anova(rates: Sequence[float], labels: Mapping[str, Sequence[str]], terms: Sequence[tuple[str, ...]]) -> Anova:
    """Analyse figures by the textbook: sums of squares in the order of the terms.

    Parameters
    ----------
    rates : sequence of float, length n
        Yield per exposure of each unit.
    labels : mapping of str to sequence of str
        For each attribute its label of each unit.
    terms : sequence of tuple of str
        Blocks first, then what is compared, then products, as ``("variety", "light")``.

    Returns
    -------
    Anova
        A row for each term in order (sequential sums of squares), the residual, and the differences between levels of
        the first term of a single attribute that is last.

    Raises
    ------
    ComparisonError
        Nothing left over to judge by.

    Notes
    -----
    Sequential ("type I") sums of squares by projection; Tukey–Kramer for the differences (Fisher 1925; Venables &
    Ripley, *Modern Applied Statistics with S*, ch. 6; memory). A term that the earlier ones explain wholly drops out,
    and is said.

    Examples
    --------
    >>> found = anova([1.0, 2.0, 3.0, 4.0], {"kind": ["a", "a", "b", "b"]}, [("kind",)])
    >>> found.rows[0].f, found.residual.df
    (8.0, 2)
    """
    y = np.asarray(rates, dtype=np.float64)
    columns = np.ones((len(y), 1))
    left, rank = _left_over(columns, y), 1
    spans: list[tuple[str, int, float]] = []
    dropped: list[str] = []
    for term in terms:
        wider = np.hstack([columns, _product(labels, term)])
        wider_rank = int(np.linalg.matrix_rank(wider))
        if wider_rank == rank:
            dropped.append(":".join(term))
            continue
        now = _left_over(wider, y)
        spans.append((":".join(term), wider_rank - rank, left - now))
        columns, rank, left = wider, wider_rank, now
    freedom = len(y) - rank
    if freedom < 1:
        raise ComparisonError("There is one unit for each combination, so nothing is left over to judge chance by.")
    mean_sq = left / freedom
    rows = tuple(_row(term, df, max(ss, 0.0), mean_sq, freedom) for term, df, ss in spans)
    residual = AnovaRow("left over", freedom, left, mean_sq, None, None)
    single = [term for term in terms if len(term) == 1 and term[0] not in dropped]
    found = _differences(y, labels, single, mean_sq, freedom) if single else ()
    return Anova(rows, residual, tuple(dropped), found)


def _row(term: str, df: int, sum_sq: float, mean_sq: float, freedom: int) -> AnovaRow:
    f = sum_sq / df / mean_sq if mean_sq > 0 else math.inf
    return AnovaRow(
        term, df, sum_sq, sum_sq / df, f, float(scipy.special.fdtrc(df, freedom, f)) if math.isfinite(f) else 0.0
    )


def _dummies(labels: Sequence[str]) -> FloatArray:
    levels = sorted(set(labels))
    return np.array([[float(label == level) for level in levels[1:]] for label in labels]).reshape(len(labels), -1)


def _product(labels: Mapping[str, Sequence[str]], term: tuple[str, ...]) -> FloatArray:
    product = np.ones((len(labels[term[0]]), 1))
    for name in term:
        product = (product[:, :, None] * _dummies(labels[name])[:, None, :]).reshape(len(product), -1)
    return product


def _left_over(columns: FloatArray, y: FloatArray) -> float:
    coef = np.linalg.lstsq(columns, y, rcond=None)[0]
    return float(np.sum((y - columns @ coef) ** 2))


def _differences(
    y: FloatArray, labels: Mapping[str, Sequence[str]], single: Sequence[tuple[str, ...]], mean_sq: float, freedom: int
) -> tuple[Difference, ...]:
    """Levels of the last single attribute against each other, the others held alike."""
    of = labels[single[-1][0]]
    levels = sorted(set(of))
    means = np.array([[float(label == level) for level in levels] for label in of])
    others = [_dummies(labels[term[0]]) for term in single[:-1]]
    columns = np.hstack([means, *others])
    coef = np.linalg.lstsq(columns, y, rcond=None)[0]
    spread = np.linalg.pinv(columns.T @ columns) * mean_sq
    q = tukey_q(len(levels), freedom) / math.sqrt(2)
    found = []
    for i, j in combinations(range(len(levels)), 2):
        i, j = (i, j) if coef[i] >= coef[j] else (j, i)
        gap, sd = float(coef[i] - coef[j]), math.sqrt(spread[i, i] + spread[j, j] - 2 * spread[i, j])
        p = tukey_p(gap / sd, len(levels), freedom) if sd else 0.0
        found.append(Difference(levels[i], levels[j], gap, gap - q * sd, gap + q * sd, p))
    return tuple(sorted(found, key=lambda one: -one.gap))
