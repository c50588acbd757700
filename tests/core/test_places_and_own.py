"""Places by what one types, the ground they cover, jobs that come back,
and a household's own handbook values.
"""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.amounts.vague import parse_date
from kilter.core.compare.land import Share, land_equivalent
from kilter.core.errors import ComparisonError, RecordError
from kilter.core.growing.care import repeat_due
from kilter.core.growing.places import ground_area_m2, places_typed
from kilter.core.growing.ready import Liftable, lift_order
from kilter.core.handbook import handbook
from kilter.core.handbook.own import OWN_VALUES, with_own

YARD = [
    *(("Crock", n) for n in range(1, 11)),
    ("Crate", 1),
    ("Crate", 3),
    ("North bed", None),
    ("Box 4", None),
]


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("crock 3-9", [2, 3, 4, 5, 6, 7, 8]),
        ("CROCK 3", [2]),
        ("crock 3, 5; crate 1", [2, 4, 10]),
        ("crock 2–4, 9 to 10", [1, 2, 3, 8, 9]),
        ("crates", [10, 11]),
        ("all crates", [10, 11]),
        ("crate 1-3", [10, 11]),  # number 2 was given away
        ("north", [12]),
        ("north bed, crock 1", [0, 12]),
        ("box 4", [13]),
        (" ; , ", []),
    ],
)
def test_places_are_found_by_what_is_typed(typed, found):
    assert list(places_typed(typed, YARD)) == found


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("crock 11", "There is no Crock 11. It runs from 1 to 10."),
        ("crock 3-12", "There is no Crock 12"),
        ("crock 9-3", "write 3-9"),
        ("pail 2", "“pail” is no place here. There are Box 4, Crate, Crock, North bed."),
        ("cr", "“cr” is several places. There are Crate, Crock."),
        ("7", "needs the name of its set"),
        ("north bed 2", "There is no north bed 2"),
    ],
)
def test_what_names_no_place_says_why(typed, says):
    with pytest.raises(RecordError, match=says.replace(".", r"\.")):
        places_typed(typed, YARD)


@given(st.text(max_size=40))
def test_whatever_is_typed_is_found_or_refused_in_words(typed):
    try:
        found = places_typed(typed, YARD)
    except RecordError as error:
        assert str(error)
    else:
        assert list(found) == sorted(set(found))


def test_a_round_place_covers_a_circle():
    assert ground_area_m2(None, None, 0.4) == pytest.approx(0.125664, abs=1e-6)  # π · 0.2²
    assert ground_area_m2(2.0, 1.5) == 3.0
    assert ground_area_m2(2.0, None) is None


TEN = date(2026, 6, 10)


@pytest.mark.parametrize(
    ("first", "every", "until", "done", "today", "due"),
    [
        (TEN, None, None, None, date(2026, 6, 3), TEN),  # once, a week ahead
        (TEN, None, None, None, date(2026, 6, 2), None),
        (TEN, None, None, TEN, TEN, None),
        (
            TEN,
            14,
            None,
            date(2026, 6, 12),
            date(2026, 6, 20),
            date(2026, 6, 26),
        ),  # late moves the next
        (TEN, 14, None, TEN, TEN, None),
        (TEN, 2, None, TEN, TEN, None),  # not said again on the day it was done
        (TEN, 2, None, TEN, date(2026, 6, 11), date(2026, 6, 12)),
        (TEN, 1, None, TEN, date(2026, 6, 11), date(2026, 6, 11)),
        (
            TEN,
            7,
            date(2026, 6, 16),
            TEN,
            date(2026, 6, 16),
            None,
        ),  # the next would come after the end
        (TEN, 7, date(2026, 6, 12), None, date(2026, 6, 13), None),
    ],
)
def test_a_job_comes_back_from_the_day_it_was_done(first, every, until, done, today, due):
    assert repeat_due(first, every, until, done, today) == due


def test_dates_ahead_are_read():
    assert parse_date("in 14 days", TEN).day == TEN + timedelta(days=14)
    assert parse_date("in 2 weeks", TEN).day == TEN + timedelta(days=14)
    assert parse_date("tomorrow", TEN).day == date(2026, 6, 11)


def test_who_is_away_lifts_first_what_would_suffer():
    asked = [
        Liftable(key=1, state="due", kg=2.0, keep_weeks=20, last_day=date(2026, 8, 30)),
        Liftable(key=2, state="overdue", kg=2.0, keep_weeks=2, last_day=date(2026, 8, 3)),
        Liftable(
            key=3, state="due", kg=2.0, keep_weeks=30, last_day=date(2026, 8, 30), is_standing=True
        ),
    ]
    turns = lift_order(asked, None, date(2026, 8, 1), back_on=date(2026, 8, 15))
    assert [(turn.key, turn.can_wait) for turn in turns] == [(2, False), (1, True), (3, True)]
    assert turns[0].reason == "overdue by 12 days by then"
    assert not any(turn.can_wait for turn in lift_order(asked, None, date(2026, 8, 1)))


def test_what_was_cut_back_and_grows_again_is_not_lifted_before_one_goes():
    cut = Liftable(
        key=1,
        state="due",
        kg=2.0,
        keep_weeks=3,
        last_day=date(2026, 8, 30),
        wait_until=date(2026, 8, 10),
    )
    assert lift_order([cut], None, date(2026, 8, 1), back_on=date(2026, 8, 15)) == ()
    assert [turn.key for turn in lift_order([cut], None, date(2026, 8, 10))] == [1]


def test_own_values_take_the_handbooks_place_and_are_marked():
    leek = handbook()["leek"]
    mine = with_own(
        leek, {"days_max": 90, "keep_weeks": 3, "germination_percent": 55, "row_gap_cm": 25}
    )
    assert (mine.days.low, mine.days.high) == (min(leek.days.low, 90), 90)
    assert (mine.keep_weeks, mine.germination, mine.row_gap_m) == (3, 0.55, 0.25)
    assert mine.own == {"days", "keep_weeks", "germination", "row_gap_m"}
    assert leek.own == frozenset()


@pytest.mark.parametrize("name", OWN_VALUES)
@pytest.mark.parametrize("crop", ["leek", "tomato", "pea"])
def test_an_own_value_is_read_back_as_it_was_put(name, crop):
    said = OWN_VALUES[name]
    value = max(said.least, min(said.most, 7))
    assert said.read(with_own(handbook()[crop], {name: value})) == pytest.approx(value)


def test_a_crop_without_a_bed_of_its_own_leaves_a_sum_that_can_only_say_yes():
    corn, bean = (
        Share(crop="corn", ratio=0.8, log_se=0.05, df=8, together=2, alone=2),
        Share(crop="bean", ratio=0.9, log_se=0.05, df=8, together=2, alone=2),
    )
    both = land_equivalent([corn, bean], missing=["squash"])
    assert (both.total, both.verdict, both.is_partial) == (pytest.approx(1.7), "clear", True)
    one = land_equivalent([corn], missing=["bean"])
    assert (one.verdict, one.short) == (
        "cannot tell",
        pytest.approx(0.2),
    )  # below one nobody can tell
    assert (
        land_equivalent(
            [
                Share(crop="corn", ratio=0.3, log_se=0.01, df=50, together=5, alone=5),
                Share(crop="bean", ratio=0.3, log_se=0.01, df=50, together=5, alone=5),
            ]
        ).verdict
        == "clear"
    )
    with pytest.raises(ComparisonError):
        land_equivalent([corn])
    with pytest.raises(ComparisonError):
        land_equivalent([], missing=["corn", "bean"])
