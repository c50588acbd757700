"""What goes wrong is written to stderr, one line each,
with the id of the request that the error page shows.
"""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable
from contextvars import ContextVar
from typing import Any

from django.http import HttpRequest, HttpResponse

NO_REQUEST = "-"
#: Between the lines of a traceback, so that a record stays one line.
FOLD = " | "
_request_id: ContextVar[str] = ContextVar("request_id", default=NO_REQUEST)
access = logging.getLogger("kilter.access")


def request_id() -> str:
    """The id of the request being answered."""
    return _request_id.get()


class OneLine(logging.Formatter):
    """Time, level, request, where, what; a traceback in the same line."""

    def __init__(self) -> None:
        super().__init__("%(asctime)s %(levelname)s %(request_id)s %(name)s: %(message)s")

    def format(self, record: logging.LogRecord) -> str:
        record.request_id = request_id()
        return FOLD.join(
            line.rstrip() for line in super().format(record).splitlines() if line.strip()
        )


class NoTraceback(logging.Filter):
    """Of what a stranger did wrong the sentence is enough."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Let it through, without its traceback."""
        record.exc_info = record.exc_text = None
        return True


class RequestIdMiddleware:
    """Gives each request an id; with access lines on, each answer a line."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = _request_id.set(secrets.token_hex(4))
        began = time.perf_counter()
        try:
            response = self.get_response(request)
            response["X-Request-Id"] = request_id()
            took_ms = (time.perf_counter() - began) * 1000
            access.info(
                "%s %s %s %.0f ms", request.method, request.path, response.status_code, took_ms
            )
            return response
        finally:
            _request_id.reset(token)


def logging_settings(*, has_access_lines: bool) -> dict[str, Any]:
    """Errors to stderr; what a gardener typed wrong is no error of ours."""
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {"one_line": {"()": OneLine}},
        "filters": {"no_traceback": {"()": NoTraceback}},
        "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "one_line"}},
        "root": {"handlers": ["stderr"], "level": "WARNING"},
        "loggers": {
            "django": {"handlers": [], "level": "WARNING", "propagate": True},
            "django.request": {"level": "ERROR"},
            "django.security.DisallowedHost": {"filters": ["no_traceback"]},
            "django.server": {"handlers": [], "level": "WARNING", "propagate": True},
            "kilter.people": {"level": "INFO"},
            "kilter.access": {"level": "INFO" if has_access_lines else "WARNING"},
        },
    }
