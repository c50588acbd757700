"""What was read of a garden, kept for as long as nothing at all is written to the database."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import TypeVar, cast

from django.db import connection

T = TypeVar("T")

#: So many readings are kept by each thread; the oldest goes first.
MOST_KEPT = 8


class _Kept(threading.local):
    """Each thread has a connection of its own, and what it read by that."""

    state: tuple[object, ...] = ()

    def __init__(self) -> None:
        self.found: dict[Hashable, object] = {}


_kept = _Kept()


def while_unchanged(key: Hashable, read: Callable[[], T]) -> T:
    """What `read` gave for this key, read anew when anything was written since, by whomever.

    SQLite says so itself: `data_version` changes with what another connection commits,
    `total_changes` with what this one writes. Inside a transaction nothing is kept, as that may yet
    be taken back.
    """
    if connection.in_atomic_block:
        return read()
    state = _state()
    if state != _kept.state:
        _kept.state, _kept.found = state, {}
    if key not in _kept.found:
        found = read()
        if _state() != state:  # somebody wrote while it was read: it may be half of each
            return found
        while len(_kept.found) >= MOST_KEPT:
            del _kept.found[next(iter(_kept.found))]
        _kept.found[key] = found
    return cast(T, _kept.found[key])


def is_known(key: Hashable) -> bool:
    """Whether that was read by this thread already and is still so."""
    return not connection.in_atomic_block and _state() == _kept.state and key in _kept.found


def _state() -> tuple[object, ...]:
    connection.ensure_connection()
    raw = connection.connection
    return raw, raw.total_changes, raw.execute("PRAGMA data_version").fetchone()[0]
