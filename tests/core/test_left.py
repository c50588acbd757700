"""What a planting has still to give, by hand."""

from __future__ import annotations

from datetime import date

import pytest

from kilter.core.yields.harvest import GradeTotal, Lift
from kilter.core.yields.left import HANDBOOK, Expected, left_to_lift

FOOD = ("table",)


def lift(day, kg, plants=0, grade="table", visit=1, **more):
    total = GradeTotal(lines=1, mass_mg=round(kg * 1e6))
    return Lift(date(2026, 11, day), grade, total, plants=plants, visit=visit, **more)


BOOK = "handbook"
THREE_PLANTS = [lift(1, 1.2, 2), lift(1, 0.3, 2, "small"), lift(2, 0.7, 1)]


@pytest.mark.parametrize(
    ("stood", "lifts", "is_picked", "plants", "kg", "by", "is_guessed"),
    [
        # Nothing lifted: by what is expected, 0.2 kg each.
        (10, [], False, 10, 2.0, BOOK, False),
        # Two plants do not speak for all.
        (10, [lift(1, 1.2, 2)], False, 8, 1.6, BOOK, False),
        # Two visits, 3 plants, 1.9 kg of food; the small ones are no food here.
        (10, THREE_PLANTS, False, 7, 4.433, "own", False),
        # Four goes that say no plants: 1.5 kg at 0.2 each are 8 of 40.
        (40, [lift(n, 0.375) for n in range(1, 5)], False, 32, 6.4, BOOK, True),
        # One is left until it is finished.
        (5, [lift(1, 9.0)], False, 1, 0.2, BOOK, True),
        # Picked: all, less what was, also where plants are said; then what was expected has come.
        (4, [lift(1, 0.5), lift(2, 0.1)], True, 4, 0.2, BOOK, False),
        (4, [lift(1, 0.3, 4), lift(2, 0.1, 4)], True, 4, 0.4, BOOK, False),
        (4, [lift(1, 3.0)], True, 4, 0.0, BOOK, False),
        # Thinnings are no lift.
        (9, [lift(1, 0.6, 3, is_apart=True)], False, 9, 1.8, BOOK, False),
    ],
)
def test_one_plant_gives_what_its_own_gave(stood, lifts, is_picked, plants, kg, by, is_guessed):
    found = left_to_lift(stood, lifts, FOOD, Expected(0.2, HANDBOOK), is_picked=is_picked)
    assert (found.plants, found.by, found.is_guessed) == (plants, by, is_guessed)
    assert found.kg == pytest.approx(kg, abs=0.001)


def test_what_is_not_known_is_no_nought():
    unknown = left_to_lift(None, [], FOOD, Expected(0.2, HANDBOOK), is_picked=False)
    assert (unknown.plants, unknown.kg) == (None, None)
    assert left_to_lift(4, [], FOOD, None, is_picked=False).kg is None


@pytest.mark.parametrize("is_picked", [True, False])
def test_what_was_lifted_unweighed_leaves_what_is_left_unknown(is_picked):
    unweighed = Lift(date(2026, 11, 1), "table", GradeTotal(lines=1, unweighed=1))
    found = left_to_lift(4, [unweighed], FOOD, Expected(0.2, HANDBOOK), is_picked=is_picked)
    assert found.kg is None
    told = Lift(date(2026, 11, 1), "table", GradeTotal(lines=1, unweighed=1), plants=3)
    by_plants = left_to_lift(4, [told], FOOD, Expected(0.2, HANDBOOK), is_picked=False)
    assert (by_plants.plants, by_plants.kg) == (1, 0.2)


def test_what_was_only_counted_weighs_what_its_other_pieces_do():
    """4 pieces of 0.2 kg each and 6 not weighed yet: 2 kg lifted of 20 plants of 0.2 kg."""
    both = Lift(date(2026, 11, 1), "table", GradeTotal(lines=1, mass_mg=800_000, count=4))
    waits = Lift(date(2026, 11, 2), "table", GradeTotal(lines=1, count=6, unweighed=1))
    found = left_to_lift(20, [both, waits], FOOD, Expected(0.2, HANDBOOK), is_picked=False)
    assert (found.plants, found.is_guessed) == (10, True)
    assert found.kg == pytest.approx(2.0)
