"""Charts, blocks and words of Weigh up: to scale, inside their box, told apart,
and in the measure's own words.
"""

from __future__ import annotations

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.compare import Unit, compare
from kilter.core.compare.anova import anova
from kilter.core.compare.kinds import YIELD, kind_named
from kilter.core.yields.measures import MEASURES
from kilter.drawing.balance import balance
from kilter.drawing.blocks import blocks_side_by_side
from kilter.drawing.curves import round_steps, smooth, stepped
from kilter.drawing.steelyard import steelyard
from kilter.weigh_up.answer.gap_words import manner_of, more_than
from kilter.weigh_up.answer.pictures import rate_figure, rate_unit, rate_words
from kilter.weigh_up.answer.wording import percent, prior_words, reconciled, sentence, settling
from kilter.weigh_up.question.question import ATTRIBUTES, Question


def pots(**levels):
    return [
        Unit(ref=f"{k}{i}", amount=y, exposure=1.0, level=k, plants=4)
        for k, ys in levels.items()
        for i, y in enumerate(ys)
    ]


def test_lines_rise_inside_their_box_and_their_names_keep_apart():
    drawn = stepped(
        [("a", [(10, 1.0), (20, 3.0)]), ("b", [(12, 2.9)])],
        [(0, "Jan"), (15, "mid"), (400, "never")],
    )
    assert [tick.label for tick in drawn.x_ticks] == ["mid"]
    assert abs(drawn.curves[0].label_y - drawn.curves[1].label_y) >= 16
    assert all(
        drawn.top <= float(y) <= drawn.bottom
        for y in drawn.curves[0].path.split("V")[1].split("H")[:1]
    )
    assert stepped([("a", []), ("b", [])], []) is None


def test_a_curve_through_dots_marks_where_more_stop_paying():
    line = [(d, d / (1 + d)) for d in range(1, 20)]
    drawn = smooth(line, [(5, 0.8, 3, "crate")], mark=(8.0, 6.0, 30.0))
    low, high = drawn.band
    assert drawn.left < low < drawn.mark_x < high <= drawn.right
    assert drawn.dots[0].title == "crate"
    assert smooth(line, [], mark=(90.0, 60.0, 99.0)).mark_x is None  # further than anything drawn


@given(st.floats(0, 1e3), st.floats(1e-3, 1e4))
def test_round_steps_lie_inside_and_are_few(low, wide):
    steps = round_steps(low, low + wide)
    assert len(steps) <= 7
    assert all(low - 1e-6 <= step <= low + wide + 1e-6 for step in steps)


def test_blocks_stand_in_rows_with_what_disagrees_marked():
    rows = [
        ("north", [("a", 2.0), ("b", 1.0)], True),
        ("south", [("a", 1.0), ("b", 1.5)], False),
        ("bare", [("a", 0.0)], None),
    ]
    drawn = blocks_side_by_side(rows, ["a", "b"])
    north, south, bare = drawn.rows
    assert north.marks[0].x > north.marks[1].x
    assert (south.agrees, bare.marks) == (False, ())
    assert [mark.series for mark in north.marks] == [1, 2]
    assert blocks_side_by_side([("bare", [("a", 0.0)], None)], ["a"]) is None


@pytest.mark.parametrize("units", [*range(1, 30), 60, 250])
def test_a_pyramid_has_every_weight_once_and_no_two_on_one_spot(units):
    pan = balance(1.2, 1.1, 1.4, units, 1).pans[0]
    assert len({(w.x, w.y) for w in pan.weights}) == units


@pytest.mark.parametrize(
    ("key", "rate", "metric", "imperial"),
    [
        ("kg_per_plant", 0.1, "0.100 kg per plant", "0.22 lb per plant"),
        ("count_per_m2", 31.2, "31.2 per square metre", "31.2 per square metre"),
        ("piece_size", 0.05, "0.050 kg per piece", "0.110 lb per piece"),
        ("share_spoilt", 0.125, "12.50 %", "12.50 %"),
        ("days_to_first", 70.4, "70.4 days", "70.4 days"),
    ],
)
def test_a_rate_in_words_in_both_systems(key, rate, metric, imperial):
    assert rate_words(rate, MEASURES[key], "metric") == metric
    assert rate_words(rate, MEASURES[key], "imperial") == imperial
    assert rate_unit(MEASURES[key], "metric") in metric
    assert rate_figure(rate, MEASURES[key], "metric") in metric


YIELDS = {"a": [8, 8.1, 7.9, 8], "b": [2, 2.1, 1.9, 2]}
DAYS = {"a": [90, 92, 91, 91], "b": [70, 71, 69, 70]}
SHARES = {"a": [0.40, 0.42, 0.38, 0.40], "b": [0.10, 0.11, 0.09, 0.10]}


@pytest.mark.parametrize(
    ("key", "gave", "says", "interval"),
    [
        ("kg_per_plant", YIELDS, "‘a’ gave about 4 times as much as ‘b’.", "times as much."),
        (
            "piece_size",
            YIELDS,
            "‘a’ was about 4 times as heavy in the piece as ‘b’.",
            "times as heavy in the piece.",
        ),
        (
            "share_spoilt",
            SHARES,
            "‘a’ had about 30 in 100 more of its harvest spoilt than ‘b’.",
            "in 100 more.",
        ),
        (
            "share_lost",
            SHARES,
            "‘a’ lost about 30 in 100 more of what was put by than ‘b’.",
            "in 100 more.",
        ),
        (
            "days_to_first",
            DAYS,
            "‘a’ took about 21 days longer to its first lift than ‘b’.",
            "days longer.",
        ),
        ("days_bearing", DAYS, "‘a’ bore about 21 days longer than ‘b’.", "days longer."),
    ],
)
def test_a_clear_answer_in_the_words_of_its_measure(key, gave, says, interval):
    measure = MEASURES[key]
    found = compare(pots(**gave), kind=kind_named(measure.kind))
    said = sentence(found, manner_of(measure))
    assert said.answer == says
    assert f"{interval} Chance" in said.doubt


