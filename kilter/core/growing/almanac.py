"""What the sky and the thermometer say: the moon, frost dates, dry spells, heat days,
growing degree days.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import groupby
from typing import Final

from kilter.core.amounts.vague import VagueDate
from kilter.core.errors import StationError

FROST_C: Final = 0.0
HEAT_C: Final = 30.0  # a "hot day" of the weather services (memory)
DRY_MM: Final = 1.0  # less rain in a day than this wets nothing (common practice, no source)
DRY_SPELL_DAYS: Final = 7
GDD_BASE_C, GDD_UPPER_C = (
    10.0,
    30.0,
)  # the usual limits for sweet corn and other warm crops (memory)
COLDEST_C, HOTTEST_C, WETTEST_MM = -90.0, 60.0, 2000.0
_J2000: Final = date(2000, 1, 1).toordinal()  # its noon, UT, is the epoch
#: Midpoints of the four phases in degrees of elongation.
_PHASES: Final = ("new moon", "first quarter", "full moon", "last quarter")


@dataclass(frozen=True)
class Moon:
    """The moon at noon UT of a day."""

    lit_share: float
    is_waxing: bool
    phase: str  #: the nearest of new moon, first quarter, full moon, last quarter

    @property
    def trend(self) -> str:
        return "waxing" if self.is_waxing else "waning"


@dataclass(frozen=True)
class WeatherDay:
    """One day at one site; None where the station said nothing."""

    day: date
    min_c: float | None
    max_c: float | None
    rain_mm: float | None = None
    soil_c: float | None = None  #: of the ground, a hand deep


@dataclass(frozen=True)
class FrostYear:
    """The frost-free time of one growing year."""

    year: int
    last_spring: date | None
    first_autumn: date | None
    days_known: int  #: days with a minimum on record

    @property
    def frost_free_days(self) -> int | None:
        return (
            (self.first_autumn - self.last_spring).days
            if self.first_autumn and self.last_spring
            else None
        )


@dataclass(frozen=True)
class Spell:
    """A run of days, both ends counted."""

    start: date
    end: date

    @property
    def days(self) -> int:
        return (self.end - self.start).days + 1


def moon_on(day: date) -> Moon:
    """Reckon the moon's phase at noon UT.

    Parameters
    ----------
    day : date
        Between 1900 and 2200 it is good to about 0.01 of the lit share.

    Returns
    -------
    Moon
        Lit share of the disc, waxing or waning, the nearest principal phase.

    Notes
    -----
    Mean elongation and anomalies of ch. 47, phase angle by eq. 48.4, lit share by eq. 48.1 of
    Meeus, *Astronomical Algorithms* (2nd ed.; coefficients from memory, checked against ephem). The
    difference between dynamical and universal time is left out.

    Examples
    --------
    >>> moon_on(date(2024, 4, 8)).phase, moon_on(date(2026, 3, 3)).phase
    ('new moon', 'full moon')
    """
    t = (day.toordinal() - _J2000) / 36525
    d = math.radians(297.8501921 + 445267.1114034 * t - 0.0018819 * t * t)
    sun = math.radians(357.5291092 + 35999.0502909 * t - 0.0001536 * t * t)
    moon = math.radians(134.9633964 + 477198.8675055 * t + 0.0087414 * t * t)
    elongation = (
        math.degrees(d)
        + 6.289 * math.sin(moon)
        - 2.100 * math.sin(sun)
        + 1.274 * math.sin(2 * d - moon)
        + 0.658 * math.sin(2 * d)
        + 0.214 * math.sin(2 * moon)
        + 0.110 * math.sin(d)
    ) % 360
    lit = (1 - math.cos(math.radians(elongation))) / 2
    return Moon(lit, elongation < 180, _PHASES[round(elongation / 90) % 4])


def moon_words(day: VagueDate | None) -> tuple[str, str] | tuple[None, None]:
    """Name the moon of a day that is known to the day.

    Parameters
    ----------
    day : VagueDate or None
        As far as it is known.

    Returns
    -------
    (str, str) or (None, None)
        Waxing or waning, and the nearest principal phase.

    Notes
    -----
    By `moon_on`. A day that is vague by a week lies in two phases.

    Examples
    --------
    >>> moon_words(VagueDate(date(2026, 3, 3)))
    ('waning', 'full moon')
    """
    if day is None or not day.is_exact:
        return None, None
    moon = moon_on(day.day)
    return moon.trend, moon.phase


def check_day(found: WeatherDay) -> WeatherDay:
    """Refuse a day that no thermometer on earth would show.

    Parameters
    ----------
    found : WeatherDay
        Degrees Celsius and millimetres.

    Returns
    -------
    WeatherDay
        The same.

    Raises
    ------
    StationError
        Out of bounds, or a minimum above the maximum.

    Notes
    -----
    Bounds lie just outside the records of the World Meteorological Organization (memory).

    Examples
    --------
    >>> check_day(WeatherDay(date(2026, 5, 1), 4.0, 15.0, 0.2)).max_c
    15.0
    """
    for value, low, high, what in (
        (found.min_c, COLDEST_C, HOTTEST_C, "minimum"),
        (found.max_c, COLDEST_C, HOTTEST_C, "maximum"),
        (found.rain_mm, 0.0, WETTEST_MM, "rain"),
        (found.soil_c, COLDEST_C, HOTTEST_C, "soil temperature"),
    ):
        if value is not None and not low <= value <= high:
            raise StationError(
                f"{found.day}: a {what} of {value:g} is not between {low:g} and {high:g}."
            )
    if found.min_c is not None and found.max_c is not None and found.min_c > found.max_c:
        raise StationError(
            f"{found.day}: the minimum, {found.min_c:g} °C, is above the maximum, {found.max_c:g} "
            "°C."
        )
    return found


def frost_years(
    record: Sequence[WeatherDay], *, is_southern: bool = False
) -> tuple[FrostYear, ...]:
    """Find the last frost of spring and the first of autumn in each growing year.

    Parameters
    ----------
    record : sequence of WeatherDay
        In any order, gaps allowed.
    is_southern : bool
        South of the equator a growing year runs from July to June.

    Returns
    -------
    tuple of FrostYear
        By year; a date is None where no frost is on record in that half.

    Notes
    -----
    Frost is a daily minimum of 0 °C or less; the year is split at its warm solstice half.

    Examples
    --------
    >>> frost_years([WeatherDay(date(2026, 4, 20), -1, 9), WeatherDay(date(2026, 11, 2), -2, 5)])[
    ...     0
    ... ].frost_free_days
    196
    """
    halves: dict[int, tuple[list[date], list[date], list[date]]] = {}
    for entry in record:
        if entry.min_c is None:
            continue
        is_first_half = (entry.day.month <= 6) != is_southern
        year = entry.day.year - (is_southern and entry.day.month <= 6)
        known, spring, autumn = halves.setdefault(year, ([], [], []))
        known.append(entry.day)
        if entry.min_c <= FROST_C:
            (spring if is_first_half else autumn).append(entry.day)
    return tuple(
        FrostYear(year, max(spring, default=None), min(autumn, default=None), len(known))
        for year, (known, spring, autumn) in sorted(halves.items())
    )


def dry_spells(record: Sequence[WeatherDay], least_days: int = DRY_SPELL_DAYS) -> tuple[Spell, ...]:
    """Find runs of days without rain worth the name.

    Parameters
    ----------
    record : sequence of WeatherDay
        In any order; a day without a figure for rain ends a run.
    least_days : int
        The shortest run that counts.

    Returns
    -------
    tuple of Spell
        In order.

    Notes
    -----
    Dry is less than 1 mm a day (common practice, no source).

    Examples
    --------
    >>> [
    ...     s.days
    ...     for s in dry_spells([WeatherDay(date(2026, 7, d), 10, 25, 0.0) for d in range(1, 10)])
    ... ]
    [9]
    """
    dry = sorted({e.day for e in record if e.rain_mm is not None and e.rain_mm < DRY_MM})
    # Consecutive days keep the same distance from their place in the list.
    runs = [
        [day for _, day in group]
        for _, group in groupby(enumerate(dry), lambda p: p[1].toordinal() - p[0])
    ]
    return tuple(Spell(run[0], run[-1]) for run in runs if len(run) >= least_days)


def heat_days(record: Sequence[WeatherDay], hot_c: float = HEAT_C) -> int:
    """Count the hot days.

    Parameters
    ----------
    record : sequence of WeatherDay
        Of any span.
    hot_c : float
        Degrees Celsius from which a day is hot.

    Returns
    -------
    int
        Days with a maximum of at least so much.


    Examples
    --------
    >>> heat_days([WeatherDay(date(2026, 7, 1), 17, 31.5)])
    1
    """
    return sum(entry.max_c is not None and entry.max_c >= hot_c for entry in record)


def degree_days(
    record: Sequence[WeatherDay], base_c: float = GDD_BASE_C, upper_c: float = GDD_UPPER_C
) -> float:
    """Sum growing degree days.

    Parameters
    ----------
    record : sequence of WeatherDay
        Days with both extremes count; others add nothing.
    base_c, upper_c : float
        Below the one nothing grows, above the other nothing faster.

    Returns
    -------
    float
        °C days, zero or more.

    Raises
    ------
    StationError
        A base that is not below the upper limit.

    Notes
    -----
    (Tmax + Tmin)/2 − Tbase, both extremes first brought within base and upper limit (McMaster &
    Wilhelm 1997, *Agricultural and Forest Meteorology* 87:291–300, their method 2; memory).

    Examples
    --------
    >>> degree_days([WeatherDay(date(2026, 7, 1), 12, 34), WeatherDay(date(2026, 7, 2), 4, 20)])
    16.0
    """
    if base_c >= upper_c:
        raise StationError("The base temperature must lie below the upper limit.")

    def within(value: float) -> float:
        return min(max(value, base_c), upper_c)

    return sum(
        (within(e.max_c) + within(e.min_c)) / 2 - base_c
        for e in record
        if e.max_c is not None and e.min_c is not None
    )
