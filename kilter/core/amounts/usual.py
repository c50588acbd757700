"""Whether a weight or count is far from what is usual:
a slip of the finger is asked about, a surprise is kept.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

#: So many times more or less than usual is asked about, unless a household says otherwise (rule).
USUAL_FOLD: Final = 12
#: From so many lines on they say what is usual (rule).
ENOUGH_LINES: Final = 3


@dataclass(frozen=True)
class Usual:
    """What a line of a crop and grade usually holds here; None where too little is known."""

    mass_mg: float | None = None
    count: float | None = None
    piece_mg: float | None = None
    most_mg: float | None = (
        None  #: where no line was written yet: what the whole planting may give by the handbook
    )


@dataclass(frozen=True)
class Unusual:
    """A figure far from the usual."""

    what: (
        str  #: ``mass``, ``count`` or ``piece``; ``whole`` against what the whole planting may give
    )
    usual: float
    times: float  #: above 1 more than usual, below 1 less


def usual_of(lines: Sequence[tuple[int | None, int | None]], most_mg: float | None = None) -> Usual:
    """Learn what is usual from earlier lines.

    Parameters
    ----------
    lines : sequence of (mass, count)
        Milligrams and pieces, None for what was not said.
    most_mg : float, optional
        Milligrams that the planting may give in all, for where no line tells.

    Returns
    -------
    Usual
        Medians, each from `ENOUGH_LINES` lines on.

    Notes
    -----
    A median, so that one slip that was kept does not shift what is usual.

    Examples
    --------
    >>> usual_of([(900_000, 9), (1_000_000, 10), (1_300_000, 11)]).mass_mg
    1000000
    """
    masses = [mass for mass, _ in lines if mass]
    return Usual(
        _median(masses),
        _median([count for _, count in lines if count]),
        _median([mass / count for mass, count in lines if mass and count]),
        None if masses else most_mg,
    )


def far_from_usual(
    mass_mg: int | None, count: int | None, usual: Usual, fold: float = USUAL_FOLD
) -> Unusual | None:
    """Say what of a line is far from the usual, the furthest first.

    Parameters
    ----------
    mass_mg, count : int or None
        Of the line; None for what it does not say. Nothing weighed or counted, 0, is never asked
        about.
    usual : Usual
        What is usual.
    fold : float
        How many times more or less is far.

    Returns
    -------
    Unusual or None
        None where nothing is.

    Notes
    -----
    Kilter's own rule. A bound from the handbook asks about too much only: a first picking may be
    small.

    Examples
    --------
    >>> far_from_usual(940_120_000, None, Usual(mass_mg=940_000)).times
    1000.1276595744681
    """
    piece = mass_mg / count if mass_mg and count else None
    pairs = [
        ("mass", mass_mg, usual.mass_mg),
        ("count", count, usual.count),
        ("piece", piece, usual.piece_mg),
    ]
    found = [Unusual(what, often, value / often) for what, value, often in pairs if value and often]
    if mass_mg and usual.most_mg and mass_mg > usual.most_mg:
        found.append(Unusual("whole", usual.most_mg, mass_mg / usual.most_mg))
    far = [one for one in found if not 1 / fold <= one.times <= fold]
    return max(far, key=lambda one: max(one.times, 1 / one.times), default=None)


def _median(values: Sequence[float]) -> float | None:
    return statistics.median(values) if len(values) >= ENOUGH_LINES else None