def test_a_leaning_answer_and_many_levels_speak_in_the_measures_words_too():
    leaning = compare(pots(a=[80.0, 88.0], b=[77.0, 75.0]), kind=kind_named("days"))
    assert (
        "It looks as if ‘a’ bore longer than ‘b’"
        in sentence(leaning, manner_of(MEASURES["days_bearing"])).answer
    )
    three = compare(pots(a=[9, 9, 9], b=[2, 2, 2], c=[1, 1, 1]))
    assert sentence(three, manner_of(MEASURES["share_spoilt"])).answer.startswith(
        "‘a’ lost most: about"
    )
    assert more_than(1.0, YIELD) == "about as much as"


def test_what_would_settle_it_and_where_the_spread_comes_from():
    found = compare(pots(a=[3.0, 2.4], b=[2.0, 1.9]))
    words = settling(found)
    assert words.seen.startswith("If the difference is truly this large")
    assert words.gaps[0].words.endswith("(as seen)")
    assert prior_words(found) == "a rule, until something is grown twice alike here"


def test_a_question_goes_through_its_address_unchanged():
    asked = Question(
        crops=(),
        compare="variety",
        by="count_per_l",
        within=("season",),
        seasons=(2025, 2026),
        with_estimates=True,
        sites=("yard",),
        second_factor="method:cover",
        grades=("small",),
        cut_off="age",
        without=("2026-003",),
        unlike=("site",),
    )
    address = asked.address()
    for piece in (
        "also=method%3Acover",
        "grade=small",
        "upto=age",
        "without=2026-003",
        "estimates=on",
        "season=2025",
    ):
        assert piece in address
    said = asked.in_words(ATTRIBUTES | {"method:cover": "cover"}, {"yard": "Yard"})
    assert said == (
        "Compare variety and cover by number per litre of Small for all crops in 2025, 2026 at "
        "Yard, up to the same age, only within the same season."
    )
    assert MEASURES["piece_size"].words == "size: weight of a piece"


def test_the_two_ways_of_reckoning_are_reconciled_where_they_differ():
    """By hand: six pots that lie within a few per cent of their means;
    the textbook takes their word for it.
    """
    units = pots(a=[1.30, 1.10, 1.20], b=[1.05, 0.93, 0.99])
    found = compare(units)
    table = anova([u.amount for u in units], {"variety": [u.level for u in units]}, [("variety",)])
    assert table.p_of("variety") < 0.05
    said = reconciled(found, table, "variety")
    assert said.startswith(
        "By themselves these six differ by ±7\u00a0%, less than such pots usually do (±35\u00a0%);"
    )
    assert f"would be sure (p\u00a0=\u00a0{table.p_of('variety'):.2g})" in said
    assert said.endswith(f"{found.verdict}, {percent(found.pairs[0].chance)}.")
    far = compare(pots(a=[8, 8.1, 7.9], b=[2, 2.1, 1.9]))
    assert reconciled(far, table, "variety") == ""
    assert reconciled(found, "nothing is left over", "variety") == ""
    assert reconciled(found, table, "light") == "", "a term that dropped out says nothing"


def test_a_slip_of_a_thousand_times_is_not_said_in_a_hundred_digits():
    found = compare(pots(a=[0.05, 32.0, 0.06], b=[1.0, 1.1, 0.9], c=[0.9, 1.0, 1.0]))
    said = sentence(found)
    assert "told apart" in said.answer
    assert len(said.doubt) < 300
    wild = compare(
        [
            Unit(ref="1", amount=1.0, exposure=22.0, level="a"),
            Unit(ref="2", amount=4.0, exposure=0.125, level="a"),
            Unit(ref="3", amount=1.0, exposure=1.0, level="b"),
        ]
    )
    assert "hardly a limit" in sentence(wild).doubt
    assert all(math.isfinite(x) for level in wild.levels for x in (level.low, level.high))


def test_the_steelyard_and_blocks_of_days_are_divided_evenly():
    hung = [("a", "", 90.0, 85.0, 95.0), ("b", "", 80.0, 75.0, 85.0)]
    drawn = steelyard(hung, [(0, 1)], 640, is_even=True)
    steps = [right.at - left.at for left, right in pairwise(drawn.ticks)]
    assert max(steps) - min(steps) < 0.2
    even = blocks_side_by_side([("x", [("a", 90.0), ("b", 80.0)], True)], ["a", "b"], is_even=True)
    steps = [right.at - left.at for left, right in pairwise(even.ticks)]
    assert max(steps) - min(steps) < 0.2


def test_the_arc_of_days_and_points_is_even_and_leans_to_the_longer():
    drawn = balance(12.0, 5.0, 19.0, 3, 3, unit=" d", is_even=True)
    assert [tick.label for tick in drawn.ticks][3] == "even"
    assert drawn.ticks[0].label == "30 d"
    assert drawn.pointer_x < drawn.pivot_x
    assert balance(-0.0, -2.0, 2.0, 3, 3, unit="", is_even=True).pointer_x == pytest.approx(
        380, abs=0.1
    )
