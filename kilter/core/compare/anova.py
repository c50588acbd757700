"""The analysis of variance table of the textbooks, by least squares, for those who want it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import numpy as np
import numpy.typing as npt
import scipy

from kilter.core.compare.judge import tukey_p, tukey_q
from kilter.core.errors import ComparisonError

FloatArray = npt.NDArray[np.float64]
#: What is left of columns of ones and zeros when the others are taken out, below which it is
#: nothing.
RANK_TOLERANCE: Final = 1e-9


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

    def p_of(self, term: str) -> float | None:
        """The p of one term; None where it dropped out."""
        return next((row.p for row in self.rows if row.term == term), None)


def anova(
    rates: Sequence[float],
    labels: Mapping[str, Sequence[str]],
    terms: Sequence[tuple[str, ...]],
    *,
    with_differences: bool = True,
) -> Anova:
    """Analyse figures by the textbook: sums of squares in the order of the terms.

    Parameters
    ----------
    rates : sequence of float, length n
        Yield per exposure of each unit.
    labels : mapping of str to sequence of str
        For each attribute its label of each unit.
    terms : sequence of tuple of str
        Blocks first, then what is compared, then products, as ``("variety", "light")``.
    with_differences : bool
        Whether the levels are held against each other too, which takes the slow integrals of the
        studentized range.

    Returns
    -------
    Anova
        A row for each term in order (sequential sums of squares), the residual, and the differences
        between levels of the first term of a single attribute that is last.

    Raises
    ------
    ComparisonError
        Nothing left over to judge by.

    Notes
    -----
    Sequential ("type I") sums of squares by projection; Tukey–Kramer for the differences (Fisher
    1925; Venables & Ripley, *Modern Applied Statistics with S*, ch. 6; memory). A term that the
    earlier ones explain wholly drops out, and is said.

    Examples
    --------
    >>> found = anova([1.0, 2.0, 3.0, 4.0], {"kind": ["a", "a", "b", "b"]}, [("kind",)])
    >>> round(found.rows[0].f, 9), found.residual.df
    (8.0, 2)
    """
    y = np.asarray(rates, dtype=np.float64)
    of_cells, count, within, index = _cells(y, labels)
    root = np.sqrt(count)  # what is alike in all labels is one row, as heavy as it has units
    basis = (root / np.sqrt(count.sum()))[:, None]
    rest = root * _means(y, index, count)
    rest = rest - basis[:, 0] * (basis[:, 0] @ rest)
    spans: list[tuple[str, int, float]] = []
    dropped: list[str] = []
    for term in terms:
        new = _beyond(basis, root[:, None] * _product(of_cells, term))
        if not new.shape[1]:
            dropped.append(":".join(term))
            continue
        explained = new.T @ rest
        spans.append((":".join(term), new.shape[1], float(explained @ explained)))
        basis, rest = np.hstack([basis, new]), rest - new @ explained
    rank, left = basis.shape[1], float(rest @ rest) + within
    freedom = len(y) - rank
    if freedom < 1:
        raise ComparisonError(
            "There is one unit for each combination, so nothing is left over to judge chance by."
        )
    mean_sq = left / freedom
    rows = tuple(_row(term, df, max(ss, 0.0), mean_sq, freedom) for term, df, ss in spans)
    residual = AnovaRow("left over", freedom, left, mean_sq, None, None)
    single = [term for term in terms if len(term) == 1 and term[0] not in dropped]
    found = _differences(y, labels, single, mean_sq, freedom) if single and with_differences else ()
    return Anova(rows, residual, tuple(dropped), found)


def _row(term: str, df: int, sum_sq: float, mean_sq: float, freedom: int) -> AnovaRow:
    f = sum_sq / df / mean_sq if mean_sq > 0 else math.inf
    return AnovaRow(
        term,
        df,
        sum_sq,
        sum_sq / df,
        f,
        float(scipy.special.fdtrc(df, freedom, f)) if math.isfinite(f) else 0.0,
    )


def _dummies(labels: Sequence[str]) -> FloatArray:
    levels = sorted(set(labels))
    return np.array([[float(label == level) for level in levels[1:]] for label in labels]).reshape(
        len(labels), -1
    )


def _product(labels: Mapping[str, Sequence[str]], term: tuple[str, ...]) -> FloatArray:
    product = np.ones((len(labels[term[0]]), 1))
    for name in term:
        product = (product[:, :, None] * _dummies(labels[name])[:, None, :]).reshape(
            len(product), -1
        )
    return product


def _cells(
    y: FloatArray, labels: Mapping[str, Sequence[str]]
) -> tuple[dict[str, list[str]], FloatArray, float, npt.NDArray[np.intp]]:
    """The combinations of labels that occur, the units in each, the squares within them,
    and the cell of each unit.
    """
    keys: dict[tuple[str, ...], int] = {}
    index = np.array(
        [keys.setdefault(row, len(keys)) for row in zip(*labels.values(), strict=True)]
    )
    count = np.bincount(index).astype(np.float64)
    within = float(np.sum((y - _means(y, index, count)[index]) ** 2))
    of_cells = dict(zip(labels, (list(column) for column in zip(*keys, strict=True)), strict=True))
    return of_cells, count, within, index


def _means(y: FloatArray, index: npt.NDArray[np.intp], count: FloatArray) -> FloatArray:
    return np.asarray(np.bincount(index, y) / count)


def _beyond(basis: FloatArray, columns: FloatArray) -> FloatArray:
    """An orthonormal basis of what columns add to another."""
    rest = columns - basis @ (basis.T @ columns)
    rest = rest - basis @ (basis.T @ rest)  # twice, for accuracy
    left, size, _ = np.linalg.svd(rest, full_matrices=False)
    return np.asarray(left[:, size > RANK_TOLERANCE * max(1.0, float(np.linalg.norm(columns)))])


def _differences(
    y: FloatArray,
    labels: Mapping[str, Sequence[str]],
    single: Sequence[tuple[str, ...]],
    mean_sq: float,
    freedom: int,
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
        gap, sd = (
            float(coef[i] - coef[j]),
            math.sqrt(spread[i, i] + spread[j, j] - 2 * spread[i, j]),
        )
        p = tukey_p(gap / sd, len(levels), freedom) if sd else 0.0
        found.append(Difference(levels[i], levels[j], gap, gap - q * sd, gap + q * sd, p))
    return tuple(sorted(found, key=lambda one: -one.gap))
