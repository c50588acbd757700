"""When: frosts at a risk, warmth, day length, the last sensible sowing,
and dates for every crop of the handbook.
"""

from __future__ import annotations

from datetime import date, timedelta

import ephem
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.errors import PlanError
from kilter.core.growing.almanac import WeatherDay, check_day, degree_days
from kilter.core.growing.climate import EVEN, Climate
from kilter.core.growing.season import (
    day_in,
    day_length_h,
    day_of_season,
    first_frost_at,
    heat_between,
    last_frost_at,
    latest_start,
    makes_it,
    still_from,
    warm_from,
    years_on_record,
)
from kilter.core.handbook import Span, handbook
from kilter.core.plan.when import (
    earliness,
    steady_sowings,
    when_to_grow,
)

BOOK = handbook()
#: The last day of the April after a season, when what stood through winter bolts.
APRIL_AFTER = 365 + 120
STATED = Climate(stated_last=111, stated_first=288, latitude=52.4)
TEN_FROSTS = [96, 101, 104, 108, 110, 113, 117, 119, 124, 131]


def weather(years: int = 10, *, late: float = 0.0, southern: bool = False) -> list[WeatherDay]:
    """A plain year over and over: coldest in mid-January (July),
    each year a little later than the one before.
    """
    found = []
    for n in range(years * 365):
        day = date(2016, 1, 1) + timedelta(days=n)
        shift = late * (day.year - 2016) + (182 if southern else 0)
        mean = 10 - 9 * np.cos(2 * np.pi * (day.timetuple().tm_yday - 15 - shift) / 365)
        found.append(WeatherDay(day, float(mean - 5), float(mean + 5)))
    return found


def test_frost_quantiles_of_the_record_and_of_a_stated_average():
    """The check values of N9, by hand: sorted days,
    position (n − 1)·0.9 = 8.1 → 124 + 0.1·7 = 124.7.
    """
    assert np.quantile(TEN_FROSTS, 0.9) == pytest.approx(124.7)
    assert (last_frost_at(TEN_FROSTS, 0.1).day, last_frost_at(TEN_FROSTS, 0.1).basis) == (
        125,
        "own",
    )
    assert last_frost_at(TEN_FROSTS, 0.5).day == 112
    assert (last_frost_at([], 0.1, 111).day, last_frost_at([], 0.1, 111).basis) == (124, "stated")
    assert (
        last_frost_at(TEN_FROSTS[:7], 0.1, 111).basis == "stated"
    )  # seven years are too few by themselves
    assert last_frost_at(TEN_FROSTS[:3], 0.5).basis == "average"
    assert last_frost_at([], 0.5).basis == "assumed"
    assert first_frost_at([], 0.1, 288).day == 275  # 288 − 12.8


@given(
    st.lists(st.integers(60, 180), min_size=8, max_size=30), st.sampled_from([0.1, 0.2, 0.5, 0.9])
)
def test_no_more_years_than_the_risk_have_a_later_frost(days, risk):
    safe = last_frost_at(days, risk).day
    assert sum(one > safe for one in days) <= risk * (len(days) - 1) + 1e-9 + 1


@pytest.mark.parametrize("risk", [0.0, 1.0, -1, 2])
def test_a_risk_is_between_never_and_always(risk):
    with pytest.raises(PlanError):
        last_frost_at(TEN_FROSTS, risk)


@pytest.mark.parametrize("latitude", [35, 40, 45, 50, 55, 60, -35, -45])
def test_day_length_against_ephem(latitude):
    """ephem 4 reckons rising and setting of the sun's upper rim,
    refraction in the horizon of −0:34 and the disc.
    """
    for month in range(1, 13):
        day = date(2027, month, 15)
        there = ephem.Observer()
        there.lat, there.lon, there.pressure, there.horizon = str(latitude), "0", 0, "-0:34"
        there.date = f"{day:%Y/%m/%d} 12:00"
        hours = (there.next_setting(ephem.Sun()) - there.previous_rising(ephem.Sun())) * 24
        assert abs(day_length_h(latitude, day) - hours) * 60 < 3
    with pytest.raises(PlanError):
        day_length_h(91, date(2027, 1, 1))


