"""What stands now, what of it is still to lift, and from when its place is expected to be free."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from kilter.core.growing.clearing import Clears
from kilter.core.trade.grades import food_grades
from kilter.core.yields.harvest import Lift
from kilter.core.yields.left import FORECAST, HANDBOOK, Expected, Left, left_to_lift
from kilter.people.asking import LaterRooms
from kilter.people.models import Household
from kilter.set_out.clearing import clearing_of, clears
from kilter.set_out.models import Crop, Planting, PlantingQuerySet
from kilter.set_out.queries import standing_of, with_all_names
from kilter.weigh_in.lifts import Lifts, lifts_of

#: What a plant of some crops is expected to give in a season, in kilograms, by the record before
#: it; the forecast is a later room.
EXPECTED: LaterRooms[
    [Household, Mapping[tuple[int, int], Crop]], Mapping[tuple[int, int], float]
] = LaterRooms()


class Standing(NamedTuple):
    """A planting as it stands."""

    planting: Planting
    left: Left
    clears: Clears


def standing_now(household: Household, plantings: PlantingQuerySet) -> list[Standing]:
    """Each of some plantings as it stands; a fixed number of queries."""
    clearing, rows = clearing_of(household), list(with_all_names(plantings))
    lefts = lefts_of(household, rows, lifts_of(household, plantings, is_by_day=True))
    return [Standing(one, lefts[one.pk], clears(one, clearing)) for one in rows]


def lefts_of(
    household: Household, plantings: Collection[Planting], lifts: Lifts
) -> dict[int, Left]:
    """What each of some plantings has still to give; their lifts each with its day."""
    standing = [one for one in plantings if one.finished_on is None or one.is_left_in_ground]
    crops = {(one.crop_id, one.season): one.crop for one in standing}
    foretold: dict[tuple[int, int], float] = {}
    for answer in EXPECTED.ask(household, crops):
        foretold |= answer
    found = dict.fromkeys((one.pk for one in plantings), Left(0, 0.0))
    for one in standing:
        kg = foretold.get((one.crop_id, one.season))
        own = None if kg is None else Expected(kg, FORECAST)
        found[one.pk] = _left_of(household, one, lifts.get(one.pk, ()), own)
    return found


def _left_of(
    household: Household, planting: Planting, lifts: Sequence[Lift], foretold: Expected | None
) -> Left:
    book = planting.crop.in_handbook
    if planting.is_perennial:  # what it gives in a year nobody can take off what it gave in others
        return Left(standing_of(planting).now, None)
    by_book = Expected(book.kg_per_plant, HANDBOOK) if book and book.kg_per_plant else None
    return left_to_lift(
        standing_of(planting).now,
        lifts,
        food_grades(is_small_food=planting.crop.is_small_eaten(household)),
        foretold or by_book,
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
        by=ways.pop() if len(ways := {one.by for one in lefts}) == 1 else "",
        is_guessed=any(one.is_guessed for one in lefts),
    )
