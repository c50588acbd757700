"""What plantings have still to give, read from their lines."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from kilter.core.trade.grades import food_grades
from kilter.core.yields.harvest import Lift
from kilter.core.yields.left import Left, left_to_lift
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.set_out.queries import standing_of


def left_of(household: Household, planting: Planting, lifts: Sequence[Lift]) -> Left:
    """What a planting has still to give; its lifts each with its day."""
    book = planting.crop.in_handbook
    return left_to_lift(
        standing_of(planting).now,
        lifts,
        food_grades(is_small_food=planting.crop.is_small_eaten(household)),
        book.kg_per_plant if book else None,
        is_picked=bool(book and book.pick_every_days),
    )


def left_together(lefts: Iterable[Left]) -> Left:
    """What several have still to give; what is not known of one is not known of all."""
    lefts = list(lefts)
    plants = [one.plants for one in lefts if one.plants is not None]
    kg = [one.kg for one in lefts if one.kg is not None]
    return Left(
        sum(plants) if len(plants) == len(lefts) else None,
        sum(kg) if len(kg) == len(lefts) else None,
        is_own=all(one.is_own for one in lefts),
        is_guessed=any(one.is_guessed for one in lefts),
    )
