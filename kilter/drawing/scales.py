"""Axes: where a value falls, and which round values to mark."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

LABEL_PX = 40.0  # the least distance between two labels
#: What is marked within a decade, from the finest to the coarsest.
_MULTIPLES = (
    tuple(1 + i / 20 for i in range(180)),
    tuple(1 + i / 10 for i in range(90)),
    tuple(1 + i / 2 for i in range(18)),
    (1.0, 1.5, 2.0, 3.0, 5.0, 7.0),
    (1.0, 2.0, 5.0),
    (1.0,),
)


@dataclass(frozen=True)
class Tick:
    """A mark on an axis."""

    at: float  #: pixels along the axis
    label: str  #: empty for a minor mark


@dataclass(frozen=True)
class LogAxis:
    """A logarithmic axis from low to high over some pixels."""

    low: float
    high: float
    start: float
    end: float

    def at(self, value: float) -> float:
        share = math.log(value / self.low) / math.log(self.high / self.low)
        return self.start + share * (self.end - self.start)

    def ticks(self) -> tuple[Tick, ...]:
        """Mark round values, as many as leave room for their labels."""
        for multiples in _MULTIPLES:
            inside = _round_values(self.low, self.high, multiples)
            at = [self.at(value) for value in inside]
            if all(b - a >= LABEL_PX for a, b in pairwise(at)):
                break
        return tuple(Tick(round(x, 1), f"{value:.3g}") for x, value in zip(at, inside, strict=True))


@dataclass(frozen=True)
class PlainAxis:
    """An even axis from low to high over some pixels."""

    low: float
    high: float
    start: float
    end: float

    def at(self, value: float) -> float:
        return self.start + (value - self.low) / (self.high - self.low) * (self.end - self.start)

    def ticks(self) -> tuple[Tick, ...]:
        """Mark round values, as many as leave room for their labels."""
        room = (self.high - self.low) * LABEL_PX / (self.end - self.start)
        power = 10.0 ** math.floor(math.log10(room))
        step = next(power * times for times in (1, 2, 5, 10, 20) if power * times >= room)
        first, last = math.ceil(self.low / step - 1e-9), math.floor(self.high / step + 1e-9)
        values = [n * step for n in range(first, last + 1)]
        return tuple(Tick(round(self.at(value), 1), f"{value:.6g}") for value in values)


def plain_axis(values: list[float], start: float, end: float) -> PlainAxis:
    """Fit an even axis round values, with a margin on both sides."""
    low, high = min(values), max(values)
    margin = max((high - low) * 0.06, abs(high) * 0.01, 1e-9)
    return PlainAxis(low - margin, high + margin, start, end)


def _round_values(low: float, high: float, multiples: tuple[float, ...]) -> list[float]:
    powers = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    values = [multiple * 10.0**power for power in powers for multiple in multiples]
    return [value for value in values if low <= value <= high]


def log_axis(values: list[float], start: float, end: float) -> LogAxis:
    """Fit an axis round positive values, with a margin on both sides."""
    low, high = min(values), max(values)
    margin = max((high / low) ** 0.06, 1.04)
    return LogAxis(low / margin, high * margin, start, end)
