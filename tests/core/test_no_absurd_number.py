"""A plan from the handbook alone, for one and for eight: no number that a gardener would laugh at.

Bounds are common practice, no source, or memory: what a person may need of a crop eaten fresh, at
the table's middle.
"""

from __future__ import annotations

import pytest

from kilter.core.handbook import handbook
from kilter.core.plan.effects import Planned
from kilter.core.plan.forecast import forecast_one_plant
from kilter.core.plan.need import Losses, back_to_the_soil, plate_need_kg
from kilter.core.plan.quantities import seeds_for

BOOK = handbook()
WEIGHED = [crop for crop in BOOK.values() if crop.kg_per_plant]
#: Plants a person, least and most.
PLANTS = {
    "courgette": (0.25, 1),
    "patty pan": (0.25, 1),
    "winter squash": (1, 3),
    "pumpkin": (0.5, 3),
    "tomato": (1, 5),
    "cucumber": (0.4, 3),
    "sweet pepper": (1, 5),
    "aubergine": (1, 3),
    "potato": (15, 50),
    "garlic": (10, 25),
    "strawberry": (5, 25),
    "rhubarb": (0.5, 2),
    "kale": (3, 12),
    "cabbage": (3, 8),
    "chard": (2, 18),
    "lettuce": (10, 20),
    "sunchoke": (1, 5),
    "blackcurrant": (0.3, 2),
}
#: Metres of row a person that nothing exceeds: asparagus and dry beans take most.
MOST_ROW_M = 15


def plants(crop, people: int, certainty: float) -> int:
    at_table = plate_need_kg(
        crop.servings_per_week, crop.serving_g, crop.weeks_at_table, [1] * people
    )
    lifted = back_to_the_soil(at_table, Losses(crop.edible_share)).lifted_kg
    one = forecast_one_plant((), (Planned("", "", "", 10.0),), crop.kg_per_plant)
    return one.enough(lifted, certainty).plants


@pytest.mark.parametrize("people", [1, 8])
@pytest.mark.parametrize("crop", WEIGHED, ids=lambda one: one.name)
def test_every_crop_for_one_and_for_eight(crop, people):
    half, surer = plants(crop, people, 0.5), plants(crop, people, 0.8)
    assert (
        1 <= half <= surer <= 3 * half + 2
    )  # "nearly doubles", as nothing is known of the garden yet
    assert half * crop.in_row_m / people <= MOST_ROW_M
    low, high = PLANTS.get(crop.name, (0, float("inf")))
    assert low * people <= half <= max(high * people, 1)
    assert half <= seeds_for(half, crop.germination or 0.8) <= 3 * half + 5


def test_eight_eat_eight_times_as_much_as_one():
    for crop in WEIGHED:
        if (of_one := plants(crop, 1, 0.5)) >= 20:
            assert 7 <= plants(crop, 8, 0.5) / of_one <= 8.5, crop.name


def test_self_reliance_by_the_rules_of_thumb():
    """Common practice, no source: metres of row, or plants, a person."""
    assert BOOK["potato"].rule_row_m_fresh.middle == 6
    for name in ("pea", "dwarf bean", "peanut"):
        keep = BOOK[name].rule_row_m_keep
        assert keep.low <= 12
        assert keep.high >= 6, name
    assert BOOK["lettuce"].rule_row_m_fresh.middle == 3
    assert (BOOK["pumpkin"].rule_plants.low, BOOK["pumpkin"].rule_plants.high) == (2, 3)
    assert BOOK["courgette"].rule_plants.low == 0.25
