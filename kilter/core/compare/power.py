"""What would settle it: how many units of each it takes to tell a gap of a given size from
chance.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy

from kilter.core.compare.moderation import RULE_WEIGHT
from kilter.core.errors import ComparisonError

POWER: Final = 0.8
ALPHA: Final = 0.05
#: τ of a yield: how far two things usually lie apart (see `kinds`).
GAP_SD: Final = 0.21
#: The normal quantile at which a chance of 0.9 is reached, which a clear answer needs.
CLEAR_Z: Final = 1.282
#: More units than a gardener will ever set out: beyond it the answer is "more than this".
MOST_UNITS: Final = 1000


@dataclass(frozen=True)
class Settling:
    """How many units of each level would tell a gap."""

    said: float  #: the gap as it is answered: a ratio, days or points
    units: int | None  #: of each level; None for more than `MOST_UNITS`


def units_to_settle(
    sd: float,
    gap: float,
    said: float | None = None,
    *,
    gap_sd: float = GAP_SD,
    prior_df: float = RULE_WEIGHT,
    power: float = POWER,
    alpha: float = ALPHA,
) -> Settling:
    """Give the units of each of two levels that a trial needs to come out clear.

    Parameters
    ----------
    sd : float
        Standard deviation of one unit on the link's scale (of the log of a yield; days), above
        zero.
    gap : float
        True difference of the two levels on the same scale, not 0.
    said : float, optional
        The same as it is answered, to be handed on.
    gap_sd : float
        τ: how far two things usually lie apart; infinite for none of that.
    prior_df : float
        Degrees of freedom that the belief on the spread counts as.
    power, alpha : float
        Chance to find it, and two-sided chance to find what is not there; between 0 and 1.

    Returns
    -------
    Settling
        The smallest number of units of each, two or more.

    Raises
    ------
    ComparisonError
        A standard deviation or gap that cannot be.

    Notes
    -----
    Two-sample t test with d0 + 2(n − 1) degrees of freedom; power by the noncentral t with
    noncentrality |gap| / (sd √(2/n)) (Cohen 1988, *Statistical Power Analysis*, ch. 2; memory).
    Clear also takes a chance of 0.9, so the critical value is at least 1.282·√(1 + 2 sd²/(n τ²))
    (rule).

    Examples
    --------
    >>> [units_to_settle(0.2, math.log(ratio)).units for ratio in (1.2, 1.5, 2)]
    [20, 5, 2]
    """
    if not (0 < sd < math.inf) or not (0 < abs(gap) < math.inf) or not gap_sd > 0:
        raise ComparisonError("What would settle it needs a spread above zero and a gap to tell.")
    if not (0 < power < 1 and 0 < alpha < 1):
        raise ComparisonError("Power and chance of error lie between 0 and 1.")

    def found(n: int) -> float:
        return _power(abs(gap), sd, n, alpha, gap_sd, prior_df)

    said = gap if said is None else said
    low, high = 2, 2
    while high <= MOST_UNITS and found(high) < power:
        low, high = high, high * 2
    if high > MOST_UNITS and found(MOST_UNITS) < power:
        return Settling(said, None)
    high = min(high, MOST_UNITS)
    while low < high:
        middle = (low + high) // 2
        if found(middle) >= power:
            high = middle
        else:
            low = middle + 1
    return Settling(said, high)


def smallest_gap(
    sd: float,
    units: int,
    *,
    gap_sd: float = GAP_SD,
    prior_df: float = RULE_WEIGHT,
    power: float = POWER,
    alpha: float = ALPHA,
) -> float:
    """Give the smallest gap that so many units of each can tell.

    Parameters
    ----------
    sd : float
        Standard deviation of one unit on the link's scale, above zero.
    units : int
        Of each level, two or more.
    gap_sd, prior_df, power, alpha : float
        As in `units_to_settle`.

    Returns
    -------
    float
        On the link's scale, above 0; of a yield the log of a ratio.

    Raises
    ------
    ComparisonError
        A standard deviation that cannot be, or fewer than two units.

    Notes
    -----
    The inverse of `units_to_settle`, by bisection.

    Examples
    --------
    >>> round(math.exp(smallest_gap(0.2, 5)), 2)
    1.47
    """
    if not (0 < sd < math.inf) or units < 2:
        raise ComparisonError("What can be shown needs a spread above zero and two units of each.")
    low, high = 0.0, 60.0 * sd
    for _ in range(60):
        middle = (low + high) / 2
        is_found = _power(middle, sd, units, alpha, gap_sd, prior_df) >= power
        low, high = (low, middle) if is_found else (middle, high)
    return high


def _power(
    gap: float, sd: float, units: int, alpha: float, gap_sd: float, prior_df: float
) -> float:
    df = prior_df + 2 * (units - 1)
    noncentral = gap / (sd * math.sqrt(2 / units))
    t = float(scipy.special.stdtrit(df, 1 - alpha / 2))
    t = max(t, CLEAR_Z * math.sqrt(1 + 2 * sd**2 / (units * gap_sd**2)))
    found = float(
        1 - scipy.special.nctdtr(df, noncentral, t) + scipy.special.nctdtr(df, noncentral, -t)
    )
    # Far out the noncentral t has no figures left; there it is certain.
    return 1.0 if math.isnan(found) and noncentral > t else float(np.nan_to_num(found))
