"""Which searches are running: one for each household, and what they have found so far."""

from __future__ import annotations

import atexit
import contextlib
import os
import pickle
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from kilter.core.fit.order import Order
from kilter.next_year.fit.process import Best, heard

ROOT = Path(__file__).resolve().parents[3]
COMMAND = (sys.executable, "-m", "kilter.next_year.fit.process")
Keep = Callable[[Best], None]
#: A search that was told to stop ends within so many seconds.
ENDS_WITHIN_S = 30
LOOKS_EVERY_S = 0.3
#: Searches at once on a server, each of which takes a core; others wait their turn, longest first.
MOST_AT_ONCE = 2
_runs: dict[int, _Run] = {}
_lock = threading.Lock()
_turns = threading.BoundedSemaphore(MOST_AT_ONCE)


@dataclass(eq=False, kw_only=True)
class _Run:
    """One search, and the thread that begins it when its turn comes, and listens to it."""

    key: str
    order: Order
    keep: Keep
    best: Best
    is_over: bool = False
    is_waiting: bool = True
    is_unwanted: bool = False
    process: subprocess.Popen[bytes] | None = None

    def run(self) -> None:
        """Keep the best so far until the search is over, and then store it."""
        while not _turns.acquire(timeout=LOOKS_EVERY_S):
            if self.is_unwanted:
                break
        else:
            try:
                self._listen()
            finally:
                _turns.release()
        self.best = replace(self.best, is_done=True)
        self.keep(self.best)
        self.is_over = True

    def _listen(self) -> None:
        with _lock:
            self.is_waiting = False
            if self.is_unwanted:
                return
            self.process = process = self._begun()
        assert process.stdin is not None
        assert process.stdout is not None
        with contextlib.suppress(
            BrokenPipeError
        ):  # stopped before it had read what it is to look for
            pickle.dump((self.order, self.best.plants), process.stdin)
            process.stdin.flush()
        with process.stdout:
            for line in process.stdout:
                self.best = heard(line)
        with contextlib.suppress(OSError):
            process.stdin.close()
        process.wait(ENDS_WITHIN_S)

    @staticmethod
    def _begun() -> subprocess.Popen[bytes]:
        one_core = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
        return subprocess.Popen(  # noqa: S603
            COMMAND, cwd=ROOT, env=one_core, stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )

    def end(self) -> None:
        """At once: what it found was sent when it was found."""
        self.is_unwanted = True
        if self.process is not None:
            self.process.terminate()


def start(household: int, key: str, order: Order, first: Best, keep: Keep) -> None:
    """Begin a search from a first fit, when its turn comes;
    another one of the household's is stopped.
    """
    stop(household)
    run = _Run(key=key, order=order, keep=keep, best=first)
    with _lock:
        _runs[household] = run
    threading.Thread(target=run.run, daemon=True, name="fit").start()


def stop(household: int) -> None:
    """Stop a household's search; what it found so far is kept."""
    with _lock:
        run = _runs.get(household)
        if run is not None and not run.is_over:
            run.end()


def stop_all() -> None:
    """Stop every search, as when the server ends."""
    with _lock:
        households = list(_runs)
    for household in households:
        stop(household)


atexit.register(stop_all)


def best_of(household: int, key: str) -> Best | None:
    """What the search for this very order has found so far."""
    with _lock:
        run = _runs.get(household)
    return run.best if run is not None and run.key == key else None


def is_running(household: int, key: str) -> bool:
    """Whether a search for this very order goes on."""
    with _lock:
        run = _runs.get(household)
    return run is not None and run.key == key and not run.is_over


def is_waiting(household: int, key: str) -> bool:
    """Whether it has not begun yet, as others search on this server."""
    with _lock:
        run = _runs.get(household)
    return run is not None and run.key == key and run.is_waiting and not run.is_over
