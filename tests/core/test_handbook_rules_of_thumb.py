"""The handbook against rules of thumb among growers: every figure here is common practice,
no source, or memory.
"""

from __future__ import annotations

import pytest

from kilter.core.handbook import crop_called, handbook, other_names

BOOK = handbook()


def test_there_are_sixty_crops_and_every_other_name_leads_to_one():
    assert len(BOOK) >= 60
    assert {crop_called(name).name for name in other_names()} == set(other_names().values())
    assert not set(other_names()) & set(BOOK)


@pytest.mark.parametrize(
    ("typed", "crop"),
    [
        ("squash", "winter squash"),
        ("Peas", "pea"),
        ("beans", "dwarf bean"),
        ("corn", "sweet corn"),
        ("SPUDS", "potato"),
        ("Zucchini", "courgette"),
        ("carrots", "carrot"),
        ("runner  beans", "runner bean"),
        ("Lamb’s lettuce", "lamb's lettuce"),
    ],
)
def test_what_people_call_a_crop(typed, crop):
    assert crop_called(typed).name == crop


# Common practice, no source: the rules of thumb at the end of the design's numbers, in metric.
@pytest.mark.parametrize(
    ("crop", "low", "high"),
    [("potato", 70, 130), ("sweet potato", 90, 120), ("carrot", 75, 120), ("sweet corn", 65, 100)],
)
def test_days_to_the_first_lift(crop, low, high):
    assert (BOOK[crop].days.low, BOOK[crop].days.high) == (low, high)


@pytest.mark.parametrize(
    ("crop", "low_kg", "high_kg"),
    [
        ("potato", 0.4, 1.0),  # a seed potato in a pot
        ("sunchoke", 2.0, 3.0),  # a tuber
        # From memory: what one plant gives in a fair year.
        ("tomato", 2.0, 4.0),
        ("cucumber", 2.0, 4.0),
        ("sweet pepper", 0.7, 1.5),
        ("courgette", 3.0, 5.0),
        ("climbing bean", 0.2, 0.5),
        ("garlic", 0.04, 0.07),
    ],
)
def test_what_one_plant_gives(crop, low_kg, high_kg):
    assert low_kg <= BOOK[crop].kg_per_plant <= high_kg


@pytest.mark.parametrize(
    ("crop", "low_m", "high_m"),
    [
        ("sweet potato", 0.15, 0.30),
        ("climbing bean", 0.08, 0.10),
        ("sweet corn", 0.25, 0.35),
        ("strawberry", 0.3, 0.3),
    ],
)
def test_how_far_apart_in_the_row(crop, low_m, high_m):
    assert low_m <= BOOK[crop].in_row_m <= high_m


def test_pots_depth_and_row_per_person():
    assert 1 <= BOOK["potato"].plants_per_30l <= 2
    assert BOOK["carrot"].plants_per_30l * 35 / 30 <= 33  # at most about thirty to a 35 L pot
    assert 8 <= BOOK["potato"].sow_depth_cm <= 15
    assert 2.5 <= BOOK["climbing bean"].sow_depth_cm <= 5
    assert BOOK["potato"].rule_row_m_fresh.middle == 6
    assert BOOK["pea"].rule_row_m_fresh.low <= 6 <= BOOK["pea"].rule_row_m_keep.middle
    assert (BOOK["winter squash"].rule_plants.low, BOOK["winter squash"].rule_plants.high) == (2, 3)
    assert BOOK["courgette"].rule_plants.low == 0.25  # one feeds four


def test_what_is_set_in_autumn_takes_longer_than_in_spring():
    autumn = {name: crop for name, crop in BOOK.items() if crop.autumn_days and name != "garlic"}
    assert {"shallot", "broad bean"} <= set(autumn)
    assert all(crop.autumn_days.low > crop.days.low for crop in autumn.values())
