"""What was lifted so far, day by day, as a stepped line over the dates."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from kilter.drawing.scales import Tick

WIDTH, HEIGHT = 700.0, 190.0
STEPS = (1, 2, 5)


@dataclass(frozen=True)
class CumulativeLine:
    """A path in a box of `WIDTH` by `HEIGHT`, with its ticks."""

    path: str
    dots: tuple[tuple[float, float], ...]
    amounts: tuple[Tick, ...]
    days: tuple[Tick, ...]
    width: float = WIDTH
    height: float = HEIGHT


def cumulative_line(points: Sequence[tuple[date, float]], unit: str) -> CumulativeLine | None:
    """Draw amounts reached on days, in order; None for fewer than two days or nothing reached."""
    if len(points) < 2 or points[-1][1] <= 0:
        return None
    first, last = points[0][0], points[-1][0]
    span, top = max((last - first).days, 1), points[-1][1]

    def at(day: date) -> float:
        return round((day - first).days / span * WIDTH, 1)

    def up(amount: float) -> float:
        return round(HEIGHT * (1 - amount / top), 1)

    path = f"M0 {HEIGHT}" + "".join(f"H{at(day)}V{up(amount)}" for day, amount in points)
    shown = (
        [points[round(i * (len(points) - 1) / 4)][0] for i in range(5)]
        if len(points) > 5
        else [d for d, _ in points]
    )
    return CumulativeLine(
        path,
        tuple((at(day), up(amount)) for day, amount in points),
        tuple(Tick(up(value), f"{value:g} {unit}") for value in _round_steps(top)),
        tuple(Tick(at(day), f"{day:%-d %b}") for day in dict.fromkeys(shown)),
    )


def _round_steps(top: float) -> list[float]:
    """Round amounts up to the top, three to seven of them."""
    power = 10.0**-3
    while True:
        for step in STEPS:
            if top / (step * power) <= 5:
                return [round(step * power * i, 6) for i in range(1, int(top / (step * power)) + 1)]
        power *= 10
