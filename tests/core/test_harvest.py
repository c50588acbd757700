"""One harvest: lines summed once; plants as they stood when it began;
part lifts over the plants they took.
"""

from __future__ import annotations

import math
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.errors import RecordError
from kilter.core.growing.growth import CameThrough, CountEvent, Stood, came_through, stood_at
from kilter.core.yields.bearing import as_of, part_lifted
from kilter.core.yields.harvest import GradeTotal, Lift, by_day, harvest, of_year
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import MeasuredYield, known_alike, measure_yield
from kilter.core.yields.plants import Counted, Plants, plants_of, shares_through
from kilter.core.yields.record import PlantingRecord, density_per_m2, food_so_far, lifted_share

JULY = date(2026, 7, 1)


def lift(day, mass_mg, *, grade="table", plants=0, count=None, is_apart=False):
    total = GradeTotal(
        lines=1,
        mass_mg=mass_mg or 0,
        count=count or 0,
        unweighed=mass_mg is None,
        uncounted=count is None,
    )
    return Lift(JULY + timedelta(days=day - 1), grade, total, plants, is_apart)


LIFTS = st.lists(
    st.builds(
        lift,
        st.integers(1, 120),
        st.none() | st.integers(1, 10**6),
        grade=st.sampled_from(["table", "small", "lost"]),
        count=st.none() | st.integers(0, 90),
    ),
    max_size=12,
)


@given(LIFTS)
def test_days_years_and_the_whole_come_to_the_same(lifts):
    whole = harvest(lifts).grades
    assert harvest(lifts, until=date(2030, 1, 1)).grades == whole
    assert harvest(of_year(lifts, 2026)).grades == whole
    for grade, total in whole.items():
        days = [grades[grade] for _, grades in by_day(lifts) if grade in grades]
        assert sum(day.mass_mg for day in days) == total.mass_mg
        assert sum(day.uncounted for day in days) == total.uncounted


@pytest.mark.parametrize(
    ("lifts", "plants"),
    [
        ([lift(1, 1_900, plants=2)], 2),
        ([lift(1, 1_900, plants=2), lift(1, 300, grade="small")], 2),  # said once for the day
        ([lift(1, 1_900, plants=2), lift(9, 400, plants=1)], 3),
        ([lift(1, 1_900, plants=2), lift(9, 4_000)], None),  # the second day does not say
        ([lift(1, 1_900, plants=2), lift(9, 40, is_apart=True)], 2),  # off the shelf, or thinned
        ([lift(1, 1_900)], None),
        ([], None),
    ],
)
def test_plants_lifted_are_known_where_every_day_says_so(lifts, plants):
    assert harvest(lifts).plants_lifted == plants


def test_not_weighed_and_not_counted_are_never_zero():
    waiting = harvest([lift(1, None, count=6)]).grades["table"]
    assert (waiting.known_mg, waiting.known_count, waiting.likely_mg) == (None, 6, None)
    uncounted = harvest([lift(1, 500)]).grades["table"]
    assert (uncounted.known_mg, uncounted.known_count) == (500, None)
    part = harvest([lift(1, 500, count=3), lift(2, None, count=4)]).grades["table"]
    assert part.is_part_weighed
    reckoned = part.plus(GradeTotal(estimated=1, estimated_mg=600.0))
    assert reckoned.likely_mg == 1_100
    assert not reckoned.is_part_weighed
    three_tubs = PlantingRecord(ref="tubs", plants=3, grades={"table": waiting})
    food = food_so_far(three_tubs)
    assert (food.mass_mg, food.count, food.is_lifted) == (None, 6, True)
    assert food_so_far(PlantingRecord(ref="growing")).is_lifted is False
    assert food_so_far(PlantingRecord(ref="failed", finished_on=JULY)).mass_mg == 0


TEN = PlantingRecord(ref="row", units=10, plants=10, planted_on=date(2026, 4, 1), place_area_m2=2.0)


def test_two_of_ten_plants_are_two_plants_everywhere():
    two = [lift(20, 1_900_000, plants=2)]
    early = as_of(TEN, two, date(2026, 8, 1))
    assert measure_yield(early, "kg_per_plant").rate == pytest.approx(0.95)
    assert measure_yield(early, "kg_per_m2").rate == pytest.approx(1.9 / (2.0 * 2 / 10))
    assert lifted_share(early) == pytest.approx(0.2)
    # With a second lift that does not say, all ten are taken to have been lifted.
    late = as_of(TEN, [*two, lift(40, 8_100_000)], date(2026, 12, 1))
    assert measure_yield(late, "kg_per_plant").rate == pytest.approx(1.0)
    # Up to a day before it, two.
    assert (
        measure_yield(
            as_of(TEN, [*two, lift(40, 8_100_000)], date(2026, 8, 1)), "kg_per_plant"
        ).rate
        == 0.95
    )
    assert part_lifted(12, 10) is None


