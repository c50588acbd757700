"""What every page is given: the rooms, the season, how to show things."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import Any, cast

from django.conf import settings
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest
from django.urls import reverse

from kilter.people import clock
from kilter.people.look import mode_of, system_of
from kilter.people.middleware import HouseholdRequest, who_of
from kilter.people.models import Role
from kilter.people.server import doubted_day
from kilter.site.walk import walk_of


@dataclass(frozen=True)
class Room:
    """A notch on the beam."""

    label: str
    route: str
    key: str  #: letter after ``g``
    also: tuple[str, ...] = ()  #: other namespaces of the room

    @property
    def namespace(self) -> str:
        return self.route.partition(":")[0]


ROOMS = (
    Room("Today", "today:index", "t"),
    Room("Ground", "atlas:index", "g", ("ground", "weather")),
    Room("Set out", "set_out:index", "s", ("tending",)),
    Room("Weigh in", "weigh_in:bench", "w"),
    Room("Weigh up", "weigh_up:index", "u"),
    Room("Larder", "larder:index", "l"),
    Room("Look back", "look_back:index", "b"),
    Room("Next year", "next_year:index", "n"),
)

#: All that somebody who came by a link to the bench is shown.
AT_BENCH = tuple(room for room in ROOMS if room.namespace == "weigh_in")


def _room_of(namespace: str, name: str) -> str:
    """The room whose notch the poise stands at; a planting's page belongs to Set out."""
    if (namespace, name) == ("atlas", "planting"):
        return "set_out"
    return next((room.namespace for room in ROOMS if namespace in room.also), namespace)


def _going(request: HouseholdRequest) -> dict[str, Any]:
    """What is to be deleted, until its week is over: told on every page."""
    if request.household.goes_at:
        where = reverse("people:household")
        return {
            "goes_at": request.household.goes_at,
            "goes_what": "This household",
            "goes_where": where,
        }
    if (goes_at := getattr(request.user, "goes_at", None)) is not None:
        return {
            "goes_at": goes_at,
            "goes_what": "Your account",
            "goes_where": reverse("people:account"),
        }
    return {}


def page(request: HttpRequest) -> dict[str, Any]:
    """The context of the base template."""
    household_request = cast(HouseholdRequest, request)
    match = request.resolver_match
    context: dict[str, Any] = {
        "rooms": ROOMS,
        "room_now": _room_of(match.namespace, match.url_name or "") if match else "",
        "mode": mode_of(household_request),
        "system": "metric",
        "is_demo": settings.IS_DEMO,
    }
    if (
        hasattr(request, "user")
        and request.user.is_authenticated
        and hasattr(request, "membership")
    ):
        # Who belongs to no household is shown why, on a page that knows of none.
        with contextlib.suppress(PermissionDenied):
            context["system"] = system_of(household_request)
            context["pounds"] = household_request.household.pounds
            context["is_owner"] = household_request.membership.is_owner
            context["may_take_out"] = household_request.membership.may_take_out
            if household_request.membership.role == Role.BENCH:
                context |= {"rooms": AT_BENCH, "is_at_bench": True}
            else:
                context["walk"] = walk_of(request, is_demo=household_request.household.is_demo)
            context |= _going(household_request)
            if household_request.membership.is_owner:
                context["doubted_day"] = doubted_day()
            context["who_here"] = who_of(household_request)
            context["season_now"] = clock.today(household_request.household).year
    return context
