"""The answer drawn: balance or steelyard, blocks side by side, lines of what was picked,
the stand of every unit.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache
from typing import Any

from django.urls import reverse

from kilter.core.amounts.units import half_up, kg_to
from kilter.core.compare import Unit
from kilter.core.growing.position import MIDDLE
from kilter.core.trade.grades import food_grades
from kilter.core.yields.bearing import mean_curve
from kilter.core.yields.measures import Measure
from kilter.drawing.balance import Balance, WeightMark, balance
from kilter.drawing.blocks import Blocks, blocks_side_by_side
from kilter.drawing.curves import Chart, stepped
from kilter.drawing.steelyard import Steelyard, steelyard
from kilter.drawing.vessels import vessel
from kilter.weigh_up.answer.ask import Answer
from kilter.weigh_up.answer.gap_words import NO_LIMIT

WIDE, NARROW = 640.0, 380.0
STAND_WIDTH, STAND_HEIGHT = 40.0, 70.0
#: More weights than these are drawn as one shape, and more units than these are not drawn one by
#: one.
MOST_WEIGHTS, MOST_STANDING = 60, 96
#: On a pan that holds more than this, a weight stands for several places.
MOST_ON_PAN = 100
#: More blocks than these are in the table alone.
MOST_BLOCKS = 16
#: A planting is picked again and again when it was lifted from on so many days (rule).
PICKED_DAYS = 3


@dataclass(frozen=True, kw_only=True)
class UnitMark:
    """One unit where it stood; all text, as a page may hold hundreds."""

    outline: str
    fill: str
    figure: str
    place: str
    address: str
    blocks: str
    story: str
    ref: str
    is_suspect: bool = False  #: the answer hangs on it


@dataclass(frozen=True)
class StandRow:
    """The units of one level, in the order they stand."""

    level: str
    series: int
    units: tuple[UnitMark, ...]
    more: int = 0  #: units that are not drawn one by one


@dataclass(frozen=True)
class Weight:
    """One weight on a pan, with its pot's story."""

    mark: WeightMark
    address: str
    story: str
    is_suspect: bool = False  #: the answer hangs on it


@dataclass(frozen=True)
class Weighed:
    """The balance with its weights as pots that can be asked."""

    drawn: Balance
    weights: tuple[tuple[Weight, ...], ...]  #: of each pan; empty where there are too many
    stands_for: int = 1  #: places that a weight stands for


@dataclass(frozen=True)
class Pictures:
    """Everything drawn; the main pictures come in a wide and a narrow size."""

    balances: tuple[tuple[str, Weighed], ...]
    steelyards: tuple[tuple[str, Steelyard], ...]
    blocks: tuple[tuple[str, Blocks], ...]
    lines: tuple[tuple[str, Chart], ...]
    lines_table: tuple[tuple[str, tuple[str, ...]], ...]  #: label, and a figure for each level
    stand: tuple[StandRow, ...]

    def named(self, name: str) -> tuple[tuple[str, Any], ...]:
        """One of the four main pictures in its sizes, by its name in addresses."""
        return {
            "balance": self.balances,
            "steelyard": self.steelyards,
            "blocks": self.blocks,
            "lines": self.lines,
        }[name]


def rate_words(rate: float, measure: Measure, system: str) -> str:
    """A yield per exposure with its unit: ``0.74 kg per plant``."""
    unit = rate_unit(measure, system)
    figure = rate_figure(rate, measure, system)
    per = f"per {measure.per}" if measure.per else ""
    return " ".join(filter(None, (figure, unit, per, price_words(rate, measure, system))))


def price_words(rate: float, measure: Measure, system: str) -> str:
    """Beside a yield per money what a kilogram came to: ``(2.38 of money a kg)``;
    nothing for other measures.
    """
    if measure.key != "kg_per_money" or rate <= 0:
        return ""
    money = half_up(1 / rate_value(rate, measure, system), 2)
    return f"({money} of money a {rate_unit(measure, system)})"


def rate_unit(measure: Measure, system: str) -> str:
    """The unit of what is divided; a count has none."""
    if measure.is_mass:
        return kg_to(1.0, system)[1]
    return {"share": "%", "days": "days"}.get(measure.unit, "")


def rate_value(rate: float, measure: Measure, system: str) -> float:
    """The figure as it is shown, in its unit."""
    if measure.is_mass:
        return kg_to(rate, system)[0]
    return rate * 100 if measure.unit == "share" else rate


def rate_figure(rate: float, measure: Measure, system: str) -> str:
    """The figure alone, with three digits that matter."""
    figure = rate_value(rate, measure, system)
    return f"{figure:.{3 if figure < 0.2 else 2 if figure < 20 else 1}f}"


def address_of(pk: int) -> str:
    """The page of a planting: reversing each of hundreds costs more than drawing them."""
    return f"{_room()}{pk}"


