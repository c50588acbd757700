"""What stands in the way of a crop that falls short,
and what one more bed or an hour's work would bring.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import islice

import numpy as np

from kilter.core.amounts.units import half_up
from kilter.core.fit.find import BestFit, improve
from kilter.core.fit.master import Tangents
from kilter.core.fit.penalties import too_much
from kilter.core.fit.problem import Laid, Plot, Problem, lay_out
from kilter.core.fit.search import Search
from kilter.core.fit.worth import worth_of
from kilter.next_year.fit.drawing_years import as_array
from kilter.next_year.fit.ordering import Ordered
from kilter.plans.models import half_month

#: So much of a need reached is all of it: plants are whole (rule).
ENOUGH = 0.98
#: So many tries for each thing that might be had more of (rule).
TRIES = 8
HOUR = 60
#: So many of the plantings in a crop's way are named.
MOST_IN_THE_WAY = 3


def binds(found: Ordered, laid: Laid, plants: Mapping[int, float]) -> dict[int, str]:
    """For each crop that falls short, what keeps one more plant of it out."""
    search = Search(laid, as_array(laid, plants))
    said = {}
    for c in np.flatnonzero(search.worth.reached < ENOUGH):
        mine = laid.of_crop[int(c)]
        if not mine.size:
            said[int(c)] = (
                "its block is larger than any bed"
                if laid.problem.wanted[c].min_block
                else "it fits nowhere"
            )
            continue
        left = (
            np.where(laid.there[mine] > 0, search.left[laid.plot[mine]], np.inf).min(axis=1)
            / laid.use[mine]
        )
        has_room = left + search.plants[mine] >= np.maximum(
            laid.least[mine], search.plants[mine] + laid.unit[mine]
        )
        if has_room.any():
            said[int(c)] = _beside_room(laid, search, mine[has_room])
        else:
            first, last = (
                int(laid.there[mine].argmax(axis=1).min()),
                max(found.order.options[o].end for o in mine),
            )
            begins, ends = (half_month(found.plan.season, slot) for slot in (first, last + 1))
            taken = f"every place is taken between {begins:%B} and {ends:%B}"
            said[int(c)] = f"{taken}{_in_the_way(found, mine, first)}"
    return said


def _in_the_way(found: Ordered, mine: np.ndarray, first: int) -> str:
    """What stands there already when the crop would come: what can be cleared first, of that what
    goes last.
    """
    plots = {found.order.options[o].plot for o in mine}
    there = (one for plot in plots for one in found.grounds[plot].standing)
    by_planting = {one.planting.pk: one for one in there if one.until >= first}
    stands = sorted(
        by_planting.values(),
        key=lambda one: (one.clears.day is None, -one.until, one.planting.pk),
    )
    named = ", ".join(one.words for one in stands[:MOST_IN_THE_WAY])
    more = len(stands) - MOST_IN_THE_WAY
    return f"; there stand {named}{f' and {more} more' if more > 0 else ''}" if named else ""


def _beside_room(laid: Laid, search: Search, with_room: np.ndarray) -> str:
    """There is room: which ceiling is in the way,
    or the share of one variety or site, or the other crops.
    """
    now = search.plants[with_room]
    step = np.maximum(laid.least[with_room], now + laid.unit[with_room]) - now
    if len(laid.ceilings):
        lacking = laid.held[:, with_room] * step > search.spare[:, None] + 1e-9
        if lacking.any(axis=0).all():
            names = sorted({laid.ceiling_of[k] for k in np.flatnonzero(lacking.any(axis=1))})
            return f"your ceiling on {' and '.join(names)}"
    plants = search.plants.copy()
    for o, more_of_it in zip(with_room, step, strict=True):
        plants[o] += more_of_it
        if too_much(laid, plants) <= 1e-9:
            return "it would cost others more than it gains"
        plants[o] -= more_of_it
    return "the largest share that you allow of one variety or site"


@dataclass(frozen=True)
class More:
    """One thing there might be more of, and which crops would gain."""

    what: str
    gains: tuple[tuple[str, float, float], ...]  #: crop, share of its need reached before and after


def more(found: Ordered, problem: Problem, plants: Mapping[int, float]) -> list[More]:
    """Fit again with one more bed, one more container, an hour more a week,
    and half as sure; each by itself.
    """
    laid = lay_out(problem)
    before = as_array(laid, plants)
    reached = _fitted(
        laid, before
    )  # so many tries more without it too, or these would count as its gain
    made = []
    for what, changed in _changes(problem):
        after = _fitted(lay_out(changed), before)
        gains = sorted(
            (
                (found.rows[c].crop.name, float(reached[c]), float(after[c]))
                for c in range(len(reached))
                if after[c] > reached[c] + 0.01
            ),
            key=lambda gain: gain[1] - gain[2],
        )
        made.append(More(what, tuple(gains)))
    return made


def _changes(problem: Problem) -> list[tuple[str, Problem]]:
    plots = problem.plots
    found = []
    beds = [p for p, plot in enumerate(plots) if not plot.is_pots]
    pots = [p for p, plot in enumerate(plots) if plot.is_pots]
    if beds:
        like = max(beds, key=lambda p: plots[p].size)
        found.append(
            (
                f"one more bed of {half_up(plots[like].size, 1)} m²",
                _another(problem, like, plots[like].size),
            )
        )
    if pots:
        like = max(pots, key=lambda p: plots[p].size)
        found.append(
            (f"ten more containers like the {plots[like].name}", _another(problem, like, 10.0))
        )
    if problem.limits.minutes_a_week:
        limits = replace(problem.limits, minutes_a_week=problem.limits.minutes_a_week + HOUR)
        found.append(("an hour more a week", replace(problem, limits=limits)))
    unsure = tuple(replace(one, certainty=min(one.certainty, 0.5)) for one in problem.wanted)
    if unsure != problem.wanted:
        found.append(("being 50 % sure of every crop", replace(problem, wanted=unsure)))
    return found


def _another(problem: Problem, like: int, size: float) -> Problem:
    """One more place like another, with nothing in it and nothing to rest from."""
    plot = Plot(
        name="one more",
        site=problem.plots[like].site,
        size=size,
        is_pots=problem.plots[like].is_pots,
    )
    alike = [o for o, option in enumerate(problem.options) if option.plot == like]
    options = tuple(replace(problem.options[o], plot=len(problem.plots)) for o in alike)
    return replace(
        problem,
        plots=(*problem.plots, plot),
        options=(*problem.options, *options),
        draws=np.concatenate([problem.draws, problem.draws[alike]]),
    )


def _fitted(laid: Laid, before: np.ndarray) -> np.ndarray:
    """A few tries from the fit as it is."""
    plants = np.zeros(len(laid.crop))
    plants[: len(before)] = before
    found = BestFit(worth_of(laid, plants), np.inf, 0)
    tangents = Tangents.at_first(laid)
    tangents.add(plants)
    for better in islice(improve(laid, found, tangents), TRIES):
        found = better
    return found.worth.reached
