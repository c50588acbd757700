"""What became of a planting's harvest in store.

The larder is a later room; it says here what it knows.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from kilter.people.asking import LaterRooms
from kilter.people.models import Household


@dataclass(frozen=True)
class Keeping:
    """Of one planting: what was put by, what of that was lost, and how it was kept."""

    put_by_mg: float
    lost_mg: float  #: spoiled, or lost in weight, so far
    kept_in: str  #: the kind of store that most of it went into
    is_cured: bool


#: What became of some plantings in store.
KEPT: LaterRooms[[Household, Collection[int]], Mapping[int, Keeping]] = LaterRooms()


def kept_of(household: Household, plantings: Collection[int]) -> dict[int, Keeping]:
    """What became of some plantings' harvest, by key;
    those of which nothing was put by are not in it.
    """
    return {pk: kept for told in KEPT.ask(household, plantings) for pk, kept in told.items()}
