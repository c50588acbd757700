"""Each scale is read by a thread of its own, which keeps what it said last:
nobody waits for a slow or silent one.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

from kilter.core.amounts.units import half_up
from kilter.devices.scale import (
    PortScale,
    ScaleError,
    ScaleReading,
    ScaleRefusedError,
    SimulatedScale,
    command,
    open_line,
    read_scale,
    simulated_line,
)

#: How long a poll waits for a reading newer than itself; a scale that is slower gives its last one.
POLL_WAITS_S: Final = 0.03
#: A reading older than this is not shown as what lies on the scale now.
FRESH_S: Final = 1.0
#: How long whoever zeroes the scale waits for it.
COMMAND_WAITS_S: Final = 1.0
PAUSE_S, RETRY_S = 0.05, 0.5
#: Unasked for so long it is no longer read, and then hung up.
RESTS_AFTER_S, CLOSES_AFTER_S = 2.0, 30.0


@dataclass
class _Wish:
    """A command on its way to the scale."""

    request: str
    done: threading.Event = field(default_factory=threading.Event)
    problem: str = ""


class ScaleReader:
    """One device and the thread that reads it,
    begun when it is asked for and ended when nobody asks any more.
    """

    def __init__(
        self, connect: Callable[[], PortScale], now: Callable[[], float] = time.monotonic
    ) -> None:
        self._connect, self._now = connect, now
        self._changed = threading.Condition()
        self._wishes: deque[_Wish] = deque()
        self._reading: ScaleReading | None = None
        self._steady: ScaleReading | None = None
        self._problem = ""
        self._read_at = self._failed_at = float("-inf")
        self._asked_at = self._silent_since = now()
        self._thread: threading.Thread | None = None
        self._is_closed = False

    def latest(self) -> ScaleReading:
        """What lies on the scale now, within `POLL_WAITS_S`;
        a `ScaleError` says for how long it has been silent.
        """
        with self._changed:
            asked = self._asked()
            self._changed.wait_for(
                lambda: max(self._read_at, self._failed_at) >= asked, POLL_WAITS_S
            )
            if self._reading is not None and self._now() - self._read_at <= FRESH_S:
                return self._reading
            raise ScaleError(self._silence())

    def command(self, request: str) -> None:
        """Zero, tare or set the scale; a `ScaleError` where it does not do so within
        `COMMAND_WAITS_S`.
        """
        wish = _Wish(request)
        with self._changed:
            if self._asked() - self._silent_since > FRESH_S:
                raise ScaleError(self._silence())
            self._wishes.append(wish)
        if not wish.done.wait(COMMAND_WAITS_S):
            with (
                self._changed
            ):  # told that it failed, nobody wants it done later, under another load
                if wish in self._wishes:
                    self._wishes.remove(wish)
                raise ScaleError(self._silence())
        if wish.problem:
            raise ScaleError(wish.problem)

    def close(self) -> None:
        """End the thread, which hangs up."""
        with self._changed:
            self._is_closed = True
            self._changed.notify_all()

    def _asked(self) -> float:
        """Somebody asks: the thread reads on, or is begun. Called with the lock."""
        now = self._now()
        if now - self._asked_at > RESTS_AFTER_S:
            self._silent_since = now  # nobody listened meanwhile
        self._asked_at = now
        if self._thread is None:
            self._is_closed = False
            self._thread = threading.Thread(target=self._run, daemon=True, name="scale")
            self._thread.start()
        self._changed.notify_all()
        return now

    def _silence(self) -> str:
        seconds = self._now() - self._silent_since
        if not self._problem and seconds <= FRESH_S:
            return "Looking for the scale …"
        kept = f" The last steady reading was {self._steady.text}." if self._steady else ""
        return (
            f"{self._problem or 'The scale does not answer.'} No answer for "
            f"{half_up(max(seconds, 1), 0)} s.{kept}"
        )

    def _run(self) -> None:
        line: PortScale | None = None
        while self._is_wanted():
            wish = self._wishes.popleft() if self._wishes else None
            try:
                line = line or self._connect()
                if wish:
                    command(line, wish.request)
                else:
                    self._heard(read_scale(line))
            except ScaleRefusedError as error:
                assert wish is not None
                wish.problem = str(error)
            except (ScaleError, OSError) as error:
                self._failed(
                    str(error) if isinstance(error, ScaleError) else f"There is no scale: {error}.",
                    wish,
                )
                if line is not None:
                    line.close()
                    line = None
            if wish:
                wish.done.set()
        if line is not None:
            line.close()

    def _is_wanted(self) -> bool:
        """Pause until the scale is to be asked again; False where nobody has asked for long."""
        with self._changed:
            self._changed.wait(PAUSE_S if self._read_at >= self._failed_at else RETRY_S)
            while (
                not self._is_closed
                and not self._wishes
                and (idle := self._now() - self._asked_at) > RESTS_AFTER_S
            ):
                if idle > CLOSES_AFTER_S:
                    self._is_closed = True
                self._changed.wait(CLOSES_AFTER_S)
            if self._is_closed:
                self._thread, self._is_closed = None, False
                return False
            return True

    def _heard(self, reading: ScaleReading) -> None:
        with self._changed:
            self._reading, self._problem = reading, ""
            self._read_at = self._silent_since = self._now()
            if reading.is_steady:
                self._steady = reading
            self._changed.notify_all()

    def _failed(self, problem: str, wish: _Wish | None) -> None:
        with self._changed:
            self._problem, self._failed_at = problem, self._now()
            if wish:
                wish.problem = problem
            self._changed.notify_all()


class Scales:
    """The scales in use, one a household and address,
    kept by the one server process; no database.
    """

    def __init__(self) -> None:
        self._readers: dict[tuple[int, str], ScaleReader] = {}
        self._simulated: dict[int, SimulatedScale] = {}
        self._lock = threading.Lock()

    def reader(self, key: int, address: str) -> ScaleReader:
        """The reader of a real scale by its address,
        else of the household's simulated one; waits for neither.
        """
        with self._lock:
            if (key, address) not in self._readers:
                scale = self._scale(key)
                self._readers[key, address] = ScaleReader(
                    (lambda: open_line(address)) if address else (lambda: simulated_line(scale))
                )
            return self._readers[key, address]

    def close(self) -> None:
        """Hang up on all of them."""
        with self._lock:
            while self._readers:
                self._readers.popitem()[1].close()

    def simulated(self, key: int) -> SimulatedScale:
        """The simulated scale of a household, for the page that loads it."""
        with self._lock:
            return self._scale(key)

    def _scale(self, key: int) -> SimulatedScale:
        return self._simulated.setdefault(key, SimulatedScale())


SCALES: Final = Scales()
