"""What the plan of a season has for each place. The plan is a later room, which tells it here."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlencode

from kilter.people.asking import LaterRooms
from kilter.people.models import Household


@dataclass(frozen=True, kw_only=True)
class PlannedLine:
    """What is planned and not set out yet: one planting, or the same in places of a set."""

    crop: str
    variety: str
    units: int  #: in each place
    unit_kind: str
    spots: tuple[str, ...]  #: keys of the places, or of their parts
    where: str
    slot: int  #: the half-month in which it begins
    begins: str  #: in words

    @property
    def asked(self) -> str:
        """What the sentence of a new planting begins with."""
        said = {"places": ",".join(self.spots), "crop": self.crop, "variety": self.variety}
        return urlencode({**said, "units": self.units, "unit_kind": self.unit_kind})


#: What is planned for a season and not set out yet.
PLANNED: LaterRooms[[Household, int], list[PlannedLine]] = LaterRooms()


def planned_in(household: Household, season: int) -> list[PlannedLine]:
    """What is planned for a season and not set out yet, in the order of its days."""
    found = [line for told in PLANNED.ask(household, season) for line in told]
    return sorted(found, key=lambda line: (line.slot, line.crop, line.where))
