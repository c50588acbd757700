"""The one clock of the pages; a fixed date can be set for demonstrations and tests."""

from __future__ import annotations

import zoneinfo
from datetime import date, datetime, timedelta

from django.conf import settings
from django.utils import timezone

from kilter.people.models import Household


def now(household: Household) -> datetime:
    """The time in the household's zone."""
    local = timezone.now().astimezone(zoneinfo.ZoneInfo(household.time_zone))
    if settings.KILTER_TODAY:
        fixed = date.fromisoformat(settings.KILTER_TODAY)
        return local + timedelta(days=(fixed - local.date()).days)
    return local


def today(household: Household) -> date:
    """The date in the household's zone."""
    return now(household).date()
