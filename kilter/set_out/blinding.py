"""Plantings whose results are kept back, as a trial is blinded until all of it is in.

Trials are asked in a later room; it says here which plantings it keeps back, so that every page can
ask.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kilter.people.asking import LaterRooms
from kilter.people.models import Household


@dataclass(frozen=True)
class Blinded:
    """A trial whose results are not shown yet."""

    pk: int
    name: str
    done: int  #: places that are in
    of: int


#: Which plantings of a household are kept back.
BLINDED_BY: LaterRooms[[Household], Mapping[int, Blinded]] = LaterRooms()


def blinded_of(household: Household) -> dict[int, Blinded]:
    """The plantings that are kept back, by key, each with its trial."""
    return {pk: trial for told in BLINDED_BY.ask(household) for pk, trial in told.items()}
