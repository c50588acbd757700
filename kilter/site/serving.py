"""Serving with a production-grade WSGI server: one process, threads, a free port."""

from __future__ import annotations

import gc
import logging
import os
import signal
import socket
import sys
import threading
from collections.abc import Callable
from importlib import import_module
from typing import Any

from django.conf import settings
from django.core.wsgi import get_wsgi_application
from django.db import connection
from django.utils import timezone

from kilter.exchange.staging import clear_stages
from kilter.people.leaving import delete_what_is_due
from kilter.people.server import is_day_sure
from kilter.site.lanes import make_server
from kilter.site.upkeep import LOOKS_EVERY_SECONDS, check_schema, now_and_then, require_secret

log = logging.getLogger("kilter.site")
#: Connections held open at once, and how long one may stay silent: many that say nothing do not
#: stop the others.
MOST_CONNECTIONS, SILENT_S = 1000, 30
FIRST_PORT = 8000
PORTS_TRIED = 50


def free_port(host: str, first: int, tried: int = PORTS_TRIED) -> int:
    """The first port from ``first`` on that nobody listens on, of so many."""
    for port in range(first, first + tried):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError:
                continue
            return port
    if tried == 1:
        raise SystemExit(
            f"Port {first} of {host} is taken, perhaps by a Kilter that runs already; nothing was "
            "started."
        )
    raise SystemExit(f"No port from {first} to {first + tried - 1} is free; set PORT to another.")


def trust() -> dict[str, Any]:
    """What the server is told of the proxy in front of it: without one,
    no forwarding header is believed.
    """
    if not settings.IS_HTTPS:
        return {"clear_untrusted_proxy_headers": True}
    return {
        "trusted_proxy": settings.KILTER_PROXY,
        "trusted_proxy_count": 1,
        "trusted_proxy_headers": {"x-forwarded-proto", "x-forwarded-for"},
        "clear_untrusted_proxy_headers": True,
    }


def keep_deleting(say: Callable[[str], object]) -> threading.Thread:
    """Delete each hour the households and accounts whose week is over;
    what goes wrong is said and tried again.
    """

    def work() -> None:
        try:
            if is_day_sure(timezone.localdate()):
                delete_what_is_due()
        except Exception as error:  # whatever it is: it is tried again
            log.exception("what is due could not be deleted")
            say(f"What is due could not be deleted and will be tried again: {error}")
        finally:
            connection.close()

    return now_and_then(work, "delete-what-is-due", LOOKS_EVERY_SECONDS)


def _stop(*_: object) -> None:
    raise SystemExit


def serve(say: Callable[[str], object], host: str = "127.0.0.1") -> None:
    """Serve until stopped; prints the address."""
    require_secret()
    check_schema(say)
    clear_stages()  # of a load that was cut off
    # The demo finds itself a port; for real, a second server would divide the garden's lines
    # between two.
    port = free_port(
        host, int(os.environ.get("PORT") or FIRST_PORT), PORTS_TRIED if settings.IS_DEMO else 1
    )
    # A request that waits a few milliseconds for a free thread is no news.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    # Forecasts and drafts need it, and it takes a second or more to load.
    threading.Thread(
        target=import_module, args=("scipy.stats",), daemon=True, name="load-statistics"
    ).start()
    gc.freeze()  # what was loaded stays: a collection need not look through it again
    say(f"Kilter is at http://{host}:{port}/  (stop with Ctrl-C)")
    signal.signal(signal.SIGTERM, _stop)
    make_server(
        get_wsgi_application(),
        host=host,
        port=port,
        ident=None,
        connection_limit=MOST_CONNECTIONS,
        channel_timeout=SILENT_S,
        cleanup_interval=SILENT_S // 3,
        asyncore_use_poll=True,  # select() ends at 1024 files
        **trust(),
    ).run()
    # What was acknowledged is on the disk. Threads that look now and then are left where they are:
    # waiting for the end of the interpreter they would be in the way of its last words.
    say("Kilter has stopped.")
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(0)
