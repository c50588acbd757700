"""How this browser wants to see things: unit system and light, dark or sun; kept in cookies."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path

from django.conf import settings
from django.contrib.staticfiles import finders
from django.http import HttpResponse

from kilter.people.middleware import HouseholdRequest

SYSTEMS = ("metric", "imperial")
MODES = ("auto", "light", "dark", "sun")
YEAR_S = 60 * 60 * 24 * 365


def system_of(request: HouseholdRequest) -> str:
    """The unit system to show masses in."""
    chosen = request.COOKIES.get("kilter_units", "")
    if not request.user.is_authenticated:
        return chosen if chosen in SYSTEMS else "metric"
    if chosen not in SYSTEMS:
        return request.household.system
    return request.household.pounds if chosen == "imperial" else chosen


def mode_of(request: HouseholdRequest) -> str:
    """The mode to show pages in; ``auto`` follows the device."""
    chosen = request.COOKIES.get("kilter_mode", "")
    return chosen if chosen in MODES else "auto"


def remember(response: HttpResponse, *, units: str | None, mode: str | None) -> HttpResponse:
    """Keep a choice in this browser; anything else than a choice is left as it was."""
    for name, value, allowed in (("kilter_units", units, SYSTEMS), ("kilter_mode", mode, MODES)):
        if value in allowed:
            response.set_cookie(name, str(value), max_age=YEAR_S, samesite="Lax", httponly=True)
    return response


@cache
def colours() -> dict[str, str]:
    """The colours of the light mode by their role,
    from the stylesheet that the pages themselves are shown with.
    """
    path = finders.find("kilter/kilter.css") or Path(settings.STATIC_ROOT) / "kilter" / "kilter.css"
    light = re.search(
        r":root\{color-scheme:light;([^}]*)\}", Path(str(path)).read_text(encoding="utf-8")
    )
    assert light is not None, "The stylesheet has no light mode; run make assets."
    return dict(re.findall(r"--([\w-]+):(#[0-9a-f]+)", light[1]))
