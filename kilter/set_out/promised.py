"""What is to be kept at the first planting of a crop in a season: the plan, a later room,
keeps what it promised.
"""

from __future__ import annotations

from collections.abc import Callable

from kilter.people.asking import LaterRooms
from kilter.people.history import Recorder
from kilter.people.models import Household
from kilter.set_out.models import Crop, Planting

Keep = Callable[[Recorder, list[Planting]], None]
#: Asked before anything is locked: what is to be written with the planting; None where nothing is.
PROMISED: LaterRooms[[Household, int, Crop], Keep | None] = LaterRooms()


def promises_of(household: Household, season: int, crop: Crop | None) -> list[Keep]:
    """What is to be written along with a planting of a crop."""
    if crop is None:
        return []
    return [keep for keep in PROMISED.ask(household, season, crop) if keep is not None]
