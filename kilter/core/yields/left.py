"""What a planting has still to give: one definition for every page that says it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

from kilter.core.trade.grades import is_size
from kilter.core.yields.harvest import Lift

#: From so many plants lifted by themselves a planting speaks for itself (rule).
OWN_FROM_PLANTS: Final = 3


#: By what one plant is expected to give so much, with its words.
OWN, FORECAST, HANDBOOK = "own", "forecast", "handbook"
BY: Final = {
    OWN: "what its own lifted plants gave",
    FORECAST: "this garden's record of earlier seasons",
    HANDBOOK: "the handbook",
}


class Expected(NamedTuple):
    """What one plant is expected to give."""

    kg: float
    by: str  #: a key of `BY`


@dataclass(frozen=True)
class Left:
    """What is still to be lifted."""

    plants: float | None  #: that stand; None where nobody knows
    kg: float | None  #: what they may give; None where that is not known
    by: str = ""  #: what one plant is expected to give by: a key of `BY`
    is_guessed: bool = False  #: some lifts say no plants, so these are reckoned from their weight

    @property
    def words(self) -> str:
        """By what it is reckoned."""
        return BY.get(self.by, "")


def left_to_lift(
    stood: int | None,
    lifts: Iterable[Lift],
    food: Collection[str],
    expected: Expected | None,
    *,
    is_picked: bool,
) -> Left:
    """Say what a planting has still to give.

    Parameters
    ----------
    stood : int or None
        Plants, by what was counted; before any lift.
    lifts : iterable of Lift
        So far, each with its day and visit.
    food : collection of str
        The grades that count.
    expected : Expected or None
        What one plant of the crop is expected to give.
    is_picked : bool
        Whether it bears again and again; else each plant is lifted once.

    Returns
    -------
    Left
        Plants and kilograms, never below zero.

    Notes
    -----
    Kilter's own (rule). One plant gives what the planting's own lifted plants gave, from
    `OWN_FROM_PLANTS` known, else what is expected. Lifted once: that times the plants standing.
    Picked: what is expected times all of them, less what was picked. Lifts that say no plants take
    as many as their weight is worth, and leave one at least; never of what is picked. Where
    something was lifted of which that is not known, nobody knows what it may still give.

    Examples
    --------
    >>> from datetime import date
    >>> from kilter.core.yields.harvest import GradeTotal
    >>> three = Lift(date(2026, 11, 1), "table", GradeTotal(lines=1, mass_mg=1_900_000), plants=3)
    >>> found = left_to_lift(10, [three], {"table"}, None, is_picked=False)
    >>> found.plants, round(found.kg, 2), found.by
    (7, 4.43, 'own')
    """
    lifts = list(lifts)
    said, said_kg, unsaid_kg = _lifted(lifts, food)
    if said >= OWN_FROM_PLANTS and said_kg > 0 and not is_picked:
        expected = Expected(said_kg / said, OWN)
    each, by = (expected.kg, expected.by) if expected else (None, "")
    if stood is None:
        return Left(None, None)
    is_unknown = _is_unknown(lifts, food, is_picked=is_picked)
    if is_picked:
        kg = None if each is None or is_unknown else max(stood * each - said_kg - unsaid_kg, 0.0)
        return Left(stood, kg, by)
    left = max(stood - said, 0)
    gone = round(unsaid_kg / each) if each and unsaid_kg else 0
    if gone:
        left = max(left - gone, min(left, 1))
    kg = None if each is None or is_unknown else left * each
    return Left(left, kg, by, is_guessed=bool(gone))


def _is_unknown(lifts: Sequence[Lift], food: Collection[str], *, is_picked: bool) -> bool:
    """Whether something was lifted of which neither the weight, known or reckoned, nor, where that
    would do, the plants are known.
    """
    piece_mg = _piece_mg(lifts, food)
    return any(
        lift.grade in food and _mass_mg(lift, piece_mg) is None and (is_picked or not lift.plants)
        for lift in lifts
    )


def _piece_mg(lifts: Iterable[Lift], food: Collection[str]) -> float | None:
    """What one piece of its food weighs, by what was weighed and counted."""
    both = [
        lift.total
        for lift in lifts
        if lift.grade in food and not lift.total.unweighed and not lift.total.uncounted
    ]
    count = sum(total.count for total in both)
    return sum(total.mass_mg for total in both) / count if count else None


def _mass_mg(lift: Lift, piece_mg: float | None) -> float | None:
    """What was weighed, reckoned, or comes of its pieces; None where none of that is known."""
    total = lift.total
    if not total.is_part_weighed:
        return total.mass_mg + total.estimated_mg
    if piece_mg is None or total.uncounted:
        return None
    return total.count * piece_mg


def _lifted(lifts: Sequence[Lift], food: Collection[str]) -> tuple[int, float, float]:
    """Plants that visits say, the food of those visits, and that of the others, kilograms."""
    plants: dict[object, int] = {}
    kg: dict[object, float] = {}
    piece_mg = _piece_mg(lifts, food)
    for lift in lifts:
        is_thinning = lift.is_apart and lift.total.lines > 0
        if is_size(lift.grade) or is_thinning:
            continue
        visit = lift.day, lift.visit
        plants[visit] = max(plants.get(visit, 0), lift.plants)
        mass_mg = _mass_mg(lift, piece_mg) if lift.grade in food else None
        kg[visit] = kg.get(visit, 0.0) + (mass_mg or 0.0) / 1e6
    said = sum(kg[visit] for visit, many in plants.items() if many)
    return sum(plants.values()), said, sum(kg.values()) - said
