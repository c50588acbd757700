"""Starts the site: asserts the database's settings on every connection."""

from __future__ import annotations

import gc
from typing import Any

from django.apps import AppConfig
from django.core.exceptions import ImproperlyConfigured
from django.db.backends.signals import connection_created

FULL = 2
OBJECTS_BEFORE_GC = 100_000


class SiteConfig(AppConfig):
    """The site as an application of Django's."""

    name = "kilter.site"
    label = "kilter_site"

    def ready(self) -> None:
        # A page over many seasons makes tens of thousands of small records without a cycle among
        # them.
        gc.set_threshold(OBJECTS_BEFORE_GC)
        connection_created.connect(assert_durable, dispatch_uid="assert_durable")


def assert_durable(connection: Any, **_: Any) -> None:
    """Refuse a connection that could lose an acknowledged line when the power fails."""
    with connection.cursor() as cursor:
        synchronous = cursor.execute("PRAGMA synchronous").fetchone()[0]
        has_foreign_keys = cursor.execute("PRAGMA foreign_keys").fetchone()[0]
    if synchronous != FULL or not has_foreign_keys:
        raise ImproperlyConfigured("SQLite must run with synchronous=FULL and foreign_keys=ON.")
