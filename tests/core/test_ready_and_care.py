"""When to lift, in which order, what threatens, and the jobs on the way."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.almanac import WeatherDay
from kilter.core.growing.care import Done, offers, weather_offers
from kilter.core.growing.ready import (
    Liftable,
    frost_threat,
    growing_from,
    is_set_in_autumn,
    lift_order,
    window,
)
from kilter.core.handbook import CareRow, care_rows, handbook, ripe_signs

TODAY = date(2026, 8, 1)


def test_a_vague_start_widens_the_window_at_both_ends():
    exact = window(VagueDate(date(2026, 5, 15)), 70, 90, TODAY)
    vague = window(VagueDate(date(2026, 5, 15), "month"), 70, 90, TODAY)
    assert (exact.first - vague.first).days == (vague.last - exact.last).days == 15
    assert exact.state(date(2026, 7, 23)) == "growing"
    assert exact.state(exact.first) == exact.state(exact.last) == "due"
    assert exact.state(exact.last + timedelta(days=1)) == "overdue"
    assert window(None, 70, 90, TODAY) is None
    assert window(VagueDate(TODAY), None, 90, TODAY) is None


def candidate(key, state="due", kg=2.0, keep=10, **more):
    return Liftable(
        key=key, state=state, kg=kg, keep_weeks=keep, last_day=date(2026, 8, 20), **more
    )


def test_threatened_first_then_left_too_long_then_overdue_then_the_perishable():
    found = lift_order(
        [
            candidate(1),
            candidate(2, keep=1.5),
            candidate(3, "overdue"),
            candidate(4, "growing", days_unpicked=6, pick_every=2),
            candidate(5, "growing", threat="frost threatens"),
            candidate(6, wait_until=date(2026, 8, 9)),
            candidate(7, "growing"),
            candidate(8, "growing", days_unpicked=140, pick_every=3),  # its time is over
            candidate(9, "growing", wait_until=date(2026, 7, 30)),
        ],
        kitchen_kg=9.0,
        today=TODAY,
    )
    assert [turn.key for turn in found] == [5, 4, 9, 3, 2, 1]
    assert [turn.fits for turn in found] == [True, True, True, True, False, False]
    assert found[-1].so_far_kg == 12.0
    assert "cut back" in {t.key: t.reason for t in found}[9]


@pytest.mark.parametrize(
    ("ahead", "earliest", "says"),
    [
        ([], None, ""),
        ([(1, 5.0)], None, ""),
        ([(1, 5.0), (2, 2.0)], None, "2 °C on 3 August"),
        ([], date(2024, 8, 6), "as early as 6 August"),
        ([], date(2024, 9, 6), ""),
    ],
)
def test_frost_is_told_by_the_station_and_by_the_record(ahead, earliest, says):
    record = [WeatherDay(TODAY + timedelta(days=d), low, 12) for d, low in ahead]
    threat = frost_threat(record, earliest, TODAY)
    assert says in threat
    assert bool(says) == bool(threat)


def test_a_frost_is_waited_for_until_one_has_come():
    """The earliest on record is 12 October: warned of from the 5th on, for five months,
    or until a frost came.
    """
    earliest = date(2021, 10, 12)

    def threat(today, last=None):
        return frost_threat([], earliest, today, last)

    assert not threat(date(2026, 10, 4))
    assert (
        threat(date(2026, 10, 5))
        == threat(date(2026, 11, 30))
        == "frost came as early as 12 October here"
    )
    assert threat(date(2027, 1, 10))
    assert not threat(date(2026, 11, 30), date(2026, 11, 8))  # one has come this autumn
    assert threat(date(2026, 11, 30), date(2026, 4, 20))  # the last one was in spring
    assert not threat(date(2026, 6, 1))


def test_what_is_set_in_autumn_is_counted_from_spring_unless_it_is_quick():
    assert is_set_in_autumn(date(2025, 10, 1), 90)
    assert not is_set_in_autumn(date(2025, 9, 30), 90)
    assert not is_set_in_autumn(date(2025, 11, 1), 25)  # radishes do not wait
    assert is_set_in_autumn(date(2025, 5, 1), 90, is_southern=True)
    assert growing_from(VagueDate(date(2025, 11, 9))).day == date(2026, 3, 1)
    assert growing_from(VagueDate(date(2025, 5, 9)), is_southern=True).day == date(2025, 9, 1)


@pytest.mark.parametrize(
    ("more", "says", "fits"),
    [
        ({"days_unpicked": 2, "pick_every": 3}, None, None),  # picked again and again: no window
        ({"is_standing": True}, "ready", True),
        ({}, "overdue by 31 days", True),
    ],
)
def test_overdue_is_said_only_of_what_spoils_by_waiting(more, says, fits):
    one = Liftable(
        key=1, state="overdue", kg=None, keep_weeks=4.0, last_day=date(2026, 7, 1), **more
    )
    full = Liftable(key=2, state="due", kg=9.0, keep_weeks=0.5)
    turns = {turn.key: (turn.reason, turn.fits) for turn in lift_order([full, one], 5.0, TODAY)}
    assert turns.pop(2) == ("due", False)
    assert turns == ({} if says is None else {1: (says, fits)})


ROWS = [
    CareRow(crop="x", job="soak", from_day=-1, to_day=-1, every_days=None, note="", basis=""),
    CareRow(crop="x", job="feed", from_day=35, to_day=63, every_days=14, note="", basis=""),
]


@pytest.mark.parametrize(
    ("today", "done", "jobs"),
    [
        ("2026-04-24", [], ["soak"]),
        ("2026-04-30", [("soak", "2026-04-30")], []),
        ("2026-05-20", [], []),
        ("2026-06-03", [], ["feed"]),
        ("2026-06-06", [("feed", "2026-06-06")], []),
        ("2026-06-14", [("feed", "2026-06-06")], ["feed"]),
        ("2026-07-20", [], []),
    ],
)
def test_jobs_are_offered_when_due_and_again_when_they_repeat(today, done, jobs):
    noted = [Done(job, date.fromisoformat(day)) for job, day in done]
    found = offers(date(2026, 5, 1), ROWS, noted, date.fromisoformat(today))
    assert [offer.job for offer in found] == jobs
    assert offers(None, ROWS, [], TODAY) == ()


@pytest.mark.parametrize(
    ("dry", "is_bed", "watered", "offered"),
    [
        (3, False, None, True),
        (2, False, None, False),
        (3, True, None, False),
        (8, True, None, True),
        (8, True, 2, False),
    ],
)
def test_dry_days_ask_for_water_sooner_in_a_vessel(dry, is_bed, watered, offered):
    record = [WeatherDay(TODAY - timedelta(days=i), 10, 24, 0.0) for i in range(1, dry + 1)]
    done = [Done("water", TODAY - timedelta(days=watered))] if watered else []
    found = weather_offers(record, "", done, TODAY, is_bed=is_bed, is_tender=False)
    assert [offer.job for offer in found] == (["water"] if offered else [])


def test_only_the_tender_are_covered_and_only_once():
    asked = [
        weather_offers([], "frost", done, TODAY, is_bed=True, is_tender=is_tender)
        for done, is_tender in (([], True), ([], False), ([Done("cover", TODAY)], True))
    ]
    assert [[offer.job for offer in found] for found in asked] == [["cover"], [], []]


def test_the_handbooks_tables_name_crops_it_knows_and_say_their_basis():
    assert set(care_rows()) <= set(handbook())
    assert set(ripe_signs()) <= set(handbook())
    for rows in (*care_rows().values(), *ripe_signs().values()):
        assert all(row.basis == "common practice, no source" for row in rows)
    assert {sign.worth for signs in ripe_signs().values() for sign in signs} == {
        "strong",
        "fair",
        "weak",
    }
