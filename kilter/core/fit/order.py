"""A fit as it is ordered: what is wanted and where,
and what each crop's forecast rests on; it can be sent.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.certainty import Fresh
from kilter.core.fit.problem import Beside, Limits, Option, Plot, Problem, Wanted
from kilter.core.plan.effects import Grown, Planned, believe
from kilter.core.plan.scenarios import SiteRisk, draw_years

#: So many years are drawn for the fit, and so many fresh ones to say how sure it is (rules).
FIT_DRAWS, FRESH_DRAWS = 512, 4096
#: The fresh years are drawn with another seed.
FRESH: Final = 1_000_003


@dataclass(frozen=True)
class Foretold:
    """What the forecast of one crop rests on, for every variety and place in which it may stand."""

    grown: tuple[Grown, ...]
    failed: int
    setbacks: tuple[SiteRisk, ...]
    handbook_kg: float | None
    spots: tuple[Planned, ...]  #: varieties in places, with the plants that usually stand together


@dataclass(frozen=True, kw_only=True)
class Order:
    """Everything that a fit rests on, without draws."""

    wanted: tuple[Wanted, ...]
    foretold: tuple[Foretold, ...]  #: of each crop
    plots: tuple[Plot, ...]
    options: tuple[Option, ...]
    spots: tuple[int, ...]  #: of each option, its spot among those of its crop
    limits: Limits = field(default_factory=Limits)
    pinned: tuple[tuple[int, float], ...] = ()
    rest_weight: float = 1.0
    seed: int = 1
    beside: tuple[Beside, ...] = ()


def drawn(order: Order, years: int, seed: int) -> Fresh:
    """Draw what a plant gives, of every variety in every place.

    Parameters
    ----------
    order : Order
        With what each crop's forecast rests on.
    years : int
        A power of two.
    seed : int
        Each crop gets one of its own from it.

    Returns
    -------
    Fresh
        Kilograms a plant; options of the same variety in the same place share a row.

    Raises
    ------
    PlanError
        A crop of which neither a record nor the handbook tells what it gives.

    Notes
    -----
    Varieties and places of a crop are drawn together (`kilter.core.plan.scenarios`), crops each by
    itself.

    Examples
    --------
    >>> bed = Planned("a", "", "bed", 10, "yard")
    >>> one = Foretold((), 0, (), 0.5, (bed,))
    >>> order = Order(
    ...     wanted=(Wanted(name="leek", family="onion", need_kg=3, certainty=0.5),),
    ...     foretold=(one,),
    ...     plots=(),
    ...     options=(Option(crop=0, variety="a", plot=0, start=4, end=9, use=0.1),),
    ...     spots=(0,),
    ... )
    >>> drawn(order, 64, 1).kg.shape
    (1, 64)
    """
    firsts = np.cumsum([0, *(len(one.spots) for one in order.foretold)])
    kg = np.zeros((int(firsts[-1]), years))
    for c, one in enumerate(order.foretold):
        believed = believe(one.grown, one.spots, one.handbook_kg)
        made = draw_years(
            believed,
            one.spots,
            failed=one.failed,
            came=len(one.grown),
            setbacks=one.setbacks,
            seed=seed + 7919 * c,
            years=years,
        )
        kg[firsts[c] : firsts[c + 1]] = (made.masses() / made.plants).T
    rows = np.array(
        [
            firsts[option.crop] + spot
            for option, spot in zip(order.options, order.spots, strict=True)
        ],
        int,
    )
    return Fresh(kg, rows)


def fresh_years(order: Order) -> Fresh:
    """Draw other years, and more of them, to say how sure a fit is.

    Parameters
    ----------
    order : Order
        As it was sent.

    Returns
    -------
    Fresh
        4,096 years.

    Raises
    ------
    PlanError
        As `drawn`.

    Notes
    -----
    With another seed than the years that the fit is found on.

    Examples
    --------
    >>> bed = Planned("a", "", "bed", 10, "yard")
    >>> one = Foretold((), 0, (), 0.5, (bed,))
    >>> order = Order(
    ...     wanted=(Wanted(name="leek", family="onion", need_kg=3, certainty=0.5),),
    ...     foretold=(one,),
    ...     plots=(),
    ...     options=(Option(crop=0, variety="a", plot=0, start=4, end=9, use=0.1),),
    ...     spots=(0,),
    ... )
    >>> fresh_years(order).kg.shape
    (1, 4096)
    """
    return drawn(order, FRESH_DRAWS, order.seed + FRESH)


def with_draws(order: Order, draws: FloatArray) -> Problem:
    """Join an order and draws that were made for it, or for one with the same options.

    Parameters
    ----------
    order : Order
        With what is wanted now.
    draws : array, (options, draws)
        Kilograms a plant.

    Returns
    -------
    Problem
        To be laid out.

    Notes
    -----
    Needs, pins and ceilings change no draw.

    Examples
    --------
    >>> bed = Planned("a", "", "bed", 10, "yard")
    >>> one = Foretold((), 0, (), 0.5, (bed,))
    >>> plot = Plot(name="bed", site="yard", size=2.0)
    >>> order = Order(
    ...     wanted=(Wanted(name="leek", family="onion", need_kg=3, certainty=0.5),),
    ...     foretold=(one,),
    ...     plots=(plot,),
    ...     options=(Option(crop=0, variety="a", plot=0, start=4, end=9, use=0.1),),
    ...     spots=(0,),
    ... )
    >>> with_draws(order, np.ones((1, 2))).draws.shape
    (1, 2)
    """
    return Problem(
        wanted=order.wanted,
        plots=order.plots,
        options=order.options,
        draws=draws,
        limits=order.limits,
        pinned=order.pinned,
        rest_weight=order.rest_weight,
        beside=order.beside,
    )


def problem_of(order: Order) -> Problem:
    """Draw the years of an order.

    Parameters
    ----------
    order : Order
        As it was sent.

    Returns
    -------
    Problem
        To be laid out.

    Raises
    ------
    PlanError
        As `drawn`.

    Notes
    -----
    The same order gives the same years.

    Examples
    --------
    >>> bed = Planned("a", "", "bed", 10, "yard")
    >>> one = Foretold((), 0, (), 0.5, (bed,))
    >>> plot = Plot(name="bed", site="yard", size=2.0)
    >>> order = Order(
    ...     wanted=(Wanted(name="leek", family="onion", need_kg=3, certainty=0.5),),
    ...     foretold=(one,),
    ...     plots=(plot,),
    ...     options=(Option(crop=0, variety="a", plot=0, start=4, end=9, use=0.1),),
    ...     spots=(0,),
    ... )
    >>> problem_of(order).draws.shape
    (1, 512)
    """
    years = drawn(order, FIT_DRAWS, order.seed)
    return with_draws(order, years.kg[years.rows])
