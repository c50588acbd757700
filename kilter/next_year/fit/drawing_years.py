"""The years of an order, drawn once, and what is found from them at once: a first fit,
and one that was changed.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.certainty import Fresh
from kilter.core.fit.find import BestFit, answer_quickly
from kilter.core.fit.order import fresh_years, problem_of, with_draws
from kilter.core.fit.problem import Laid, lay_out
from kilter.core.fit.worth import worth_of
from kilter.next_year.fit.ordering import HALF_KEY, Ordered
from kilter.next_year.fit.process import Best, begin, told

#: So many orders stay drawn, and so many answers stay found.
MOST_DRAWN, MOST_FOUND = 2, 16
_years: OrderedDict[str, tuple[FloatArray, Fresh]] = OrderedDict()
_quick: OrderedDict[str, Best] = OrderedDict()


@dataclass(frozen=True, eq=False)
class Drawn:
    """An order with its years, and other years to say how sure a fit is."""

    laid: Laid
    fresh: Fresh


def drawn(found: Ordered) -> Drawn:
    """Draw the years of an order; what is wanted and what is pinned does not change them."""
    key, order = found.key[:HALF_KEY], found.order
    known = _years.get(key)
    if known is None:
        known = _years[key] = problem_of(order).draws, fresh_years(order)
        _trim(_years, MOST_DRAWN)
    draws, fresh = known
    return Drawn(lay_out(with_draws(order, draws)), fresh)


def _trim(kept: OrderedDict[str, Any], most: int) -> None:
    while len(kept) > most:
        kept.popitem(last=False)


def first_of(found: Ordered, before: Mapping[int, float]) -> Best:
    """A first fit, or the one from before where that is better: in a second or two."""
    here = drawn(found)
    return told(here.laid, here.fresh, begin(here.laid, found.order.seed, dict(before))[0])


def changed_from(found: Ordered, before: Mapping[int, float]) -> Best:
    """The fit that is nearest to one from before something was moved:
    in a fifth of a second or so.
    """
    best = _quick.get(found.key)
    if best is None:
        here = drawn(found)
        plants = _with_pins(found, as_array(here.laid, before))
        short = np.flatnonzero(worth_of(here.laid, plants).reached < 1)
        moved = {found.order.options[option].crop for option, _ in found.order.pinned}
        worth = answer_quickly(here.laid, plants, tuple(sorted(moved | {int(c) for c in short})))
        best = _quick[found.key] = told(
            here.laid, here.fresh, BestFit(worth, worth.total, 0), is_done=True
        )
        _trim(_quick, MOST_FOUND)
    return best


def restored(found: Ordered, before: Mapping[int, float], ceiling: float, tries: int) -> Best:
    """What was stored of this very order, with how sure it is reckoned anew."""
    here = drawn(found)
    worth = worth_of(here.laid, as_array(here.laid, before))
    return told(here.laid, here.fresh, BestFit(worth, ceiling, tries), is_done=True)


def _with_pins(found: Ordered, plants: FloatArray) -> FloatArray:
    """What is pinned stands where it is said, and so much less of the same elsewhere,
    of the same variety first.
    """
    options, pinned = found.order.options, dict(found.order.pinned)
    for option, amount in pinned.items():
        more = amount - plants[option]
        plants[option] = amount
        said = options[option]
        others = [
            o
            for o, one in enumerate(options)
            if one.crop == said.crop and o not in pinned and plants[o] > 0
        ]
        for o in sorted(others, key=lambda o: options[o].variety != said.variety):
            less = min(max(more, 0.0), plants[o])
            plants[o] -= less
            more -= less
    return plants


def as_array(laid: Laid, plants: Mapping[int, float]) -> FloatArray:
    """Plants by option as an array over all options."""
    found = np.zeros(len(laid.crop))
    for option, amount in plants.items():
        found[option] = amount
    return found


def changes(found: Ordered, before: Mapping[int, float], after: Mapping[int, float]) -> list[str]:
    """What is otherwise than before, crop by crop, in words."""
    return [f"{crop}: {words}" for crop, words in moves(found, before, after).items()]


def moves(
    found: Ordered, before: Mapping[int, float], after: Mapping[int, float]
) -> dict[str, str]:
    """The same by crop."""
    said = {}
    for c, row in enumerate(found.rows):
        plots: dict[str, list[float]] = {}
        for at, plants in enumerate((before, after)):
            for option, amount in plants.items():
                one = found.order.options[option]
                if one.crop == c:
                    plots.setdefault(found.order.plots[one.plot].name, [0.0, 0.0])[at] += amount
        moved = [
            (plot, round(then), round(now))
            for plot, (then, now) in plots.items()
            if round(then) != round(now)
        ]
        if moved:
            words = ", ".join(f"{then} → {now} in {plot}" for plot, then, now in sorted(moved))
            said[row.crop.name] = words
    return said
