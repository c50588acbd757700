"""Headers of every answer, bodies of strangers,
and a page of our own where an address only takes what a page sends.
"""

from __future__ import annotations

import errno
import logging
from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse

from kilter.people.signing_in import TooBusyError
from kilter.site.lanes import COME_AGAIN_S, STRANGERS_BYTES, busy_page, most_bytes, too_large_page
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
    """What a browser may do with a page: no other site may take its parts,
    and it asks for no device.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response["Permissions-Policy"] = (
            "camera=(), microphone=(), geolocation=(), usb=(), serial=(), payment=()"
        )
        response["Cross-Origin-Resource-Policy"] = "same-origin"
        user = getattr(request, "_cached_user", None)
        # Where who is signed in was asked for, the page is theirs: no cache keeps it, and Back
        # shows nothing later.
        if user is not None and user.is_authenticated and "Cache-Control" not in response:
            response["Cache-Control"] = "no-store"
        return response


#: What the database and the system say where nothing more can be written.
FULL = ("database or disk is full", "disk I/O error")
READ_ONLY = ("readonly database", "read-only")
NO_ROOM = {errno.ENOSPC, errno.EDQUOT}
log = logging.getLogger("kilter.site")


class NoRoomMiddleware:
    """Says plainly that the disk is full or cannot be written to; what was sent is not taken,
    and nothing is lost.
    """

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


class BusyMiddleware:
    """Asks to come again where more passwords wait than can be looked at soon."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, _: HttpRequest, error: Exception) -> HttpResponse | None:
        """Answer for a hash whose turn does not come."""
        if not isinstance(error, TooBusyError):
            return None
        answer = HttpResponse(busy_page(), status=503, headers={"Retry-After": str(COME_AGAIN_S)})
        answer._has_been_logged = True  # type: ignore[attr-defined]  # no fault of ours, and there are many of them
        return answer


class SmallBodiesMiddleware:
    """Refuses a body that is larger than its page takes before a byte of it is read;
    the server did so already.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        said = request.META.get("CONTENT_LENGTH") or "0"
        length = int(said) if said.isdigit() else 0
        if length > STRANGERS_BYTES:
            most = (
                most_bytes(request.path_info) if request.user.is_authenticated else STRANGERS_BYTES
            )
            if length > most:
                return HttpResponse(too_large_page(most), status=413)
        return self.get_response(request)
