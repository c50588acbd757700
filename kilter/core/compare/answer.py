"""From units to an answer: level means, how far pairs lie apart with their doubt, and a verdict."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

import numpy as np

from kilter.core.compare.cells import Cells
from kilter.core.compare.fitted import Doubt, Fitted, fit_units
from kilter.core.compare.interactions import GENERAL_BLOCKS
from kilter.core.compare.judge import Verdict, chance_ahead, half_width, t_quantile, verdict_of
from kilter.core.compare.kinds import YIELD, Kind, Unit
from kilter.core.compare.links import FARTHEST
from kilter.core.compare.moderation import Prior
from kilter.core.compare.power import Settling, units_to_settle
from kilter.core.errors import ComparisonError, NotSettledError
from kilter.core.yields.lacks import LeftOut, nothing_from

#: From this chance on that some place is off, the answer is said to hang on one (rule).
HANGS_CHANCE: Final = 0.5


@dataclass(frozen=True, kw_only=True)
class LevelResult:
    """One level of what is compared."""

    level: str
    n: int  #: units
    mean: float  #: amount per exposure, as if each had the same share of every block
    low: float | None  #: 95 % interval; None where nothing came at all
    high: float | None
    plain: float = 0.0  #: total over total of its own units
    eta: float = 0.0  #: the mean on the link's scale
    sd: float = 0.0  #: and its standard deviation there
    unseen: tuple[
        str, ...
    ] = ()  #: blocks it never stood in, for which its mean is reckoned from the others


@dataclass(frozen=True, kw_only=True)
class PairResult:
    """Two levels against each other; a is the better.

    Gaps are on the link's scale, where no difference is 0.
    """

    a: str
    b: str
    kind: Kind
    gap: float
    gap_low: float  #: 95 % interval, simultaneous over all pairs
    gap_high: float
    chance: float  #: that a truly beats b
    doubt: Doubt
    verdict: Verdict
    base: float  #: the mean of b, at which a gap of shares is said in points

    def said(self, gap: float) -> float:
        """A gap as it is answered: as a ratio, in days, or in points of a share."""
        if self.kind.answered == "days":
            return gap
        gap = max(-FARTHEST, min(gap, FARTHEST))
        if self.kind.answered == "ratio":
            return math.exp(gap)
        odds = math.log(self.base / (1 - self.base)) + gap
        return 1 / (1 + math.exp(-odds)) - self.base

    def gap_of(self, said: float) -> float:
        """The other way round; infinite for points that there are not."""
        if self.kind.answered == "ratio":
            return math.log(said)
        if self.kind.answered == "days":
            return said
        share = self.base + said
        return (
            math.log(share / (1 - share)) - math.log(self.base / (1 - self.base))
            if 0 < share < 1
            else math.inf
        )

    @property
    def size(self) -> float:
        """How far they lie apart, as it is answered."""
        return self.said(self.gap)

    @property
    def low(self) -> float:
        return self.said(self.gap_low)

    @property
    def high(self) -> float:
        return self.said(self.gap_high)


@dataclass(frozen=True)
class BlockResult:
    """Plain total over total of each level inside one block."""

    labels: tuple[str, ...]
    means: tuple[tuple[str, float], ...]
    is_agreeing: bool | None  #: that the two best stand as in the whole; None if one is missing


@dataclass(frozen=True)
class Suspect:
    """The one unit that an answer hangs on."""

    ref: str
    chance: float  #: that it is off
    any_off: float  #: that any of them is
    gap: float  #: of the two best without it, on the link's scale


@dataclass(frozen=True, kw_only=True)
class Comparison:
    """The whole answer, with what it rests on."""

    kind: Kind
    levels: tuple[LevelResult, ...]  #: best first
    pairs: tuple[PairResult, ...]  #: the two best first
    units: tuple[Unit, ...]  #: those used
    left_out: tuple[LeftOut, ...]
    block_names: tuple[str, ...]
    blocks: tuple[BlockResult, ...]
    verdict: Verdict  #: of the best against the next
    phi: float  #: dispersion: how uneven the units were, as a multiple of the rule's variance
    df: float
    prior: Prior
    suspect: Suspect | None  #: where it hangs on one place
    is_one_of_each: bool  #: nothing is left over by which one that went wrong would show
    unit_sd: float  #: SD of one unit about its level and block, on the link's scale: √(φ·c̄)
    usual_sd: (
        float  #: what the prior says of it: how pots of the same thing usually differ, √(κ0·c̄)
    )
    own_sd: float | None  #: what these units alone say of it; None where nothing is left over

    @property
    def settling(self) -> tuple[Settling, ...]:
        """Units of each that would tell the gap seen between the two best, and some gaps always
        asked about.

        When it is clear only smaller gaps are left to ask about.
        """
        if not self.pairs:
            return ()
        best = self.pairs[0]
        asked = [(said, best.gap_of(said)) for said in self.kind.gaps]
        if best.verdict == "clear":
            asked = [(said, gap) for said, gap in asked if gap < best.gap]
        elif best.gap > 0:
            asked = [(best.size, best.gap), *asked]
        tau = self.kind.gap_sd
        return tuple(
            units_to_settle(self.unit_sd, gap, said, gap_sd=tau)
            for said, gap in asked
            if math.isfinite(gap)
        )

    def shared(self, name: str) -> tuple[str, ...]:
        """The labels of a block that the two best both saw."""
        if name not in self.block_names or not self.pairs:
            return ()
        i, best = self.block_names.index(name), self.pairs[0]
        seen = [{u.blocks[i] for u in self.units if u.level == level} for level in (best.a, best.b)]
        return tuple(sorted(seen[0] & seen[1]))

    @property
    def is_general(self) -> bool:
        """Whether it speaks beyond the seasons or sites seen:
        both of the best saw two or more of them.
        """
        return any(len(self.shared(name)) > 1 for name in GENERAL_BLOCKS)

    @property
    def agree(self) -> int:
        return sum(block.is_agreeing is True for block in self.blocks)

    @property
    def agree_of(self) -> int:
        return sum(block.is_agreeing is not None for block in self.blocks)


def compare(
    units: Iterable[Unit],
    *,
    block_names: tuple[str, ...] = (),
    kind: Kind = YIELD,
    is_count: bool = False,
    prior: Prior | None = None,
    is_plain: bool = False,
) -> Comparison:
    """Compare the levels of one factor, each only within the same block.

    Parameters
    ----------
    units : iterable of Unit
        Plantings in their places; amounts in one unit, exposures in one unit.
    block_names : tuple of str
        The attributes that each unit's ``blocks`` are labels of.
    kind : Kind
        What is measured: a yield, a size, days, or a share.
    is_count : bool
        Whether amounts are counts, which adds their Poisson variance.
    prior : Prior, optional
        Belief on the spread between like units; the rule with its careful component if not given.
    is_plain : bool
        As the textbooks do it: no unit is supposed to be off, no other season or site is thought
        of.

    Returns
    -------
    Comparison
        Level means in amount per exposure, how far every pair lies apart with its 95 % interval,
        the chance that one beats the other, which unit it hangs on, and what was left out.

    Raises
    ------
    ComparisonError
        Fewer than two levels, nothing harvested at all, or no degrees of freedom.
    AliasedError
        Levels and blocks cannot be told apart.
    NotSettledError
        Zeros leave a ratio without bound.

    Notes
    -----
    Estimate: quasi-likelihood with the link of the kind (McCullagh & Nelder 1989, ch. 9), of what
    multiplies refitted with weights exp(−block part). Dispersion moderated after Smyth (2004),
    *Stat. Appl. Genet. Mol. Biol.* 3(1):3; one unit off after Box & Tiao (1968). Intervals: t for
    two levels, studentized range q/√2 (Tukey–Kramer) for more, degrees of freedom after
    Satterthwaite; level means by the delta method on the link. See docs/method.md.

    Examples
    --------
    >>> rows = [
    ...     Unit(ref="1", amount=0.9, exposure=1, level="a", plants=1),
    ...     Unit(ref="2", amount=1.1, exposure=1, level="a", plants=1),
    ...     Unit(ref="3", amount=0.5, exposure=1, level="b", plants=1),
    ...     Unit(ref="4", amount=0.7, exposure=1, level="b", plants=1),
    ... ]
    >>> answer = compare(rows)
    >>> round(answer.phi, 6), round(answer.pairs[0].doubt.sd, 6)
    (0.362051, 0.323423)
    """
    prior = prior or Prior()
    rows = list(units)
    _check(rows, kind)
    used, zero_levels, left_out = _without_zeros(rows, block_names)
    if not used:
        raise ComparisonError("Nothing came from any of these, so there is nothing to compare yet.")
    fitted = fit_units(
        used, block_names, prior=prior, kind=kind, is_count=is_count, is_plain=is_plain
    )
    summary = FitSummary(fitted)
    levels = sorted(summary.levels(), key=lambda result: -result.mean)
    pairs = summary.pairs({level.level: level for level in levels})
    gone = {out.ref for out in left_out}
    best = (pairs[0].a, pairs[0].b) if pairs else None
    sd = fitted.unit_sd
    return Comparison(
        kind=kind,
        levels=(*levels, *zero_levels),
        pairs=pairs,
        units=tuple(row for row in rows if row.ref not in gone),
        left_out=left_out,
        block_names=block_names,
        blocks=_blocks(fitted.cells, best) if block_names else (),
        verdict=pairs[0].verdict if pairs else "no ratio",
        phi=fitted.phi,
        df=fitted.df,
        prior=prior,
        suspect=summary.suspect(pairs[0]) if pairs else None,
        is_one_of_each=fitted.estimate.nu == 0,
        unit_sd=sd,
        usual_sd=sd * math.sqrt(prior.kappa / fitted.phi) if fitted.phi else 0.0,
        own_sd=_own_sd(fitted),
    )


@dataclass(frozen=True)
class FitSummary:
    """What a fit says of each level and of each pair."""

    fitted: Fitted

    def levels(self) -> list[LevelResult]:
        """Level means at the exposure shares of all block cells,
        by the delta method on the link.
        """
        fitted, layout, link = self.fitted, self.fitted.layout, self.fitted.fit.link
        k, shares = layout.level_count, fitted.cells.exposure / fitted.cells.exposure.sum()
        block_columns, coef = layout.columns[:, k:], fitted.fit.coef
        counts = Counter(u.level for u in fitted.units)
        results = []
        for j, level in enumerate(layout.levels):
            rates = link.rate(coef[j] + block_columns @ coef[k:])
            mean = shares @ rates
            parts = shares * link.slope(rates) / link.slope(np.array([mean]))
            gradient = np.concatenate([np.eye(k)[j] * parts.sum(), parts @ block_columns])
            doubt = fitted.of_level(j, gradient)
            half, eta = t_quantile(doubt.df) * doubt.sd, link.eta(np.array([mean]))
            low, high = (
                max(float(link.rate(eta + z)[0]), 0.0) for z in (-half, half)
            )  # no days below none
            of_level = layout.columns[:, j] > 0
            plain = float(
                fitted.cells.amount[of_level].sum() / fitted.cells.exposure[of_level].sum()
            )
            unseen = self._unseen(of_level)
            results.append(
                LevelResult(
                    level=level,
                    n=counts[level],
                    mean=float(mean),
                    low=low,
                    high=high,
                    plain=plain,
                    eta=float(eta[0]),
                    sd=doubt.sd,
                    unseen=unseen,
                )
            )
        return results

    def _unseen(self, of_level: np.ndarray) -> tuple[str, ...]:
        """The blocks, or combinations of them, that a level never stood in."""
        labels = self.fitted.cells.blocks
        seen = {block for block, is_own in zip(labels, of_level, strict=True) if is_own}
        return tuple(sorted({", ".join(block) for block in labels if block not in seen}))

    def pairs(self, levels: dict[str, LevelResult] | None = None) -> tuple[PairResult, ...]:
        """Every pair, better one first, ordered from the best down."""
        k = self.fitted.layout.level_count
        if k < 2:
            return ()
        known = levels or {one.level: one for one in self.levels()}
        order = sorted(range(k), key=lambda j: -self.fitted.fit.coef[j])
        return tuple(self._pair(i, j, known) for i, j in combinations(order, 2))

    def _pair(self, i: int, j: int, levels: dict[str, LevelResult]) -> PairResult:
        fitted, kind = self.fitted, self.fitted.kind
        gap, doubt = float(fitted.fit.coef[i] - fitted.fit.coef[j]), fitted.of_pair(i, j)
        half = half_width(fitted.layout.level_count, doubt.df) * doubt.sd
        chance = chance_ahead(gap, doubt, fitted.phi, fitted.df, kind.gap_sd)
        a, b = (fitted.layout.levels[at] for at in (i, j))
        fewest = min(levels[a].n, levels[b].n)
        verdict = verdict_of(gap - half, gap + half, chance, fewest)
        return PairResult(
            a=a,
            b=b,
            kind=kind,
            gap=gap,
            gap_low=gap - half,
            gap_high=gap + half,
            chance=chance,
            doubt=doubt,
            verdict=verdict,
            base=levels[b].mean,
        )

    def suspect(self, best: PairResult) -> Suspect | None:
        """The unit that the answer hangs on, where it is likelier than not that one is off."""
        supposed = self.fitted.suppositions
        any_off = float(supposed.off.sum())
        if any_off <= HANGS_CHANCE:
            return None
        at = int(np.argmax(supposed.off))
        i, j = (self.fitted.layout.levels.index(level) for level in (best.a, best.b))
        coef = self._without(at)
        return Suspect(
            self.fitted.units[at].ref, float(supposed.off[at]), any_off, float(coef[i] - coef[j])
        )

    def _without(self, at: int) -> np.ndarray:
        """The coefficients without a unit;
        where it is the only one of its level or block, nearly without it.
        """
        fitted = self.fitted
        estimate, cell = fitted.estimate, int(fitted.cells.index[at])
        weights = np.zeros(len(fitted.cells.amount))
        weights[fitted.cells.index] = estimate.weights
        alone = int(np.sum(fitted.cells.index == cell)) == 1
        try:
            share = 0.999999 if alone else 1.0
            return fitted.cells.fit_without(fitted.units[at], cell, share, weights, fitted.fit).coef
        except NotSettledError:
            return np.asarray(fitted.fit.coef + fitted.suppositions.shift[at + 1])


def _own_sd(fitted: Fitted) -> float | None:
    """SD of one unit on the link's scale, as these units say it by themselves."""
    nu = fitted.estimate.nu
    if not nu or not fitted.phi:
        return None
    return fitted.unit_sd * math.sqrt(float(fitted.suppositions.squares[0]) / nu / fitted.phi)


