"""A year's weather as a picture: the band between minimum and maximum, the frost line,
rain as bars from the foot.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import groupby

from kilter.core.growing.almanac import WeatherDay
from kilter.drawing.lanes import WIDTH, Calendar
from kilter.drawing.scales import Tick

HEIGHT = 260.0
RAIN_HEIGHT = 70.0
RAIN_MM = 35.0  # fills the bars' height


@dataclass(frozen=True, kw_only=True)
class WeatherPicture:
    """Paths in a box of `WIDTH` by `HEIGHT`."""

    bands: tuple[str, ...]  #: polygons of unbroken runs of days
    rain: str
    frosts: str  #: a tick at the foot of the band for each day of frost
    frost_y: float
    degrees: tuple[Tick, ...]
    months: tuple[Tick, ...]
    width: float = WIDTH
    height: float = HEIGHT


def weather_picture(record: Sequence[WeatherDay], year: int) -> WeatherPicture:
    """Draw the days of a year."""
    calendar = Calendar(date(year, 1, 1), date(year, 12, 31))
    known = [
        e for e in record if e.min_c is not None and e.max_c is not None and e.day.year == year
    ]
    low = min([e.min_c or 0.0 for e in known] + [-5.0]) - 1
    high = max([e.max_c or 0.0 for e in known] + [25.0]) + 1
    room = HEIGHT - RAIN_HEIGHT

    def at(celsius: float) -> float:
        return round(room * (high - celsius) / (high - low), 1)

    runs = groupby(enumerate(known), lambda pair: pair[1].day.toordinal() - pair[0])
    bands = tuple(_band([entry for _, entry in run], calendar, at) for _, run in runs)
    wet = [(calendar.at(e.day), e.rain_mm) for e in record if e.rain_mm and e.day.year == year]
    rain = "".join(f"M{x} {HEIGHT}v{-RAIN_HEIGHT * min(mm / RAIN_MM, 1.0):.1f}" for x, mm in wet)
    frosts = "".join(
        f"M{calendar.at(e.day)} {at(0) - 5:.1f}v10"
        for e in known
        if e.min_c is not None and e.min_c <= 0
    )
    degrees = tuple(Tick(at(c), f"{c} °C") for c in range(-40, 60, 10) if low <= c <= high)
    return WeatherPicture(
        bands=bands,
        rain=rain,
        frosts=frosts,
        frost_y=at(0),
        degrees=degrees,
        months=calendar.months(),
    )


def _band(run: list[WeatherDay], calendar: Calendar, at: object) -> str:
    assert callable(at)
    upper = [f"{calendar.at(e.day)},{at(e.max_c)}" for e in run]
    lower = [f"{calendar.at(e.day) + 2},{at(e.min_c)}" for e in reversed(run)]
    return " ".join(upper + lower)
