"""What is lost in store: a loss a week for a crop and kind of store,
learnt each time a crate is looked through.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy.special import gammaincinv

from kilter.core.errors import RecordError

#: A crate of which nothing was good would tell of a loss without bound; so much of it is believed
#: (rule).
MOST_SPOILED = 0.99
#: Looks at one crate tell less than looks at several: each further one counts for less (tuned by
#: simulation: with 0.5 the 90 % interval covers 86–89 % of gardens whose crates differ by a
#: coefficient of variation of 0.7, with this one 89–92 %).
SAME_CRATE = 0.7
#: Shape of the gamma where nothing was looked through yet (rule).
PRIOR_SHAPE = 2.0


@dataclass(frozen=True)
class Look:
    """One looking through of a crate."""

    crate: str
    weeks: float  #: since it was put by, or looked through last
    spoiled: float  #: of what lay there, the share found spoiled

    @property
    def hazard(self) -> float:
        """What was lost on the scale on which weeks add up."""
        return -math.log1p(-min(self.spoiled, MOST_SPOILED))


@dataclass(frozen=True)
class StoreLoss:
    """What a crop loses in a kind of store."""

    per_week: float  #: share of what is left that spoils in a week
    low: float
    high: float
    looks: int
    own_share: float  #: how much of it is own record; the rest is handbook


def loss_in_store(
    looks: Sequence[Look], handbook_loss: float, keep_weeks: float, certainty: float = 0.9
) -> StoreLoss:
    """Reckon what a crop loses a week in a kind of store, from its lookings-through and the
    handbook.

    Parameters
    ----------
    looks : sequence of Look
        Of the crop in that kind of store, of all years; may be empty.
    handbook_loss : float
        The handbook's loss a week, a share.
    keep_weeks : float
        Weeks that the handbook lets it keep: the prior is worth one such season.
    certainty : float
        Of the interval, between 0 and 1.

    Returns
    -------
    StoreLoss
        The loss a week as a share, with its interval.

    Raises
    ------
    RecordError
        A share outside 0 to 1, weeks that are not above zero, or a handbook that says nothing.

    Notes
    -----
    Each look gives h = −ln(1 − spoiled) over t weeks; λ = (T₀λ₀ + Σh)/(T₀ + Σt), a gamma-Poisson
    mean with a prior of T₀ weeks. The interval is a gamma of mean λ and shape 2 + n/(1 + 0.7 n̄), n
    looks, n̄ looks a crate, as crates differ (rules; their coverage is simulated in the tests).

    Examples
    --------
    >>> found = loss_in_store([Look("a", 4, 0.03), Look("a", 4, 0.06)], 0.01, 20)
    >>> round(found.per_week, 6)
    0.010386
    """
    if not 0 < handbook_loss < 1 or not keep_weeks > 0:
        raise RecordError(
            "The handbook's loss a week is a share above 0, and its keeping weeks are above 0."
        )
    for look in looks:
        if not look.weeks > 0 or not 0 <= look.spoiled <= 1:
            raise RecordError(
                "A looking through has weeks above 0, and a share spoiled from 0 to 1."
            )
    weeks = sum(look.weeks for look in looks)
    rate = (keep_weeks * handbook_loss + sum(look.hazard for look in looks)) / (keep_weeks + weeks)
    a_crate = len(looks) / max(len({look.crate for look in looks}), 1)
    shape = PRIOR_SHAPE + len(looks) / (1 + SAME_CRATE * a_crate)
    low, high = (
        rate / shape * float(gammaincinv(shape, 0.5 + side * certainty / 2)) for side in (-1, 1)
    )
    share = [-math.expm1(-one) for one in (rate, low, high)]
    return StoreLoss(share[0], share[1], share[2], len(looks), weeks / (keep_weeks + weeks))
