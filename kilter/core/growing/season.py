"""The growing year of a site from its own record: frosts at the risk taken,
warmth, day length, heat.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cache
from typing import Final

import numpy as np
import scipy

from kilter.core.arrays import FloatArray
from kilter.core.errors import PlanError
from kilter.core.growing.almanac import WeatherDay, frost_years

#: From so many years on the own record speaks by itself; before, an average with a spread does
#: (rules).
OWN_YEARS: Final = 8
STATED_SD_DAYS: Final = 10.0
#: Where nothing is known of a site: the last frost about the end of April, the first in mid-October
#: (rule).
ASSUMED_LAST, ASSUMED_FIRST = 120, 288
#: In the south half a year earlier, as a season there begins in July before its year.
HALF_YEAR: Final = 182
#: Days are as long in one year as in another.
ANY_YEAR: Final = 2027
#: A growing year counts once so many of its days are on record (rule).
LEAST_DAYS: Final = 150
#: In late spring the ground is so many degrees warmer than the mean of the air (rule).
AIR_BEHIND_C: Final = 2.0
#: Warmth is the mean over so many days (rule).
WARM_DAYS: Final = 7
#: Below so many hours of day plants hardly grow (common practice, no source).
STILL_HOURS: Final = 10.0
#: Degrees below which a crop does not grow, by how it takes frost (rules, memory), and above which
#: it grows no faster.
BASE_C: Final[Mapping[str, float]] = {"tender": 10.0, "half-hardy": 6.0, "hardy": 4.5}
UPPER_C: Final = 30.0
#: The sun's centre stands so low when its rim rises: half a disc and refraction (Meeus, ch. 15;
#: memory).
HORIZON_DEG: Final = -0.833


@dataclass(frozen=True)
class DayAtRisk:
    """A day of the season, counted from 1 on its first of January, and how it is known."""

    day: int
    years: int  #: of the own record that it rests on
    basis: str  #: ``own``, ``average`` (own, few years), ``stated`` or ``assumed``


@dataclass(frozen=True)
class Year:
    """One season on record, day by day from July before it to its end;
    NaN where nothing is known.
    """

    season: int
    mean_c: FloatArray  #: (day,): mean of the air
    soil_c: FloatArray  #: (day,)
    last_frost: int | None  #: days of the season
    first_frost: int | None

    def heat(self, base_c: float) -> FloatArray:
        """Degree days of each day; what is unknown gives none."""
        warm = np.clip(np.nan_to_num(self.mean_c, nan=base_c), base_c, UPPER_C)
        return np.asarray(warm - base_c)


#: A season's days are kept from so many before its first of January.
DAYS_BEFORE: Final = 184
DAYS_KEPT: Final = DAYS_BEFORE + 366


def day_of_season(season: int, day: int) -> date:
    """Give the date of a day of a season.

    Parameters
    ----------
    season : int
        A year.
    day : int
        1 is the first of January; 0 and less lie in the year before.

    Returns
    -------
    date
        Of that day.

    Notes
    -----
    Counting.

    Examples
    --------
    >>> day_of_season(2027, 125), day_of_season(2027, -60)
    (datetime.date(2027, 5, 5), datetime.date(2026, 11, 1))
    """
    return date(season, 1, 1) + timedelta(days=day - 1)


def day_in(season: int, day: date) -> int:
    """Count a date's day in a season.

    Parameters
    ----------
    season : int
        A year.
    day : date
        Any.

    Returns
    -------
    int
        1 for the first of January of the season.

    Notes
    -----
    The inverse of `day_of_season`.

    Examples
    --------
    >>> day_in(2027, date(2027, 5, 5))
    125
    """
    return (day - date(season, 1, 1)).days + 1


def day_length_h(latitude: float, day: date) -> float:
    """Reckon the hours from sunrise to sunset.

    Parameters
    ----------
    latitude : float
        Degrees, south below zero.
    day : date
        Any of this century.

    Returns
    -------
    float
        Hours; 0 in the polar night, 24 where the sun stays up.

    Raises
    ------
    PlanError
        A latitude beyond the poles.

    Notes
    -----
    The sun's declination from its apparent longitude at noon UT (Meeus, *Astronomical Algorithms*,
    ch. 25, low precision; coefficients from memory), the hour angle of sunrise from cos H = (sin h₀
    − sin φ sin δ) / (cos φ cos δ).

    Examples
    --------
    >>> (
    ...     round(day_length_h(52.4, date(2027, 6, 21)), 1),
    ...     round(day_length_h(52.4, date(2027, 12, 21)), 1),
    ... )
    (16.8, 7.7)
    """
    if not -90 < latitude < 90:
        raise PlanError("A latitude lies between the poles.")
    t = (day.toordinal() - date(2000, 1, 1).toordinal()) / 36525
    anomaly = math.radians(357.52911 + 35999.05029 * t)
    centre = (1.914602 - 0.004817 * t) * math.sin(anomaly) + 0.019993 * math.sin(2 * anomaly)
    longitude = math.radians(280.46646 + 36000.76983 * t + centre)
    declination = math.asin(math.sin(math.radians(23.439291 - 0.0130042 * t)) * math.sin(longitude))
    phi = math.radians(latitude)
    cosine = (math.sin(math.radians(HORIZON_DEG)) - math.sin(phi) * math.sin(declination)) / (
        math.cos(phi) * math.cos(declination)
    )
    return 24 * math.acos(max(-1.0, min(1.0, cosine))) / math.pi


def last_frost_at(
    days: Sequence[float], risk: float, stated: float | None = None, *, is_southern: bool = False
) -> DayAtRisk:
    """Find the day from which a frost is as unlikely as wanted.

    Parameters
    ----------
    days : sequence of float
        Of the last frosts on record, one a year, as days of the season.
    risk : float
        Share of the years in which the last frost may come later.
    stated : float, optional
        The average that the gardener states.
    is_southern : bool
        Of the southern half, for where nothing is known.

    Returns
    -------
    DayAtRisk
        The first whole day at or after the quantile.

    Raises
    ------
    PlanError
        A risk that is none.

    Notes
    -----
    From eight years on the linear quantile of the record (type 7 of Hyndman & Fan 1996, *The
    American Statistician* 50:361; memory); before that the stated average, else that of the few
    years, with an SD of 10 days (rule).

    Examples
    --------
    >>> (
    ...     last_frost_at([96, 101, 104, 108, 110, 113, 117, 119, 124, 131], 0.1).day,
    ...     last_frost_at([], 0.1, 111).day,
    ... )
    (125, 124)
    """
    day, years, basis = _quantile(days, 1 - risk, stated, ASSUMED_LAST - HALF_YEAR * is_southern)
    return DayAtRisk(math.ceil(day - 1e-9), years, basis)


def first_frost_at(
    days: Sequence[float], risk: float, stated: float | None = None, *, is_southern: bool = False
) -> DayAtRisk:
    """Find the day before which a frost in autumn is as unlikely as wanted.

    Parameters
    ----------
    days : sequence of float
        Of the first frosts of autumn on record, as days of the season.
    risk : float
        Share of the years in which it may come earlier.
    stated : float, optional
        The average that the gardener states.
    is_southern : bool
        Of the southern half, for where nothing is known.

    Returns
    -------
    DayAtRisk
        The last whole day at or before the quantile.

    Raises
    ------
    PlanError
        A risk that is none.

    Notes
    -----
    As `last_frost_at`.

    Examples
    --------
    >>> first_frost_at([], 0.1, 288).day
    275
    """
    day, years, basis = _quantile(days, risk, stated, ASSUMED_FIRST - HALF_YEAR * is_southern)
    return DayAtRisk(math.floor(day + 1e-9), years, basis)


def _quantile(
    days: Sequence[float], share: float, stated: float | None, assumed: float
) -> tuple[float, int, str]:
    if not 0 < share < 1:
        raise PlanError("A risk lies between no year and every year.")
    if len(days) >= OWN_YEARS:
        return float(np.quantile(np.asarray(days, float), share)), len(days), "own"
    away = float(scipy.special.ndtri(share)) * STATED_SD_DAYS
    if stated is not None:
        return stated + away, 0, "stated"
    if days:
        return float(np.mean(days)) + away, len(days), "average"
    return assumed + away, 0, "assumed"


def years_on_record(record: Sequence[WeatherDay], *, is_southern: bool = False) -> tuple[Year, ...]:
    """Lay a site's record out by seasons.

    Parameters
    ----------
    record : sequence of WeatherDay
        In any order, gaps allowed.
    is_southern : bool
        South of the equator a season runs from July before its year to its June.

    Returns
    -------
    tuple of Year
        Seasons with enough days on record.

    Notes
    -----
    A half without any frost counts as one whose last frost was on its first day, or whose first was
    on its last.

    Examples
    --------
    >>> cold = [
    ...     WeatherDay(date(2026, 1, 1) + timedelta(days=i), -1 if i < 110 else 5, 15)
    ...     for i in range(300)
    ... ]
    >>> years_on_record(cold)[0].last_frost
    110
    """
    found = []
    by_season: dict[int, list[WeatherDay]] = defaultdict(list)
    for day in record:
        for season in (day.day.year, day.day.year + 1):
            if 1 - DAYS_BEFORE <= day_in(season, day.day) <= DAYS_KEPT - DAYS_BEFORE:
                by_season[season].append(day)
    for frost in frost_years(record, is_southern=is_southern):
        if frost.days_known < LEAST_DAYS:
            continue
        season = frost.year + (1 if is_southern else 0)
        mean, soil = np.full(DAYS_KEPT, np.nan), np.full(DAYS_KEPT, np.nan)
        for one in by_season[season]:
            at = day_in(season, one.day) + DAYS_BEFORE - 1
            if one.min_c is not None and one.max_c is not None:
                mean[at] = (one.min_c + one.max_c) / 2
            if one.soil_c is not None:
                soil[at] = one.soil_c
        last = day_in(season, frost.last_spring) if frost.last_spring else None
        first = day_in(season, frost.first_autumn) if frost.first_autumn else None
        found.append(Year(season, mean, soil, last, first))
    return tuple(found)


def warm_from(years: Sequence[Year], warm_c: float, risk: float) -> tuple[DayAtRisk, str] | None:
    """Find the day from which the ground, or else the air, is as warm as a crop wants.

    Parameters
    ----------
    years : sequence of Year
        On record.
    warm_c : float
        Degrees, of the soil; where it was not measured the mean of the air over a week stands for
        it, 2 °C below (rule).
    risk : float
        Share of the years in which it may come later.

    Returns
    -------
    DayAtRisk and str, or None
        The day and ``soil`` or ``air``; None where no year on record ever was that warm.

    Raises
    ------
    PlanError
        A risk that is none.

    Notes
    -----
    The first day of a season's warming half at the end of a week whose mean reaches it, at the
    quantile of `last_frost_at`. Kilter's own rule.

    Examples
    --------
    >>> rising = [
    ...     WeatherDay(date(2026, 1, 1) + timedelta(days=i), i / 10 - 5, i / 10 + 5)
    ...     for i in range(300)
    ... ]
    >>> day, by = warm_from(years_on_record(rising), 12, 0.5)
    >>> day.day, by
    (104, 'air')
    """
    soil = [day for year in years if (day := _first_warm(year.soil_c, warm_c, year)) is not None]
    if soil:
        return last_frost_at(soil, risk), "soil"
    air = [
        day
        for year in years
        if (day := _first_warm(year.mean_c, warm_c - AIR_BEHIND_C, year)) is not None
    ]
    return (last_frost_at(air, risk), "air") if air else None


def _first_warm(degrees: FloatArray, warm_c: float, year: Year) -> int | None:
    """The first day after midwinter at the end of a warm week."""
    begins = DAYS_BEFORE if (year.last_frost or 1) > 0 else 0
    window = np.lib.stride_tricks.sliding_window_view(degrees[begins:], WARM_DAYS)
    means = window.mean(axis=1)  # NaN where a day of the week is unknown
    warm = np.flatnonzero(means >= warm_c)
    return int(warm[0]) + WARM_DAYS + begins - DAYS_BEFORE if len(warm) else None


def heat_between(years: Sequence[Year], base_c: float, first: int, last: int) -> list[float]:
    """Sum the heat between two days of a season in each year on record.

    Parameters
    ----------
    years : sequence of Year
        On record.
    base_c : float
        Degrees below which the crop does not grow.
    first, last : int
        Days of the season, the last not counted.

    Returns
    -------
    list of float
        Degree days, one for each year.

    Notes
    -----
    Mean of night and day, kept between base and 30 °C (McMaster & Wilhelm 1997, *Agricultural and
    Forest Meteorology* 87:291, method 1; memory).

    Examples
    --------
    >>> warm = [WeatherDay(date(2026, 1, 1) + timedelta(days=i), 10, 20) for i in range(300)]
    >>> heat_between(years_on_record(warm), 10, 1, 11)
    [50.0]
    """
    a, b = _at(first), _at(last)
    return [float(year.heat(base_c)[a:b].sum()) for year in years]


def makes_it(
    years: Sequence[Year], base_c: float, start: int, heat: float, frosts: Sequence[int]
) -> int:
    """Count the years in which a crop would have had the heat it needs before its end.

    Parameters
    ----------
    years : sequence of Year
        On record.
    base_c : float
        Degrees below which the crop does not grow.
    start : int
        Day of the season on which it stands in the open.
    heat : float
        Degree days it needs to the first lift.
    frosts : sequence of int
        For each year the day by which it must be ready.

    Returns
    -------
    int
        Of those years.

    Notes
    -----
    Counting over the site's own years.

    Examples
    --------
    >>> warm = [WeatherDay(date(2026, 1, 1) + timedelta(days=i), 10, 20) for i in range(300)]
    >>> [makes_it(years_on_record(warm), 10, 121, heat, [221]) for heat in (500, 505)]
    [1, 0]
    """
    return sum(
        float(year.heat(base_c)[_at(start) : _at(end)].sum()) >= heat - 1e-9
        for year, end in zip(years, frosts, strict=True)
    )


def latest_start(
    years: Sequence[Year], base_c: float, heat: float, frosts: Sequence[int], share: float
) -> int | None:
    """Find the last day on which a crop may be sown and still have its heat in the wanted share of
    the years.

    Parameters
    ----------
    years : sequence of Year
        On record, one at least.
    base_c : float
        Degrees below which the crop does not grow.
    heat : float
        Degree days it needs to the first lift.
    frosts : sequence of int
        For each year the day by which it must be ready.
    share : float
        Of the years, above 0 and at most 1.

    Returns
    -------
    int or None
        Day of the season; None where so many years never have that heat.

    Raises
    ------
    PlanError
        No year, or a share that is none.

    Notes
    -----
    In each year the last day from which the heat to its frost still reaches the need; of these the
    one that the wanted share of the years reaches. Counting.

    Examples
    --------
    >>> warm = [WeatherDay(date(2026, 1, 1) + timedelta(days=i), 10, 20) for i in range(300)]
    >>> latest_start(years_on_record(warm), 10, 500, [221], 1)
    121
    """
    if not years or not 0 < share <= 1:
        raise PlanError(
            "The last sensible sowing needs a year on record, and a share of the years."
        )
    latest = []
    for year, end in zip(years, frosts, strict=True):
        before = year.heat(base_c)[: _at(end)][::-1].cumsum()
        enough = np.flatnonzero(before >= heat - 1e-9)
        latest.append(end - 1 - int(enough[0]) if len(enough) else None)
    wanted = math.ceil(share * len(latest) - 1e-9)
    reached = sorted((one for one in latest if one is not None), reverse=True)
    return reached[wanted - 1] if len(reached) >= wanted else None


@cache
def still_from(latitude: float) -> int | None:
    """Find the day from which days are too short to grow in autumn.

    Parameters
    ----------
    latitude : float
        Degrees, south below zero.

    Returns
    -------
    int or None
        Day of the season; None where days never get so short.

    Raises
    ------
    PlanError
        A latitude beyond the poles.

    Notes
    -----
    Below ten hours of day plants hardly grow (common practice, no source).

    Examples
    --------
    >>> day_of_season(2027, still_from(52.4))
    datetime.date(2027, 10, 26)
    """
    begins = 172 if latitude >= 0 else -10  # midsummer
    for day in range(begins, begins + 190):
        if day_length_h(latitude, day_of_season(ANY_YEAR, day)) < STILL_HOURS:
            return day
    return None


def _at(day: int) -> int:
    return min(max(day + DAYS_BEFORE - 1, 0), DAYS_KEPT)
