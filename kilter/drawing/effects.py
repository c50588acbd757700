"""What varieties, methods, places and seasons make of a plant,
as bars about a line where nothing differs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kilter.core.plan.effects import Effect

WIDTH = 160.0
#: The picture reaches from a third to three times as much, or further where a bar does.
LEAST_SPAN = math.log(1.6)


@dataclass(frozen=True, kw_only=True)
class EffectBar:
    """One label with its bar in pixels;
    the middle of the picture is where it makes no difference.
    """

    label: str
    times: float
    low: float
    high: float
    plantings: int
    x: float
    width: float
    at: float


def effect_bars(effects: Sequence[Effect]) -> tuple[EffectBar, ...]:
    """Draw some effects to one scale."""
    span = max(
        [
            LEAST_SPAN,
            *(abs(math.log(value)) for effect in effects for value in (effect.low, effect.high)),
        ]
    )

    def at(value: float) -> float:
        return round(WIDTH / 2 * (1 + math.log(value) / span), 1)

    return tuple(
        EffectBar(
            label=effect.label or "not said",
            times=effect.times,
            low=effect.low,
            high=effect.high,
            plantings=effect.plantings,
            x=at(effect.low),
            width=round(at(effect.high) - at(effect.low), 1),
            at=at(effect.times),
        )
        for effect in effects
    )
