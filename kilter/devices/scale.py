"""A scale on the bench: a line protocol of our own, and a simulated scale that speaks it.

One request a line, answered by one line:

    read            →  reading 1240.5 g steady      the load, less zero and tare; or "moving"
                       overload                     more than it can bear
    zero            →  ok                           what lies on it now is nothing
    tare            →  ok                           the same, and kept when zeroed anew
    unit lb         →  ok                           it speaks g, kg, lb or oz from now on
    anything else   →  error <words>

The line is a serial one or a socket. The simulated scale speaks over a serial line too (a pair of
pseudo terminals), so that what goes wrong with a real one can be tried. It answers more requests,
by which its page plays the hand that loads it: ``put 340``, ``take``, ``noise 2``, ``drift 0.5``,
``limit 5000``, ``step 1``, ``unplug``, ``plug``, and ``line silent``, ``slow``, ``garbage``,
``cut`` or ``good`` for how its line behaves.
"""

from __future__ import annotations

import contextlib
import math
import os
import random
import threading
import time
import tty
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Protocol, cast

import serial

from kilter.core.amounts.units import MG_PER_UNIT
from kilter.core.errors import KilterError

#: Seconds in which a load all but comes to rest.
SETTLES_S: Final = 1.2
#: An answer that is not whole by then is none.
ANSWERS_WITHIN_S: Final = 1.5
#: How long one look at the line waits for bytes.
LOOKS_S: Final = 0.1
MAX_ANSWER_BYTES: Final = 200
BAUD: Final = 9600
MAX_G: Final = 100_000.0
#: How the line of the simulated scale behaves; a slow one sends a letter at a time.
LINES: Final = ("good", "silent", "slow", "garbage", "cut")
SLOW_S: Final = 0.4
NO_ANSWER: Final = "The scale does not answer; is it plugged in?"


class ScaleError(KilterError):
    """A scale that does not answer, or answers what cannot be read."""


class ScaleRefusedError(ScaleError):
    """A scale that answers, and will not do what it is asked."""


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


class Port(Protocol):
    """Bytes both ways, with time limits of its own: what pyserial opens."""

    in_waiting: int

    def read(self, size: int = 1) -> bytes: ...

    def write(self, data: bytes, /) -> int | None: ...

    def reset_input_buffer(self) -> None: ...

    def close(self) -> None: ...


class PortScale:
    """A line over a port: what a real scale is connected by.

    No answer takes longer than `ANSWERS_WITHIN_S`.
    """

    def __init__(self, port: Port, now: Callable[[], float] = time.monotonic) -> None:
        self.port, self.now = port, now

    def ask(self, request: str) -> str:
        try:
            self.port.reset_input_buffer()  # the late end of an answer before this one
            self.port.write(f"{request}\n".encode("ascii"))
            answer = self._line()
        except (OSError, ValueError) as error:
            raise ScaleError(NO_ANSWER) from error
        if not answer:
            raise ScaleError(NO_ANSWER)
        return answer

    def _line(self) -> str:
        """The bytes up to the end of a line, however they trickle in;
        empty where it does not end in time.
        """
        got, until = b"", self.now() + ANSWERS_WITHIN_S
        while b"\n" not in got:
            if self.now() > until:
                return ""
            if len(got) > MAX_ANSWER_BYTES:
                raise ScaleError("The scale sends what cannot be read; is it the right device?")
            got += self.port.read(self.port.in_waiting or 1)
        return got.partition(b"\n")[0].decode("ascii", "replace").strip()

    def close(self) -> None:
        """Hang up; whatever is left unsent is lost."""
        with contextlib.suppress(OSError, ValueError):
            self.port.close()


def read_scale(line: ScaleLine) -> ScaleReading:
    """Ask what lies on the scale."""
    answer = line.ask("read")
    words = answer.split()
    if words == ["overload"]:
        return ScaleReading(0, "", is_steady=False, is_overloaded=True)
    try:
        _, figure, unit, state = words
        mass_mg = round(float(figure) * float(MG_PER_UNIT[unit]))
        if (
            words[0] != "reading"
            or state not in ("steady", "moving")
            or not math.isfinite(float(figure))
        ):
            raise ValueError
    except (ValueError, KeyError, OverflowError) as error:
        raise ScaleError(f"The scale sent “{answer[:60]}”, which cannot be read.") from error
    return ScaleReading(mass_mg, f"{figure} {unit}", state == "steady")


