"""What a planting has still to give, by hand."""

from __future__ import annotations

from datetime import date

import pytest

from kilter.core.yields.harvest import GradeTotal, Lift
from kilter.core.yields.left import left_to_lift

FOOD = ("table",)


def lift(day, kg, plants=0, grade="table", visit=1, **more):
    total = GradeTotal(lines=1, mass_mg=round(kg * 1e6))
    return Lift(date(2026, 11, day), grade, total, plants=plants, visit=visit, **more)


@pytest.mark.parametrize(
    ("stood", "lifts", "is_picked", "plants", "kg", "is_own", "is_guessed"),
    [
        (10, [], False, 10, 2.0, False, False),  # nothing lifted: by what is expected, 0.2 kg each
        (10, [lift(1, 1.2, 2)], False, 8, 1.6, False, False),  # two plants do not speak for all
        # two visits, 3 plants, 1.9 kg of food; the small ones are no food here
        (
            10,
            [lift(1, 1.2, 2), lift(1, 0.3, 2, "small"), lift(2, 0.7, 1)],
            False,
            7,
            4.433,
            True,
            False,
        ),
        # four goes that say no plants: 1.5 kg at 0.2 each are 8 of 40
        (40, [lift(n, 0.375) for n in range(1, 5)], False, 32, 6.4, False, True),
        (5, [lift(1, 9.0)], False, 1, 0.2, False, True),  # one is left until it is finished
        (4, [lift(1, 0.5), lift(2, 0.1)], True, 4, 0.2, False, False),  # picked: all, less what was
        (4, [lift(1, 3.0)], True, 4, 0.0, False, False),  # it has given what was expected
        (9, [lift(1, 0.6, 3, is_apart=True)], False, 9, 1.8, False, False),  # thinnings are no lift
    ],
)
def test_one_plant_gives_what_its_own_gave(stood, lifts, is_picked, plants, kg, is_own, is_guessed):
    found = left_to_lift(stood, lifts, FOOD, 0.2, is_picked=is_picked)
    assert (found.plants, found.is_own, found.is_guessed) == (plants, is_own, is_guessed)
    assert found.kg == pytest.approx(kg, abs=0.001)


def test_what_is_not_known_is_no_nought():
    unknown = left_to_lift(None, [], FOOD, 0.2, is_picked=False)
    assert (unknown.plants, unknown.kg) == (None, None)
    assert left_to_lift(4, [], FOOD, None, is_picked=False).kg is None