def test_what_is_not_lifted_yet_is_no_zero():
    out = measure_yield(as_of(TEN, [], date(2026, 8, 1)), "kg_per_plant")
    assert isinstance(out, LeftOut)
    assert "not lifted yet" in out.reason


def seen(day, kind, count):
    return CountEvent(date(2026, 5, day), kind, count)


@pytest.mark.parametrize(
    ("units", "events", "began", "stood"),
    [
        (3, [seen(9, "replaced", 2)], None, Stood(1, is_counted=False)),
        (60, [seen(2, "up", 48), seen(9, "thinned", 18)], None, Stood(30, is_counted=True)),
        # What died after the harvest began had its share in it.
        (
            60,
            [seen(2, "up", 48), seen(20, "died", 8)],
            date(2026, 5, 10),
            Stood(48, is_counted=True),
        ),
        # Seen only once lifting had begun: still better than what was sown.
        (60, [seen(20, "standing", 40)], date(2026, 5, 10), Stood(40, is_counted=True)),
        (12, [], JULY, Stood(12, is_counted=False)),
        (None, [], JULY, Stood(None, is_counted=False)),
    ],
)
def test_plants_are_those_that_stood_when_the_harvest_began(units, events, began, stood):
    assert stood_at(units, events, began) == stood


def test_more_taken_than_stood_is_refused():
    with pytest.raises(RecordError, match="only 3 stood"):
        stood_at(3, [seen(9, "died", 4)], None)


def test_what_came_through_by_hand():
    # 30 of 40 and 10 of 20: 40/60; residuals 30 − 26.667 and 10 − 13.333; 2·(11.11·2)/40².
    found = came_through([(30, 40), (10, 20)])
    assert found.share == pytest.approx(2 / 3)
    assert found.relative_sd == pytest.approx((2 * 2 * (10 / 3) ** 2) ** 0.5 / 40)
    # One planting alone: no better known than a share of so many, √((1 − 0.75)/30).
    assert came_through([(30, 40)]) == CameThrough(0.75, pytest.approx((0.25 / 30) ** 0.5), 1)
    assert came_through([]) is None
    assert came_through([(0, 40)]) is None


def measured(ref, known_by):
    return MeasuredYield(ref=ref, amount=1.0, exposure=10, plants=10, plants_known_by=known_by)


def test_plants_counted_are_not_held_against_plants_set_out():
    kept, out = known_alike(
        [measured("a", "counted"), measured("b", "reckoned"), measured("c", "set out")]
    )
    assert [one.ref for one in kept] == ["a", "b"]
    assert "per square metre" in out[0].reason
    assert known_alike([measured("a", "set out")] * 2)[1] == []
    assert known_alike([measured("a", "")] * 2)[1] == []


def test_density_is_of_what_stood():
    assert density_per_m2(PlantingRecord(ref="a", units=60, plants=30, place_area_m2=2.0)) == 15


def test_what_was_counted_speaks_for_its_like_and_what_stays_or_contradicts_itself_does_not():
    def planting(kind, units, *events, stays=False):
        return Counted(kind, units, stays, events, None)

    through = shares_through(
        [
            planting("beet", 40, seen(3, "standing", 30)),
            planting("beet", 20, seen(3, "standing", 10)),
            planting("beet", 3, seen(3, "died", 4)),
            planting("crown", 10, seen(3, "standing", 5), stays=True),
            planting("pea", None, seen(3, "standing", 5)),
        ]
    )
    assert {kind: share.share for kind, share in through.items()} == {
        "beet": pytest.approx(40 / 60)
    }
    reckoned = plants_of(12, 3, [], None, through["beet"])
    assert (reckoned.number, reckoned.known_by) == (pytest.approx(8), "reckoned")
    assert reckoned.relative_sd == pytest.approx(math.hypot(3 / 12, through["beet"].relative_sd))
    assert plants_of(12, 3, [seen(3, "standing", 9)], None, through["beet"]) == Plants(
        9, "counted", 0.0
    )
    assert plants_of(None, None, [], None, through["beet"]) == Plants(None, "", 0.0)
    assert plants_of(3, None, [seen(3, "died", 4)], None, None) == Plants(3, "set out", 0.0)
