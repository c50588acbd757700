"""A yield is food over exposure; what cannot be measured says why."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest

from kilter.core.errors import ComparisonError
from kilter.core.yields import MEASURES, GradeTotal, LeftOut, PlantingRecord, area_m2, food_mass_mg, measure_yield

CRATE = PlantingRecord(
    ref="crate 5",
    units=9,
    planted_on=date(2026, 3, 21),
    finished_on=date(2026, 8, 4),
    place_area_m2=0.5,
    place_volume_l=45,
    in_row_m=0.15,
    row_gap_m=0.2,
    grades={
        "table": GradeTotal(1, 800_000, 20),
        "hurt": GradeTotal(1, 100_000, 2),
        "small": GradeTotal(1, 90_000, 7),
        "seed": GradeTotal(1, 50_000, 2),
        "lost": GradeTotal(1, 70_000, 3),
    },
)


@pytest.mark.parametrize(
    ("measure", "rate"),
    [
        ("kg_per_plant", 0.9 / 9),
        ("kg_per_m2", 0.9 / 0.5),
        ("kg_per_l", 0.9 / 45),
        ("kg_per_m", 0.9 / (9 * 0.15)),
        ("kg_per_place", 0.9),
        ("count_per_plant", 22 / 9),
    ],
)
def test_every_measure_by_hand(measure, rate):
    assert measure_yield(CRATE, measure).rate == pytest.approx(rate)
    assert set(MEASURES) >= {measure}


def test_small_is_food_where_the_household_says_so():
    assert food_mass_mg(CRATE) == 900_000
    assert food_mass_mg(replace(CRATE, is_small_food=True)) == 990_000


def test_finished_with_nothing_is_a_zero_not_a_gap():
    assert measure_yield(replace(CRATE, grades={}), "kg_per_plant").amount == 0


@pytest.mark.parametrize(
    ("change", "measure", "reason"),
    [
        ({"finished_on": None}, "kg_per_plant", "not finished"),
        ({"units": None}, "kg_per_plant", "number of plants"),
        ({"place_volume_l": None}, "kg_per_l", "no volume"),
        ({"is_alone": False}, "kg_per_l", "shares its container"),
        ({"is_alone": False, "in_row_m": None}, "kg_per_m2", "shares its place"),
        ({"place_area_m2": None, "in_row_m": None}, "kg_per_m2", "no length and width"),
        ({"in_row_m": None}, "kg_per_m", "distance in the row"),
        ({"grades": {"table": GradeTotal(2, 500, 5, unweighed=1)}}, "kg_per_plant", "waits for the scale"),
        ({"grades": {"table": GradeTotal(2, 500, 5, uncounted=1)}}, "count_per_plant", "was not counted"),
    ],
)
def test_left_out_says_why(change, measure, reason):
    out = measure_yield(replace(CRATE, **change), measure)
    assert isinstance(out, LeftOut)
    assert reason in out.reason


def test_what_waits_in_a_grade_that_is_no_food_does_not_hold_up_the_rest():
    grades = {**CRATE.grades, "lost": GradeTotal(1, 0, 3, unweighed=1)}
    assert measure_yield(replace(CRATE, grades=grades), "kg_per_plant").amount == pytest.approx(0.9)


def test_a_shared_bed_is_divided_by_spacing():
    shared = replace(CRATE, is_alone=False)
    assert area_m2(shared) == pytest.approx(9 * 0.15 * 0.2)
    assert area_m2(CRATE) == 0.5


def test_unknown_measure_lists_those_there_are():
    with pytest.raises(ComparisonError, match="kg_per_plant"):
        measure_yield(CRATE, "stone_per_acre")
