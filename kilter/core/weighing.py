"""From readings of a scale to net masses: tare, piling on, and what the scale cannot resolve."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kilter.core.errors import FallingReadingError, WeighingError


@dataclass(frozen=True)
class Pile:
    """Loads read as a running total on one scale, without emptying it."""

    nets_mg: tuple[int, ...]  #: one net mass for each reading, in order
    total_mg: int  #: their sum, which is the last reading less the start


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
            f"The tare ({tare_mg / 1e6:.3f} kg) is more than the whole load ({gross_mg / 1e6:.3f} kg); "
            "check which of the two was typed."
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
    net_i = r_i − r_(i−1) within one pile on one scale (common practice, no source).

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


def resolution_sd_mg(resolution_mg: float, readings: int, *, is_pile: bool = False) -> float:
    """Say how far the scale's steps alone can put a sum of readings off.

    Parameters
    ----------
    resolution_mg : float
        Step of the display, milligrams, above zero.
    readings : int
        How many readings make the sum, one or more.
    is_pile : bool
        Whether they were one running total: then only its start and its end count.

    Returns
    -------
    float
        One standard deviation of the sum, milligrams.

    Raises
    ------
    WeighingError
        A step that is not above zero, or no readings.

    Notes
    -----
    A rounded reading is uniform over one step d, with standard deviation d/√12 (JCGM 100:2008,
    4.3.7; memory): d·√(n/12) for n zeroed readings, d·√(2/12) for a pile.

    Examples
    --------
    >>> round(resolution_sd_mg(5000, 12))
    5000
    """
    if resolution_mg <= 0 or readings < 1:
        raise WeighingError("A scale needs a step above zero, and a sum at least one reading.")
    return resolution_mg * math.sqrt((2 if is_pile else readings) / 12)
