"""The one clock of the pages; a fixed date can be set for demonstrations and tests."""

from __future__ import annotations

import zoneinfo
from datetime import date, datetime, timedelta

from django.conf import settings
from django.utils import timezone

from kilter.people.models import Household


def shift_days(household: Household) -> int:
    """How many days a fixed date lies off the real one; 0 in real use.

    Devices shift their times alike.
    """
    if not settings.KILTER_TODAY:
        return 0
    return (date.fromisoformat(settings.KILTER_TODAY) - _local(household).date()).days


def now(household: Household) -> datetime:
    """The time in the household's zone."""
    shown = _local(household) + timedelta(days=shift_days(household))
    # Whole milliseconds, as a change keeps them: undone and done again, it is the same time.
    return shown.replace(microsecond=shown.microsecond // 1000 * 1000)


def today(household: Household) -> date:
    """The date in the household's zone."""
    return now(household).date()


def day_of(household: Household, moment: datetime) -> date:
    """The date of a moment in the household's zone, as its days are counted."""
    zone = zoneinfo.ZoneInfo(household.time_zone)
    return (moment.astimezone(zone) + timedelta(days=shift_days(household))).date()


def day_began(household: Household) -> datetime:
    """When the present day began in the household's zone, by the real clock,
    as changes and lines are stamped.
    """
    return _local(household).replace(hour=0, minute=0, second=0, microsecond=0)


def _local(household: Household) -> datetime:
    return timezone.now().astimezone(zoneinfo.ZoneInfo(household.time_zone))
