"""Dates as gardeners know them: to the day, the week, the part of a month,
the month or the season.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise
from typing import Final

from kilter.core.errors import VagueDateError

#: Days that a date of each precision may lie in. Week, month and season as in docs/method.md; a
#: part of a month ("early", "mid", "late") is Kilter's own addition, as people speak so.
WIDTH_DAYS: Final = {"day": 0, "week": 7, "third": 10, "month": 30, "season": 91}
PRECISIONS: Final = tuple(WIDTH_DAYS)
FIRST_YEAR, LAST_YEAR = 1900, 2200
MONTHS: Final = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
_THIRDS = {
    "early": 5,
    "beginning of": 5,
    "start of": 5,
    "mid": 15,
    "middle of": 15,
    "late": 25,
    "end of": 25,
}
#: Northern seasons by the month in their middle.
_SEASONS = {"winter": 1, "spring": 4, "summer": 7, "autumn": 10}
_AHEAD_DAYS = 92  # a date without a year is the latest that lies no further ahead than this
#: Which comes first where a date is typed in figures with strokes between them.
DATE_ORDERS: Final = ("dmy", "mdy")
_MONTH = "|".join([*(m.lower() for m in MONTHS), *(m[:3].lower() for m in MONTHS), "sept"])
_YEAR = r"(?:,?\s+(?P<year>\d{4}))?"
_FORMS: Final = tuple(
    re.compile(form)
    for form in (
        r"(?P<year>\d{4})-(?P<month>\d{1,2})-(?P<day>\d{1,2})",
        r"(?P<year>\d{4})-(?P<month>\d{1,2})",
        r"(?P<first>\d{1,2})(?P<mark>[./])(?P<second>\d{1,2})(?:[./](?P<year>\d{4}|\d{2}))?",
        rf"(?P<day>\d{{1,2}})(?:st|nd|rd|th)?\s+(?:of\s+)?(?P<name>{_MONTH}){_YEAR}",
        rf"(?P<name>{_MONTH})\s+(?P<day>\d{{1,2}})(?:st|nd|rd|th)?{_YEAR}",
        rf"(?P<third>{'|'.join(_THIRDS)})[\s-]*(?P<name>{_MONTH}){_YEAR}",
        rf"(?P<name>{_MONTH}){_YEAR}",
        rf"week\s+(?P<week>\d{{1,2}}){_YEAR}",
        rf"(?P<season>{'|'.join(_SEASONS)}){_YEAR}",
        r"(?P<ago>\d{1,3})\s+(?P<unit>day|week|month)s?\s+ago",
        r"in\s+(?P<ahead>\d{1,3})\s+(?P<unit>day|week)s?",
    )
)
_WORDS = {"today": 0, "yesterday": 1, "tomorrow": -1}


@dataclass(frozen=True)
class VagueDate:
    """A day in the middle of what is known, and how much is known."""

    day: date
    precision: str = "day"

    @property
    def half_days(self) -> int:
        """How far the true day may lie to either side, whole days."""
        return math.ceil(WIDTH_DAYS[self.precision] / 2)

    @property
    def earliest(self) -> date:
        return self.day - timedelta(days=self.half_days)

    @property
    def latest(self) -> date:
        return self.day + timedelta(days=self.half_days)

    @property
    def sd_days(self) -> float:
        """Standard deviation of a uniform distribution over the width."""
        return WIDTH_DAYS[self.precision] / math.sqrt(12)

    @property
    def is_exact(self) -> bool:
        return self.precision == "day"

    def __str__(self) -> str:
        return format_date(self)


def parse_date(text: str, today: date, order: str = "dmy") -> VagueDate:
    """Read a date as people write it, keeping how exact it is.

    Parameters
    ----------
    text : str
        ``14 May``, ``2026-05-14``, ``14.5.26``, ``14/5``, ``about 14 May``, ``mid-May``, ``May
        2026``, ``week 20``, ``spring 2026``, ``yesterday``, ``3 weeks ago``, ``in 14 days``.
    today : date
        What a date without a year is reckoned from.
    order : str
        One of `DATE_ORDERS`: whether ``5/6`` is the 5th of June or the 6th of May. With points the
        day comes first; ``11/23`` can only be the 23rd of November.

    Returns
    -------
    VagueDate
        The middle of what was said, and its precision. "About" makes a day a week; it adds nothing
        to what is vague already.

    Raises
    ------
    VagueDateError
        No such date, or not readable.

    Notes
    -----
    A date without a year is the latest that is at most 92 days ahead (rule). Seasons are those of
    the northern half; winter is the one of January.

    Examples
    --------
    >>> parse_date("about mid-May", date(2026, 11, 23))
    VagueDate(day=datetime.date(2026, 5, 15), precision='third')
    >>> parse_date("around 14/5/2026", date(2026, 11, 23)).precision
    'week'
    """
    plain = " ".join(text.lower().split()).rstrip(".")
    bare = re.sub(r"^(?:some time in|about|around|roughly|circa|ca\.?|c\.|~)\s*", "", plain)
    is_about = bare != plain and not plain.startswith("some time in")
    if bare in _WORDS:
        return _checked(
            VagueDate(today - timedelta(days=_WORDS[bare]), "week" if is_about else "day"), text
        )
    for form in _FORMS:
        if match := form.fullmatch(bare):
            try:
                found = _read(match.groupdict(), today, order)
            except (ValueError, OverflowError):
                break
            return _checked(
                VagueDate(found.day, "week") if is_about and found.is_exact else found, text
            )
    raise VagueDateError(
        f"“{text[:40]}” is no date that can be read. Write 14 May 2026, about 14 May, mid-May, May "
        "2026, week 20 or spring 2026.",
        typed=text,
    )


def format_date(vague: VagueDate) -> str:
    """Write a vague date as `parse_date` reads it.

    Parameters
    ----------
    vague : VagueDate
        A day and its precision.

    Returns
    -------
    str
        ``14 May 2026``, ``about 14 May 2026``, ``about mid-May 2026``, ``some time in May 2026``,
        ``some time in spring 2026``.


    Examples
    --------
    >>> format_date(VagueDate(date(2026, 5, 15), "third"))
    'about mid-May 2026'
    """
    day, month = vague.day, MONTHS[vague.day.month - 1]
    plain = f"{day.day} {month} {day.year}"
    if vague.precision == "week":
        return f"about {plain}"
    if vague.precision == "third":
        part = "early " if day.day <= 10 else "mid-" if day.day <= 20 else "late "
        return f"about {part}{month} {day.year}"
    if vague.precision == "month":
        return f"some time in {month} {day.year}"
    if vague.precision == "season":
        year = day.year + (day.month == 12)
        return (
            f"some time in {next(n for n, m in _SEASONS.items() if day.month % 12 // 3 == m // 3)} "
            f"{year}"
        )
    return plain


def _year(written: str) -> int:
    """Two figures are a year of this century, from 70 on of the last (rule)."""
    year = int(written)
    return year if len(written) == 4 else year + (1900 if year >= 70 else 2000)


def _day_and_month(first: int, second: int, order: str) -> tuple[int, int]:
    day, month = (second, first) if order == "mdy" else (first, second)
    return (month, day) if month > 12 >= day else (day, month)


def _read(parts: dict[str, str | None], today: date, order: str) -> VagueDate:
    if ago := parts.get("ago"):
        unit = str(parts["unit"])
        days = int(ago) * {"day": 1, "week": 7, "month": 30}[unit]
        return VagueDate(today - timedelta(days=days), unit)
    if ahead := parts.get("ahead"):
        return VagueDate(today + timedelta(days=int(ahead) * (7 if parts["unit"] == "week" else 1)))
    year = _year(written) if (written := parts.get("year")) else None
    if season := parts.get("season"):
        return _in_year(_SEASONS[season], 15, "season", year, today)
    if week := parts.get("week"):
        in_year = year or today.year
        return VagueDate(date.fromisocalendar(in_year, int(week), 4), "week")
    if first := parts.get("first"):
        day, month = _day_and_month(
            int(first), int(parts["second"] or 0), order if parts["mark"] == "/" else "dmy"
        )
        return _in_year(month, day, "day", year, today)
    if name := parts.get("name"):
        month = next(i for i, m in enumerate(MONTHS, 1) if m.lower().startswith(name[:3]))
    else:
        month = int(parts["month"] or 0)
    if third := parts.get("third"):
        return _in_year(month, _THIRDS[third], "third", year, today)
    if written_day := parts.get("day"):
        return _in_year(month, int(written_day), "day", year, today)
    return _in_year(month, 15, "month", year, today)


def _in_year(month: int, day: int, precision: str, year: int | None, today: date) -> VagueDate:
    if year is not None:
        return VagueDate(date(year, month, day), precision)
    limit = today + timedelta(days=_AHEAD_DAYS)
    # Eight years back holds a 29th of February.
    for candidate in range(limit.year, limit.year - 9, -1):
        try:
            found = date(candidate, month, day)
        except ValueError:
            continue
        if found <= limit:
            return VagueDate(found, precision)
    raise OverflowError


def _checked(found: VagueDate, text: str) -> VagueDate:
    if not FIRST_YEAR <= found.day.year <= LAST_YEAR + 1:  # the winter of its last December
        raise VagueDateError(
            f"“{text[:40]}” is not between the years {FIRST_YEAR} and {LAST_YEAR}.", typed=text
        )
    return found


assert all(a < b for a, b in pairwise(WIDTH_DAYS.values()))  # the table goes from exact to vague
