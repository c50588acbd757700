"""What somebody who came to the bench by a link sees and changes: what they wrote themselves, of
the days since the link was made.
"""

from __future__ import annotations

from datetime import date
from typing import Any, cast

from django.core.exceptions import PermissionDenied
from django.db.models import QuerySet

from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.errors import KilterError
from kilter.people import clock
from kilter.people.events import EventError
from kilter.people.guests import token_of
from kilter.people.history import Actor
from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Membership, User
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn

NOT_YOURS = "You may change what you wrote; ask the household for the rest."


def first_day(member: Membership | None) -> date | None:
    """The first day that somebody who came by a link may write of: that on which it was made. None
    for everybody else.
    """
    if member is None or not member.is_guest:
        return None
    if member.link is None:
        return clock.today(member.household)
    return clock.day_of(member.household, member.link.made_at)


def own_lines(request: HouseholdRequest, lines: QuerySet[Any]) -> QuerySet[Any]:
    """Of some lines those that a guest wrote."""
    since = first_day(request.membership)
    return lines.filter(written_by=request.user.pk, weighed_on__gte=since)


def guest_of(request: HouseholdRequest) -> User | None:
    """Who it is, where they came by a link."""
    return cast(User, request.user) if request.membership.is_guest else None


def token_of_guest(request: HouseholdRequest) -> str:
    """What the device of a guest keeps, so that it is known again."""
    user, link = guest_of(request), request.membership.link
    return token_of(user, link) if user and link else ""


def lines_for(request: HouseholdRequest, lines: QuerySet[Any]) -> QuerySet[Any]:
    """Of some lines those that may be seen: a guest's own, everything for the others."""
    return own_lines(request, lines) if request.membership.is_guest else lines


def lifted_by(request: HouseholdRequest, plantings: QuerySet[Any]) -> QuerySet[Any]:
    """Of some plantings those that a guest lifted from and that are open: they may say that all is
    lifted.
    """
    mine = own_lines(request, WeighIn.objects.of(request.household))
    return plantings.filter(pk__in=mine.order_by().values("planting_id"), finished_on=None)


def check_lifted(request: HouseholdRequest, planting: Planting) -> None:
    """Refuse a guest who has lifted nothing of a planting, or would open it again."""
    if (
        request.membership.is_guest
        and not lifted_by(request, Planting.objects.filter(pk=planting.pk)).exists()
    ):
        raise PermissionDenied(
            "You may finish what you lifted from; ask the household for the rest."
        )


def check_own(actor: Actor, line: WeighIn) -> None:
    """Refuse a guest's striking of what is not theirs."""
    member = getattr(actor.user, "membership", None)
    if actor.user is None or member is None or not member.is_guest:
        return
    since = first_day(member)
    if line.written_by_id != actor.user.pk or (since and line.weighed_on < since):
        raise KilterError(NOT_YOURS)


def check_since(actor: Actor, day: date) -> None:
    """Refuse a guest's line of a day before their link was made."""
    since = first_day(getattr(actor.user, "membership", None))
    if since is not None and day < since:
        raise EventError(
            f"Your link is of {format_date(VagueDate(since))}; ask the household to write what was "
            "lifted before."
        )
