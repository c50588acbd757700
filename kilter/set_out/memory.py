"""What places remember of pests, dry ends and failures.

What happened is asked in a later room, which tells it here.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date

from kilter.ground.models import Part, Place
from kilter.people.asking import LaterRooms
from kilter.people.models import Household


@dataclass(frozen=True)
class Remembered:
    """What one place, part or site remembers, in words."""

    where: str
    words: tuple[str, ...]


#: What some places remember on a day.
REMEMBERED: LaterRooms[
    [Household, Collection[tuple[Place, Part | None]], date], list[Remembered]
] = LaterRooms()


def memory_of(
    household: Household, spots: Collection[tuple[Place, Part | None]], today: date
) -> list[Remembered]:
    """What some places remember, those that remember nothing left out."""
    return [one for told in REMEMBERED.ask(household, spots, today) for one in told]
