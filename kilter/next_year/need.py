"""What is needed of a crop: from servings, by what was eaten here, by rule of thumb,
and the way that is chosen.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from kilter.core.errors import KilterError
from kilter.core.growing.season import day_of_season
from kilter.core.handbook import HandbookCrop
from kilter.core.plan.appetite import Appetite, WeekEaten, own_appetite
from kilter.core.plan.forecast import OnePlant
from kilter.core.plan.need import Chain, Losses, back_to_the_soil, forward_to_the_table, rule_row_m
from kilter.larder.learnt import LearntStore
from kilter.next_year.garden import Garden
from kilter.people.models import A_YEAR
from kilter.plans.models import PlannedCrop
from kilter.set_out.models import Crop

MOST_WEEKS = 104


@dataclass(frozen=True)
class NeedEstimate:
    """One way of saying how much, all in the same units."""

    chain: Chain | None
    problem: str = ""
    plants: int | None = None  #: where the way itself says how many, as the rule of thumb does

    @property
    def table_kg(self) -> float | None:
        return self.chain.table_kg if self.chain else None


@dataclass(frozen=True, kw_only=True)
class Needed:
    """All ways, and the one that is reckoned with."""

    plate: NeedEstimate
    own: NeedEstimate
    rule: NeedEstimate
    chosen: NeedEstimate
    by: PlannedCrop.Way  #: the way that answered; another than was chosen where that cannot
    weeks: int
    appetite: Appetite | None
    beside_kg: float  #: given away and for animals, as lifted

    @property
    def lift_kg(self) -> float | None:
        """What is to be lifted for all of it."""
        return None if self.chosen.chain is None else self.chosen.chain.lifted_kg + self.beside_kg


def weeks_of(said: PlannedCrop, lift_day: int | None) -> int:
    """The weeks at the table that a goal asks for."""
    if said.goal == PlannedCrop.Goal.SELF:
        return A_YEAR
    if said.goal == PlannedCrop.Goal.UNTIL and said.until and lift_day is not None:
        days = (said.until - day_of_season(said.plan.season, lift_day)).days
        return min(max(math.ceil(days / 7), 0), MOST_WEEKS)
    return said.weeks


def losses_for(
    said: PlannedCrop, book: HandbookCrop | None, learnt_here: LearntStore, weeks: int
) -> Losses:
    """Trimming and store, as the larder learnt them, else as assumed;
    what is lost at lifting is off already.
    """
    assumed = float(said.store_loss_percent) / 100
    loss = learnt_here.loss.per_week if learnt_here.loss else assumed
    return Losses(
        edible_share=learnt_here.edible_share or (book.edible_share if book else 1.0),
        store_loss_per_week=loss if said.is_kept else 0.0,
        store_weeks=weeks if said.is_kept else 0,
    )


def needed_of(
    crop: Crop,
    said: PlannedCrop,
    shared: Garden,
    one_plant: OnePlant | None,
    lift_day: int | None,
) -> Needed:
    """Reckon all ways for one crop."""
    book, weeks = crop.in_handbook, weeks_of(said, lift_day)
    losses = losses_for(said, book, shared.learnt.get(crop.pk, LearntStore()), weeks)
    people, times = shared.appetite(crop, weeks), 2 if said.goal == PlannedCrop.Goal.TWO else 1

    def estimate(reckon: Callable[[], Chain]) -> NeedEstimate:
        try:
            return NeedEstimate(reckon())
        except KilterError as error:
            return NeedEstimate(None, str(error))

    plate = (
        estimate(lambda: lifted_for_the_table(said, weeks, people * times, losses))
        if shared.eaters
        else NeedEstimate(
            None, "Nobody is named as eating yet; add who eats, then servings can be reckoned."
        )
    )
    appetite, own_problem = _appetite(said, shared.eaten.get(crop.pk, []), people, losses)
    own = NeedEstimate(None, own_problem)
    if appetite is not None:
        # the larder weighs what comes out of it, before trimming
        at_table = appetite.need_kg(weeks * times, 1, 1) * losses.edible_share
        own = estimate(lambda: back_to_the_soil(at_table, losses))
    rule = _by_rule(said, people * times, losses, one_plant, book)
    by, chosen = _chosen(said, plate, own, rule, estimate, losses)
    return Needed(
        plate=plate,
        own=own,
        rule=rule,
        chosen=chosen,
        by=by,
        weeks=weeks,
        appetite=appetite,
        beside_kg=said.given_kg + said.animals_kg,
    )


def lifted_for_the_table(said: PlannedCrop, weeks: int, appetite: float, losses: Losses) -> Chain:
    """What is to be lifted so that the servings of a plan come to the table."""
    return back_to_the_soil(
        float(said.servings_per_week) * said.serving_g / 1000 * weeks * appetite, losses
    )


def _appetite(
    said: PlannedCrop, weeks: list[WeekEaten], people: float, losses: Losses
) -> tuple[Appetite | None, str]:
    """By what was eaten here, week by week;
    weeks in which it ran out are reckoned as at least what was eaten.
    """
    if not any(week.eaten_kg for week in weeks):
        return None, "Nothing that was eaten of it is written down yet."
    a_week_kg = float(said.servings_per_week) * said.serving_g / 1000 * people
    try:
        return own_appetite(weeks, a_week_kg / losses.edible_share), ""
    except KilterError as error:
        return None, str(error)


def _by_rule(
    said: PlannedCrop,
    people: float,
    losses: Losses,
    one_plant: OnePlant | None,
    book: HandbookCrop | None,
) -> NeedEstimate:
    row_m = rule_row_m(book, [people], is_kept=said.is_kept) if book else None
    if book is None or row_m is None:
        return NeedEstimate(None, "The handbook has no rule of thumb for this crop.")
    # The rule's metres are at the handbook's spacing; its plants are what carries over to ours.
    plants = round(row_m / book.in_row_m)
    chain = forward_to_the_table(plants * one_plant.median_kg, losses) if one_plant else None
    return NeedEstimate(chain, plants=plants)


def _chosen(
    said: PlannedCrop,
    plate: NeedEstimate,
    own: NeedEstimate,
    rule: NeedEstimate,
    estimate: Callable[[Callable[[], Chain]], NeedEstimate],
    losses: Losses,
) -> tuple[PlannedCrop.Way, NeedEstimate]:
    """The way that is chosen; where it cannot answer, the next does."""
    if said.way == PlannedCrop.Way.MIX and plate.table_kg is not None and own.table_kg is not None:
        part = said.own_percent / 100
        mixed = plate.table_kg * (1 - part) + own.table_kg * part
        return PlannedCrop.Way.MIX, estimate(lambda: back_to_the_soil(mixed, losses))
    ways = {PlannedCrop.Way.PLATE: plate, PlannedCrop.Way.OWN: own, PlannedCrop.Way.RULE: rule}
    first_way = (
        PlannedCrop.Way.PLATE if said.way == PlannedCrop.Way.MIX else PlannedCrop.Way(said.way)
    )
    order = [first_way, *ways]
    for way in order:
        if ways[way].chain is not None:
            return way, ways[way]
    first = ways[order[0]]
    return order[0], first if first.problem else replace(
        first, problem="It cannot be said yet how much is needed."
    )
