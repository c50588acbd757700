"""Axes: where a value falls, and which round values to mark."""

from __future__ import annotations

import math
from dataclasses import dataclass

NICE_STEPS = (1.0, 2.0, 5.0)


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
        """Mark 1-2-5 values, and 1.5, 3, 4, 7 between them where there is room."""
        decades = math.log10(self.high / self.low)
        multiples: tuple[float, ...] = (1, 2, 5) if decades > 0.9 else (1, 1.5, 2, 3, 4, 5, 7)
        if decades < 0.3:
            multiples = tuple(1 + i / 10 for i in range(90))
        values = [
            multiple * 10.0**power
            for power in range(math.floor(math.log10(self.low)) - 1, math.ceil(math.log10(self.high)) + 1)
            for multiple in multiples
        ]
        inside = sorted(value for value in values if self.low <= value <= self.high)
        return tuple(Tick(round(self.at(value), 1), f"{value:.3g}") for value in inside)


def log_axis(values: list[float], start: float, end: float) -> LogAxis:
    """Fit an axis round positive values, with a margin on both sides."""
    low, high = min(values), max(values)
    margin = max((high / low) ** 0.06, 1.04)
    return LogAxis(low / margin, high * margin, start, end)


def nice_ceiling(value: float) -> float:
    """The next of 1, 2, 5, 10, 20 … at or above a positive value."""
    power = 10.0 ** math.floor(math.log10(value))
    return next(step * power for step in (*NICE_STEPS, 10.0) if step * power >= value * (1 - 1e-9))