def _check(rows: Sequence[Unit], kind: Kind) -> None:
    if not rows:
        raise ComparisonError("No finished planting can be measured this way yet.")
    numbers = np.array([(row.amount, row.exposure, row.vague_sd) for row in rows])
    is_wrong = ~np.isfinite(numbers).all(axis=1) | (numbers < 0).any(axis=1) | (numbers[:, 1] == 0)
    if is_wrong.any():
        raise ComparisonError(
            f"{rows[int(is_wrong.argmax())].ref} has an amount or a divisor that cannot be used."
        )
    is_more = numbers[:, 0] > numbers[:, 1] * (1 + 1e-9)
    if kind.answered == "points" and is_more.any():
        raise ComparisonError(
            f"{rows[int(is_more.argmax())].ref} has a part that is more than the whole."
        )
    if len({row.level for row in rows}) < 2:
        raise ComparisonError(
            f"Only ‘{rows[0].level}’ can be measured here; a comparison needs two."
        )


def _without_zeros(
    rows: list[Unit], block_names: tuple[str, ...]
) -> tuple[list[Unit], list[LevelResult], tuple[LeftOut, ...]]:
    """Set aside blocks and levels from which nothing came, until none is left."""
    used = rows
    out: list[LeftOut] = []
    zero_levels: list[LevelResult] = []
    while used:
        gone = _zero_block(used, block_names)
        if gone is not None:
            i, label = gone
            out += [
                LeftOut(u.ref, nothing_from(block_names[i], label))
                for u in used
                if u.blocks[i] == label
            ]
            used = [u for u in used if u.blocks[i] != label]
            continue
        giving = {u.level for u in used if u.amount > 0}
        zeros = sorted({u.level for u in used} - giving)
        if not zeros:
            break
        zero_levels += [
            LevelResult(
                level=level, n=sum(u.level == level for u in used), mean=0.0, low=None, high=None
            )
            for level in zeros
        ]
        used = [u for u in used if u.level in giving]
    return used, zero_levels, tuple(out)


def _zero_block(rows: Sequence[Unit], block_names: tuple[str, ...]) -> tuple[int, str] | None:
    for i in range(len(block_names)):
        giving = {u.blocks[i] for u in rows if u.amount > 0}
        for label in sorted({u.blocks[i] for u in rows} - giving):
            return i, label
    return None


def _blocks(cells: Cells, best: tuple[str, str] | None) -> tuple[BlockResult, ...]:
    """Plain total over total inside each block."""
    rates = cells.amount / cells.exposure
    names = cells.layout.levels
    inside: dict[tuple[str, ...], list[tuple[str, float]]] = defaultdict(list)
    for labels, at, rate in zip(
        cells.blocks, cells.layout.columns[:, : len(names)].argmax(axis=1), rates, strict=True
    ):
        inside[labels].append((names[at], float(rate)))
    results = []
    for labels, found in sorted(inside.items()):
        means = dict(sorted(found))
        is_agreeing = None
        if best is not None and best[0] in means and best[1] in means:
            is_agreeing = means[best[0]] > means[best[1]]
        results.append(BlockResult(labels, tuple(means.items()), is_agreeing))
    return tuple(results)
