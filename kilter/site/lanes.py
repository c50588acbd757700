"""What the server does with a request before Django sees it: the bench goes first, no body is
larger than may be.

Waitress gathers a whole body, on disk if need be, before a thread looks at it; so limits stand
here, by address, and again in a middleware for servers that are not this one. The bench has threads
of its own: a second process on a second socket would take its own copy of every lock, cache and
scale, where one process needs only a second queue.
"""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any, Final

from django.conf import settings
from django.db import connection
from django.template.loader import render_to_string
from django.urls import Resolver404, resolve
from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import MultiSocketServer, TcpWSGIServer
from waitress.task import ThreadedTaskDispatcher
from waitress.utilities import Error

#: What somebody who is not signed in may send, and what a page that says nothing else takes.
STRANGERS_BYTES: Final = 64 * 1024
PLAIN_BYTES: Final = 512 * 1024
#: Addresses longer than this are not remembered.
LONG: Final = 200
#: Pages that have threads of their own: a line, the tape, the live scale, and whoever watches the
#: server.
FIRST: Final = frozenset(
    f"weigh_in:{name}"
    for name in ("bench", "events", "finish", "live", "read", "round", "token", "write", "zero")
) | {"health"}
#: Pages at which passwords are looked at, which takes long on purpose.
DOORS: Final = frozenset({"people:sign_in"})
#: Threads of each. Two for the bench, so that one that waits for the disk holds up no other.
FIRST_THREADS, DOOR_THREADS, OTHER_THREADS = 2, 1, 3
#: Python runs one thread at a time, and whoever waits for their turn waits for all that run. So for
#: this long after the bench was last asked, pages are made one after the other; one that takes long
#: lets the next begin beside it.
IN_USE_S, LONG_S = 3.0, 1.0
#: A page stands still for the bench this long at most, all its queries together.
STANDS_STILL_S: Final = 0.5
#: How long a thread runs before it gives way to one that waits: a line gives way some twenty times,
#: to the disk.
SWITCH_S: Final = 0.002
#: So many wait at the door; who comes then is asked to come again, in so many seconds.
MOST_AT_THE_DOOR, COME_AGAIN_S = 6, 5
#: And is told so after this long: a crowd that tries again at once asks sixty times a second, not a
#: thousand.
ANSWERED_AFTER_S: Final = 1.0


def _page(path: str) -> tuple[str, int]:
    """The name of the page at an address, and how many bytes it takes."""
    return _known(path) if len(path) <= LONG else _looked_up(path)


def _looked_up(path: str) -> tuple[str, int]:
    try:
        found = resolve(path)
    except Resolver404:
        return "", STRANGERS_BYTES
    declared = getattr(found.func, "declared", None)
    return found.view_name, declared.takes_bytes or PLAIN_BYTES if declared else STRANGERS_BYTES


_known = lru_cache(4096)(_looked_up)


def most_bytes(path: str) -> int:
    """How large a body an address takes."""
    return _page(path)[1]


class Turns:
    """While the bench is in use pages are made one after the other;
    while it is being answered they stand still.
    """

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._changed = threading.Condition()
        self._asked_at = self._began_at = float("-inf")
        self._pages = self._lines = 0
        self._is_quiet = threading.Event()
        self._is_quiet.set()

    def bench_asks(self) -> None:
        """A request of the bench has come."""
        with self._changed:
            self._asked_at, self._lines = self._now(), self._lines + 1
            self._is_quiet.clear()

    def bench_answered(self) -> None:
        """It is answered."""
        with self._changed:
            self._lines -= 1
            if not self._lines:
                self._is_quiet.set()

    def must_wait(self) -> bool:
        """Whether a page has to wait for the one before it."""
        now = self._now()
        return self._pages > 0 and now - self._asked_at < IN_USE_S and now - self._began_at < LONG_S

    @contextmanager
    def page(self) -> Iterator[None]:
        """Make a page when its turn comes; before each of its queries the bench goes first."""
        with self._changed:
            while self.must_wait():
                self._changed.wait(LONG_S / 5)
            self._pages += 1
            self._began_at = self._now()
        try:
            with connection.execute_wrapper(self._giving_way()):
                yield
        finally:
            with self._changed:
                self._pages -= 1
                self._changed.notify()

    def _giving_way(self) -> Callable[..., Any]:
        left = STANDS_STILL_S

        def execute(run: Callable[..., Any], *asked: Any) -> Any:
            nonlocal left
            connection = asked[-1]["connection"]
            # Who is about to write holds what the bench waits for.
            if not self._is_quiet.is_set() and left > 0 and not connection.in_atomic_block:
                began = self._now()
                self._is_quiet.wait(min(left, STANDS_STILL_S / 5))
                left -= self._now() - began
            return run(*asked)

        return execute


@dataclass(frozen=True)
class _Page:
    """A request of a page, as waitress serves one."""

    channel: HTTPChannel
    turns: Turns

    def service(self) -> None:
        with self.turns.page():
            self.channel.service()

    def cancel(self) -> None:
        self.channel.cancel()


@dataclass(frozen=True)
class _Line:
    """A request of the bench."""

    channel: HTTPChannel
    turns: Turns

    def service(self) -> None:
        try:
            self.channel.service()
        finally:
            self.turns.bench_answered()

    def cancel(self) -> None:
        self.turns.bench_answered()
        self.channel.cancel()


