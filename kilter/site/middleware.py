"""Headers of every answer, bodies of strangers, and a page of our own where an address only takes what a page sends."""

from __future__ import annotations

import errno
import logging
from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse

from kilter.site.views import no_room, only_sent_to


class OnlySentToMiddleware:
    """Shows that page instead of an empty 405; which methods are allowed is still said."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if response.status_code != 405 or request.method != "GET":
            return response
        page = only_sent_to(request)
        page["Allow"] = response["Allow"]
        return page


class HeadersMiddleware:
    """What a browser may do with a page: no other site may take its parts, and it asks for no device."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Permissions-Policy"] = "camera=(), microphone=(), geolocation=(), usb=(), serial=(), payment=()"
        response["Cross-Origin-Resource-Policy"] = "same-origin"
        user = getattr(request, "_cached_user", None)
        # Where who is signed in was asked for, the page is theirs: no cache keeps it, and Back shows nothing later.
        if user is not None and user.is_authenticated and "Cache-Control" not in response:
            response["Cache-Control"] = "no-store"
        return response


#: What the database and the system say where nothing more can be written.
FULL = ("database or disk is full", "disk I/O error")
READ_ONLY = ("readonly database", "read-only")
NO_ROOM = {errno.ENOSPC, errno.EDQUOT}
log = logging.getLogger("kilter.site")


class NoRoomMiddleware:
    """Says plainly that the disk is full or cannot be written to; what was sent is not taken, and nothing is lost."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Answer for what no page can put right."""
        words = str(error)
        is_full = isinstance(error, DatabaseError) and any(said in words for said in FULL)
        is_full = is_full or (isinstance(error, OSError) and error.errno in NO_ROOM)
        is_read_only = isinstance(error, DatabaseError) and any(said in words for said in READ_ONLY)
        is_read_only = is_read_only or (isinstance(error, OSError) and error.errno == errno.EROFS)
        if not (is_full or is_read_only):
            return None
        log.error("nothing can be written: %s", error)
        return no_room(request, is_full=is_full)


#: What somebody who is not signed in may send: a form to sign in or up.
STRANGERS_BYTES = 64 * 1024


class SmallBodiesMiddleware:
    """Refuses large bodies of strangers before a byte of them is read."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        length = request.META.get("CONTENT_LENGTH") or "0"
        if length.isdigit() and int(length) > STRANGERS_BYTES and not request.user.is_authenticated:
            return HttpResponse("That is too large for somebody who is not signed in.", status=413)
        return self.get_response(request)
