"""Until when a planting stands: the day on which its place is expected to be free, and why."""

from __future__ import annotations

from calendar import monthrange
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Final

from kilter.core.growing.ready import HALF_YEAR, LiftWindow
from kilter.core.handbook import HandbookCrop

#: Why a place is free from a day: each with its words; the day stands for ``{day}``.
FINISHED, UNTIL, LASTING, WANTED = "finished", "until", "lasting", "wanted"
FROST, PICKED, LIFTED, UNKNOWN = "frost", "picked", "lifted", "unknown"
WHYS: Final = {
    FINISHED: "finished on {day}",
    UNTIL: "stands until {day}, as was said",
    LASTING: "stays over years",
    WANTED: "may stay until it is wanted, good until {day}",
    FROST: "frost ends it, about {day}",
    PICKED: "picked until about {day}",
    LIFTED: "lifted by {day}",
    UNKNOWN: "nothing says when it ends, so it counts until {day}",
}
#: The same of a day that is past, of what nobody said to be finished.
PAST: Final = {
    UNTIL: "was to stand until {day}",
    WANTED: "was good until {day}",
    FROST: "frost comes about {day}",
    PICKED: "was picked until about {day}, as a rule",
    LIFTED: "was to be lifted by {day}",
    UNKNOWN: "nothing says when it ended; its season did on {day}",
}
FROST_CAME: Final = "frost ended it on {day}"
#: What is picked over weeks is so for two at least (rule).
LEAST_PICKED_WEEKS: Final = 2
#: In its handbook half-month ends on this day, or else with the month.
MID_MONTH: Final = 15


@dataclass(frozen=True)
class Frost:
    """The first frost of autumn that a planting meets."""

    day: date
    has_come: bool  #: it is on record; else the day by which it comes in one year of two


@dataclass(frozen=True)
class Clears:
    """From when a place is expected to be free of a planting."""

    day: date | None  #: None for what stays over years
    why: str  #: a key of `WHYS`
    has_come: bool = False  #: of a frost: it is on record

    def words(self, today: date | None = None) -> str:
        """The reason with the day, as one says it today, or before that day."""
        words = WHYS[self.why]
        if today is not None and self.is_by(today):
            words = PAST.get(self.why, words)
        if self.has_come:
            words = FROST_CAME
        return words.format(day=f"{self.day.day} {self.day:%B %Y}" if self.day else "")

    def is_by(self, day: date) -> bool:
        """Whether its place is expected to be free on a day."""
        return self.day is not None and self.day <= day


def good_until(book: HandbookCrop, after: date, *, is_southern: bool = False) -> date | None:
    """Find until when a crop that may stay in the ground is good.

    Parameters
    ----------
    book : HandbookCrop
        The crop, with the half-month until which it is good.
    after : date
        The last day of its window.
    is_southern : bool
        Whether it grows on the southern half, where it is half a year later.

    Returns
    -------
    date or None
        The first such day after the window; None for a crop that has none.

    Notes
    -----
    The handbook's column ``good_until``: before it bolts or sprouts in spring (memory).

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> good_until(handbook()["leek"], date(2026, 11, 16))
    datetime.date(2027, 4, 15)
    """
    if book.good_until is None:
        return None
    month, day = book.good_until
    if is_southern:
        month = (month - 1 + HALF_YEAR) % 12 + 1
    ends = (
        date(year, month, day if day <= MID_MONTH else monthrange(year, month)[1])
        for year in (after.year, after.year + 1)
    )
    return next(end for end in ends if end > after)


def clears_on(
    season: int,
    due: LiftWindow | None,
    book: HandbookCrop | None,
    *,
    finished_on: date | None = None,
    until: date | None = None,
    is_lasting: bool = False,
    frost: Frost | None = None,
    is_southern: bool = False,
) -> Clears:
    """Say when the place of a planting is expected to be free.

    Parameters
    ----------
    season : int
        To which it belongs.
    due : LiftWindow or None
        When its first lift is expected.
    book : HandbookCrop or None
        Its crop.
    finished_on : date, optional
        All was lifted.
    until : date, optional
        So long it stands, by the gardener's word.
    is_lasting : bool
        It stays over years.
    frost : Frost, optional
        The first one it meets; none under glass.
    is_southern : bool
        Whether it grows on the southern half.

    Returns
    -------
    Clears
        The day with its reason, by the first that applies.

    Notes
    -----
    Kilter's own definition (rule): finished; said; over years; until it is wanted (`good_until`);
    ended by frost above ground, if that is earlier than its picking; picked for the weeks that its
    crop is at the table, from its first day; lifted at the end of its window; else the end of its
    season.

    Examples
    --------
    >>> from kilter.core.amounts.vague import VagueDate
    >>> from kilter.core.growing.ready import window
    >>> from kilter.core.handbook import handbook
    >>> set_out = date(2026, 5, 20)
    >>> due = window(VagueDate(set_out), 55, 90, set_out)
    >>> found = clears_on(2026, due, handbook()["tomato"], frost=Frost(date(2026, 9, 20), True))
    >>> found.words(set_out)
    'frost ended it on 20 September 2026'
    """
    if finished_on is not None:
        return Clears(finished_on, FINISHED)
    if until is not None:
        return Clears(until, UNTIL)
    if is_lasting:
        return Clears(None, LASTING)
    if due is None or book is None:
        return Clears(date(season, 12, 31), UNKNOWN)
    if book.is_standing and (good := good_until(book, due.last, is_southern=is_southern)):
        return Clears(good, WANTED)
    ends = picked_until(due, book)
    if book.frost == "tender" and not book.is_from_soil and frost is not None and frost.day < ends:
        return Clears(frost.day, FROST, frost.has_come)
    return Clears(ends, PICKED if book.pick_every_days else LIFTED)


def picked_until(due: LiftWindow, book: HandbookCrop) -> date:
    """Give the last day on which something is lifted, but for the frost.

    Parameters
    ----------
    due : LiftWindow
        When the first lift is expected.
    book : HandbookCrop
        Its crop.

    Returns
    -------
    date
        The end of the window; of what is picked again and again so many weeks from its first day as
        the crop is at the table, if that is later.

    Notes
    -----
    Kilter's own (rule), as the plan has it.

    Examples
    --------
    >>> from kilter.core.amounts.vague import VagueDate
    >>> from kilter.core.growing.ready import window
    >>> from kilter.core.handbook import handbook
    >>> due = window(VagueDate(date(2026, 5, 20)), 55, 90, date(2026, 5, 20))
    >>> picked_until(due, handbook()["tomato"])
    datetime.date(2026, 9, 29)
    """
    if not book.pick_every_days:
        return due.last
    weeks = max(book.weeks_at_table, LEAST_PICKED_WEEKS)
    return max(due.first + timedelta(weeks=weeks), due.last)