@dataclass(frozen=True)
class _Late:
    """A request that is answered after a while,
    so that whoever asks at once again takes no time from the others.
    """

    channel: HTTPChannel
    due: float

    def service(self) -> None:
        time.sleep(max(0.0, self.due - time.monotonic()))
        self.channel.service()

    def cancel(self) -> None:
        self.channel.cancel()


class Lanes:
    """A dispatcher of four: threads of the bench, the door, whoever does not get in,
    and all other pages.
    """

    def __init__(self) -> None:
        self.turns = Turns()
        self.first, self.door, self.outside, self.others = (
            ThreadedTaskDispatcher() for _ in range(4)
        )
        self.outside.set_thread_count(1)
        self.first.set_thread_count(FIRST_THREADS)
        self.door.set_thread_count(DOOR_THREADS)
        self.others.set_thread_count(OTHER_THREADS)

    def add_task(self, channel: HTTPChannel) -> None:
        """Queue the request that a connection has ready."""
        request = channel.requests[0]
        name, _ = _page(getattr(request, "path", ""))
        if name in FIRST:
            self.turns.bench_asks()
            self.first.add_task(_Line(channel, self.turns))
        elif name not in DOORS:
            self.others.add_task(_Page(channel, self.turns))
        elif len(self.door.queue) < MOST_AT_THE_DOOR:
            self.door.add_task(channel)
        else:
            request.error = BusyError("")
            self.outside.add_task(_Late(channel, time.monotonic() + ANSWERED_AFTER_S))

    def shutdown(self, *args: Any, **kwargs: Any) -> bool:
        """Stop all, as waitress asks one to."""
        lanes = (self.first, self.door, self.outside, self.others)
        return all([lane.shutdown(*args, **kwargs) for lane in lanes])  # noqa: C419 - each of them


class _OwnPageError(Error):
    """An answer that waitress gives by itself, with a page of ours."""

    def page(self) -> str:
        """What is shown."""
        raise NotImplementedError

    def to_response(self, _ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        """Status, headers and page, as waitress asks for them."""
        head = [("Content-Type", "text/html; charset=utf-8"), ("Connection", "close"), *self.head]
        return (
            f"{self.code} {self.reason}",
            [*head, ("Content-Security-Policy", POLICY)],
            self.page().encode(),
        )

    head: tuple[tuple[str, str], ...] = ()


class BusyError(_OwnPageError):
    """More wait at the door than can be let in soon."""

    code, reason = 503, "Service Unavailable"
    head = (("Retry-After", str(COME_AGAIN_S)),)

    def page(self) -> str:
        return busy_page()


class TooLargeError(_OwnPageError):
    """A body larger than its page takes; nothing of it is kept."""

    code, reason = 413, "Request Entity Too Large"

    def page(self) -> str:
        return too_large_page(int(self.body))


#: No script runs on that page, and nothing is loaded from elsewhere.
POLICY: Final = (
    "default-src 'none'; style-src 'self'; font-src 'self'; img-src 'self'; frame-ancestors 'none'"
)


@cache
def busy_page() -> str:
    """What is shown where too many sign in at once, rendered once:
    the less is asked of the server now, the better.
    """
    words = (
        f"Many are signing in at this moment. Wait {COME_AGAIN_S} seconds, go back, and try again."
    )
    return render_to_string("site/error.html", {"title": "Busy", "words": words})


def too_large_page(most: int) -> str:
    """What is shown of a body that is too large, rendered without the request."""
    shown = f"{most // 2**20} MB" if most >= 2**20 else f"{most // 2**10} KB"
    words = (
        f"This page takes at most {shown}, and more was sent. Nothing was kept; go back and "
        "send less at once."
    )
    return render_to_string("site/error.html", {"title": "Too large", "words": words})


class LimitedParser(HTTPRequestParser):
    """Refuses a body by its declared length, or at the first byte too many,
    by what its address takes.
    """

    most = STRANGERS_BYTES
    error: Any

    def parse_header(self, header_plus: bytes) -> None:
        """Read the head; from here the address is known.

        Who shows no session at all is a stranger.
        """
        super().parse_header(header_plus)
        is_stranger = f"{settings.SESSION_COOKIE_NAME}=" not in self.headers.get("COOKIE", "")
        self.most = STRANGERS_BYTES if is_stranger else most_bytes(self.path)
        if self.content_length > self.most:
            self.expect_continue = False

    def received(self, data: bytes) -> int:
        """Take what came in, as waitress does, and no more than the page takes."""
        taken: int = super().received(data)
        if not self.error and max(self.content_length, self.body_bytes_received) > self.most:
            self.error, self.completed = TooLargeError(str(self.most)), True
        return taken


class LimitedChannel(HTTPChannel):
    """A connection whose requests are read so."""

    parser_class = LimitedParser


class LanesServer(TcpWSGIServer):
    """Waitress with those connections."""

    channel_class = LimitedChannel


def make_server(application: Any, **adjustments: Any) -> MultiSocketServer:
    """A server that listens, and answers when it is run; ``adjustments`` are waitress's own."""
    sys.setswitchinterval(SWITCH_S)
    adj, lanes, sockets = Adjustments(**adjustments), Lanes(), {}  # type: ignore[var-annotated]
    listening = [
        LanesServer(application, sockets, dispatcher=lanes, adj=adj, sockinfo=one)
        for one in adj.listen
    ]
    where = [(one.effective_host, one.effective_port) for one in listening]
    return MultiSocketServer(sockets, adj, where, lanes, listening[-1].log_info)
