"""Writes of a fit: the best so far is kept, and taken into the plan;
planned plantings are moved, pinned, linked.
"""

from __future__ import annotations

import logging
from collections import defaultdict
from collections.abc import Iterable

from django.db import DatabaseError, connection

from kilter.core.fit.problem import SLOTS
from kilter.ground.models import Place
from kilter.next_year.actions import saved_plan
from kilter.next_year.fit.ordering import Ordered
from kilter.next_year.fit.plots import PlotGround
from kilter.next_year.fit.process import Best
from kilter.people.history import Actor, changing
from kilter.people.models import Change, Household
from kilter.people.writing import writing
from kilter.plans.models import FitState, Plan, PlannedPlanting, Spot
from kilter.set_out.models import Variety

logger = logging.getLogger("kilter.next_year")


def keep_best(plan: int, key: str, best: Best) -> None:
    """Store the best fit so far; nothing where the plan was put away meanwhile."""
    with writing():
        if Plan.objects.filter(pk=plan).exists():
            FitState.objects.update_or_create(
                plan_id=plan,
                defaults={
                    "rests_on": key,
                    "plants": {str(option): amount for option, amount in best.plants.items()},
                    "worth": best.worth,
                    "ceiling": best.ceiling,
                    "tries": best.tries,
                },
            )


def keep_from_thread(plan: int, key: str, best: Best) -> None:
    """The same from the thread that listened to the search,
    which has a connection of its own to give back.
    """
    try:
        keep_best(plan, key, best)
    except DatabaseError:  # nobody waits for it: what was found is still in memory
        logger.exception("The fit of plan %s could not be stored.", plan)
    finally:
        connection.close()


def take(actor: Actor, found: Ordered, plants: dict[int, float]) -> Change:
    """Take a fit into the plan: what is neither pinned nor set out yet gives way to it."""
    with changing(actor, f"The fit is in the plan {found.plan}.") as recorder:
        saved_plan(recorder, found.plan)
        stays = [one for one in found.planned if one.is_pinned or one.planting_id]
        recorder.strike(*(one for one in found.planned if one not in stays))
        pinned = {option for option, _ in found.order.pinned}
        used = _used(stays, found.grounds)
        varieties = {
            (variety.crop_id, variety.name): variety
            for variety in Variety.objects.of(actor.household)
        }
        # by their beginning, so that what follows each other fits into as few pots as the fit
        # counted
        for option, amount in sorted(
            plants.items(), key=lambda pair: (found.order.options[pair[0]].start, pair[0])
        ):
            if option in pinned:
                continue
            said, row = found.order.options[option], found.rows[found.order.options[option].crop]
            for place, count in _allotted(
                found.grounds[said.plot], amount, said.use, (said.start, said.end), used
            ):
                recorder.save(
                    PlannedPlanting(
                        household=actor.household,
                        plan=found.plan,
                        crop=row.crop,
                        variety=varieties.get((row.crop.pk, said.variety)),
                        place_id=place,
                        part=found.grounds[said.plot].part,
                        plants=count,
                        start=said.start,
                        end=said.end,
                    )
                )
    return recorder.change


def _used(stays: list[PlannedPlanting], grounds: Iterable[PlotGround]) -> dict[int, set[int]]:
    """By place, the half-months in which something stands already or stays."""
    used: dict[int, set[int]] = defaultdict(set)
    for stay in stays:
        used[stay.place_id] |= set(range(stay.start, stay.end + 1))
    for ground in grounds:
        for place, until in ground.held:
            used[place] |= set(range(until + 1))
    return used


def _allotted(
    ground: PlotGround, amount: float, use: float, slots: tuple[int, int], used: dict[int, set[int]]
) -> list[tuple[int, int]]:
    """Single pots, where the fit knows only how many: free ones,
    those on the ground before high ones.
    """
    if not ground.plot.is_pots:
        return [(ground.places[0].pk, round(amount))]
    each = max(round(1 / use), 1)
    span = set(range(slots[0], min(slots[1] + 1, SLOTS)))
    low_first = sorted(
        ground.places, key=lambda place: (place.is_above_waist, place.number or 0, place.pk)
    )
    free = [place for place in low_first if not used[place.pk] & span]
    found, left = [], round(amount)
    for place in [
        *free,
        *(one for one in low_first if one not in free),
    ]:  # none is lost; a full pot says so
        if left <= 0:
            break
        count = min(each, left)
        found.append((place.pk, count))
        used[place.pk] |= span
        left -= count
    return found


def save_planting(actor: Actor, planned: PlannedPlanting) -> Change:
    """Move a planned planting, or change how much of it there is; it stays there from then on."""
    with changing(actor, f"{planned} is planned so.") as recorder:
        planned.is_pinned = True
        recorder.save(planned)
    return recorder.change


def shift(actor: Actor, planned: PlannedPlanting, start: int, place: Place) -> Change:
    """Move a planned planting to another half-month or place, as long as it was;
    it stays there from then on.
    """
    length = planned.end - planned.start
    planned.start = min(start, SLOTS - 1 - length)
    planned.end = planned.start + length
    if planned.place_id != place.pk:
        planned.place, planned.part = place, None
    return save_planting(actor, planned)


def loosen(actor: Actor, planned: PlannedPlanting) -> Change:
    """Pin a planned planting, or let the fit move it again."""
    says = f"{planned} may be moved again." if planned.is_pinned else f"{planned} stays as it is."
    with changing(actor, says) as recorder:
        planned.is_pinned = not planned.is_pinned
        recorder.save(planned)
    return recorder.change


def state_of(household: Household, plan: Plan) -> FitState | None:
    """What an earlier search left."""
    return (
        FitState.objects.filter(plan=plan, plan__household=household).first() if plan.pk else None
    )


def begun(actor: Actor, plan: Plan) -> Plan:
    """The plan with a key of its own, which it gets with the first word."""
    if plan.pk is None:
        with changing(actor, f"The plan {plan} is begun.") as recorder:
            saved_plan(recorder, plan)
    return plan


def save_spot(actor: Actor, plan: Plan, spot: Spot) -> Change:
    """Say where something may stand."""
    with changing(actor, f"{spot}."[:200]) as recorder:
        saved_plan(recorder, plan)
        spot.plan = plan
        recorder.save(spot)
    return recorder.change


def plants_of(state: FitState) -> dict[int, float]:
    """The stored plants by option."""
    return {int(option): amount for option, amount in state.plants.items()}
