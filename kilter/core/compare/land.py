"""Does sharing a bed pay: the land equivalent ratio of crops grown together against each alone."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import scipy

from kilter.core.compare.judge import CLEAR_UNITS, LEANING_CHANCE, t_quantile
from kilter.core.errors import ComparisonError


@dataclass(frozen=True, kw_only=True)
class Share:
    """What one crop gave together, as a ratio of what it gave alone,
    each per square metre of the whole ground.
    """

    crop: str
    ratio: float
    log_se: float
    df: float
    together: int  #: units
    alone: int
    unit: str = "kg"  #: or "count", of what is counted rather than weighed


@dataclass(frozen=True, kw_only=True)
class LandEquivalent:
    """The sum of the ratios with its doubt."""

    shares: tuple[Share, ...]
    total: float
    low: float  #: 95 % interval
    high: float
    chance: float  #: that it is above one
    df: float
    verdict: Literal["clear", "leaning", "cannot tell"]
    missing: tuple[str, ...] = ()  #: crops without a ratio, so that the sum is short of them

    @property
    def is_partial(self) -> bool:
        return bool(self.missing)

    @property
    def short(self) -> float:
        """What is short of one: so much the missing crops must bring for sharing to pay."""
        return max(1 - self.total, 0.0)


def shared_ground(shares: Sequence[float | None], *, is_part: bool) -> float:
    """Give the share of a place's ground that all who stood in it had together.

    Parameters
    ----------
    shares : sequence of float or None
        Of each planting the share of the place it was given, None where nobody said.
    is_part : bool
        Whether all of them stood in one and the same part.

    Returns
    -------
    float
        Up to 1: all of it, unless shares were stated.

    Notes
    -----
    Kilter's own (rule): shares of one part are that part's, where they are alike; else stated
    shares add up.

    Examples
    --------
    >>> shared_ground([0.5, 0.5], is_part=True), shared_ground([0.3, 0.4], is_part=False)
    (0.5, 0.7)
    """
    stated = [share for share in shares if share]
    if not stated or len(stated) < len(shares):
        return 1.0
    if is_part and len(set(stated)) == 1:
        return stated[0]
    return min(sum(stated), 1.0)


def land_equivalent(shares: Sequence[Share], missing: Sequence[str] = ()) -> LandEquivalent:
    """Add up what crops gave together against each alone.

    Parameters
    ----------
    shares : sequence of Share
        Two crops or more, with those missing.
    missing : sequence of str
        Crops that shared the ground too and have no ratio, as no bed was theirs alone.

    Returns
    -------
    LandEquivalent
        Above one, the shared bed gives what would take more ground in separate beds. Where crops
        are missing the sum is what the others come to: above one it pays whatever the rest gave,
        below one nobody can tell.

    Raises
    ------
    ComparisonError
        Fewer than two crops, no ratio at all, or one that is not above zero.

    Notes
    -----
    LER = Σ (per m² together / per m² alone) (Mead & Willey 1980, *Experimental Agriculture* 16:217;
    memory). The ratios come from different plantings, so their variances add: Var LER = Σ r²·se²;
    the interval by the delta method on the log, with the degrees of freedom of Welch and
    Satterthwaite. As in any comparison nothing is clear below two units on either side (rule).

    Examples
    --------
    >>> round(
    ...     land_equivalent(
    ...         [
    ...             Share(crop="maize", ratio=0.80, log_se=0.1, df=6, together=2, alone=2),
    ...             Share(crop="bean", ratio=0.75, log_se=0.1, df=6, together=2, alone=2),
    ...         ]
    ...     ).total,
    ...     2,
    ... )
    1.55
    """
    if len(shares) + len(missing) < 2 or not shares:
        raise ComparisonError(
            "Sharing a bed takes two crops or more, each grown together and alone."
        )
    if any(not share.ratio > 0 for share in shares):
        raise ComparisonError(
            "A crop that gave nothing, together or alone, leaves the sum without a bound."
        )
    total = sum(share.ratio for share in shares)
    parts = [(share.ratio * share.log_se) ** 2 for share in shares]
    variance = sum(parts)
    df = variance**2 / sum(part**2 / share.df for part, share in zip(parts, shares, strict=True))
    sd, half = math.sqrt(variance) / total, t_quantile(round(df, 6))
    low, high = total * math.exp(-half * sd), total * math.exp(half * sd)
    chance = float(scipy.special.stdtr(df, math.log(total) / sd))
    is_twice = all(min(share.together, share.alone) >= CLEAR_UNITS for share in shares)
    is_clear = is_twice and (low > 1 or (high < 1 and not missing))
    verdict: Literal["clear", "leaning", "cannot tell"] = "clear" if is_clear else "cannot tell"
    if not is_clear and max(chance, 0.0 if missing else 1 - chance) >= LEANING_CHANCE:
        verdict = "leaning"
    return LandEquivalent(
        shares=tuple(shares),
        total=total,
        low=low,
        high=high,
        chance=chance,
        df=df,
        verdict=verdict,
        missing=tuple(missing),
    )
