"""From readings of a scale to net masses: tare, piling on, what the scale cannot resolve,
and pieces not weighed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from kilter.core.amounts.units import half_up
from kilter.core.errors import FallingReadingError, WeighingError

#: How much one piece, or one own measure, usually differs from the next: relative standard
#: deviations, each counted as four degrees of freedom (rules).
PIECE_CV: Final = 0.3
MEASURE_CV: Final = 0.2
_USUAL_DF = 4
#: A doubt is shown from this share of the amount on (rule).
SHOWN_DOUBT: Final = 0.02


@dataclass(frozen=True)
class Pile:
    """Loads read as a running total on one scale, without emptying it."""

    nets_mg: tuple[int, ...]  #: one net mass for each reading, in order
    total_mg: int  #: their sum, which is the last reading less the start


@dataclass(frozen=True)
class WeighedLine:
    """One line weighed on a scale whose step is known."""

    mass_mg: int
    step_mg: float
    loads: int = 1
    pile: str = ""  #: empty where each load was zeroed
    number: int = 0  #: its place within the pile


@dataclass(frozen=True)
class PerPiece:
    """What one piece, or one own measure, weighs, learnt from those weighed."""

    mg: float
    sd_mg: float  #: standard error of ``mg``
    spread_mg: float  #: standard deviation of one more piece about ``mg``
    lots: int  #: lots weighed and counted that it was learnt from

    @property
    def df(self) -> int:
        """Degrees of freedom of the spread."""
        return self.lots + _USUAL_DF - 1

    def interval(self, coverage: float = 0.95) -> tuple[float, float]:
        """Between what ``mg`` lies, milligrams."""
        if not self.mg:
            return 0.0, 0.0
        reach = math.exp(
            float(scipy.special.stdtrit(self.df, (1 + coverage) / 2)) * self.sd_mg / self.mg
        )
        return self.mg / reach, self.mg * reach


@dataclass(frozen=True)
class CountEstimate:
    """A mass reckoned from a count; always shown as an estimate."""

    mass_mg: float
    sd_mg: float


def net_mass_mg(gross_mg: int, tare_mg: int = 0) -> int:
    """Take the tare off a gross mass.

    Parameters
    ----------
    gross_mg, tare_mg : int
        Milligrams, zero or more.

    Returns
    -------
    int
        Net milligrams.

    Raises
    ------
    WeighingError
        The tare is more than the gross mass, or either is negative.

    Notes
    -----
    net = gross − tare (common practice, no source).

    Examples
    --------
    >>> net_mass_mg(1_240_000, 300_000)
    940000
    """
    if gross_mg < 0 or tare_mg < 0:
        raise WeighingError("A mass cannot be below zero; read the scale again.")
    if tare_mg > gross_mg:
        raise WeighingError(
            f"The tare ({half_up(tare_mg / 1e6, 3)} kg) is more than the whole load "
            f"({half_up(gross_mg / 1e6, 3)} kg); check which of the two was typed."
        )
    return gross_mg - tare_mg


def pile_on(readings_mg: Sequence[int], start_mg: int = 0) -> Pile:
    """Take the differences of a running total: 310, 655, 1040 g are 310, 345 and 385 g.

    Parameters
    ----------
    readings_mg : sequence of int
        Readings in the order they were taken, milligrams.
    start_mg : int
        What the scale showed before the first load.

    Returns
    -------
    Pile
        One net mass a reading, and their sum.

    Raises
    ------
    FallingReadingError
        A reading below the one before it: the scale was emptied, or misread.

    Notes
    -----
    net_i = r_i − r_(i−1) within one pile, on one scale (common practice, no source).

    Examples
    --------
    >>> pile_on([310_000, 655_000, 1_040_000]).nets_mg
    (310000, 345000, 385000)
    """
    nets = []
    before = start_mg
    for now in readings_mg:
        if now < before:
            raise FallingReadingError(before_mg=before, now_mg=now)
        nets.append(now - before)
        before = now
    return Pile(tuple(nets), before - start_mg)


def resolution_sd_mg(readings: Sequence[WeighedLine]) -> float:
    """Say how far the scale's steps alone can put a sum of readings off.

    Parameters
    ----------
    readings : sequence of ScaleLine
        The lines of the sum, each with the step of its scale in milligrams.

    Returns
    -------
    float
        One standard deviation of the sum, milligrams; zero for no readings.

    Raises
    ------
    WeighingError
        A step that is not above zero, or a line without a load.

    Notes
    -----
    A rounded reading is uniform over one step d, with standard deviation d/√12 (JCGM 100:2008,
    4.3.7; memory): d·√(n/12) for n zeroed readings. Readings that follow each other in one pile
    telescope: only the first one's start and the last one's end count, d·√(2/12).

    Examples
    --------
    >>> round(resolution_sd_mg([WeighedLine(900_000, 5000)] * 12))
    5000
    >>> round(resolution_sd_mg([WeighedLine(300_000, 5000, pile="a", number=n) for n in (1, 2, 3)]))
    2041
    """
    if any(r.step_mg <= 0 or r.loads < 1 for r in readings):
        raise WeighingError("A scale needs a step above zero, and a line at least one load.")
    # An end that is the start of the next line of the sum cancels out.
    ends = {(r.pile, r.number) for r in readings if r.pile}
    variance = 0.0
    for r in readings:
        inner = ((r.pile, r.number - 1) in ends) + ((r.pile, r.number + 1) in ends) if r.pile else 0
        variance += r.step_mg**2 / 12 * (2 - inner if r.pile else r.loads)
    return math.sqrt(variance)


def is_doubt_shown(mass_mg: float, sd_mg: float) -> bool:
    """Say whether a doubt is large enough to be shown beside its amount.

    Parameters
    ----------
    mass_mg, sd_mg : float
        The amount and one standard deviation.

    Returns
    -------
    bool
        True from `SHOWN_DOUBT` on.

    Notes
    -----
    Rule.

    Examples
    --------
    >>> is_doubt_shown(100_000, 5000), is_doubt_shown(1_000_000, 5000)
    (True, False)
    """
    return sd_mg > SHOWN_DOUBT * mass_mg


def per_piece(
    weighed: Sequence[tuple[float, float]], usual_cv: float = PIECE_CV
) -> PerPiece | None:
    """Learn what one piece weighs from lots that were both counted and weighed.

    Parameters
    ----------
    weighed : sequence of (count, mass_mg)
        Lots; those without a count are passed over.
    usual_cv : float
        How much one usually differs from the next: `PIECE_CV` or `MEASURE_CV`.

    Returns
    -------
    PerPiece or None
        None where nothing was both weighed and counted.

    Raises
    ------
    WeighingError
        A count or mass below zero.

    Notes
    -----
    Ratio estimator R = Σm/Σq (Cochran, *Sampling Techniques*, ch. 6; memory) with a variance per
    piece that is moderated by what is usual: s² = (4·CV₀² + Σ(m − R q)²/(q R²))/(n + 3), so R is
    known to s/√Σq on n + 3 degrees of freedom, its interval R·exp(±t s/√Σq), and one more piece
    differs by s (after Smyth 2004; rule).

    Examples
    --------
    >>> per_piece([(10, 500_000.0), (20, 1_000_000.0)]).mg
    50000.0
    """
    lots = np.array([(x, y) for x, y in weighed if x], float)
    if len(lots) == 0:
        return None
    if (lots < 0).any():
        raise WeighingError("A count and a mass are zero or more.")
    x, y = lots.T
    ratio, n = float(y.sum() / x.sum()), len(lots)
    if not ratio:
        return PerPiece(0.0, 0.0, 0.0, n)
    seen = float(((y - ratio * x) ** 2 / (x * ratio**2)).sum())
    spread = ratio * math.sqrt((_USUAL_DF * usual_cv**2 + seen) / (n + _USUAL_DF - 1))
    return PerPiece(ratio, spread / math.sqrt(float(x.sum())), spread, n)


def estimate_mg(count: float, each: PerPiece) -> CountEstimate:
    """Reckon what counted pieces weigh.

    Parameters
    ----------
    count : float
        Pieces, or own measures, zero or more.
    each : PerPiece
        From `per_piece`.

    Returns
    -------
    Estimate
        Milligrams, with the doubt of the ratio and of these very pieces.

    Raises
    ------
    WeighingError
        A count below zero.

    Notes
    -----
    Variance = count² · var R + count · spread² (the second for pieces that differ independently;
    rule).

    Examples
    --------
    >>> estimate_mg(10, PerPiece(50_000, 3000, 0, 5))
    CountEstimate(mass_mg=500000, sd_mg=30000.0)
    """
    if count < 0:
        raise WeighingError("A count is zero or more.")
    return CountEstimate(
        each.mg * count, math.hypot(each.sd_mg * count, each.spread_mg * math.sqrt(count))
    )


def unripe_left(
    mass_mg: int, count: int, turned: Sequence[tuple[int | None, int | None]]
) -> tuple[int, int]:
    """Say what is left on the ripening shelf of a lot of which some turned.

    Parameters
    ----------
    mass_mg, count : int
        The lot as it was laid down; a count of zero means that it was not counted.
    turned : sequence of (mass_mg or None, count or None)
        What was taken off it since, ripe or lost.

    Returns
    -------
    tuple of int
        Milligrams and pieces left, neither below zero.

    Notes
    -----
    By count where both were counted, since fruit gets lighter as it ripens; else by mass (rule).

    Examples
    --------
    >>> unripe_left(2_000_000, 20, [(450_000, 5)])
    (1500000, 15)
    """
    if count and all(pieces is not None for _, pieces in turned):
        left = max(count - sum(pieces or 0 for _, pieces in turned), 0)
        return round(mass_mg * left / count), left
    return max(mass_mg - sum(mass or 0 for mass, _ in turned), 0), max(
        count - sum(p or 0 for _, p in turned), 0
    )