def test_days_are_too_short_to_grow_from_a_day_on():
    day = still_from(52.4)
    assert (
        day_length_h(52.4, day_of_season(2027, day))
        < 10
        <= day_length_h(52.4, day_of_season(2027, day - 1))
    )
    assert still_from(20) is None
    south = still_from(-45)
    assert day_of_season(2027, south).month in {4, 5}


@given(st.dates(date(2020, 1, 1), date(2030, 1, 1)), st.integers(2020, 2030))
def test_a_day_of_a_season_and_back(day, season):
    assert day_of_season(season, day_in(season, day)) == day


def test_years_are_laid_out_by_season_with_their_frosts():
    years = years_on_record(weather(3))
    assert [one.season for one in years] == [2016, 2017, 2018]
    # mean − 5 falls to 0 where 10 − 9·cos = 5: cos = 5/9, 56.25° or 57 days on either side of day
    # 15.
    assert all(abs(one.last_frost - (15 + 57)) <= 1 for one in years)
    assert all(abs(one.first_frost - (380 - 57)) <= 1 for one in years)
    south = years_on_record(weather(3, southern=True), is_southern=True)
    assert south[1].season == 2017  # July 2016 to June 2017
    assert -150 < south[1].last_frost < 0 < south[1].first_frost < 182


def test_warmth_by_the_air_and_by_the_soil_where_it_was_measured():
    """By hand: the week's mean reaches 10 °C, two below what is wanted of the soil,
    at day 15 + 91.25 + 3.
    """
    years = years_on_record(weather(10))
    day, by = warm_from(years, 12, EVEN)
    assert by == "air"
    assert abs(day.day - (15 + 91 + 3)) <= 2
    measured = [WeatherDay(one.day, one.min_c, one.max_c, None, 20.0) for one in weather(2)]
    day, by = warm_from(years_on_record(measured), 12, EVEN)
    assert (by, day.day <= 7) == ("soil", True)
    assert warm_from(years, 40, EVEN) is None


def test_heat_is_that_of_the_almanac():
    record = weather(1)
    ours = heat_between(years_on_record(record), 10, 100, 200)[0]
    theirs = degree_days(record[99:199], 10)
    assert ours == pytest.approx(
        theirs, rel=0.1
    )  # the almanac caps night and day each, this one their mean


def test_the_last_sensible_sowing_by_counting():
    years = years_on_record(weather(10, late=4))
    ends = [one.first_frost for one in years]
    for share in (0.5, 0.9, 1.0):
        latest = latest_start(years, 10, 400, ends, share)
        assert makes_it(years, 10, latest, 400, ends) >= share * len(years)
        assert makes_it(years, 10, latest + 1, 400, ends) < share * len(years)
    assert latest_start(years, 10, 1e6, ends, 0.5) is None
    with pytest.raises(PlanError):
        latest_start((), 10, 1, (), 0.5)


@pytest.mark.parametrize("crop", BOOK.values(), ids=lambda one: one.name)
@pytest.mark.parametrize(
    "climate", [STATED, Climate(years_on_record(weather(10)), 52.4)], ids=["stated", "ten years"]
)
def test_dates_of_every_crop_are_in_order_and_safe(crop, climate):
    found = when_to_grow(crop, climate, 0.1, weeks=crop.weeks_at_table)
    (one,) = found.sowings
    assert one.begins <= one.ground_from <= one.ground_to
    if one.lift_from is not None:
        assert one.ground_from < one.lift_from <= one.lift_to <= APRIL_AFTER
    if one.lights_from is not None:
        assert 21 <= one.ground_from - one.lights_from <= 7 * 15
    if crop.frost == "tender" and crop.out_weeks is not None and crop.out_weeks >= 0:
        assert one.ground_from >= found.last_frost.day
    if crop.is_for_autumn:
        assert day_of_season(2027, one.ground_from).year == 2026
    for job in found.jobs:
        assert job.from_day <= job.to_day


