"""From units to an answer: level means, ratios of pairs with their doubt, and a verdict."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from typing import Final, Literal

import numpy as np
import scipy

from kilter.core.compare.fitted import GENERAL_BLOCKS, Fitted, Prior, Unit, fit_units
from kilter.core.compare.power import GAPS, Settling, units_to_settle
from kilter.core.errors import ComparisonError
from kilter.core.yields.measures import LeftOut

Verdict = Literal["clear", "leaning", "cannot tell", "no ratio"]

LEANING_CHANCE: Final = 0.8
COVERAGE: Final = 0.95


@dataclass(frozen=True)
class LevelResult:
    """One level of what is compared."""

    level: str
    n: int  #: units
    mean: float  #: amount per exposure, adjusted to the same mix of blocks
    low: float | None  #: 95 % interval; None where nothing came at all
    high: float | None


@dataclass(frozen=True)
class PairResult:
    """Two levels against each other; a is the better."""

    a: str
    b: str
    ratio: float
    low: float  #: 95 % interval, simultaneous over all pairs
    high: float
    chance: float  #: that a truly beats b
    log_se: float  #: standard error of the log of the ratio
    verdict: Verdict


@dataclass(frozen=True)
class BlockResult:
    """Plain total over total of each level inside one block."""

    labels: tuple[str, ...]
    means: tuple[tuple[str, float], ...]
    is_agreeing: bool | None  #: that the two best stand as in the whole; None if one is missing


@dataclass(frozen=True)
class Comparison:
    """The whole answer, with what it rests on."""

    levels: tuple[LevelResult, ...]  #: best first
    pairs: tuple[PairResult, ...]  #: the two best first
    units: tuple[Unit, ...]  #: those used
    left_out: tuple[LeftOut, ...]
    block_names: tuple[str, ...]
    blocks: tuple[BlockResult, ...]
    verdict: Verdict  #: of the best against the next
    phi: float  #: dispersion: spread seen, as a multiple of the rule's variance
    df: float
    prior: Prior
    is_general: bool  #: whether it speaks beyond these seasons and sites
    log_sd: float  #: SD of the log of one unit's yield about its level and block: √(φ·c̄)
    usual_sd: float  #: what the prior says of it: how pots of the same thing usually differ, √(κ0·c̄)

    @property
    def settling(self) -> tuple[Settling, ...]:
        """Units of each that would tell the gap seen between the two best, and some gaps always asked about."""
        seen = (self.pairs[0].ratio,) if self.pairs and self.pairs[0].ratio != 1 else ()
        return tuple(units_to_settle(self.log_sd, ratio) for ratio in (*seen, *GAPS))

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
    is_count: bool = False,
    prior: Prior | None = None,
) -> Comparison:
    """Compare the levels of one factor, like with like within blocks.

    Parameters
    ----------
    units : iterable of Unit
        Plantings in their places; amounts in one unit, exposures in one unit.
    block_names : tuple of str
        The attributes that each unit's ``blocks`` are labels of.
    is_count : bool
        Whether amounts are counts, which adds their Poisson variance.
    prior : Prior, optional
        Belief on the spread between like units; the rule κ0 = 1 with d0 = 4 if not given.

    Returns
    -------
    Comparison
        Level means in amount per exposure, every pair's ratio with its 95 % interval, the chance
        that one beats the other, and what was left out.

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
    Estimate: quasi-likelihood, log link, V ∝ μ (McCullagh & Nelder 1989, ch. 9), refitted with
    weights exp(−block part) where there are blocks. Dispersion moderated after Smyth (2004),
    *Stat. Appl. Genet. Mol. Biol.* 3(1):3. Intervals: t for two levels, studentized range q/√2
    (Tukey–Kramer) for more; level means by the delta method on the log. See docs/method.md.

    Examples
    --------
    >>> rows = [Unit("1", .9, 1, "a", plants=1), Unit("2", 1.1, 1, "a", plants=1),
    ...         Unit("3", .5, 1, "b", plants=1), Unit("4", .7, 1, "b", plants=1)]
    >>> answer = compare(rows)
    >>> round(answer.phi, 6), answer.df
    (0.719136, 6.0)
    """
    prior = prior or Prior()
    rows = list(units)
    _check(rows)
    used, zero_levels, left_out = _without_zeros(rows, block_names)
    if not used:
        raise ComparisonError("Nothing came from any of these, so there is nothing to compare yet.")
    fitted = fit_units(used, block_names, is_count=is_count, prior=prior)
    pairs = FitSummary(fitted).pairs()
    levels = sorted(FitSummary(fitted).levels(), key=lambda result: -result.mean)
    gone = {out.ref for out in left_out}
    best = (pairs[0].a, pairs[0].b) if pairs else None
    return Comparison(
        levels=(*levels, *zero_levels),
        pairs=pairs,
        units=tuple(row for row in rows if row.ref not in gone),
        left_out=left_out,
        block_names=block_names,
        blocks=_blocks(used, best) if block_names else (),
        verdict=pairs[0].verdict if pairs else "no ratio",
        phi=fitted.phi,
        df=fitted.df,
        prior=prior,
        is_general=bool(GENERAL_BLOCKS & set(block_names)),
        log_sd=fitted.log_sd,
        usual_sd=fitted.log_sd * math.sqrt(prior.kappa / fitted.phi) if fitted.phi else 0.0,
    )


@lru_cache(maxsize=512)
def tukey_q(levels: int, df: float, coverage: float = COVERAGE) -> float:
    """Give the studentized range quantile, kept once computed as it is slow.

    Parameters
    ----------
    levels : int
        How many are compared, three or more.
    df : float
        Degrees of freedom of the dispersion.
    coverage : float
        Simultaneous coverage.

    Returns
    -------
    float
        q; divide by √2 for the half width of a pair in standard errors.

    Raises
    ------
    Nothing.

    Notes
    -----
    `scipy.stats.studentized_range`; Kramer (1956), *Biometrics* 12:307 (memory).

    Examples
    --------
    >>> round(tukey_q(3, 27), 2)
    3.51
    """
    # Imported where it is used: it takes longer than all the rest of the application together.
    from scipy.stats import studentized_range

    return float(studentized_range.ppf(coverage, levels, df))


def tukey_p(gap: float, levels: int, df: float) -> float:
    """Give the chance of a gap as large between two of several levels that do not differ.

    Parameters
    ----------
    gap : float
        In standard errors of a difference.
    levels : int
        How many are compared, two or more.
    df : float
        Degrees of freedom of the dispersion.

    Returns
    -------
    float
        Between 0 and 1.

    Raises
    ------
    Nothing.

    Notes
    -----
    As `tukey_q`, for all pairs at once.

    Examples
    --------
    >>> round(tukey_p(2.0, 2, 1e6), 3)
    0.046
    """
    from scipy.stats import studentized_range

    return float(studentized_range.sf(gap * math.sqrt(2), levels, df))


@dataclass(frozen=True)
class FitSummary:
    """What a fit says of each level and of each pair."""

    fitted: Fitted

    def levels(self) -> list[LevelResult]:
        """Level means at the exposure shares of all block cells, by the delta method on the log."""
        fitted, layout = self.fitted, self.fitted.layout
        half = t_quantile(fitted.df)
        k, shares = layout.level_count, fitted.cells.exposure
        block_columns = layout.columns[:, k:]
        parts = shares * np.exp(block_columns @ fitted.fit.coef[k:])
        log_blocks = float(np.log(parts.sum() / shares.sum()))
        block_gradient = parts @ block_columns / parts.sum()
        counts = Counter(u.level for u in fitted.units)
        results = []
        for j, level in enumerate(layout.levels):
            gradient = np.concatenate([np.eye(k)[j], block_gradient])
            log_mean = float(fitted.fit.coef[j]) + log_blocks
            sd = float(np.sqrt(gradient @ fitted.cov @ gradient + fitted.extra[j]))
            n = counts[level]
            low, mean, high = (float(np.exp(log_mean + z * sd)) for z in (-half, 0.0, half))
            results.append(LevelResult(level, n, mean, low, high))
        return results

    def pairs(self) -> tuple[PairResult, ...]:
        """Every pair, better one first, ordered from the best down."""
        k = self.fitted.layout.level_count
        if k < 2:
            return ()
        df = self.fitted.df
        half = t_quantile(df) if k == 2 else tukey_q(k, df) / np.sqrt(2)
        order = sorted(range(k), key=lambda j: -self.fitted.fit.coef[j])
        return tuple(self._pair(i, j, half) for i, j in combinations(order, 2))

    def _pair(self, i: int, j: int, half: float) -> PairResult:
        fitted = self.fitted
        gap = float(fitted.fit.coef[i] - fitted.fit.coef[j])
        cov, extra = fitted.cov, fitted.extra
        variance = cov[i, i] + cov[j, j] - 2 * cov[i, j] + extra[i] + extra[j]
        sd = float(np.sqrt(variance))
        low, high = float(np.exp(gap - half * sd)), float(np.exp(gap + half * sd))
        chance = float(scipy.special.stdtr(fitted.df, gap / sd))
        names = fitted.layout.levels
        return PairResult(names[i], names[j], float(np.exp(gap)), low, high, chance, sd, _verdict(low, high, chance))


@lru_cache(maxsize=512)
def t_quantile(df: float, coverage: float = COVERAGE) -> float:
    """Give the two-sided quantile of Student's t.

    Parameters
    ----------
    df : float
        Degrees of freedom, above zero.
    coverage : float
        Between 0 and 1.

    Returns
    -------
    float
        The half width of an interval in standard errors.

    Raises
    ------
    Nothing.

    Notes
    -----
    `scipy.special.stdtrit`.

    Examples
    --------
    >>> round(t_quantile(6), 3)
    2.447
    """
    return float(scipy.special.stdtrit(df, (1 + coverage) / 2))


def _verdict(low: float, high: float, chance: float) -> Verdict:
    if low > 1 or high < 1:
        return "clear"
    return "leaning" if max(chance, 1 - chance) >= LEANING_CHANCE else "cannot tell"


def _check(rows: Sequence[Unit]) -> None:
    if not rows:
        raise ComparisonError("No finished planting can be measured this way yet.")
    for row in rows:
        numbers = (row.amount, row.exposure, row.vague_sd)
        if not all(map(math.isfinite, numbers)) or row.amount < 0 or row.exposure <= 0 or row.vague_sd < 0:
            raise ComparisonError(f"{row.ref} has an amount or a divisor that cannot be used.")
    if len({row.level for row in rows}) < 2:
        raise ComparisonError(f"Only ‘{rows[0].level}’ can be measured here; a comparison needs two.")


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
                LeftOut(u.ref, f"nothing came from any unit of {block_names[i]} ‘{label}’")
                for u in used
                if u.blocks[i] == label
            ]
            used = [u for u in used if u.blocks[i] != label]
            continue
        giving = {u.level for u in used if u.amount > 0}
        zeros = sorted({u.level for u in used} - giving)
        if not zeros:
            break
        zero_levels += [LevelResult(level, sum(u.level == level for u in used), 0.0, None, None) for level in zeros]
        used = [u for u in used if u.level in giving]
    return used, zero_levels, tuple(out)


def _zero_block(rows: Sequence[Unit], block_names: tuple[str, ...]) -> tuple[int, str] | None:
    for i in range(len(block_names)):
        giving = {u.blocks[i] for u in rows if u.amount > 0}
        for label in sorted({u.blocks[i] for u in rows} - giving):
            return i, label
    return None


def _blocks(units: Sequence[Unit], best: tuple[str, str] | None) -> tuple[BlockResult, ...]:
    sums: dict[tuple[str, ...], dict[str, tuple[float, float]]] = defaultdict(dict)
    for u in units:
        amount, exposure = sums[u.blocks].get(u.level, (0.0, 0.0))
        sums[u.blocks][u.level] = amount + u.amount, exposure + u.exposure
    results = []
    for labels, inside in sorted(sums.items()):
        means = {level: amount / exposure for level, (amount, exposure) in sorted(inside.items())}
        is_agreeing = None
        if best is not None and best[0] in means and best[1] in means:
            is_agreeing = means[best[0]] > means[best[1]]
        results.append(BlockResult(labels, tuple(means.items()), is_agreeing))
    return tuple(results)
