"""The harvest of a planting: its lines summed once, whole, by year, by day, or up to a day."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields
from datetime import date

from kilter.core.trade.grades import is_size
from kilter.core.yields.visits import FIRST


@dataclass(frozen=True, kw_only=True)
class GradeTotal:
    """Lines of one grade, summed."""

    lines: int = 0
    mass_mg: int = 0  #: sum of those weighed
    count: int = 0  #: sum of those counted
    unweighed: int = 0  #: lines that were not weighed
    uncounted: int = 0  #: lines without a count
    vague_mg2: float = 0.0  #: variance of what was only remembered
    estimated: int = 0  #: of the lines not weighed, those whose mass can be reckoned
    estimated_mg: float = 0.0  #: what they come to
    estimated_mg2: float = 0.0  #: and its variance

    @property
    def known_mg(self) -> int | None:
        """What was weighed, milligrams; None where nothing was."""
        return self.mass_mg if self.lines > self.unweighed else None

    @property
    def known_count(self) -> int | None:
        """What was counted; None where nothing was."""
        return self.count if self.lines > self.uncounted else None

    @property
    def likely_mg(self) -> float | None:
        """What was weighed with what was reckoned from counts, milligrams;
        None where neither is known.
        """
        return (
            self.mass_mg + self.estimated_mg
            if self.estimated or self.known_mg is not None
            else None
        )

    @property
    def is_part_weighed(self) -> bool:
        """Whether some of its lines have neither a weight nor a reckoned one."""
        return self.unweighed > self.estimated

    def plus(self, other: GradeTotal) -> GradeTotal:
        """Both together."""
        return GradeTotal(
            **{one.name: getattr(self, one.name) + getattr(other, one.name) for one in fields(self)}
        )


@dataclass(frozen=True)
class Lift:
    """Lines of one grade lifted on one day, or over all days where no day is asked for."""

    day: date | None
    grade: str
    total: GradeTotal
    plants: int = 0  #: of its visit, where that was said; all grades of a visit say the same
    is_apart: bool = (
        False  #: thinnings, and what came off the shelf: no lifting of the planting itself
    )
    visit: int = FIRST  #: which going there of that day


@dataclass(frozen=True)
class BasketLine:
    """A line that is one planting's part of a weight shared out over several."""

    basket: str
    grade: str
    mass_mg: int
    count: int
    parts: int  #: plantings that it was shared out over
    size: str = ""  #: by `size_key`, where it was graded by size too


@dataclass(frozen=True)
class BasketPart:
    """What of a planting's amount came out of one basket."""

    basket: str
    share: float  #: of the whole amount, from 0 to 1
    parts: int  #: plantings that the basket was shared out over


@dataclass(frozen=True)
class Harvest:
    """What came of a planting."""

    grades: Mapping[str, GradeTotal]
    plants_lifted: int | None  #: None unless every visit says from how many plants
    first: (
        date | None
    )  #: day of lifting; None where the days were not asked for, or nothing was lifted
    last: date | None
    sizes: Mapping[str, GradeTotal]  #: by `size_key`; parts of the grades, not beside them

    @property
    def likely_mg(self) -> float:
        """All that came out, milligrams, with what was reckoned from counts."""
        return sum(total.likely_mg or 0.0 for total in self.grades.values())


def harvest(lifts: Iterable[Lift], until: date | None = None) -> Harvest:
    """Sum a planting's lifts.

    Parameters
    ----------
    lifts : iterable of Lift
        All that stand, in any order.
    until : date, optional
        The last day that counts; lifts without a day always count.

    Returns
    -------
    Harvest
        By grade in the order they came; plants lifted, and the first and last day of lifting.

    Notes
    -----
    Exact sums. All lines of a visit share the plants said at it (`visits`), so the number lifted is
    known where each visit says it (rule). Thinnings and what came off the
    ripening shelf are food, but no lifting.

    Examples
    --------
    >>> two = Lift(
    ...     date(2026, 7, 1), "table", GradeTotal(lines=1, mass_mg=1_900_000, count=11), plants=2
    ... )
    >>> found = harvest(
    ...     [two, Lift(date(2026, 7, 1), "small", GradeTotal(lines=1, mass_mg=100_000), plants=2)]
    ... )
    >>> found.grades["table"].mass_mg, found.plants_lifted
    (1900000, 2)
    """
    grades: dict[str, GradeTotal] = {}
    sizes: dict[str, GradeTotal] = {}
    by_visit: dict[tuple[date | None, int], int] = {}
    for lift in lifts:
        if until is not None and lift.day is not None and lift.day > until:
            continue
        totals = sizes if is_size(lift.grade) else grades
        known = totals.get(lift.grade)
        totals[lift.grade] = lift.total if known is None else known.plus(lift.total)
        if totals is grades and not lift.is_apart and lift.total.lines:
            visit = lift.day, lift.visit
            by_visit[visit] = max(by_visit.get(visit, 0), lift.plants)
    days = [day for day, _ in by_visit if day is not None]
    plants = sum(by_visit.values()) if by_visit and all(by_visit.values()) else None
    return Harvest(grades, plants, min(days, default=None), max(days, default=None), sizes)


def of_year(lifts: Iterable[Lift], year: int) -> tuple[Lift, ...]:
    """Keep the lifts of one calendar year.

    Parameters
    ----------
    lifts : iterable of Lift
        Each with its day; one without is in no year.
    year : int
        Such as 2026.

    Returns
    -------
    tuple of Lift
        In the order given.

    Notes
    -----
    A planting that stays over years is one unit for each calendar year (rule).

    Examples
    --------
    >>> len(of_year([Lift(date(2025, 7, 1), "table", GradeTotal(lines=1, mass_mg=5))], 2026))
    0
    """
    return tuple(lift for lift in lifts if lift.day is not None and lift.day.year == year)


def by_day(lifts: Iterable[Lift]) -> tuple[tuple[date, dict[str, GradeTotal]], ...]:
    """Sum the lifts of each day by grade.

    Parameters
    ----------
    lifts : iterable of Lift
        Each with its day; those without are passed over.

    Returns
    -------
    tuple of (date, dict of str to GradeTotal)
        Rising by day; grades that only changed (as Unripe that turned) are not named.

    Notes
    -----
    Exact sums.

    Examples
    --------
    >>> by_day([Lift(date(2026, 7, 1), "table", GradeTotal(lines=1, mass_mg=5))])[0][1][
    ...     "table"
    ... ].mass_mg
    5
    """
    days: dict[date, list[Lift]] = {}
    for lift in lifts:
        if lift.day is not None:
            days.setdefault(lift.day, []).append(lift)
    summed = ((day, harvest(days[day]).grades) for day in sorted(days))
    named = (
        (day, {grade: total for grade, total in grades.items() if total.lines})
        for day, grades in summed
    )
    return tuple((day, grades) for day, grades in named if grades)
