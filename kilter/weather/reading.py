"""A record of the weather from a CSV file; everything wrong is named with its line."""

from __future__ import annotations

import csv
import io
from datetime import date

from kilter.core.amounts.vague import FIRST_YEAR, LAST_YEAR
from kilter.core.errors import StationError
from kilter.core.growing.almanac import WeatherDay, check_day

#: What a column may be called.
NAMES = {
    "day": {"day", "date", "datum"},
    "min": {"min", "min_c", "tmin", "minimum", "low"},
    "max": {"max", "max_c", "tmax", "maximum", "high"},
    "rain": {"rain", "rain_mm", "precipitation", "prcp", "mm"},
    "soil": {"soil", "soil_c", "tsoil", "ground"},
}
MAX_PROBLEMS = 10


def read_record(raw: bytes) -> list[WeatherDay]:
    """Read a file's days; raises `StationError` with the first ten faults."""
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise StationError("The file is not UTF-8 text; save it as CSV UTF-8.") from None
    delimiter = ";" if text.count(";") > text.count(",") else ","
    rows = [
        row
        for row in csv.reader(io.StringIO(text), delimiter=delimiter)
        if any(cell.strip() for cell in row)
    ]
    at = _columns(rows[0]) if rows else {}
    found: dict[date, WeatherDay] = {}
    problems = []
    for number, row in enumerate(rows[1:] if at else rows, 2 if at else 1):
        try:
            entry = _day(row, at or {"day": 0, "min": 1, "max": 2, "rain": 3, "soil": 4})
            found[entry.day] = entry
        except ValueError as error:
            problems.append(f"line {number}: {error}")
    if problems:
        more = f" And {len(problems) - MAX_PROBLEMS} more." if len(problems) > MAX_PROBLEMS else ""
        raise StationError(f"Nothing was read. {' '.join(problems[:MAX_PROBLEMS])}{more}")
    if not found:
        raise StationError("The file holds no days.")
    return [found[day] for day in sorted(found)]


def _columns(head: list[str]) -> dict[str, int]:
    """Where each figure stands, if the first line names them."""
    plain = [cell.strip().lower() for cell in head]
    at = {name: i for name, known in NAMES.items() for i, cell in enumerate(plain) if cell in known}
    return at if "day" in at else {}


def _day(row: list[str], at: dict[str, int]) -> WeatherDay:
    cells = {name: row[i].strip() if i < len(row) else "" for name, i in at.items()}
    try:
        day = date.fromisoformat(cells["day"])
    except ValueError:
        raise StationError(
            f"“{cells['day'][:30]}” is not a date; write it as 2026-05-01."
        ) from None
    if not FIRST_YEAR <= day.year <= LAST_YEAR:
        raise StationError(f"{day} is not between {FIRST_YEAR} and {LAST_YEAR}.")
    figures = []
    for name in ("min", "max", "rain", "soil"):
        cell = cells.get(name, "").replace(",", ".")
        try:
            figures.append(float(cell) if cell not in {"", "-", "NA"} else None)
        except ValueError:
            raise StationError(f"“{cell[:30]}” under {name} is not a number.") from None
    return check_day(WeatherDay(day, *figures))
