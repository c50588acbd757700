"""A weather station: a line protocol of our own, and a simulated station that speaks it.

One request a line, answered by lines up to a full stop:

    days 2026-05-01 2026-05-02     →  day 2026-05-01 min 4.1 max 15.8 rain 0.0
                                      day 2026-05-02 min - max 14.0 rain 2.4
                                      .
    ahead 3                        →  the same, for the days to come
                                      .
    anything it cannot answer      →  error <words>
                                      .

A figure that is not known is a dash. Degrees are Celsius, rain millimetres. A real station's
adapter gives a stream that speaks this: a serial line, a socket, a pipe.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from datetime import date, timedelta
from typing import Protocol, TextIO

import numpy as np

from kilter.core.errors import StationError
from kilter.core.growing.almanac import WeatherDay, check_day

MAX_DAYS = 4000
_END = "."


class StationLine(Protocol):
    """Something that answers one request with lines."""

    def ask(self, request: str) -> Iterator[str]: ...


class StreamLine:
    """A line over two text streams: what a real station is connected by."""

    def __init__(self, reader: TextIO, writer: TextIO) -> None:
        self.reader, self.writer = reader, writer

    def ask(self, request: str) -> Iterator[str]:
        self.writer.write(request + "\n")
        self.writer.flush()
        while (line := self.reader.readline()).strip() != _END:
            if not line:
                raise StationError("The station hung up in the middle of its answer.")
            yield line.strip()


def read_days(line: StationLine, start: date, end: date) -> list[WeatherDay]:
    """Read the record of a span."""
    return _read(line, f"days {start} {end}")


def read_ahead(line: StationLine, days: int) -> list[WeatherDay]:
    """Read what the station expects of the days to come."""
    return _read(line, f"ahead {days}")


def _read(line: StationLine, request: str) -> list[WeatherDay]:
    found: list[WeatherDay] = []
    for answer in line.ask(request):
        words = answer.split()
        if words[:1] == ["error"]:
            raise StationError(f"The station says: {' '.join(words[1:])}.")
        if len(found) >= MAX_DAYS:
            raise StationError(f"The station sent more than {MAX_DAYS} days.")
        if len(words) != 8 or words[0::2] != ["day", "min", "max", "rain"]:
            raise StationError(f"The station sent “{answer[:60]}”, which is not a day's weather.")
        try:
            figures = [None if word == "-" else float(word) for word in words[3::2]]
            found.append(check_day(WeatherDay(date.fromisoformat(words[1]), *figures)))
        except ValueError as error:
            if isinstance(error, StationError):
                raise
            raise StationError(
                f"The station sent “{answer[:60]}”, which cannot be read."
            ) from error
    return found


class SimulatedStation:
    """Plausible weather for a latitude, the same for the same seed: a yearly wave,
    spells, and showers.
    """

    def __init__(self, latitude: float, seed: int, today: date) -> None:
        self.latitude, self.seed, self.today = latitude, seed, today

    def ask(self, request: str) -> Iterator[str]:
        words = request.split()
        try:
            if words[:1] == ["days"]:
                start, end = (date.fromisoformat(word) for word in words[1:3])
            elif words[:1] == ["ahead"]:
                start, end = self.today, self.today + timedelta(days=int(words[1]) - 1)
            else:
                raise IndexError
        except (ValueError, IndexError, OverflowError):
            yield f"error cannot answer {request[:40]}"
            return
        if not 0 <= (end - start).days < MAX_DAYS:
            yield "error the span is empty or too long"
            return
        for offset in range((end - start).days + 1):
            yield self._line(start + timedelta(days=offset))

    def _line(self, day: date) -> str:
        low, high, rain = self._weather(day)
        low, high, rain = (round(figure, 1) + 0.0 for figure in (low, high, rain))  # no "-0.0"
        return f"day {day} min {low} max {high} rain {rain}"

    def _weather(self, day: date) -> tuple[float, float, float]:
        """Mean, yearly swing and daily range follow the latitude roughly as mild coasts do
        (rule).
        """
        away = abs(self.latitude)
        mean_c, swing_c = 26.0 - 0.31 * away, 0.13 * away
        of_year = day.timetuple().tm_yday + (182 if self.latitude < 0 else 0)
        turn = math.cos(2 * math.pi * (of_year - 25) / 365.25)
        # Clear spring days are the widest.
        clear = math.cos(2 * math.pi * (of_year - 140) / 365.25)
        # Weather comes in spells: the mean of this day's and the four days before it.
        spell = sum(self._draw(day - timedelta(days=back), 0) for back in range(5)) / math.sqrt(5)
        wet = sum(self._draw(day - timedelta(days=back), 1) for back in range(3)) / math.sqrt(3)
        middle = mean_c - swing_c * turn + 3.2 * spell + 0.8 * self._draw(day, 2)
        width = 9.0 + 2.5 * clear - (2.0 if wet > 0.4 else 0.0) + 0.8 * self._draw(day, 3)
        rain = max(0.0, (wet - 0.35) * 5.5 * math.exp(0.5 * self._draw(day, 4)))
        width = max(width, 2.0)
        return middle - width / 2, middle + width / 2, rain

    def _draw(self, day: date, stream: int) -> float:
        return float(_normals(self.seed, day.year)[stream, day.timetuple().tm_yday - 1])


_years: dict[tuple[int, int], np.ndarray[tuple[int, ...], np.dtype[np.float64]]] = {}


def _normals(seed: int, year: int) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    """A year's draws, the same each time: five streams of 366."""
    if (seed, year) not in _years:
        _years[seed, year] = np.random.default_rng([seed, year]).standard_normal((5, 366))
    return _years[seed, year]
