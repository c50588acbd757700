"""A scale on the bench: a line protocol of our own, and a simulated scale that speaks it.

One request a line, answered by one line:

    read            →  reading 1240.5 g steady      the load, less zero and tare; or "moving"
                       overload                     more than it can bear
    zero            →  ok                           what lies on it now is nothing
    tare            →  ok                           the same, and kept when zeroed anew
    unit lb         →  ok                           it speaks g, kg, lb or oz from now on
    anything else   →  error <words>

The line may be a serial one, a socket or a pipe: an adapter gives two text streams. The simulated
scale answers more requests, by which its page plays the hand that loads it: ``put 340``,
``take``, ``noise 2``, ``drift 0.5``, ``limit 5000``, ``step 1``, ``unplug``, ``plug``.
"""

from __future__ import annotations

import contextlib
import math
import random
import socket
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Protocol, TextIO

from kilter.core.amounts.units import MG_PER_UNIT
from kilter.core.errors import KilterError

#: Seconds in which a load all but comes to rest.
SETTLES_S: Final = 1.2
HANGS_S: Final = 2.0
MAX_G: Final = 100_000.0


class ScaleError(KilterError):
    """A scale that does not answer, or answers what cannot be read."""


@dataclass(frozen=True)
class ScaleReading:
    """What a scale shows."""

    mass_mg: int
    text: str  #: as it speaks: ``1240.5 g``
    is_steady: bool
    is_overloaded: bool = False


class ScaleLine(Protocol):
    """Something that answers one request with one line."""

    def ask(self, request: str) -> str: ...


class StreamScale:
    """A line over two text streams: what a real scale is connected by."""

    def __init__(self, reader: TextIO, writer: TextIO) -> None:
        self.reader, self.writer = reader, writer

    def ask(self, request: str) -> str:
        try:
            self.writer.write(request + "\n")
            self.writer.flush()
            answer = self.reader.readline()
        except (OSError, ValueError) as error:
            raise ScaleError("The scale does not answer; is it plugged in?") from error
        if not answer.strip():
            raise ScaleError("The scale does not answer; is it plugged in?")
        return answer.strip()

    def close(self) -> None:
        """Hang up; whatever is left unsent is lost."""
        for stream in (self.writer, self.reader):
            with contextlib.suppress(OSError, ValueError):
                stream.close()


def read_scale(line: ScaleLine) -> ScaleReading:
    """Ask what lies on the scale."""
    answer = line.ask("read")
    words = answer.split()
    if words == ["overload"]:
        return ScaleReading(0, "", is_steady=False, is_overloaded=True)
    try:
        _, figure, unit, state = words
        mass_mg = round(float(figure) * float(MG_PER_UNIT[unit]))
        if words[0] != "reading" or state not in ("steady", "moving") or not math.isfinite(float(figure)):
            raise ValueError
    except (ValueError, KeyError, OverflowError) as error:
        raise ScaleError(f"The scale sent “{answer[:60]}”, which cannot be read.") from error
    return ScaleReading(mass_mg, f"{figure} {unit}", state == "steady")


def command(line: ScaleLine, request: str) -> None:
    """Zero, tare or set the scale."""
    if (answer := line.ask(request)) != "ok":
        raise ScaleError(f"The scale says: {answer.removeprefix('error ')[:80]}.")


