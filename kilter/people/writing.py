"""The one way to write: first come, first served, one short transaction each."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import transaction


class QueueLock:
    """A lock that serves threads in the order they came; a thread may take it again.

    SQLite's own busy wait polls, and starves some of many writers.
    """

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting: deque[threading.Event] = deque()
        self._owner: int | None = None
        self._depth = 0

    def acquire(self) -> None:
        me = threading.get_ident()
        with self._guard:
            if self._owner in {None, me}:
                self._owner = me
                self._depth += 1
                return
            turn = threading.Event()
            self._waiting.append(turn)
        turn.wait()
        with self._guard:
            self._owner, self._depth = me, 1

    def release(self) -> None:
        with self._guard:
            self._depth -= 1
            if self._depth:
                return
            if self._waiting:
                self._owner = -1  # handed on; nobody may step in before the next one wakes
                self._waiting.popleft().set()
            else:
                self._owner = None


_queue = QueueLock()


@contextmanager
def writing() -> Iterator[None]:
    """Hold the write lock and a transaction; what is inside is committed when it ends."""
    _queue.acquire()
    try:
        with transaction.atomic():
            yield
    finally:
        _queue.release()
