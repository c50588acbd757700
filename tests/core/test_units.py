"""What people type is read to the milligram, and what cannot be read is refused with a sentence."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.amounts.units import (
    DEFAULT_UNITS,
    format_mass,
    kg_to,
    parse_bench_line,
    parse_mass,
)
from kilter.core.errors import KilterError, QuantityError


@pytest.mark.parametrize(
    ("typed", "unit", "mg"),
    [
        ("850", "g", 850_000),
        ("850", "scale", 850_000),
        ("1.24", "scale", 1_240_000),
        ("850.5", "g", 850_500),
        ("0,94 kg", "g", 940_000),
        (".94kg", "lb", 940_000),
        ("2 lb 3 oz", "g", 992_233),
        ("2lb3", "g", 992_233),
        ("2lb 3", "g", 992_233),
        ("1 1/2 lb", "g", 680_389),
        ("½ lb", "g", 226_796),
        ("1½ lb", "g", 680_389),
        ("12 oz", "kg", 340_194),
        ("3", "oz", 85_049),
        ("1,5", "kg", 1_500_000),
        ("2 Kilos", "g", 2_000_000),
        ("0", "g", 0),
        ("1 t".replace("t", "kg"), "g", 1_000_000),
        ("1000 kg", "g", 1_000_000_000),
    ],
)
def test_reads_what_people_type(typed, unit, mg):
    assert parse_mass(typed, unit).mass_mg == mg
    assert parse_mass(typed, unit).typed == typed


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("", "holds no number"),
        ("kg", "holds no number"),
        ("-5", "below zero"),
        ("−5 g", "below zero"),
        ("2 kg 3 oz", "mixes units"),
        ("2 oz 3 lb", "mixes units"),
        ("2 3", "mixes units"),
        ("5 stone", "not a unit"),
        ("1/0 lb", "divides by zero"),
        ("1001 kg", "more than a tonne"),
        ("1 lb 2 oz 3", "cannot be read"),
        ("12..5", "mixes units"),
        ("1e9", "not a unit"),
        ("٣", "holds no number"),
    ],
)
def test_refuses_with_a_sentence(typed, says):
    with pytest.raises(QuantityError, match=says) as caught:
        parse_mass(typed)
    assert caught.value.typed == typed


def test_unknown_default_unit_is_refused():
    with pytest.raises(QuantityError, match="no default unit"):
        parse_mass("5", "stone")


@pytest.mark.parametrize(
    ("typed", "mg", "count"),
    [
        ("940 12", 940_000, 12),
        ("940", 940_000, None),
        ("c12", None, 12),
        ("C7", None, 7),
        ("1.24 9", 1_240_000, 9),
        ("2 lb 3 oz 14", 992_233, 14),
        ("2lb3 14", 992_233, 14),
        ("2lb 17", 907_185, 17),
        ("1 000 g 12", 1_000_000, 12),
        ("940.", 940_000, None),
        ("2lb c3", 907_185, 3),
        (".94kg 8", 940_000, 8),
        ("1 1/2 lb c6", 680_389, 6),
    ],
)
def test_reads_a_line_of_the_bench(typed, mg, count):
    line = parse_bench_line(typed)
    assert (line.mass and line.mass.mass_mg, line.count) == (mg, count)


@pytest.mark.parametrize(
    ("typed", "one", "other"),
    [
        ("1 000", "1000", "1 c0"),
        ("12 940", "12940", "12 c940"),
        ("2 lb 3", "2 lb 3 oz", "2 lb c3"),
        ("2lb 3", "2lb 3 oz", "2lb c3"),
        ("1,234 g", "1234 g", "1.234 g"),
        ("½", "1/2 kg", "1/2 lb"),
    ],
)
def test_asks_where_a_line_can_be_read_in_two_ways_and_both_answers_are_read(typed, one, other):
    with pytest.raises(QuantityError, match=f"ype {re.escape(one)} or {re.escape(other)}\\."):
        parse_bench_line(typed)
    assert parse_bench_line(one) != parse_bench_line(other)


def test_a_bare_thousand_before_a_count_is_asked_about():
    with pytest.raises(QuantityError, match=r"type 1000 or 1 000 g\."):
        parse_bench_line("1 000 12")
    assert parse_bench_line("1 000 g 12").mass.mass_mg == parse_bench_line("1000 12").mass.mass_mg


@pytest.mark.parametrize(
    ("typed", "mg"), [("1 000 g", 1_000_000), ("940.", 940_000), ("12 940,5 g", 12_940_500)]
)
def test_a_weight_means_the_same_in_a_field_as_at_the_bench(typed, mg):
    assert parse_mass(typed).mass_mg == parse_bench_line(typed).mass.mass_mg == mg


@pytest.mark.parametrize(
    ("typed", "mg", "count", "loads", "pm", "measure"),
    [
        ("5000+3120 40", 8_120_000, 40, 2, None, ("", None)),
        ("1.2 kg + 800 + 40", 2_040_000, None, 3, None, ("", None)),  # "40" after a sign is a load
        ("3kg ±0.5kg", 3_000_000, None, 1, 500_000, ("", None)),
        ("3kg +-20% ", 3_000_000, None, 1, 600_000, ("", None)),
        ("3kg ±20% 40", 3_000_000, 40, 1, 600_000, ("", None)),
        ("2 tub", None, None, 1, None, ("tub", 2.0)),
        ("1/2 Tubs", None, None, 1, None, ("tub", 0.5)),
        ("c40 2 tub", None, 40, 1, None, ("tub", 2.0)),
        ("4100 2 tub", 4_100_000, None, 1, None, ("tub", 2.0)),
        ("4100 60 2 tub", 4_100_000, 60, 1, None, ("tub", 2.0)),
    ],
)
def test_reads_loads_doubts_and_own_measures(typed, mg, count, loads, pm, measure):
    line = parse_bench_line(typed, measures=("tub", "bunch"))
    assert (line.mass and line.mass.mass_mg, line.count, line.loads, line.pm_mg) == (
        mg,
        count,
        loads,
        pm,
    )
    assert (line.measure, line.measures) == measure


@pytest.mark.parametrize(
    "typed",
    ["2 tub", "±3", "c3 ±2", "3 ±", "3 ±x%", "3 ±1 ±2", "3 ±20000%", "900t+900t", "3+", "0 bunch"],
)
def test_refuses_loads_doubts_and_measures_that_cannot_be(typed):
    with pytest.raises(QuantityError):
        parse_bench_line(typed, measures=("bunch",))


@pytest.mark.parametrize(
    "typed", ["", "   ", "c", "twelve", "940 -3", "940 1234567", "940 12 13 14"]
)
def test_refuses_a_line_that_says_nothing_clear(typed):
    with pytest.raises(QuantityError):
        parse_bench_line(typed)


@given(st.text(max_size=40), st.sampled_from(DEFAULT_UNITS))
def test_any_text_is_read_or_refused_never_broken(text, unit):
    for parse in (parse_mass, parse_bench_line):
        try:
            parse(text, unit)
        except KilterError as error:
            assert str(error).strip()


@given(st.integers(0, 10**9))
def test_grams_round_trip_to_the_milligram(mg):
    assert parse_mass(f"{mg // 1000}.{mg % 1000:03d} g").mass_mg == mg


@pytest.mark.parametrize(
    ("mg", "system", "text"),
    [
        (0, "metric", "0 g"),
        (5_500, "metric", "5.5 g"),
        (999_400, "metric", "999 g"),
        (999_500, "metric", "1.000 kg"),
        (453_592, "imperial", "1 lb 0.0 oz"),
        (450_000, "imperial", "15.9 oz"),
        (453_500, "imperial", "1 lb 0.0 oz"),
    ],
)
def test_shows_a_mass(mg, system, text):
    assert format_mass(mg, system) == text


def test_unknown_system_is_refused():
    for convert in (format_mass, kg_to):
        with pytest.raises(QuantityError, match="metric, imperial, pounds"):
            convert(1, "troy")
