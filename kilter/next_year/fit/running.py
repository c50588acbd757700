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
_runs: dict[int, _Run] = {}
_lock = threading.Lock()


@dataclass(eq=False)
class _Run:
    """One search, and the thread that listens to it."""

    key: str
    process: subprocess.Popen[bytes]
    keep: Keep
    best: Best
    is_over: bool = False

    def listen(self) -> None:
        """Keep the best so far until the search is over, and then store it."""
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        with self.process.stdout:
            for line in self.process.stdout:
                self.best = heard(line)
        with contextlib.suppress(OSError):
            self.process.stdin.close()
        self.process.wait(ENDS_WITHIN_S)
        self.best = replace(self.best, is_done=True)
        self.keep(self.best)
        self.is_over = True

    def end(self) -> None:
        """At once: what it found was sent when it was found."""
        self.process.terminate()


def start(household: int, key: str, order: Order, first: Best, keep: Keep) -> None:
    """Begin a search from a first fit; another one of the household's is stopped."""
    stop(household)
    one_core = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
    process = subprocess.Popen(  # noqa: S603
        COMMAND, cwd=ROOT, env=one_core, stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    assert process.stdin is not None
    pickle.dump((order, first.plants), process.stdin)
    process.stdin.flush()
    run = _Run(key, process, keep, first)
    with _lock:
        _runs[household] = run
    threading.Thread(target=run.listen, daemon=True).start()


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
