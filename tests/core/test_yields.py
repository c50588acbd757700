"""A yield is food over exposure; what cannot be measured says why."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest

from kilter.core.errors import ComparisonError
from kilter.core.yields.harvest import GradeTotal
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import MEASURES, measure_yield
from kilter.core.yields.record import (
    PlantingRecord,
    area_m2,
    expected_whole_mg,
    food_mass_mg,
    spoilt_share,
)

CRATE = PlantingRecord(
    ref="crate 5",
    units=9,
    plants=9,
    planted_on=date(2026, 3, 21),
    finished_on=date(2026, 8, 4),
    place_area_m2=0.5,
    place_volume_l=45,
    in_row_m=0.15,
    row_gap_m=0.2,
    grades={
        "table": GradeTotal(lines=1, mass_mg=800_000, count=20),
        "hurt": GradeTotal(lines=1, mass_mg=100_000, count=2),
        "small": GradeTotal(lines=1, mass_mg=90_000, count=7),
        "seed": GradeTotal(lines=1, mass_mg=50_000, count=2),
        "lost": GradeTotal(lines=1, mass_mg=70_000, count=3),
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
        ({"plants": None}, "kg_per_plant", "number of plants"),
        ({"place_volume_l": None}, "kg_per_l", "no volume"),
        ({"is_alone": False}, "kg_per_l", "shares its container"),
        ({"is_alone": False, "in_row_m": None}, "kg_per_m2", "shares its place"),
        ({"place_area_m2": None, "in_row_m": None}, "kg_per_m2", "no length and width"),
        ({"in_row_m": None}, "kg_per_m", "distance in the row"),
        (
            {"grades": {"table": GradeTotal(lines=2, mass_mg=500, count=5, unweighed=1)}},
            "kg_per_plant",
            "waits for the scale",
        ),
        (
            {"grades": {"table": GradeTotal(lines=2, mass_mg=500, count=5, uncounted=1)}},
            "count_per_plant",
            "was not counted",
        ),
    ],
)
def test_left_out_says_why(change, measure, reason):
    out = measure_yield(replace(CRATE, **change), measure)
    assert isinstance(out, LeftOut)
    assert reason in out.reason


def test_what_waits_in_a_grade_that_is_no_food_does_not_hold_up_the_rest():
    grades = {**CRATE.grades, "lost": GradeTotal(lines=1, mass_mg=0, count=3, unweighed=1)}
    assert measure_yield(replace(CRATE, grades=grades), "kg_per_plant").amount == pytest.approx(0.9)


def test_a_shared_bed_is_divided_by_spacing():
    shared = replace(CRATE, is_alone=False)
    assert area_m2(shared) == pytest.approx(9 * 0.15 * 0.2)
    assert area_m2(CRATE) == 0.5


def test_unknown_measure_lists_those_there_are():
    with pytest.raises(ComparisonError, match="kg_per_plant"):
        measure_yield(CRATE, "stone_per_acre")


WHOLE = replace(
    CRATE,
    seed_mass_mg=180_000,
    path_area_m2=0.8,
    minutes=45.0,
    water_l=60.0,
    cost_minor=360.0,
    plants_lifted=6,
)


@pytest.mark.parametrize(
    ("measure", "rate"),
    [
        ("kg_per_lifted", 0.9 / 6),
        # six of nine plants were lifted, so six ninths of what was set out and of the ground
        ("kg_per_piece", 0.9 / 6),
        ("kg_per_kg", 0.9 / (0.18 * 6 / 9)),
        ("kg_per_m2_paths", 0.9 / (0.8 * 6 / 9)),
        ("kg_per_day", 0.9 / 136),
        ("kg_per_minute", 0.02),
        ("kg_per_water_l", 0.015),
        ("kg_per_money", 0.25),
        ("count_per_place", 22),
    ],
)
def test_every_further_denominator_by_hand_and_what_is_said_without_it(measure, rate):
    assert measure_yield(WHOLE, measure).rate == pytest.approx(rate)
    unknown = dict.fromkeys(
        (
            "units",
            "plants",
            "plants_lifted",
            "seed_mass_mg",
            "path_area_m2",
            "planted_on",
            "minutes",
            "water_l",
            "cost_minor",
        )
    )
    bare = replace(WHOLE, **unknown)
    if measure != "count_per_place":
        assert isinstance(measure_yield(bare, measure), LeftOut)


def test_a_part_lift_is_per_plant_lifted_and_says_what_the_whole_would_be():
    part = replace(
        WHOLE, finished_on=None, plants_lifted=3, plants_known_by="reckoned", plants_sd=0.2
    )
    # However the plants that stood are known, those lifted are what the lines say.
    exact = measure_yield(part, "kg_per_plant", so_far=date(2026, 8, 1))
    assert (exact.exposure, exact.plants_known_by) == (3, "")
    known = measure_yield(
        replace(part, plants_known_by="counted", plants_sd=0.0),
        "kg_per_plant",
        so_far=date(2026, 8, 1),
    )
    assert exact.vague_sd == known.vague_sd
    assert isinstance(measure_yield(part, "kg_per_plant"), LeftOut)
    found = measure_yield(part, "kg_per_plant", so_far=date(2026, 8, 1))
    assert found.is_so_far
    assert found.rate == pytest.approx(0.3)
    whole, sd = expected_whole_mg(part)
    assert whole == pytest.approx(2_700_000)
    assert sd == pytest.approx(2_700_000 * 0.4 * ((1 - 3 / 9) / 3) ** 0.5)
    assert expected_whole_mg(replace(part, plants_lifted=9)) is None
    assert isinstance(
        measure_yield(replace(part, plants_lifted=None), "kg_per_lifted", so_far=date(2026, 8, 1)),
        LeftOut,
    )


def test_estimates_stay_out_unless_asked_in_and_then_bring_their_doubt():
    counted = GradeTotal(
        lines=2,
        mass_mg=800_000,
        count=26,
        unweighed=1,
        estimated=1,
        estimated_mg=240_000,
        estimated_mg2=60_000.0**2,
    )
    record = replace(CRATE, grades={"table": counted})
    assert isinstance(measure_yield(record, "kg_per_plant"), LeftOut)
    found = measure_yield(record, "kg_per_plant", with_estimates=True)
    assert found.is_estimated
    assert found.amount == pytest.approx(1.04)
    assert found.vague_sd == pytest.approx(0.06 / 1.04)
    assert measure_yield(record, "count_per_plant", with_estimates=True).is_estimated is False
    half = replace(record, grades={"table": replace(counted, unweighed=2)})
    assert isinstance(measure_yield(half, "kg_per_plant", with_estimates=True), LeftOut)


def test_what_is_remembered_widens_and_a_vague_date_too():
    record = replace(
        CRATE,
        grades={"table": GradeTotal(lines=1, mass_mg=1_000_000, vague_mg2=100_000.0**2)},
        days_sd=8.0,
    )
    assert measure_yield(record, "kg_per_place").vague_sd == pytest.approx(0.1)
    assert measure_yield(record, "kg_per_day").vague_sd == pytest.approx(
        (0.1**2 + (8 / 136) ** 2) ** 0.5
    )


def test_spoilt_share_is_of_all_that_came_up():
    assert spoilt_share(CRATE) == pytest.approx(70 / 1110)
    assert spoilt_share(replace(CRATE, grades={})) is None
    assert (
        spoilt_share(
            replace(
                CRATE,
                grades={
                    "lost": GradeTotal(lines=1, mass_mg=0, count=3),
                    "table": GradeTotal(lines=1, mass_mg=0, count=9),
                },
            )
        )
        == 0.25
    )
