"""The demo: its garden in a marked database of its own, signed in on this machine only."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import login
from django.core.exceptions import ImproperlyConfigured
from django.http import HttpRequest, HttpResponse

from kilter.exchange.loading import load
from kilter.people.accounts import BACKEND
from kilter.people.models import Household, Membership, Role, User

GARDEN = "Ropewalk Yard"
GARDENER = "gardener"
LOOPBACK = {"127.0.0.1", "::1"}
SIGNED_OUT = "kilter_demo_out"
ASKED = "open-demo"  # in the address, once signed out


def ensure_demo() -> Household:
    """Make the demo household from its package if the marked database has none yet."""
    found = Household.objects.filter(is_demo=True).first()
    if found is not None:
        return found
    household = Household.objects.create(
        name=GARDEN, is_demo=True, is_small_food=True, kitchen_kg_per_week=6
    )
    user = User.objects.create_user(GARDENER)
    user.set_unusable_password()
    user.save()
    Membership.objects.create(user=user, household=household, role=Role.OWNER)
    loaded = load(settings.BASE_DIR / "demo" / "ropewalk-yard", household)
    if not loaded.is_done:
        household.delete()
        raise ImproperlyConfigured(f"The demo garden does not load: {loaded.problems[0]}")
    return household


class DemoSignInMiddleware:
    """Signs the demo's gardener in on arrival; only on loopback, only into the marked household."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        if not settings.IS_DEMO:
            raise ImproperlyConfigured("The demo's sign-in belongs to the demo's settings alone.")
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        is_arrival = request.method == "GET" and not request.user.is_authenticated
        is_wanted = SIGNED_OUT not in request.COOKIES or ASKED in request.GET
        if is_arrival and is_wanted and request.META["REMOTE_ADDR"] in LOOPBACK:
            member = (
                Membership.objects.select_related("user")
                .filter(household__is_demo=True, role=Role.OWNER)
                .first()
            )
            if member is not None:
                login(request, member.user, backend=BACKEND)
        response = self.get_response(request)
        if request.path == "/sign-out" and request.method == "POST":
            response.set_cookie(SIGNED_OUT, "1", samesite="Lax", httponly=True)
        elif request.user.is_authenticated and SIGNED_OUT in request.COOKIES:
            response.delete_cookie(SIGNED_OUT)
        return response
