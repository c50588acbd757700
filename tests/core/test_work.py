"""Work and water on places and sites, shared out by hand first."""

from dataclasses import replace
from datetime import date

from kilter.core.yields.work import Occupant, Work, share_work

MAY = date(2026, 5, 1)


def stood(key, place, start=(2026, 4, 1), end=(2026, 9, 1), season=2026, area=None):
    days = date(*start), date(*end)
    return Occupant(key=key, place=place, season=season, start=days[0], end=days[1], area_m2=area)


def shared(job, occupants, area_m2=None, site_of=None):
    found = share_work([job], occupants, area_m2 or {}, site_of or {})
    return {one.planting: (one.seconds, one.water_ml) for one in found.shares}, found.unshared


def test_a_bed_shares_by_area_a_pot_equally_and_to_the_second():
    weeding = Work(key=1, day=MAY, place=7, seconds=540 * 60, water_ml=10_000)
    bed = [stood(1, 7, area=2.0), stood(2, 7, area=1.0)]
    assert shared(weeding, bed)[0] == {1: (21_600, 6_667), 2: (10_800, 3_333)}
    assert shared(weeding, [stood(1, 7, area=2.0), stood(2, 7)])[0] == {
        1: (16_200, 5_000),
        2: (16_200, 5_000),
    }
    three = [stood(key, 7) for key in (1, 2, 3)]
    one_more = Work(key=1, day=MAY, place=7, seconds=100)
    assert shared(one_more, three)[0] == {1: (34, None), 2: (33, None), 3: (33, None)}


def test_where_nothing_stood_the_next_of_that_season_bears_it_else_the_place_does():
    digging = Work(key=1, day=date(2026, 3, 1), place=7, seconds=600)
    gone = stood(9, 7, start=(2025, 4, 1), end=(2025, 9, 1), season=2025)
    assert shared(digging, [gone, stood(1, 7), stood(2, 7)])[0] == {1: (300, None), 2: (300, None)}
    assert shared(digging, [stood(1, 7, start=(2027, 3, 1), season=2027)]) == ({}, (digging,))
    # Of the autumn before, for garlic of the coming season planted that October.
    autumn = Work(key=1, day=date(2026, 10, 1), place=7, seconds=60)
    garlic = stood(1, 7, start=(2026, 10, 20), end=(2027, 7, 1), season=2027)
    assert shared(autumn, [garlic])[0] == {1: (60, None)}


def test_what_is_past_its_day_bears_what_was_done_while_nobody_finished_it():
    late = Work(key=1, day=date(2026, 10, 1), place=7, seconds=60)
    gone, still = stood(1, 7), replace(stood(2, 7), is_open=True)
    assert shared(late, [gone, still])[0] == {2: (60, None)}
    assert shared(late, [gone])[1] == (late,)


def test_a_site_shares_by_the_area_of_places_in_which_something_stood():
    """900 litres over a bed of 3 m² with two in it, one of 1.5 m², a pot and an empty bed."""
    watering = Work(key=1, day=MAY, site=1, water_ml=900_000)
    there = [stood(1, 10, area=2.0), stood(2, 10, area=1.0), stood(3, 11), stood(4, 12)]
    elsewhere = stood(5, 20)
    area = {10: 3.0, 11: 1.35, 13: 9.0, 20: 50.0}
    site_of = {10: 1, 11: 1, 12: 1, 13: 1, 20: 2}
    # 3 + 1.35 + 0.15 = 4.5 m²: 200 litres a square metre.
    assert shared(watering, [*there, elsewhere], area, site_of)[0] == {
        1: (None, 400_000),
        2: (None, 200_000),
        3: (None, 270_000),
        4: (None, 30_000),
    }
    assert shared(watering, [elsewhere], area, site_of) == ({}, (watering,))


def test_work_on_a_planting_is_its_own_in_the_year_it_was_done():
    pruning = Work(key=1, day=date(2024, 2, 1), planting=3, seconds=0)
    (share,) = share_work([pruning], [], {}, {}).shares
    assert (share.planting, share.year, share.seconds, share.water_ml) == (3, 2024, 0, None)
