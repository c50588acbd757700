"""The fit as a mixed integer programme: quantiles as tangents, solved by HiGHS through scipy."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.penalties import occupied
from kilter.core.fit.problem import PLANTING, SHADED, Laid, quantile

#: A tangent is the mean of the draws so near the quantile (rule).
NEAR: Final = 0.03
#: Of each crop, so many tangents that press hardest are kept (rule).
MOST_TANGENTS: Final = 10
#: A small programme stops at this gap, or after so many nodes (rules).
GAP, NODES = 1e-3, 30
#: In beds plants are whole in the programme too where they are few, so that rounding would tell
#: (rule).
FEW_PLANTS, FEW_OPTIONS = 20, 40


@dataclass(frozen=True, eq=False)
class Tangents:
    """For each crop, what a plant of each option gives in the years that decide;
    grows as fits are tried.
    """

    laid: Laid
    of_crop: tuple[list[FloatArray], ...] = field(default_factory=tuple)

    @staticmethod
    def at_first(laid: Laid) -> Tangents:
        """Of an even mix of all options, and of each variety."""
        found = Tangents(laid, tuple([] for _ in laid.of_crop))
        for mine in laid.of_crop:
            if mine.size:
                varieties = np.array([laid.problem.options[o].variety for o in mine])
                mixes = (
                    [mine]
                    if len(set(varieties)) == 1
                    else [mine, *(mine[varieties == v] for v in set(varieties))]
                )
                for some in sorted(mixes, key=lambda one: tuple(one)):
                    plants = np.zeros(len(laid.crop))
                    plants[some] = 1.0
                    found.add(plants)
        return found

    def add(self, plants: FloatArray) -> None:
        """A tangent of every crop, where a fit stands."""
        laid = self.laid
        for c, mine in enumerate(laid.of_crop):
            some = mine[plants[mine] > 0]
            if not some.size:
                continue
            totals = plants[some] @ laid.problem.draws[some]
            sure = quantile(totals, laid.risks[c])
            if sure <= 0:
                continue
            at = int(laid.risks[c] * (len(totals) - 1))
            near = max(int(NEAR * len(totals)), 1)
            window = np.argsort(totals, kind="stable")[max(at - near, 0) : at + near + 1]
            slope = laid.problem.draws[np.ix_(mine, window)].mean(axis=1)
            reach = float(slope @ plants[mine])
            if reach > 0:
                whole = np.zeros(len(laid.crop))
                whole[mine] = slope * (sure / reach)
                self.of_crop[c].append(whole)

    def keep_tight(self, plants: FloatArray) -> None:
        """Forget those that press least where a fit stands."""
        for of in self.of_crop:
            if len(of) > MOST_TANGENTS:
                of.sort(key=lambda slope: float(slope @ plants))
                del of[MOST_TANGENTS:]


@dataclass(frozen=True, eq=False)
class Solved:
    """What a programme found."""

    plants: FloatArray  #: (options,): not rounded in beds
    value: (
        float  #: of the programme, an upper bound where no plantings fail and all options were free
    )


@dataclass(frozen=True, eq=False)
class _Rows:
    """Rows of a sparse matrix as they are written."""

    columns: list[FloatArray] = field(default_factory=list)
    values: list[FloatArray] = field(default_factory=list)
    low: list[float] = field(default_factory=list)
    high: list[float] = field(default_factory=list)

    def add(
        self,
        columns: Sequence[int] | np.ndarray,
        values: Sequence[float] | FloatArray,
        low: float,
        high: float,
    ) -> None:
        self.columns.append(np.asarray(columns))
        self.values.append(np.asarray(values, float))
        self.low.append(low)
        self.high.append(high)

    def matrix(self, width: int) -> Any:
        import scipy

        ends = np.cumsum([0, *(len(one) for one in self.values)])
        if not self.values:
            return scipy.sparse.csr_array((0, width))
        parts = np.concatenate(self.values), np.concatenate(self.columns), ends
        return scipy.sparse.csr_array(parts, shape=(len(self.low), width))


@dataclass(frozen=True, eq=False)
class _Columns:
    """Which column of a programme stands for what."""

    free: np.ndarray  #: options; in pots a unit of one is a pot, in beds a plant
    beds: np.ndarray  #: of these, which stand in a bed and are there or not
    crops: tuple[int, ...]
    rests: tuple[int, ...]
    shading: tuple[tuple[int, int], ...]

    @property
    def y0(self) -> int:
        return len(self.free)

    @property
    def z0(self) -> int:
        return self.y0 + len(self.beds)

    @property
    def r0(self) -> int:
        return self.z0 + 2 * len(self.crops)

    @property
    def h0(self) -> int:
        return self.r0 + len(self.rests)

    @property
    def width(self) -> int:
        return self.h0 + len(self.shading)


def solve(
    tangents: Tangents,
    free: np.ndarray,
    plants: FloatArray,
    *,
    is_whole: bool,
    seconds: float | None = None,
) -> Solved:
    """Solve the programme for some options, while the others stay.

    Parameters
    ----------
    tangents : Tangents
        With one for each crop at least.
    free : array of int
        Options that may change.
    plants : array, (options,)
        Of each option now; those that are free are found anew.
    is_whole : bool
        Whole pots, and plantings of their least size or none; else relaxed.
    seconds : float, optional
        The search stops after so long; if not given only after so many nodes, which does not depend
        on the machine.

    Returns
    -------
    Solved
        As it was, where nothing better was found.

    Notes
    -----
    A quantile is homogeneous: q = g·x with the slope g of the draws near it, so need·z ≤ g·x for
    every g that was met (cutting planes, Kelley 1960; memory). With failures it is not concave, so
    that the value is a ceiling as far as can be told, no proof. HiGHS (Huangfu & Hall 2018;
    memory).

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> laid = two_beds()
    >>> found = solve(Tangents.at_first(laid), np.arange(3), np.zeros(3), is_whole=True)
    >>> float(found.plants[:2].sum()), float(found.plants[2])
    (4.0, 2.0)
    """
    import scipy

    laid = tangents.laid
    free = free[(laid.most[free] > 0) & ~laid.fixed[free]]
    if not len(free):
        return Solved(plants, 0.0)
    stays = plants.copy()
    stays[free] = 0.0
    at = _columns(laid, free, is_whole=is_whole)
    gain = _gains(laid, at)
    rows = _rows(tangents, at, stays)
    whole, tops = np.zeros(at.width, int), np.full(at.width, np.inf)
    if is_whole:
        is_loose = laid.is_bed[free] & ((laid.most[free] > FEW_PLANTS) | (len(free) > FEW_OPTIONS))
        whole[: at.y0], whole[at.y0 : at.z0] = np.where(is_loose, 0, 1), 1
    tops[: at.y0], tops[at.y0 : at.z0], tops[at.z0 : at.r0] = (
        laid.most[free] / laid.unit[free],
        1.0,
        0.5,
    )
    found = scipy.optimize.milp(
        -gain,
        integrality=whole,
        bounds=scipy.optimize.Bounds(np.zeros(at.width), tops),
        constraints=scipy.optimize.LinearConstraint(rows.matrix(at.width), rows.low, rows.high),
        options={
            "node_limit": NODES,
            "mip_rel_gap": GAP,
            "time_limit": np.inf if seconds is None else seconds,
        },
    )
    if found.x is None:
        return Solved(plants, -np.inf)
    stays[free] = np.maximum(found.x[: at.y0], 0.0) * laid.unit[free]
    return Solved(stays, float(gain @ found.x))


def _columns(laid: Laid, free: np.ndarray, *, is_whole: bool) -> _Columns:
    """Relaxed, whether there is a planting at all would only add rows: it costs in proportion."""
    return _Columns(
        free,
        np.flatnonzero(laid.is_bed[free]) if is_whole else np.zeros(0, int),
        tuple(int(c) for c in np.unique(laid.crop[free])),
        tuple(r for r in range(len(laid.rested)) if laid.too_soon[r, free].any()),
        tuple(pair for pair in laid.shading if _is_touched(laid, pair, free)),
    )


def _gains(laid: Laid, at: _Columns) -> FloatArray:
    """What a unit of each column adds; the first half of a need is worth twice the second."""
    free, gain = at.free, np.zeros(at.width)
    gain[: at.y0] = -laid.thrift[free] * laid.unit[free]
    if len(at.beds):
        gain[at.y0 : at.z0] = -PLANTING
    else:
        gain[: at.y0] -= PLANTING * laid.is_bed[free] / laid.most[free]
    of = laid.weights[list(at.crops)] / 1.5
    gain[at.z0 : at.r0 : 2], gain[at.z0 + 1 : at.r0 : 2] = 2 * of, of
    gain[at.r0 : at.h0], gain[at.h0 :] = -laid.too_soon_cost, -SHADED
    return gain


def _rows(tangents: Tangents, at: _Columns, stays: FloatArray) -> _Rows:
    """Everything that a fit has to keep to."""
    laid, free, n, rows = tangents.laid, at.free, at.y0, _Rows()
    unit, every = laid.unit[free], np.arange(n)
    _needs(rows, tangents, at, stays)
    _plot(rows, laid, free, stays)
    for i, b in enumerate(at.beds):
        rows.add((b, n + i), (1.0, -laid.least[free[b]]), 0.0, np.inf)
        rows.add((b, n + i), (1.0, -laid.most[free[b]]), -np.inf, 0.0)
    for k, top in enumerate(laid.ceilings):
        rows.add(
            every, laid.held[k, free] * unit, -np.inf, max(top - float(laid.held[k] @ stays), 0.0)
        )
    for i, r in enumerate(at.rests):
        already = float(laid.too_soon[r] @ stays) - float(laid.rested[r])
        rows.add(
            np.append(every, at.r0 + i),
            np.append(laid.too_soon[r, free] * unit, -1.0),
            -np.inf,
            -already,
        )
    for i, (p, other) in enumerate(at.shading):
        each = laid.filled[0][p] + laid.filled[1][other]
        rows.add(
            np.append(every, at.h0 + i),
            np.append(each[free] * unit, -1.0),
            -np.inf,
            1.0 - float(each @ stays),
        )
    for some, whole, share in laid.shares:
        each = np.zeros(len(laid.crop))
        each[whole] -= share
        each[some] += 1.0
        if each[free].any():
            rows.add(every, each[free] * unit, -np.inf, max(-float(each @ stays), 0.0))
    return rows


def _is_touched(laid: Laid, pair: tuple[int, int], free: np.ndarray) -> bool:
    """Whether some of what is free stands tall in the first plot, or low in the second."""
    p, other = pair
    return bool(laid.filled[0][p, free].any() or laid.filled[1][other, free].any())


def _needs(rows: _Rows, tangents: Tangents, at: _Columns, stays: FloatArray) -> None:
    laid = tangents.laid
    for i, c in enumerate(at.crops):
        mine = np.flatnonzero(laid.crop[at.free] == c)
        both, need = (at.z0 + 2 * i, at.z0 + 2 * i + 1), -laid.needs[c]
        for slope in tangents.of_crop[c]:
            values = slope[at.free[mine]] * laid.unit[at.free[mine]]
            rows.add(
                np.append(mine, both),
                np.append(values, (need, need)),
                -float(slope @ stays),
                np.inf,
            )


def _plot(rows: _Rows, laid: Laid, free: np.ndarray, stays: FloatArray) -> None:
    """A plot is full at the earliest when something begins in it,
    so only those slots are held to it.
    """
    taken = occupied(laid, stays)
    for p in sorted(set(laid.plot[free].tolist())):
        mine = np.flatnonzero(laid.plot[free] == p)
        for slot in sorted(
            {laid.problem.options[free[i]].start for i in mine} | set(_steps(laid, p, taken))
        ):
            values = laid.use[free[mine]] * laid.unit[free[mine]] * laid.there[free[mine], slot]
            rows.add(mine, values, -np.inf, max(laid.free[p, slot] - taken[p, slot], 0.0))


def _steps(laid: Laid, p: int, taken: FloatArray) -> list[int]:
    """Slots in which a plot has less left than in the one before."""
    left = laid.free[p] - taken[p]
    return [0, *(int(s) + 1 for s in np.flatnonzero(np.diff(left) < 0))]
