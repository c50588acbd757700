"""What would settle it: how many units of each it takes to tell a gap of a given size from chance."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from kilter.core.errors import ComparisonError

POWER: Final = 0.8
ALPHA: Final = 0.05
#: More units than a gardener will ever set out: beyond it the answer is "more than this".
MOST_UNITS: Final = 1000
#: Gaps that are always answered for, beside the one seen (rule).
GAPS: Final = (1.1, 1.2, 1.5)


@dataclass(frozen=True)
class Settling:
    """How many units of each level would tell a ratio from 1."""

    ratio: float
    units: int | None  #: of each level; None for more than `MOST_UNITS`


def units_to_settle(log_sd: float, ratio: float, power: float = POWER, alpha: float = ALPHA) -> Settling:
    """Give the units of each of two levels that a trial needs to tell a ratio from 1.

    Parameters
    ----------
    log_sd : float
        Standard deviation of the log of one unit's yield, above zero.
    ratio : float
        True ratio of the two levels, above zero and not 1.
    power, alpha : float
        Chance to find it, and two-sided chance to find what is not there; between 0 and 1.

    Returns
    -------
    Settling
        The smallest number of units of each, two or more.

    Raises
    ------
    ComparisonError
        A standard deviation or ratio that cannot be.

    Notes
    -----
    Two-sample t test on the log scale with 2(n − 1) degrees of freedom; power by the noncentral t
    with noncentrality |log ratio| / (sd √(2/n)) (Cohen 1988, *Statistical Power Analysis*, ch. 2; memory).

    Examples
    --------
    >>> [units_to_settle(0.2, ratio).units for ratio in (1.2, 1.5, 2)]
    [20, 5, 3]
    """
    if not (0 < log_sd < math.inf) or not (0 < ratio < math.inf) or ratio == 1:
        raise ComparisonError("What would settle it needs a spread above zero and a gap to tell.")
    if not (0 < power < 1 and 0 < alpha < 1):
        raise ComparisonError("Power and chance of error lie between 0 and 1.")
    gap = abs(math.log(ratio))
    low, high = 2, 2
    while high <= MOST_UNITS and _power(gap, log_sd, high, alpha) < power:
        low, high = high, high * 2
    if high > MOST_UNITS and _power(gap, log_sd, MOST_UNITS, alpha) < power:
        return Settling(ratio, None)
    high = min(high, MOST_UNITS)
    while low < high:
        middle = (low + high) // 2
        if _power(gap, log_sd, middle, alpha) >= power:
            high = middle
        else:
            low = middle + 1
    return Settling(ratio, high)


def smallest_gap(log_sd: float, units: int, power: float = POWER, alpha: float = ALPHA) -> float:
    """Give the smallest ratio that so many units of each can tell from 1.

    Parameters
    ----------
    log_sd : float
        Standard deviation of the log of one unit's yield, above zero.
    units : int
        Of each level, two or more.
    power, alpha : float
        As in `units_to_settle`.

    Returns
    -------
    float
        A ratio above 1.

    Raises
    ------
    ComparisonError
        A standard deviation that cannot be, or fewer than two units.

    Notes
    -----
    The inverse of `units_to_settle`, by bisection on the log of the ratio.

    Examples
    --------
    >>> round(smallest_gap(0.2, 5), 2)
    1.5
    """
    if not (0 < log_sd < math.inf) or units < 2:
        raise ComparisonError("What can be shown needs a spread above zero and two units of each.")
    low, high = 0.0, 60.0 * log_sd
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if _power(middle, log_sd, units, alpha) >= power else (middle, high)
    return math.exp(high)


def _power(gap: float, log_sd: float, units: int, alpha: float) -> float:
    df = 2 * (units - 1)
    noncentral = gap / (log_sd * math.sqrt(2 / units))
    t = float(scipy.special.stdtrit(df, 1 - alpha / 2))
    found = float(1 - scipy.special.nctdtr(df, noncentral, t) + scipy.special.nctdtr(df, noncentral, -t))
    # Far out the noncentral t has no figures left; there it is certain.
    return 1.0 if math.isnan(found) and noncentral > t else float(np.nan_to_num(found))
