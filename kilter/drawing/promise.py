"""What a plant promises: a bar from one year in ten to nine in ten,
filled as far as the own record speaks.
"""

from __future__ import annotations

from dataclasses import dataclass

WIDTH = 100.0
#: Nine years in ten end here; what is beyond is left open.
NINETY_AT = 92.0


@dataclass(frozen=True)
class Promise:
    """Pixels from the left, where nothing stands at 0."""

    tenth_x: float
    median_x: float
    ninetieth_x: float
    filled: float  #: width of the filled part, from the tenth on

    @property
    def width(self) -> float:
        return round(self.ninetieth_x - self.tenth_x, 1)


def promise(tenth: float, median: float, ninetieth: float, own_share: float) -> Promise:
    """Draw the bar; where even nine years in ten give nothing, all of it is at 0."""
    scale = NINETY_AT / ninetieth if ninetieth > 0 else 0.0
    left, middle, right = (round(value * scale, 1) for value in (tenth, median, ninetieth))
    return Promise(left, middle, right, round((right - left) * own_share, 1))


@dataclass(frozen=True)
class Fell:
    """Where a harvest fell in what was foretold of it, in pixels."""

    tenth_x: float
    median_x: float
    ninetieth_x: float
    got_x: float | None

    @property
    def width(self) -> float:
        return round(self.ninetieth_x - self.tenth_x, 1)


def fell(tenth: float, median: float, ninetieth: float, got: float | None) -> Fell:
    """Draw the range of eight years in ten with the harvest as a mark; nothing stands at 0."""
    scale = NINETY_AT * 0.7 / ninetieth if ninetieth > 0 else 0.0
    left, middle, right = (round(value * scale, 1) for value in (tenth, median, ninetieth))
    at = None if got is None else round(min(got * scale, WIDTH), 1)
    return Fell(left, middle, right, at)
