"""What is due, what grows and what waits for the scale today."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.set_out.queries import Lane, lanes, with_all_names
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.queries import waiting_lines


@dataclass(frozen=True)
class Due:
    """A lane of plantings and how it stands against the handbook's days."""

    lane: Lane
    days: int  #: in the ground
    state: str  #: ``overdue``, ``due`` or ``growing``

    @property
    def days_left(self) -> int | None:
        """Until the first lift is expected."""
        if self.lane.due_from is None or self.lane.planted_on is None:
            return None
        return (self.lane.due_from - self.lane.planted_on).days - self.days


@dataclass(frozen=True)
class Today:
    """Everything on the sheet."""

    due: tuple[Due, ...]  #: overdue first
    growing: tuple[Due, ...]
    waiting: tuple[WeighIn, ...]
    has_plantings: bool


def today_sheet(household: Household, today: date) -> Today:
    """Sort what is in the ground by what it asks for, of whatever season."""
    standing = with_all_names(Planting.objects.of(household).filter(finished_on=None))
    found = [_due(lane, today) for lane in lanes(list(standing))]
    due = sorted((d for d in found if d.state != "growing"), key=lambda d: d.lane.due_to or today)
    growing = sorted((d for d in found if d.state == "growing"), key=lambda d: d.lane.due_from or date.max)
    return Today(tuple(due), tuple(growing), tuple(waiting_lines(household)), bool(found))


def _due(lane: Lane, today: date) -> Due:
    state = "growing"
    if lane.due_from and lane.due_to and today >= lane.due_from:
        state = "overdue" if today > lane.due_to else "due"
    return Due(lane, (today - lane.planted_on).days if lane.planted_on else 0, state)
