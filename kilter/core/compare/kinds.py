"""Kinds of measure: on which link each is compared, how much like units differ in it,
and what a usual gap is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.compare.links import IDENTITY, LOG, LOGIT, Link
from kilter.core.errors import ComparisonError
from kilter.core.yields.harvest import BasketPart
from kilter.core.yields.measures import MeasuredYield

Answered = Literal["ratio", "days", "points"]


@dataclass(frozen=True, kw_only=True)
class Unit:
    """One planting in its place: the unit of observation."""

    ref: str
    amount: float  #: mass, count or days, zero or more; of a share the part that is spoilt
    exposure: float  #: plants, m², litres …, above zero; one for days; of a share the whole
    level: str
    blocks: tuple[str, ...] = ()
    plants: float | None = None  #: plants in the unit, None if unknown
    vague_sd: float = 0.0  #: relative SD of an amount that is only remembered
    pieces: float | None = None  #: of a share, the pieces that were looked at; None if uncounted
    baskets: tuple[
        BasketPart, ...
    ] = ()  #: what of the amount came in baskets shared with other plantings

    @classmethod
    def of(cls, measured: MeasuredYield, level: str, blocks: tuple[str, ...] = ()) -> Unit:
        """A planting as it was measured, with its level and blocks."""
        return cls(
            ref=measured.ref,
            amount=measured.amount,
            exposure=measured.exposure,
            level=level,
            blocks=blocks,
            plants=measured.plants,
            vague_sd=measured.vague_sd,
            pieces=measured.pieces,
            baskets=measured.baskets,
        )


@dataclass(frozen=True, kw_only=True)
class Kind:
    """A kind of measure. All constants are rules of Kilter's own."""

    name: str
    link: Link
    answered: Answered  #: what a pair is said in
    gap_sd: float  #: τ: how far two things usually lie apart, on the link's scale
    #: relative variance of a unit; of days the variance itself, of a share that of its logit
    place: float
    plant: float = 0.0  #: what one plant adds to it
    unknown: float = 0.0  #: in all, where the plants are not known
    gaps: tuple[float, ...] = ()  #: gaps always asked about, in what a pair is said in

    @property
    def has_passes(self) -> bool:
        """Whether a rich block would drown a poor one,
        so that it is fitted once more with the blocks evened out.
        """
        return self.link is LOG


#: τ of a yield: √2 times the SD of how varieties answer a season (N5's variety × season).
YIELD: Final = Kind(
    name="yield",
    link=LOG,
    answered="ratio",
    gap_sd=0.21,
    place=0.08,
    plant=0.16,
    unknown=0.12,
    gaps=(1.1, 1.2, 1.5),
)
SIZE: Final = Kind(
    name="size",
    link=LOG,
    answered="ratio",
    gap_sd=0.21,
    place=0.02,
    plant=0.10,
    unknown=0.03,
    gaps=(1.1, 1.2, 1.5),
)
DAYS: Final = Kind(
    name="days", link=IDENTITY, answered="days", gap_sd=7.5, place=25.0, gaps=(3.0, 7.0, 14.0)
)
SHARE: Final = Kind(
    name="share", link=LOGIT, answered="points", gap_sd=0.5, place=0.15, gaps=(0.05, 0.1, 0.2)
)
KINDS: Final = {kind.name: kind for kind in (YIELD, SIZE, DAYS, SHARE)}
#: Pieces behind a share that nobody counted.
UNCOUNTED_PIECES: Final = 20.0


def kind_named(name: str) -> Kind:
    """Find a kind of measure.

    Parameters
    ----------
    name : str
        ``yield``, ``size``, ``days`` or ``share``.

    Returns
    -------
    Kind
        With its link and constants.

    Raises
    ------
    ComparisonError
        An unknown name; the message lists those there are.

    Examples
    --------
    >>> kind_named("days").answered
    'days'
    """
    try:
        return KINDS[name]
    except KeyError:
        raise ComparisonError(
            f"“{name}” is no kind of measure; use one of {', '.join(KINDS)}."
        ) from None


def relative_variance(plants: float | None, kind: Kind = YIELD) -> float:
    """Give c of the rule: the relative variance of a yield or size from a unit with so many plants.

    Parameters
    ----------
    plants : float or None
        Plants in the unit.
    kind : Kind
        ``YIELD`` or ``SIZE``.

    Returns
    -------
    float
        Of a yield 0.08 + 0.16/plants, or 0.12; of a size 0.02 + 0.10/plants, or 0.03.

    Notes
    -----
    Kilter's own (rule).

    Examples
    --------
    >>> relative_variance(4), relative_variance(None), relative_variance(None, SIZE)
    (0.12, 0.12, 0.03)
    """
    return kind.place + kind.plant / plants if plants else kind.unknown


def unit_variance(
    units: Sequence[Unit], mu: FloatArray, kind: Kind = YIELD, *, is_count: bool = False
) -> FloatArray:
    """Give the variance of each unit's amount by the rule, before φ.

    Parameters
    ----------
    units : sequence of Unit, length n
        With their plants or pieces, where known.
    mu : ndarray, shape (n,)
        Their fitted amounts.
    kind : Kind
        What is measured.
    is_count : bool
        Whether amounts are counts, which adds their Poisson variance.

    Returns
    -------
    ndarray, shape (n,)
        Variances in the amount's unit squared.

    Notes
    -----
    Yield and size: c·μ² (+ μ for counts). Days: 25 (SD 5 days). Share π of a whole e: e²·(0.15 (π(1
    − π))² + π(1 − π)/pieces), 20 pieces if uncounted. What is vague adds (u·μ)². All rules.

    Examples
    --------
    >>> unit_variance(
    ...     [Unit(ref="1", amount=2.0, exposure=1.0, level="a", plants=2)], np.array([2.0])
    ... ).tolist()
    [0.64]
    >>> unit_variance(
    ...     [Unit(ref="1", amount=80.0, exposure=1.0, level="a")], np.array([80.0]), DAYS
    ... ).tolist()
    [25.0]
    """
    return Spread.of(units, kind, is_count=is_count).variance(mu)


@dataclass(frozen=True)
class Spread:
    """What the rule needs to know of n units to give their variances at any means."""

    kind: Kind
    is_count: bool
    relative: FloatArray  #: (n,) c, plus what is vague; of days and shares the vague alone
    whole: FloatArray  #: (n,) exposures
    pieces: FloatArray  #: (n,)

    @classmethod
    def of(cls, units: Sequence[Unit], kind: Kind, *, is_count: bool) -> Spread:
        """Read it from the units."""
        vague = np.array([u.vague_sd**2 for u in units])
        if kind.answered == "ratio":
            known = {
                plants: relative_variance(plants, kind) for plants in {u.plants for u in units}
            }
            vague = vague + np.array([known[u.plants] for u in units])
        pieces = [u.pieces or UNCOUNTED_PIECES for u in units] if kind.answered == "points" else []
        return cls(kind, is_count, vague, np.array([u.exposure for u in units]), np.array(pieces))

    def variance(self, mu: FloatArray) -> FloatArray:
        """(n,) variances at fitted amounts."""
        more = self.relative * mu**2
        if self.kind.answered == "days":
            return np.asarray(self.kind.place + more)
        if self.kind.answered == "points":
            slope = self.kind.link.slope(mu / self.whole)
            return np.asarray(
                self.whole**2 * (self.kind.place * slope**2 + slope / self.pieces) + more
            )
        return np.asarray(more + (mu if self.is_count else 0.0))
