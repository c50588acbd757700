"""What the household needs of each crop. The plan is a later room; it says here what it reckons."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kilter.people.asking import LaterRooms
from kilter.people.models import Household


@dataclass(frozen=True)
class Need:
    """What is to be lifted of a crop for what is eaten here."""

    kg: float
    is_said: bool  #: the household said how much it eats of it; else it is the handbook's servings


#: Of a season, by the key of the crop.
NEEDED: LaterRooms[[Household, int], Mapping[int, Need]] = LaterRooms()


def needs_of(household: Household, season: int) -> dict[int, Need]:
    """What is to be lifted of each crop for what is eaten here, by its key, where that is known."""
    return {pk: need for told in NEEDED.ask(household, season) for pk, need in told.items()}
