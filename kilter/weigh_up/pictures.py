"""The answer drawn: a balance for two levels, a steelyard for more, and the stand of every unit."""

from __future__ import annotations

from dataclasses import dataclass

from django.urls import reverse

from kilter.core.measures import Measure
from kilter.core.units import kg_to
from kilter.drawing.balance import Balance, balance
from kilter.drawing.steelyard import Steelyard, steelyard
from kilter.drawing.vessels import vessel
from kilter.weigh_up.queries import Answer

WIDE, NARROW = 760.0, 380.0
STAND_WIDTH, STAND_HEIGHT = 40.0, 70.0


@dataclass(frozen=True)
class Standing:
    """One unit where it stood; all text, as a page may hold hundreds."""

    outline: str
    fill: str
    figure: str
    place: str
    address: str
    blocks: str


@dataclass(frozen=True)
class StandRow:
    """The units of one level, in the order they stand."""

    level: str
    series: int
    units: tuple[Standing, ...]


@dataclass(frozen=True)
class Pictures:
    """Everything drawn; the pictures come in a wide and a narrow size."""

    balances: tuple[tuple[str, Balance], ...]
    steelyards: tuple[tuple[str, Steelyard], ...]
    stand: tuple[StandRow, ...]


def rate_words(rate: float, measure: Measure, system: str) -> str:
    """A yield per exposure with its unit: ``0.74 kg per plant``."""
    unit = rate_unit(measure, system)
    return f"{rate_figure(rate, measure, system)} {unit}{' ' if unit else ''}per {measure.per}"


def rate_unit(measure: Measure, system: str) -> str:
    """The unit of what is divided; a count has none."""
    return "" if measure.is_count else kg_to(1.0, system)[1]


def rate_figure(rate: float, measure: Measure, system: str) -> str:
    """The figure alone, with three digits that matter."""
    figure = rate if measure.is_count else kg_to(rate, system)[0]
    return f"{figure:.{3 if figure < 0.2 else 2 if figure < 20 else 1}f}"


def pictures(answer: Answer, system: str) -> Pictures:
    """Draw an answer that has a comparison."""
    assert answer.comparison is not None
    fitted = [level for level in answer.comparison.levels if level.low is not None]
    balances: tuple[tuple[str, Balance], ...] = ()
    steelyards: tuple[tuple[str, Steelyard], ...] = ()
    if len(fitted) == 2:
        pair = answer.comparison.pairs[0]
        counts = fitted[0].n, fitted[1].n
        balances = tuple(
            (name, balance(pair.ratio, pair.low, pair.high, *counts, width=width))
            for name, width in (("wide", WIDE), ("narrow", NARROW))
        )
    elif len(fitted) > 2:
        steelyards = tuple(
            (name, _steelyard(answer, system, width)) for name, width in (("wide", WIDE), ("narrow", NARROW))
        )
    return Pictures(balances, steelyards, _stand(answer, system))


def _steelyard(answer: Answer, system: str, width: float) -> Steelyard:
    assert answer.comparison is not None
    hung: list[tuple[str, str, float, float, float]] = []
    order: dict[str, int] = {}
    for level in answer.comparison.levels:
        if level.low is None or level.high is None:
            continue
        order[level.level] = len(hung)
        mean, low, high = (
            v if answer.measure.is_count else kg_to(v, system)[0] for v in (level.mean, level.low, level.high)
        )
        figure = rate_figure(level.mean, answer.measure, system)
        hung.append((level.level, f"{figure} · {level.n}", mean, low, high))
    apart = [(order[p.a], order[p.b]) for p in answer.comparison.pairs if p.verdict == "clear"]
    return steelyard(hung, apart, width)


def _stand(answer: Answer, system: str) -> tuple[StandRow, ...]:
    assert answer.comparison is not None
    units, room = answer.comparison.units, reverse("set_out:sheet")
    fullest = max((unit.amount / unit.exposure for unit in units), default=0.0) * 1.12
    rows = []
    for series, level in enumerate(answer.comparison.levels, start=1):
        standing = []
        for unit in (u for u in units if u.level == level.level):
            rate = unit.amount / unit.exposure
            fact = answer.facts[unit.ref]
            shape = vessel(
                2, 2, STAND_WIDTH, STAND_HEIGHT,
                kind=fact.place_kind, is_bed=fact.is_bed, share=rate / fullest if fullest else 0.0,
            )  # fmt: skip
            figure = rate_figure(rate, answer.measure, system)
            # The address of a planting is that of its room and its number; reversing each costs more than drawing it.
            address, blocks = f"{room}{fact.pk}", ", ".join(unit.blocks)
            standing.append(Standing(shape.outline, shape.fill, figure, fact.place, address, blocks))
        rows.append(StandRow(level.level, (series - 1) % 6 + 1, tuple(standing)))
    return tuple(rows)
