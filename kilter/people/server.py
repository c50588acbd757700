"""What the server remembers of itself: whether its clock can be believed,
and when the last backup was made.
"""

from __future__ import annotations

from datetime import date, datetime

from django.core.cache import cache

from kilter.people.leaving import DAYS_TO_UNDO
from kilter.people.models import ServerState
from kilter.people.writing import writing

#: A day further than this from the last one seen is doubted: within it nobody's week to think it
#: over runs out unseen.
GRACE_DAYS = DAYS_TO_UNDO
_DOUBT = "kilter-doubted-day"


def state(today: date) -> ServerState:
    """The one row, made on the first day."""
    return ServerState.objects.get_or_create(pk=1, defaults={"seen_on": today})[0]


def is_day_sure(today: date) -> bool:
    """Whether what is due by the day may be deleted:
    not where the clock has jumped and nobody called that right.
    """
    with writing():
        known = state(today)
        is_sure = abs((today - known.seen_on).days) <= GRACE_DAYS
        before = (known.seen_on, known.doubted_on)
        known.seen_on, known.doubted_on = (today, None) if is_sure else (known.seen_on, today)
        if (
            known.seen_on,
            known.doubted_on,
        ) != before:  # a write makes every page read its garden anew
            known.save(update_fields=["seen_on", "doubted_on"])
    # Every page of an owner tells of it, and none asks the database.
    cache.set(_DOUBT, known.doubted_on, None)
    return is_sure


def doubted_day() -> date | None:
    """The day that is doubted, as it was last looked at; asks no database."""
    day: date | None = cache.get(_DOUBT)
    return day


def trust_day(today: date) -> None:
    """An owner says that the machine's date is right."""
    with writing():
        known = state(today)
        known.seen_on, known.doubted_on = today, None
        known.save(update_fields=["seen_on", "doubted_on"])
    cache.delete(_DOUBT)


def backup_ended(at: datetime, problem: str = "") -> None:
    """Remember how the nightly backup went; a good one is the last good one."""
    with writing():
        known = state(at.date())
        known.backup_problem = problem[:300]
        if not problem:
            known.backed_up_at = at
        known.save(update_fields=["backup_problem", "backed_up_at"])
