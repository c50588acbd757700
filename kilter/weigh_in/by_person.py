"""All that one person wrote since a day, taken back in one go."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from django.core.exceptions import ValidationError
from django.db.models import Q, QuerySet

from kilter.people import clock
from kilter.people.history import Actor, changing, undo
from kilter.people.models import Change, Household, User
from kilter.people.writing import writing
from kilter.weigh_in.models import Striking, WeighIn, new_client_id


@dataclass(frozen=True)
class WrittenBy:
    """What somebody wrote and what of it still stands."""

    lines: tuple[WeighIn, ...]
    changes: tuple[Change, ...]  #: newest first


@dataclass(frozen=True)
class Undone:
    """What was taken back, and what could not be, with why."""

    lines: int
    changes: int
    left: tuple[str, ...]

    def words(self, person: User) -> str:
        """What was done, in a sentence."""
        lines = (
            f"{self.lines} line of {person} is"
            if self.lines == 1
            else f"{self.lines} lines of {person} are"
        )
        changes = (
            f"{self.changes} change is" if self.changes == 1 else f"{self.changes} changes are"
        )
        return f"{lines} struck and {changes} undone."


def writers(household: Household) -> QuerySet[User]:
    """Everybody who ever wrote something here, those too who came by a link that is ended."""
    by_line = WeighIn.objects.ever_of(household).order_by().values("written_by")
    by_change = Change.objects.filter(household=household, is_note=False).order_by().values("by")
    return User.objects.filter(Q(pk__in=by_line) | Q(pk__in=by_change)).order_by(
        "first_name", "username"
    )


def written_by(household: Household, person: User, since: date) -> WrittenBy:
    """What a person wrote since the beginning of a day, as it still stands;
    what they undid themselves is left.
    """
    began = datetime.combine(since, time.min, ZoneInfo(household.time_zone))
    lines = WeighIn.objects.of(household).filter(written_by=person, written_at__gte=began)
    names = "planting__place", "planting__crop", "planting__variety"
    mine = Change.objects.filter(
        household=household, by=person, is_note=False, is_undoing=False, undone_at=None
    )
    # Changes are stamped by the real clock, lines by the page's; the two differ where a fixed date
    # is set.
    really = began - timedelta(days=clock.shift_days(household))
    return WrittenBy(
        tuple(lines.select_related(*names).order_by("pk")),
        tuple(mine.filter(made_at__gte=really).order_by("-pk")),
    )


def undo_all(actor: Actor, person: User, since: date) -> Undone:
    """Undo a person's changes, newest first, and strike their lines;
    what others built on since is left and named.
    """
    left, undone = [], 0
    with writing():
        found = written_by(actor.household, person, since)
        for change in found.changes:
            try:
                undo(actor, change)
                undone += 1
            except ValidationError as error:
                left.append(" ".join(error.messages))
        lines = list(
            WeighIn.objects.of(actor.household).filter(pk__in=[line.pk for line in found.lines])
        )
        now = clock.now(actor.household)
        with changing(
            actor, f"Struck: {len(lines)} line{'' if len(lines) == 1 else 's'} of {person}."
        ) as recorder:
            recorder.strike(*lines)
        Striking.objects.bulk_create(
            Striking(
                household=actor.household,
                client_id=new_client_id(),
                line=line,
                is_struck=True,
                at=now,
                by=actor.user,
            )
            for line in lines
        )
    return Undone(len(lines), undone, tuple(left))