class SimulatedScale:
    """A kitchen scale with a hand over it: settles, trembles, drifts, overloads and comes unplugged."""

    def __init__(self, now: Callable[[], float] = time.monotonic, seed: int = 1) -> None:
        self.now, self.random = now, random.Random(seed)  # noqa: S311 - a tremble, not a secret
        self.load_g = self.before_g = self.zero_g = 0.0
        self.changed_s = self.started_s = now()
        self.noise_g, self.drift_g_per_min, self.limit_g, self.step_g = 0.4, 0.0, 5000.0, 1.0
        self.unit = "g"
        self.is_plugged = True

    def ask(self, request: str) -> str:
        word, _, rest = request.strip().partition(" ")
        if word == "plug":
            self.is_plugged = True
            return "ok"
        if not self.is_plugged:
            raise ScaleError("The scale does not answer; is it plugged in?")
        if word == "read":
            return self._read()
        done = getattr(self, f"_do_{word}", None)
        try:
            if done is None:
                raise ValueError
            done(rest)
        except ValueError:
            return f"error cannot do {request[:40]}"
        return "ok"

    @property
    def on_it_g(self) -> float:
        """What lies on it, at rest."""
        return self.load_g

    def _read(self) -> str:
        age = self.now() - self.changed_s
        swing = (self.before_g - self.load_g) * math.exp(-5 * age / SETTLES_S)
        wobble = swing * math.cos(14 * age)
        drift = self.drift_g_per_min * (self.now() - self.started_s) / 60
        shown = self.load_g + wobble + drift + self.random.gauss(0, self.noise_g)
        if shown > self.limit_g:
            return "overload"
        net = round((shown - self.zero_g) / self.step_g) * self.step_g
        is_steady = abs(swing) < self.step_g / 2 and self.noise_g < 3 * self.step_g
        figure = net * 1000 / float(MG_PER_UNIT[self.unit])
        digits = 0 if self.unit == "g" and self.step_g >= 1 else 1 if self.unit in ("g", "oz") else 3
        return f"reading {figure + 0.0:.{digits}f} {self.unit} {'steady' if is_steady else 'moving'}"

    def _set_load(self, grams: float) -> None:
        if not 0 <= grams <= MAX_G:
            raise ValueError
        self.before_g, self.load_g, self.changed_s = self.load_g, grams, self.now()

    def _do_put(self, grams: str) -> None:
        self._set_load(self.load_g + float(grams))

    def _do_take(self, _: str) -> None:
        self._set_load(0.0)

    def _do_zero(self, _: str) -> None:
        self.zero_g = self.load_g
        self.started_s = self.now()

    _do_tare = _do_zero

    def _do_unit(self, unit: str) -> None:
        if unit not in MG_PER_UNIT:
            raise ValueError
        self.unit = unit

    def _do_noise(self, grams: str) -> None:
        self.noise_g = _within(grams, 0, 500)

    def _do_drift(self, grams_per_minute: str) -> None:
        self.drift_g_per_min, self.started_s = _within(grams_per_minute, -500, 500), self.now()

    def _do_limit(self, grams: str) -> None:
        self.limit_g = _within(grams, 100, MAX_G)

    def _do_step(self, grams: str) -> None:
        self.step_g = _within(grams, 0.1, 1000)

    def _do_unplug(self, _: str) -> None:
        self.is_plugged = False


def _within(text: str, low: float, high: float) -> float:
    value = float(text)
    if not low <= value <= high:
        raise ValueError
    return value


def serve(scale: SimulatedScale, reader: TextIO, writer: TextIO) -> None:
    """Answer a stream until it ends; an unplugged scale says nothing."""
    with reader, writer:
        for request in reader:
            try:
                answer = scale.ask(request)
            except ScaleError:
                answer = ""
            writer.write(answer + "\n")
            writer.flush()


def _streams(link: socket.socket) -> tuple[TextIO, TextIO]:
    """A socket as text both ways; it ends when both are closed."""
    with link:
        return link.makefile("r", encoding="ascii"), link.makefile("w", encoding="ascii")


def simulated_line(scale: SimulatedScale) -> StreamScale:
    """Connect to a simulated scale over a local stream, as to a real one."""
    ours, theirs = socket.socketpair()
    ours.settimeout(HANGS_S)
    threading.Thread(target=serve, args=(scale, *_streams(theirs)), daemon=True).start()
    return StreamScale(*_streams(ours))


def open_line(address: str) -> StreamScale:
    """Connect to a real scale: ``tcp:host:port``, or the path of a serial line set up beforehand."""
    try:
        if address.startswith("tcp:"):
            host, _, port = address.removeprefix("tcp:").rpartition(":")
            link = socket.create_connection((host, int(port)), HANGS_S)
            return StreamScale(*_streams(link))
        return StreamScale(open(address, encoding="ascii"), open(address, "w", encoding="ascii"))
    except (OSError, ValueError) as error:
        raise ScaleError(f"There is no scale at {address}.") from error


class Scales:
    """The scales in use, one line a household, kept by the one server process; no database."""

    def __init__(self) -> None:
        self._lines: dict[int, StreamScale] = {}
        self._simulated: dict[int, SimulatedScale] = {}
        self._lock = threading.Lock()

    def ask(self, key: int, address: str, work: Callable[[ScaleLine], ScaleReading | None]) -> ScaleReading | None:
        """Do something over the line to a real scale by its address, else to the simulated one.

        A line that has failed is opened anew the next time.
        """
        with self._lock:
            if key not in self._lines:
                self._lines[key] = open_line(address) if address else simulated_line(self._scale(key))
            try:
                return work(self._lines[key])
            except ScaleError:
                self._lines.pop(key).close()
                raise

    def close(self) -> None:
        """Hang up on all of them."""
        with self._lock:
            while self._lines:
                self._lines.popitem()[1].close()

    def simulated(self, key: int) -> SimulatedScale:
        """The simulated scale of a household, for the page that loads it."""
        with self._lock:
            return self._scale(key)

    def _scale(self, key: int) -> SimulatedScale:
        return self._simulated.setdefault(key, SimulatedScale())


SCALES: Final = Scales()
