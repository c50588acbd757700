"""How long what lies there lasts, at the pace it goes and by what spoils."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from statistics import mean, stdev

from kilter.core.errors import RecordError

#: The pace is that of so many weeks back (rule).
PACE_WEEKS = 8
#: So many weeks tell how uneven they are; the range is a fifth of the pace at least and four fifths
#: at most (rules).
FEWEST_WEEKS, LEAST_DOUBT, MOST_DOUBT = 3, 0.2, 0.8
#: Beyond this nothing is foretold.
MOST_WEEKS = 104.0
#: Nothing is called gone that is more than this (rule): two grams.
GONE_MG = 2_000


@dataclass(frozen=True)
class Pace:
    """What is taken a week, in milligrams, with the range it may be in."""

    a_week: float
    low: float
    high: float
    takings: int


@dataclass(frozen=True)
class Lasts:
    """Weeks until it is gone; None beyond two years."""

    weeks: float | None
    soonest: float | None
    latest: float | None


def pace_of(takings: Sequence[tuple[date, int]], since: date, today: date) -> Pace | None:
    """Reckon what is taken a week.

    Parameters
    ----------
    takings : sequence of (date, int)
        What was taken to be eaten, given or fed, in milligrams, each with its day.
    since : date
        The day from which it lay there.
    today : date
        The day of asking.

    Returns
    -------
    Pace or None
        None where nothing was taken yet, or it has lain there for less than a week.

    Notes
    -----
    Over the last eight weeks, or since it lies there. The range is ± 2 s/√w of the sums of its w
    weeks, where there are three or more; with fewer the takings are taken for a Poisson number, ±
    2/√n. It is a fifth of the pace at least, as habits change, and four fifths at most (rules).

    Examples
    --------
    >>> day = date(2026, 10, 1)
    >>> pace_of([(day, 500_000), (day + timedelta(7), 500_000)], day, day + timedelta(14)).a_week
    500000.0
    """
    begins = max(since, today - timedelta(weeks=PACE_WEEKS))
    recent = [mass_mg for day, mass_mg in takings if begins <= day <= today]
    days = (today - begins).days
    if days < 7 or not sum(recent):
        return None
    a_week = sum(recent) * 7 / days
    doubt = min(max(_doubt(takings, begins, today), LEAST_DOUBT), MOST_DOUBT)
    return Pace(a_week, a_week * (1 - doubt), a_week * (1 + doubt), len(recent))


def _doubt(takings: Sequence[tuple[date, int]], begins: date, today: date) -> float:
    """Relative range of the pace."""
    weeks = (today - begins).days // 7
    sums = [0.0] * weeks
    number = 0
    for day, mass_mg in takings:
        if begins <= day <= today:
            number += 1
            sums[min((day - begins).days // 7, weeks - 1)] += mass_mg
    if weeks < FEWEST_WEEKS:
        return 2 / math.sqrt(number)
    return 2 * stdev(sums) / math.sqrt(weeks) / mean(sums)


def lasts(lying_mg: float, pace: Pace, loss: float, loss_low: float, loss_high: float) -> Lasts:
    """Say when what lies there is gone.

    Parameters
    ----------
    lying_mg : float
        Milligrams.
    pace : Pace
        What is taken a week.
    loss, loss_low, loss_high : float
        Share of what is left that spoils in a week, and its range.

    Returns
    -------
    Lasts
        Weeks from now, with the soonest and the latest.

    Raises
    ------
    RecordError
        A negative amount, or a loss that is no share.

    Notes
    -----
    dL/dt = −p − λL, so that L is gone after ln(1 + λL/p)/λ weeks (closed form), λ = −ln(1 − loss).

    Examples
    --------
    >>> lasts(10_000_000, Pace(1_000_000, 800_000, 1_200_000, 9), 0, 0, 0).weeks
    10.0
    """
    if lying_mg < 0 or not all(0 <= one < 1 for one in (loss, loss_low, loss_high)):
        raise RecordError(
            "What lies there is not below zero, and a loss a week is a share below 1."
        )

    def weeks(taken: float, share: float) -> float | None:
        rate = -math.log1p(-share)
        if taken <= 0:
            return None
        found = math.log1p(rate * lying_mg / taken) / rate if rate > 1e-9 else lying_mg / taken
        return found if found <= MOST_WEEKS else None

    return Lasts(weeks(pace.a_week, loss), weeks(pace.high, loss_high), weeks(pace.low, loss_low))


def left_after(lying_mg: float, a_week: float, loss: float, weeks: float) -> float:
    """Say what is left after so many weeks.

    Parameters
    ----------
    lying_mg, a_week : float
        What lies there and what is taken a week, in milligrams.
    loss : float
        Share of what is left that spoils in a week.
    weeks : float
        From now.

    Returns
    -------
    float
        Milligrams, zero or more.

    Notes
    -----
    L(t) = (L₀ + p/λ)·e^(−λt) − p/λ, the solution of dL/dt = −p − λL.

    Examples
    --------
    >>> round(left_after(10_000_000, 1_000_000, 0.01, 4))
    5685296
    """
    rate = -math.log1p(-loss)
    if rate <= 1e-9:
        return max(lying_mg - a_week * weeks, 0.0)
    return max((lying_mg + a_week / rate) * math.exp(-rate * weeks) - a_week / rate, 0.0)