def command(line: ScaleLine, request: str) -> None:
    """Zero, tare or set the scale."""
    if (answer := line.ask(request)) != "ok":
        raise ScaleRefusedError(f"The scale says: {answer.removeprefix('error ')[:80]}.")


class SimulatedScale:
    """A kitchen scale with a hand over it: settles, trembles, drifts,
    overloads and comes unplugged.
    """

    def __init__(self, now: Callable[[], float] = time.monotonic, seed: int = 1) -> None:
        self.now, self.random = now, random.Random(seed)  # noqa: S311 - a tremble, not a secret
        self.load_g = self.before_g = self.zero_g = 0.0
        self.changed_s = self.started_s = now()
        self.noise_g, self.drift_g_per_min, self.limit_g, self.step_g = 0.4, 0.0, 5000.0, 1.0
        self.unit = "g"
        self.is_plugged = True
        self.line = LINES[0]

    def ask(self, request: str) -> str:
        word, _, rest = request.strip().partition(" ")
        if word == "plug":
            self.is_plugged = True
            return "ok"
        if not self.is_plugged:
            raise ScaleError(NO_ANSWER)
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
        digits = (
            0 if self.unit == "g" and self.step_g >= 1 else 1 if self.unit in ("g", "oz") else 3
        )
        return (
            f"reading {figure + 0.0:.{digits}f} {self.unit} {'steady' if is_steady else 'moving'}"
        )

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

    def _do_line(self, how: str) -> None:
        if how not in LINES:
            raise ValueError
        self.line = how


def _within(text: str, low: float, high: float) -> float:
    value = float(text)
    if not low <= value <= high:
        raise ValueError
    return value


def serve(scale: SimulatedScale, master: int) -> None:
    """Answer the other end of a line until it is closed; an unplugged scale says nothing."""
    with contextlib.suppress(OSError), open(master, "r+b", buffering=0) as end:
        asked = b""
        while piece := end.read(64):
            *requests, asked = (asked + piece).split(b"\n")
            for request in requests:
                answer = _answer(scale, request.decode("ascii", "replace"))
                if answer is None:
                    return
                for i in range(0, len(answer), size := 1 if scale.line == "slow" else 256):
                    end.write(answer[i : i + size])
                    time.sleep(SLOW_S if scale.line == "slow" else 0)


def _answer(scale: SimulatedScale, request: str) -> bytes | None:
    """What goes over the line, as it behaves now; None where it breaks off."""
    try:
        answer = f"{scale.ask(request)}\n".encode()
    except ScaleError:
        return b""
    if scale.line == "cut":
        return None
    return {"silent": b"", "garbage": scale.random.randbytes(40)}.get(scale.line, answer)


def simulated_line(scale: SimulatedScale) -> PortScale:
    """Connect to a simulated scale over a pair of pseudo terminals,
    as to a real one over its serial line.
    """
    master, ours = os.openpty()
    try:
        tty.setraw(ours)
        port = _opened(os.ttyname(ours))
    except OSError:
        os.close(master)
        raise
    finally:
        os.close(ours)
    threading.Thread(
        target=serve, args=(scale, master), daemon=True, name="simulated-scale"
    ).start()
    return PortScale(port)


def open_line(address: str) -> PortScale:
    """Connect to a real scale: ``tcp:host:port``,
    or a serial line as ``/dev/ttyUSB0`` or ``/dev/ttyUSB0@19200``.
    """
    try:
        return PortScale(_opened(address))
    except (OSError, ValueError) as error:
        raise ScaleError(f"There is no scale at {address}.") from error


def _opened(address: str) -> Port:
    path, _, baud = address.partition("@")
    url = f"socket://{path.removeprefix('tcp:')}" if path.startswith("tcp:") else path
    opened = serial.serial_for_url(
        url, int(baud or BAUD), timeout=LOOKS_S, write_timeout=ANSWERS_WITHIN_S
    )
    return cast(Port, opened)