@cache
def _room() -> str:
    return reverse("set_out:index")


def pictures(answer: Answer, system: str) -> Pictures:
    """Draw an answer that has a comparison."""
    comparison = answer.comparison
    assert comparison is not None
    fitted = [level for level in comparison.levels if level.low is not None]
    sizes = (("wide", WIDE), ("narrow", NARROW))
    balances: tuple[tuple[str, Weighed], ...] = ()
    steelyards: tuple[tuple[str, Steelyard], ...] = ()
    if len(fitted) == 2:
        balances = tuple((name, _balance(answer, system, width)) for name, width in sizes)
    elif len(fitted) > 2:
        steelyards = tuple((name, _steelyard(answer, system, width)) for name, width in sizes)
    curves, labels = _curves(answer, system), _x_labels(answer.question.cut_off)
    return Pictures(
        balances,
        steelyards,
        tuple((name, drawn) for name, width in sizes if (drawn := _blocks(answer, system, width))),
        tuple((name, lines) for name, width in sizes if (lines := stepped(curves, labels, width))),
        _lines_table(curves, labels),
        _stand(answer, system),
    )


def _balance(answer: Answer, system: str, width: float) -> Weighed:
    comparison = answer.comparison
    assert comparison is not None
    pair = comparison.pairs[0]
    of = {level: [u for u in comparison.units if u.level == level] for level in (pair.a, pair.b)}
    stands_for = max(-(-max(len(of[pair.a]), len(of[pair.b])) // MOST_ON_PAN), 1)
    left, right = (-(-len(of[level]) // stands_for) for level in (pair.a, pair.b))
    times, unit = {"ratio": (1.0, "×"), "days": (1.0, " d"), "points": (100.0, "")}[
        pair.kind.answered
    ]
    gap, low, high = (said * times for said in (pair.size, pair.low, pair.high))
    drawn = balance(
        gap, low, high, left, right, width, unit=unit, is_even=pair.kind.answered != "ratio"
    )
    weights: tuple[tuple[Weight, ...], ...] = ()
    if len(comparison.units) <= MOST_WEIGHTS:
        weights = tuple(
            tuple(
                Weight(
                    mark,
                    address_of(answer.facts[unit.ref].pk),
                    story(answer, unit, system),
                    unit.ref == answer.suspect_ref,
                )
                for mark, unit in zip(pan.weights, of[level], strict=True)
            )
            for pan, level in zip(drawn.pans, (pair.a, pair.b), strict=True)
        )
    return Weighed(drawn, weights, stands_for)


def story(answer: Answer, unit: Unit, system: str) -> str:
    """What one pot was: where, what, when, and how its figure came about."""
    fact = answer.facts[unit.ref]
    record, measure = fact.record, answer.measure
    said = f"{fact.place}, {fact.label}: {rate_words(unit.amount / unit.exposure, measure, system)}"
    if measure.is_mass or measure.is_count:
        amount = (
            rate_words(unit.amount, MASS_ALONE, system) if measure.is_mass else f"{unit.amount:g}"
        )
        said += f" ({amount} over {unit.exposure:.3g})"
    others = [answer.facts[ref].place for ref in answer.joined.get(unit.ref, ()) if ref != unit.ref]
    together = f"weighed as one with {', '.join(others)}" if others else ""
    dates = [
        f"{word} {day:%-d %B %Y}"
        for word, day in (("planted", record.planted_on), ("done", record.finished_on))
        if day is not None
    ]
    doubt = f"known to ±{half_up(unit.vague_sd * 100, 0)} %" if unit.vague_sd else ""
    hangs = "the answer hangs on this one" if unit.ref == answer.suspect_ref else ""
    return "; ".join(filter(None, (said, together, ", ".join(dates), doubt, hangs))) + "."


#: For a weight by itself.
MASS_ALONE = Measure("mass", "kg", "", lambda _: 1.0)


def _steelyard(answer: Answer, system: str, width: float) -> Steelyard:
    assert answer.comparison is not None
    hung: list[tuple[str, str, float, float, float]] = []
    order: dict[str, int] = {}
    for level in answer.comparison.levels:
        if level.low is None or level.high is None:
            continue
        order[level.level] = len(hung)
        reach = (
            level.mean / NO_LIMIT,
            level.mean * NO_LIMIT,
        )  # further than that a hook says nothing
        ends = max(level.low, reach[0]), min(level.high, reach[1])
        mean, low, high = (rate_value(v, answer.measure, system) for v in (level.mean, *ends))
        figure = rate_figure(level.mean, answer.measure, system)
        hung.append((level.level, f"{figure} · {level.n}", mean, low, high))
    apart = [(order[p.a], order[p.b]) for p in answer.comparison.pairs if p.verdict == "clear"]
    return steelyard(hung, apart, width, is_even=answer.comparison.kind.answered != "ratio")


def _blocks(answer: Answer, system: str, width: float) -> Blocks | None:
    comparison = answer.comparison
    assert comparison is not None
    if len(comparison.blocks) < 2:
        return None
    rows = [
        (
            ", ".join(block.labels),
            [(level, rate_value(mean, answer.measure, system)) for level, mean in block.means],
            block.is_agreeing,
        )
        for block in comparison.blocks[:MOST_BLOCKS]
    ]
    order = [level.level for level in comparison.levels]
    return blocks_side_by_side(rows, order, width, is_even=comparison.kind.answered != "ratio")


def _curves(answer: Answer, system: str) -> list[tuple[str, tuple[tuple[int, float], ...]]]:
    """What each level had given by each day, per exposure;
    only of what is picked again and again.
    """
    comparison, measure = answer.comparison, answer.measure
    assert comparison is not None
    if measure.kind != "yield":
        return []
    curves: dict[str, list[list[tuple[int, float]]]] = defaultdict(list)
    days = 0
    for unit in comparison.units:
        fact = answer.facts[unit.ref]
        grades = answer.question.grades or food_grades(is_small_food=fact.record.is_small_food)
        zero = (
            fact.record.planted_on if answer.question.cut_off == "age" else date(fact.season, 1, 1)
        )
        so_far, curve = 0.0, []
        for lift in fact.lifts:
            if lift.grade in grades and zero is not None and lift.day is not None:
                so_far += lift.total.count if measure.is_count else lift.total.mass_mg / 1e6
                curve.append(
                    ((lift.day - zero).days, rate_value(so_far / unit.exposure, measure, system))
                )
        days = max(days, len({day for day, _ in curve}))
        curves[unit.level].append(curve)
    if days < PICKED_DAYS:
        return []
    return [
        (level.level, mean_curve(curves[level.level]))
        for level in comparison.levels
        if curves[level.level]
    ]


def _lines_table(
    curves: list[tuple[str, tuple[tuple[int, float], ...]]], labels: list[tuple[float, str]]
) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """The same at the marks of the axis: a row for each, a figure for each level."""
    last = max((curve[-1][0] for _, curve in curves if curve), default=0)
    rows = []
    for at, label in labels:
        reached = [[value for day, value in curve if day <= at] for _, curve in curves]
        if at <= last and any(reached):
            rows.append((label, tuple(f"{values[-1]:.3g}" if values else "" for values in reached)))
    final = tuple(f"{curve[-1][1]:.3g}" if curve else "" for _, curve in curves)
    return (*rows, ("in all", final)) if curves else ()


def _x_labels(cut_off: str) -> list[tuple[float, str]]:
    if cut_off == "age":
        return [(day, f"day {day}") for day in range(0, 700, 20)]
    start = date(2001, 1, 1)
    months = [date(2001 + m // 12, m % 12 + 1, 1) for m in range(24)]
    firsts = [(day, f"{day:%b}") for day in months]
    return [((day - start) // timedelta(days=1), label) for day, label in firsts]


def _stand(answer: Answer, system: str) -> tuple[StandRow, ...]:
    assert answer.comparison is not None
    units = answer.comparison.units
    fullest = max((unit.amount / unit.exposure for unit in units), default=0.0) * 1.12
    by_level: dict[str, list[Unit]] = defaultdict(list)
    for unit in units:
        by_level[unit.level].append(unit)
    each = max(MOST_STANDING // max(len(by_level), 1), 6)
    rows = []
    for series, level in enumerate(answer.comparison.levels, start=1):
        of_level = by_level[level.level]
        standing = [_standing(answer, unit, fullest, system) for unit in of_level[-each:]]
        rows.append(
            StandRow(
                level.level, (series - 1) % 6 + 1, tuple(standing), max(len(of_level) - each, 0)
            )
        )
    return tuple(rows)


def _standing(answer: Answer, unit: Unit, fullest: float, system: str) -> UnitMark:
    rate = unit.amount / unit.exposure
    fact = answer.facts[unit.ref]
    share = rate / fullest if fullest else 0.0
    shape = vessel(
        2, 2, STAND_WIDTH, STAND_HEIGHT, kind=fact.place_kind, is_bed=fact.is_bed, share=share
    )
    asked = answer.question.attributes
    words = [fact.attributes[name] for name in ("edge", "along") if name not in asked]
    where = [word for word in words if word and word != MIDDLE]
    return UnitMark(
        outline=shape.outline,
        fill=shape.fill,
        figure=rate_figure(rate, answer.measure, system),
        place=fact.place,
        address=address_of(fact.pk),
        blocks=", ".join([*unit.blocks, *dict.fromkeys(where)]),
        story=story(answer, unit, system),
        ref=unit.ref,
        is_suspect=unit.ref == answer.suspect_ref,
    )
