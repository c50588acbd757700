"""Who may do what: owners everything, helpers write harvests, onlookers look."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpResponse

from kilter.people.middleware import HouseholdRequest

View = Callable[..., HttpResponse]


def owner_only(view: View) -> View:
    """Let owners in; tell others whom to ask."""

    @wraps(view)
    def guarded(request: HouseholdRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.membership.is_owner:
            raise PermissionDenied("Only an owner of the household may change this; ask one of them.")
        return view(request, *args, **kwargs)

    return guarded


def harvest_writer(view: View) -> View:
    """Let owners and helpers in."""

    @wraps(view)
    def guarded(request: HouseholdRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.membership.may_write:
            raise PermissionDenied("You may look at the harvests but not write them; ask an owner for more.")
        return view(request, *args, **kwargs)

    return guarded


def owner_writes(view: View) -> View:
    """Let everybody look (GET) and only owners change (POST)."""
    guarded = owner_only(view)

    @wraps(view)
    def chosen(request: HouseholdRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        return (view if request.method in {"GET", "HEAD"} else guarded)(request, *args, **kwargs)

    return chosen
