"""Every measure of a yield: any grades, size, share spoilt, days,
and each divisor by weight and by number.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest

from kilter.core.yields.harvest import GradeTotal
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import FIGURES, MEASURES, measure_yield
from kilter.core.yields.record import PlantingRecord

ROW = PlantingRecord(
    ref="row",
    units=10,
    plants=10,
    seed_mass_mg=500_000,
    planted_on=date(2026, 5, 1),
    finished_on=date(2026, 8, 9),
    first_lift=date(2026, 7, 10),
    last_lift=date(2026, 8, 8),
    place_area_m2=2.0,
    path_area_m2=3.0,
    place_volume_l=80,
    in_row_m=0.2,
    minutes=50,
    water_l=40,
    cost_minor=800,
    grades={
        "table": GradeTotal(lines=2, mass_mg=1_600_000, count=32),
        "hurt": GradeTotal(lines=1, mass_mg=200_000, count=5),
        "small": GradeTotal(lines=1, mass_mg=100_000, count=10),
        "lost": GradeTotal(lines=1, mass_mg=100_000, count=3),
    },
)
DIVISORS = {
    "plant": 10,
    "lifted": 10,
    "piece": 10,
    "kg": 0.5,
    "m2": 2,
    "m2_paths": 3,
    "m": 2,
    "l": 80,
    "day": 100,
    "minute": 50,
    "water_l": 40,
    "money": 8,
    "place": 1,
}


@pytest.mark.parametrize(("per", "divisor"), DIVISORS.items())
def test_each_divisor_by_weight_and_by_number(per, divisor):
    assert measure_yield(ROW, f"kg_per_{per}").rate == pytest.approx(1.8 / divisor)
    assert measure_yield(ROW, f"count_per_{per}").rate == pytest.approx(37 / divisor)


def test_every_measure_is_tried_here_and_figures_are_some_of_them():
    tried = {f"{unit}_per_{per}" for unit in ("kg", "count") for per in DIVISORS}
    assert set(MEASURES) == tried | {
        "piece_size",
        "share_spoilt",
        "share_lost",
        "days_to_first",
        "days_bearing",
    }
    assert set(FIGURES) < set(MEASURES)


@pytest.mark.parametrize(
    ("grades", "kg", "count"),
    [((), 1.8, 37), (("table",), 1.6, 32), (("small", "lost"), 0.2, 13), (("unripe",), 0.0, 0)],
)
def test_any_grades_can_be_asked_for(grades, kg, count):
    assert measure_yield(ROW, "kg_per_place", grades=grades).amount == pytest.approx(kg)
    assert measure_yield(ROW, "count_per_place", grades=grades).amount == count


@pytest.mark.parametrize(
    ("measure", "grades", "rate"),
    [
        ("piece_size", (), 1.8 / 37),
        ("piece_size", ("small",), 0.1 / 10),
        ("share_spoilt", (), 0.3 / 2.0),
        ("share_spoilt", ("lost",), 0.1 / 2.0),
        ("days_to_first", (), 70),
        ("days_bearing", (), 30),
    ],
)
def test_size_share_and_days_by_hand(measure, grades, rate):
    assert measure_yield(ROW, measure, grades=grades).rate == pytest.approx(rate)


@pytest.mark.parametrize(
    ("measure", "change", "reason"),
    [
        ("days_to_first", {"first_lift": None, "last_lift": None}, "nothing was lifted from it"),
        ("days_to_first", {"planted_on": None}, "nobody wrote down when it was planted"),
        (
            "days_to_first",
            {"planted_on": date(2026, 7, 11)},
            "its first lift lies before its planting",
        ),
        (
            "piece_size",
            {
                "grades": {
                    "table": GradeTotal(lines=1, mass_mg=5, count=0, unweighed=0, uncounted=1)
                }
            },
            "part of its harvest was not counted",
        ),
        (
            "piece_size",
            {"grades": {"lost": GradeTotal(lines=1, mass_mg=5, count=2)}},
            "nothing came from it",
        ),
        ("share_spoilt", {"grades": {}}, "nothing came from it"),
        (
            "share_spoilt",
            {"grades": {"lost": GradeTotal(lines=1, mass_mg=0, count=4, unweighed=1)}},
            "part of its harvest was not weighed",
        ),
        ("count_per_minute", {"minutes": None}, "no minutes of work were noted"),
        ("count_per_minute", {"minutes": 0}, "it took no work"),
        ("kg_per_water_l", {"water_l": None}, "no water was noted"),
        ("kg_per_water_l", {"water_l": 0}, "it was given no water"),
        ("kg_per_money", {"cost_minor": None}, "no cost was noted"),
        ("kg_per_money", {"cost_minor": 0}, "it cost nothing"),
        ("kg_per_plant", {"plants": None}, "the number of plants was not written down"),
        ("kg_per_plant", {"plants": 0}, "none of its plants stood"),
        ("kg_per_l", {"place_volume_l": 0}, "its place has no volume"),
        ("kg_per_kg", {"seed_mass_mg": None}, "what was sown or set was not weighed"),
        ("count_per_plant", {"finished_on": None}, "is not finished"),
    ],
)
def test_what_cannot_be_measured_says_why(measure, change, reason):
    found = measure_yield(replace(ROW, **change), measure)
    assert isinstance(found, LeftOut)
    assert reason in found.reason


def test_a_remembered_amount_widens_size_and_share_too():
    vague = replace(
        ROW,
        grades={
            "table": GradeTotal(lines=1, mass_mg=1_000_000, count=20, vague_mg2=1e10),
            "lost": GradeTotal(lines=1, mass_mg=500_000, count=5),
        },
    )
    assert measure_yield(vague, "piece_size").vague_sd == pytest.approx(0.1)
    assert measure_yield(vague, "share_spoilt", grades=("table",)).vague_sd == pytest.approx(0.1)
    assert measure_yield(vague, "kg_per_place").vague_sd == pytest.approx(0.1)


def test_a_vague_planting_day_widens_the_days():
    assert measure_yield(replace(ROW, days_sd=7.0), "days_to_first").vague_sd == pytest.approx(0.1)
    assert measure_yield(replace(ROW, days_sd=7.0), "days_bearing").vague_sd == 0
