"""Puts the signed-in person's household and role on the request."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.utils.functional import SimpleLazyObject

from kilter.people.history import Actor
from kilter.people.models import Household, Membership, Role, User

if TYPE_CHECKING:
    from django_htmx.middleware import HtmxDetails


class HouseholdRequest(HttpRequest):
    """What a view of a room is given."""

    household: Household
    membership: Membership
    actor: Actor  #: whose records are written, and by whom
    htmx: HtmxDetails
    is_kept: bool  #: set where the page is one that a device keeps


def who_of(request: HouseholdRequest) -> str:
    """Whose lines a device keeps: another person on the same phone does not send them,
    nor sees the pages kept here.
    """
    return f"{request.household.pk}-{request.user.pk}"


class HouseholdMiddleware:
    """Looks the membership up once, and only when asked for."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        household_request = cast(HouseholdRequest, request)
        household_request.membership = cast(
            Membership, SimpleLazyObject(lambda: _membership(household_request))
        )
        household_request.household = cast(
            Household, SimpleLazyObject(lambda: household_request.membership.household)
        )
        household_request.actor = cast(Actor, SimpleLazyObject(lambda: _actor(household_request)))
        response = self.get_response(request)
        timezone.deactivate()
        return response

    def process_view(
        self,
        request: HttpRequest,
        view: Callable[..., HttpResponse],
        _: tuple[object, ...],
        __: dict[str, object],
    ) -> HttpResponse | None:
        """Keep who came by a link to the bench: everything else is not theirs to see."""
        match = request.resolver_match
        if (
            match is None
            or not getattr(view, "login_required", True)
            or not request.user.is_authenticated
        ):
            return None
        declared = getattr(view, "declared", None)
        if match.view_name == "people:sign_out" or (
            declared is not None and declared.guests is not None
        ):
            return None
        membership = cast(HouseholdRequest, request).membership
        if membership.role == Role.BENCH:
            if request.method in {"GET", "HEAD"}:
                return redirect("weigh_in:bench")
            raise PermissionDenied("This link lets you weigh in; the rest is for the household.")
        return None


def _actor(request: HouseholdRequest) -> Actor:
    return Actor(request.membership.household, cast(User, request.user))


def _membership(request: HouseholdRequest) -> Membership:
    membership: Membership | None = getattr(request.user, "membership", None)
    if membership is None:
        raise PermissionDenied(
            "You belong to no household; ask an owner for a link to join theirs."
        )
    timezone.activate(membership.household.time_zone)
    return membership
