"""A plan as an order for the fit: crops, plots,
and every way in which a crop may stand somewhere for a time.
"""

from __future__ import annotations

import hashlib
from collections import defaultdict
from copy import copy
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

from kilter.core.fit.order import Order
from kilter.core.fit.problem import Limits
from kilter.next_year.fit.intercropping import Paid, beside_of, paid
from kilter.next_year.fit.lasting import Lasting, plants_of
from kilter.next_year.fit.making import OrderInMaking, need_of, planted_kg
from kilter.next_year.fit.option_days import OptionDays
from kilter.next_year.fit.plots import PlotGround, grounds_of
from kilter.next_year.garden import garden
from kilter.next_year.rows import CropRow, row
from kilter.people import clock
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.plans.models import Plan, PlannedPlanting, Spot
from kilter.set_out.models import Planting
from kilter.set_out.queries import with_all_names

_T = TypeVar("_T")
#: Letters of half a key.
HALF_KEY = 32
#: How much it matters that a family is back too soon, as the plan says (rules).
REST_WEIGHTS = {Plan.Rest.LITTLE: 0.2, Plan.Rest.USUAL: 1.0, Plan.Rest.STRICT: 10.0}


@dataclass(frozen=True, kw_only=True)
class Ordered:
    """An order with what its numbers stand for."""

    plan: Plan
    order: Order
    rows: tuple[CropRow, ...]  #: of the crops that are fitted
    needs_kg: tuple[float, ...]  #: of each, what is to be lifted with what is set out already
    grounds: tuple[PlotGround, ...]
    windows: tuple[OptionDays, ...]  #: of each option
    aside: tuple[tuple[str, str], ...]  #: crops that are not fitted, each with the reason
    unsized: tuple[str, ...]  #: places without a size
    planned: tuple[PlannedPlanting, ...]  #: what was taken into the plan
    planted: dict[int, int]  #: by crop, units that are set out already
    paid: tuple[Paid, ...]  #: pairs for which sharing a bed paid here
    lasting: tuple[Lasting, ...]  #: what stays where it stands

    @cached_property
    def key(self) -> str:
        """Changes with anything that the fit rests on;
        its first half only with the options and what they give.
        """
        order = self.order
        named = [(one.name, one.family) for one in order.wanted]
        options = repr(
            (
                named,
                order.foretold,
                [plot.name for plot in order.plots],
                order.options,
                order.spots,
                order.seed,
            )
        )
        return _half(options) + _half(repr(order))


def _half(said: str) -> str:
    return hashlib.sha256(said.encode()).hexdigest()[:HALF_KEY]


def ordered(household: Household, plan: Plan) -> Ordered:
    """The order of a plan, made once while nothing is written: a page asks for it every second."""
    key = "order", household.pk, plan.pk, plan.season, clock.today(household)
    return while_unchanged(key, lambda: _ordered(household, plan))


def _ordered(household: Household, plan: Plan) -> Ordered:
    shared = garden(household, plan)
    spots = spots_of(plan)
    grounds = grounds_of(household, plan.season, spots)
    stands = _stands_already(household, plan.season)
    taken = planned_of(plan)
    making = OrderInMaking(shared, grounds, spots, stands)
    for crop in shared.crops:
        making.take(row(crop, shared))
    making.pin(taken)
    fitted = [one.crop for one in making.rows]
    pairs = paid(household, fitted)
    limits = Limits(
        plan.money_minor, minutes_a_week=plan.minutes_a_week, litres_a_day=plan.litres_a_day
    )
    order = Order(
        wanted=tuple(making.wanted),
        foretold=tuple(making.foretold),
        plots=tuple(ground.plot for ground in grounds.plots),
        options=tuple(making.options),
        spots=tuple(making.spots_of),
        limits=limits,
        pinned=tuple(sorted(making.pinned.items())),
        rest_weight=REST_WEIGHTS[Plan.Rest(plan.rest)],
        beside=beside_of(spots, pairs, fitted),
    )
    return Ordered(
        plan=plan,
        order=order,
        rows=tuple(making.rows),
        needs_kg=tuple(making.needs_kg),
        grounds=grounds.plots,
        windows=tuple(making.windows),
        aside=tuple(making.aside),
        unsized=tuple(str(place) for place in grounds.without_size),
        planned=tuple(taken),
        planted=stands,
        paid=tuple(pairs),
        lasting=tuple(making.lasting),
    )


def spots_of(plan: Plan) -> list[Spot]:
    """What is said of where crops may stand, and beside whom."""
    if plan.pk is None:
        return []
    return list(
        Spot.objects.of(plan.household).filter(plan=plan).select_related("crop", "other", "place")
    )


def planned_of(plan: Plan) -> list[PlannedPlanting]:
    """What was taken into a plan, place by place."""
    if plan.pk is None:
        return []
    found = PlannedPlanting.objects.of(plan.household).filter(plan=plan)
    return list(found.select_related("crop", "variety", "place__site", "part", "planting"))


def _stands_already(household: Household, season: int) -> dict[int, int]:
    """By crop, the plants of the season that stand already."""
    found: dict[int, int] = defaultdict(int)
    for planting in with_all_names(Planting.objects.of(household).filter(season=season)):
        found[planting.crop_id] += plants_of(planting)
    return found


def as_sure(found: Ordered, crop: int, percent: int) -> Ordered:
    """The same order, if one were otherwise sure of a crop; nothing is written."""
    at = next((c for c, one in enumerate(found.rows) if one.crop.pk == crop), None)
    if at is None:
        return found
    said = copy(found.rows[at].said)
    said.certainty = percent
    row = replace(found.rows[at], said=said)
    need_kg = need_of(row)
    still_kg = need_kg - planted_kg(row, found.planted)
    if still_kg <= 0:
        return found
    wanted = replace(found.order.wanted[at], certainty=percent / 100, need_kg=still_kg)
    order = replace(found.order, wanted=_with(found.order.wanted, at, wanted))
    return replace(
        found,
        order=order,
        rows=_with(found.rows, at, row),
        needs_kg=_with(found.needs_kg, at, need_kg),
    )


def _with(items: tuple[_T, ...], at: int, item: _T) -> tuple[_T, ...]:
    return (*items[:at], item, *items[at + 1 :])
