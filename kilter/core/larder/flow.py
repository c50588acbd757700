"""A store week by week: what is eaten, what is left, what is lacking and what goes to waste."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kilter.core.errors import PlanError

#: So much of a week's demand met is the week covered (rule).
COVERED = 0.95
#: Less than this is nothing: a tenth of a milligram.
NOTHING_KG = 1e-7


@dataclass(frozen=True)
class Batch:
    """What came in at once."""

    week: int
    kg: float
    keeps_weeks: int  #: eaten in its own week and so many after it; what is left then is wasted
    loss_per_week: float = 0.0  #: share of what is left that spoils in a week
    is_hurt: bool = False  #: eaten before what is whole


@dataclass(frozen=True)
class Week:
    """One week of a store, in kilograms."""

    demand: float
    eaten: float
    stock: float  #: left at its end
    short: float
    waste: float  #: spoiled, and past keeping

    @property
    def is_covered(self) -> bool:
        return self.eaten >= COVERED * self.demand


@dataclass(frozen=True)
class Flow:
    """A store through its weeks."""

    weeks: tuple[Week, ...]

    @property
    def runs_out(self) -> int | None:
        """The first week that is short after one in which some was eaten;
        None where it never is.
        """
        eaten = next((i for i, week in enumerate(self.weeks) if week.eaten > NOTHING_KG), None)
        if eaten is None:
            return None
        later = range(eaten + 1, len(self.weeks))
        return next(
            (i for i in later if self.weeks[i].demand and not self.weeks[i].is_covered), None
        )

    @property
    def longest_gap(self) -> int:
        """The most weeks in a row that want some and are not covered."""
        longest = run = 0
        for week in self.weeks:
            run = run + 1 if week.demand and not week.is_covered else 0
            longest = max(longest, run)
        return longest

    def spare(self, week: int) -> float:
        """What could be taken in a week for something else, so that no later week has less.

        Kilograms; exact where all batches keep alike and lose nothing.
        """
        waste, least = 0.0, float("inf")
        for later in self.weeks[week:]:
            waste += later.waste
            least = min(least, later.stock + waste)
        return least if self.weeks[week:] else 0.0


def weekly_flow(batches: Sequence[Batch], demand: Sequence[float]) -> Flow:
    """Follow batches through the weeks in which they are eaten.

    Parameters
    ----------
    batches : sequence of Batch
        In any order; a batch before week 0 lies there from the beginning.
    demand : sequence of float
        Kilograms wanted in each week, from week 0.

    Returns
    -------
    Flow
        One week for each of demand.

    Raises
    ------
    PlanError
        A negative figure, or a loss that is no share.

    Notes
    -----
    Each week: eat, what is hurt first and then the oldest; lose d of what is left; then waste what
    is past keeping. A lack is not caught up.

    Examples
    --------
    >>> [week.eaten for week in weekly_flow([Batch(0, 3, keeps_weeks=1)], [1, 1, 1]).weeks]
    [1.0, 1.0, 0.0]
    """
    if any(b.kg < 0 or b.keeps_weeks < 0 or not 0 <= b.loss_per_week < 1 for b in batches) or any(
        wanted < 0 for wanted in demand
    ):
        raise PlanError(
            "Kilograms and weeks are not below zero, and a loss a week is a share below 1."
        )
    order = sorted(batches, key=lambda batch: (not batch.is_hurt, batch.week))
    left = [batch.kg for batch in order]
    found = []
    for now, wanted in enumerate(demand):
        lack, waste = float(wanted), 0.0
        for i, batch in enumerate(order):
            if batch.week <= now:
                taken = min(left[i], lack)
                left[i], lack = left[i] - taken, lack - taken
        for i, batch in enumerate(order):
            if batch.week <= now:
                kept = (
                    0.0
                    if now - batch.week >= batch.keeps_weeks
                    else left[i] * (1 - batch.loss_per_week)
                )
                waste, left[i] = waste + left[i] - kept, kept
        stock = sum(kg for kg, batch in zip(left, order, strict=True) if batch.week <= now)
        short = lack if lack > NOTHING_KG else 0.0
        found.append(Week(float(wanted), wanted - lack, stock, short, waste))
    return Flow(tuple(found))
