"""Two things compared at once: each for itself, and whether the one depends on the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
import scipy

from kilter.core.compare.answer import Comparison, FitSummary, PairResult, compare
from kilter.core.compare.fitted import Fitted, fit_units
from kilter.core.compare.judge import t_quantile
from kilter.core.compare.kinds import YIELD, Kind, Unit
from kilter.core.compare.moderation import Prior
from kilter.core.errors import ComparisonError

#: Below this chance the one thing is said to depend on the other.
ALPHA: Final = 0.05
JOIN: Final = " × "


@dataclass(frozen=True)
class Within:
    """How far two levels of the first thing lie apart inside one level of the second, as it is
    answered.
    """

    inside: str
    a: str
    b: str
    size: float
    low: float  #: 95 % interval, of this difference alone
    high: float


@dataclass(frozen=True)
class Interaction:
    """Whether one thing depends on the other."""

    f: float  #: Wald statistic over q
    q: int  #: degrees of freedom above
    df: float  #: degrees of freedom below
    p: float  #: chance of such an F where nothing depends

    @property
    def is_dependent(self) -> bool:
        return self.p < ALPHA


@dataclass(frozen=True, kw_only=True)
class TwoFactor:
    """Both things answered."""

    names: tuple[str, str]
    first: Comparison  #: the first thing, compared only within the same second
    second: Comparison
    interaction: Interaction | None  #: None where no combination is there twice over to tell by
    combinations: tuple[
        tuple[str, str, float, float, float], ...
    ]  #: first, second, mean and its 95 % interval
    within: tuple[Within, ...]
    missing: tuple[tuple[str, str], ...]  #: combinations that were never grown, or gave nothing


def compare_two(
    units: Sequence[Unit],
    seconds: Sequence[str],
    names: tuple[str, str],
    *,
    block_names: tuple[str, ...] = (),
    kind: Kind = YIELD,
    is_count: bool = False,
    prior: Prior | None = None,
    is_plain: bool = False,
) -> TwoFactor:
    """Compare the levels of two things, and test whether the one depends on the other.

    Parameters
    ----------
    units : sequence of Unit, length n
        ``level`` is the level of the first thing.
    seconds : sequence of str, length n
        The level of the second thing of each.
    names : tuple of str
        What the two are called.
    block_names : tuple of str
        What the units' ``blocks`` are labels of.
    kind : Kind
        What is measured.
    is_count : bool
        Whether amounts are counts.
    prior : Prior, optional
        Belief on the spread between like units; the rule if not given.
    is_plain : bool
        As `compare`.

    Returns
    -------
    TwoFactor
        Each for itself with the other as a block, the test, each combination's mean, and the ratios
        inside.

    Raises
    ------
    ComparisonError
        As `compare`; and where every unit has the same second level.

    Notes
    -----
    Log link with product terms: the cell means of the combinations, less what sums of the two
    explain; the Wald statistic of that rest, over its q degrees of freedom, is held against F(q, df
    of φ) (McCullagh & Nelder 1989, ch. 9; Searle 1987, *Linear Models for Unbalanced Data*, ch. 4,
    for combinations that are missing; memory).

    Examples
    --------
    >>> pots = [
    ...     Unit(ref=str(i), amount=y, exposure=1.0, level="ab"[i % 2])
    ...     for i, y in enumerate([4.0, 2.0, 4.4, 2.2, 2.0, 4.0, 2.2, 4.4])
    ... ]
    >>> found = compare_two(pots, ["sun"] * 4 + ["shade"] * 4, ("variety", "light"))
    >>> (
    ...     found.interaction.q,
    ...     found.interaction.p < 0.05,
    ...     [round(one.size, 2) for one in found.within],
    ... )
    (1, True, [0.5, 2.0])
    """
    how: dict[str, Any] = {
        "kind": kind,
        "is_count": is_count,
        "prior": prior or Prior(),
        "is_plain": is_plain,
    }
    first = compare(
        [replace(u, blocks=(*u.blocks, s)) for u, s in zip(units, seconds, strict=True)],
        block_names=(*block_names, names[1]),
        **how,
    )
    second = compare(
        [
            replace(u, level=s, blocks=(*u.blocks, u.level))
            for u, s in zip(units, seconds, strict=True)
        ],
        block_names=(*block_names, names[0]),
        **how,
    )
    pairs = list(zip([u.level for u in units], seconds, strict=True))
    giving = {pair for pair, u in zip(pairs, units, strict=True) if u.amount > 0}
    kept = [
        replace(u, level=JOIN.join(pair))
        for u, pair in zip(units, pairs, strict=True)
        if pair in giving
    ]
    if len(giving) < 2:
        raise ComparisonError(
            "Only one combination gave anything, so the two things cannot be told apart."
        )
    fitted = fit_units(kept, block_names, **how)
    means = {one.level: one for one in FitSummary(fitted).levels()}
    everything = [
        (a, b) for a in sorted({a for a, _ in pairs}) for b in sorted({b for _, b in pairs})
    ]
    shown = [(a, b, means[JOIN.join((a, b))]) for a, b in everything if (a, b) in giving]
    return TwoFactor(
        names=names,
        first=first,
        second=second,
        interaction=_interaction(fitted, [(a, b) for a, b in everything if (a, b) in giving]),
        combinations=tuple(
            (a, b, one.mean, one.low or 0.0, one.high or 0.0) for a, b, one in shown
        ),
        within=_within(fitted, first),
        missing=tuple(pair for pair in everything if pair not in giving),
    )


def _interaction(fitted: Fitted, present: list[tuple[str, str]]) -> Interaction | None:
    """Wald's test of what the sums of the two leave of the combinations' log means."""
    at = {level: j for j, level in enumerate(fitted.layout.levels)}
    order = [at[JOIN.join(pair)] for pair in present]
    firsts, seconds = sorted({a for a, _ in present}), sorted({b for _, b in present})
    sums = [
        [1.0, *(a == one for one in firsts), *(b == one for one in seconds)] for a, b in present
    ]
    additive = np.array(sums, dtype=np.float64)
    rest = scipy.linalg.null_space(additive.T).T  # (q, cells)
    q = len(rest)
    if not q:
        return None
    beta = fitted.fit.coef[order]
    cov = fitted.cov[np.ix_(order, order)]
    gap = rest @ beta
    f = float(gap @ np.linalg.solve(rest @ cov @ rest.T, gap)) / q
    return Interaction(f, q, fitted.df, float(scipy.special.fdtrc(q, fitted.df, f)))


def _within(fitted: Fitted, first: Comparison) -> tuple[Within, ...]:
    """The two best of the first thing against each other inside each level of the second."""
    if not first.pairs:
        return ()
    a, b = first.pairs[0].a, first.pairs[0].b
    summary = FitSummary(fitted)
    means = {one.level: one.mean for one in summary.levels()}
    of = {(pair.a, pair.b): pair for pair in summary.pairs()}
    found = []
    for inside in sorted({level.split(JOIN, 1)[1] for level in fitted.layout.levels}):
        one, other = JOIN.join((a, inside)), JOIN.join((b, inside))
        if (one, other) in of:
            pair = of[one, other]
            found.append(_alone(inside, a, b, pair, 1.0))
        elif (other, one) in of:
            found.append(_alone(inside, a, b, replace(of[other, one], base=means[other]), -1.0))
    return tuple(found)


def _alone(inside: str, a: str, b: str, pair: PairResult, sign: float) -> Within:
    """A pair's difference with an interval of its own; turned round where b is the better here."""
    half = t_quantile(pair.doubt.df) * pair.doubt.sd
    low, size, high = sorted(pair.said(sign * pair.gap + z) for z in (-half, 0.0, half))
    return Within(inside, a, b, size, low, high)