def test_a_riskier_gardener_is_earlier_and_a_slower_variety_later():
    corn = BOOK["sweet corn"]
    starts = [
        when_to_grow(corn, STATED, risk).sowings[0].ground_from for risk in (0.1, 0.2, 0.5, 0.9)
    ]
    assert starts == sorted(starts, reverse=True)
    assert len(set(starts)) == 4
    quick, slow = (when_to_grow(corn, STATED, 0.1, days=Span(low, low + 20)) for low in (60, 90))
    assert quick.sowings[0].lift_from + 30 == slow.sowings[0].lift_from
    assert quick.last_sensible > slow.last_sensible


def test_in_so_many_goes_from_the_first_day_to_the_last_sensible_one():
    found = when_to_grow(BOOK["beetroot"], STATED, 0.1, goes=4)
    starts = [one.ground_from for one in found.sowings]
    assert len(starts) == 4
    assert starts[-1] == found.last_sensible
    assert np.ptp(np.diff(starts)) <= 1
    assert [one.kind for one in found.sowings] == ["spring", "again", "again", "again"]
    for goes in (0, 61):
        with pytest.raises(PlanError):
            when_to_grow(BOOK["beetroot"], STATED, 0.1, goes=goes)


def test_set_in_autumn_and_what_has_no_time_or_stays():
    autumn = when_to_grow(BOOK["shallot"], STATED, 0.1, is_in_autumn=True).sowings[0]
    assert (autumn.kind, autumn.ground_from) == ("autumn", 288 - 365 - 21)
    short = Climate(stated_last=170, stated_first=230, latitude=60)
    assert "hardly time" in when_to_grow(BOOK["winter squash"], short, 0.1).problem
    stays = when_to_grow(BOOK["rhubarb"], STATED, 0.1)
    assert (stays.sowings[0].lift_from, stays.problem) == (None, "")


def test_it_makes_it_in_so_many_of_the_own_years():
    """A bean of 70 days in a garden whose years come later and later:
    the heat is counted in each.
    """
    climate = Climate(years_on_record(weather(10, late=6)), 52.4)
    found = when_to_grow(BOOK["climbing bean"], climate, 0.1)
    assert found.is_by_heat
    made = makes_it(
        climate.years, 10, found.sowings[0].ground_from, found.makes.heat, climate.frosts
    )
    assert (found.makes.years, found.makes.of) == (made, 10)
    slow = when_to_grow(BOOK["climbing bean"], climate, 0.1, days=Span(180, 220))
    assert slow.makes.years < found.makes.years
    assert "seldom has the heat" in slow.problem


def test_steady_sowings_are_ready_when_they_are_to_be_pulled():
    days = steady_sowings(7.7, 77, 152, 180)
    assert [day + 77 for day in days] == [152, 160, 167, 175]
    for bad in ((0, 77, 1, 2), (7, 0, 1, 2), (7, 77, 2, 1)):
        with pytest.raises(PlanError):
            steady_sowings(*bad)


def test_a_soil_that_no_thermometer_shows_is_refused():
    with pytest.raises(Exception, match="soil temperature"):
        check_day(WeatherDay(date(2026, 5, 1), 1, 2, 0, 300))


def test_in_the_south_half_a_year_earlier():
    """Nothing known: 30 April less 182 days is the end of October of the year before."""
    south, north = (
        when_to_grow(BOOK["courgette"], Climate(latitude=at), EVEN) for at in (-42.0, 42.0)
    )
    assert day_of_season(2027, south.last_frost.day) == date(2026, 10, 30)
    assert north.sowings[0].ground_from - south.sowings[0].ground_from == 182


def test_a_variety_is_early_or_late_beside_the_range_of_its_crop():
    """By hand, potatoes of 70 to 130 days: the thirds end on 90 and 110."""
    potato = BOOK["potato"]
    assert potato.days == Span(70, 130)
    spans = [
        Span(70, 85),
        Span(85, 94),
        Span(95, 110),
        Span(106, 114),
        Span(108, 114),
        Span(120, 150),
    ]
    assert [earliness(one, potato) for one in spans] == [
        "early",
        "early",
        "middle",
        "middle",
        "late",
        "late",
    ]
    undated = next(one for one in BOOK.values() if one.days is None)
    with pytest.raises(PlanError):
        earliness(Span(60, 70), undated)
