"""A form pressed twice is carried out once: the second press gets the first one's answer."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable
from typing import Any

from django.contrib import messages
from django.core.cache import cache
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

#: How long a page's form is remembered, and how long its second press waits for the first.
REMEMBERED_SECONDS, WAITED_SECONDS, LOOKS_EVERY_SECONDS = 3600, 30, 0.02
_UNDER_WAY: tuple[str, list[Any]] = ("", [])


class OnceMiddleware:
    """Every page is rendered with a token of its own; the same form with the same token is the same
    press.

    Parts that are swapped send the page's token too and may be pressed again and again: they are
    left alone.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = None
        try:
            response = self.get_response(request)
        finally:
            if key := getattr(request, "once_key", ""):
                self._settle(request, key, response)
        return response

    def process_view(self, request: HttpRequest, *_: Any) -> HttpResponse | None:
        """Answer a second press; let a first one through."""
        key = _key(request)
        if not key:
            return None
        until = time.monotonic() + WAITED_SECONDS
        while not cache.add(key, _UNDER_WAY, REMEMBERED_SECONDS):
            location, said = cache.get(key, _UNDER_WAY)
            if location:
                for level, words, tags in said:
                    messages.add_message(request, level, words, extra_tags=tags)
                return redirect(location)
            if time.monotonic() > until:
                return None
            time.sleep(LOOKS_EVERY_SECONDS)
        request.once_key = key  # type: ignore[attr-defined]
        return None

    def _settle(self, request: HttpRequest, key: str, response: HttpResponse | None) -> None:
        """Keep where it led; what was refused or failed may be sent again."""
        if response is None or response.status_code not in (301, 302, 303):
            cache.delete(key)
            return
        queued = getattr(messages.get_messages(request), "_queued_messages", [])
        said = [(one.level, one.message, one.extra_tags) for one in queued]
        cache.set(key, (response["Location"], said), REMEMBERED_SECONDS)


def _key(request: HttpRequest) -> str:
    """What tells one press of one form of one page from every other;
    empty where that is not asked.
    """
    if (
        request.method != "POST"
        or request.headers.get("HX-Request")
        or not request.user.is_authenticated
    ):
        return ""
    if "csrfmiddlewaretoken" not in request.POST:
        return ""
    files = sorted(
        (name, str(one.name), one.size)
        for name in request.FILES
        for one in request.FILES.getlist(name)
    )
    said = (request.user.pk, request.get_full_path(), sorted(request.POST.lists()), files)
    return f"once-{hashlib.sha256(repr(said).encode()).hexdigest()}"
