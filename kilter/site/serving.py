"""Serving with a production-grade WSGI server: one process, threads, a free port."""

from __future__ import annotations

import gc
import logging
import os
import socket
from collections.abc import Callable

import waitress
from django.conf import settings
from django.core.wsgi import get_wsgi_application

THREADS = 8
FIRST_PORT = 8000
PORTS_TRIED = 50


MIN_SECRET = 32


def require_secret() -> None:
    """Refuse to serve with a secret that is missing or can be guessed."""
    if len(os.environ.get("KILTER_SECRET_KEY", "")) < MIN_SECRET and not settings.IS_DEMO:
        raise SystemExit(
            f"KILTER_SECRET_KEY is not set, or shorter than {MIN_SECRET} characters. Give it a long random text "
            "that only this machine knows, such as: python3 -c 'import secrets; print(secrets.token_urlsafe(50))'"
        )


def free_port(host: str, first: int) -> int:
    """The first port from ``first`` on that nobody listens on."""
    for port in range(first, first + PORTS_TRIED):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, port))
            except OSError:
                continue
            return port
    raise SystemExit(f"No port from {first} to {first + PORTS_TRIED - 1} is free; set PORT to another.")


def serve(say: Callable[[str], object], host: str = "127.0.0.1") -> None:
    """Serve until stopped; prints the address."""
    require_secret()
    port = free_port(host, int(os.environ.get("PORT") or FIRST_PORT))
    # A request that waits a few milliseconds for a free thread is no news.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    gc.freeze()  # what was loaded stays: a collection need not look through it again
    say(f"Kilter is at http://{host}:{port}/  (stop with Ctrl-C)")
    waitress.serve(
        get_wsgi_application(), host=host, port=port, threads=THREADS, ident=None, clear_untrusted_proxy_headers=True
    )
