"""What the columns of a table say: guessed from their heads, then from what stands in them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.amounts.units import parse_mass
from kilter.core.errors import KilterError
from kilter.core.sheets.cells import DAY_NUMBERS, ORDERS, day_of, number_of, plain_figure
from kilter.core.sheets.kinds import (
    TABLE_KINDS,
    UNIT_IN_HEAD,
    Field,
    TableKind,
    head_words,
    unit_in,
)
from kilter.core.sheets.layout import Sheet, is_value

#: A column is of what at least this share of its cells can be read as (rule).
MOST_OF_IT: Final = 0.7
_LOOKED_AT: Final = 300
#: How well a head tells: it is the word; the word stands in it.
_IS, _HAS = 3.0, 1.5
#: What it takes to go by; a figure under a head that says something else is not taken for a weight.
_LEAST, _LEAST_WITHOUT_HEAD = 1.0, 0.5
_MASSES: Final = ("g", "kg", "lb", "oz")


@dataclass(frozen=True)
class Guess:
    """A kind of table and what its columns say."""

    kind: str
    columns: tuple[str, ...]  #: the field of each column, empty for one that is passed over


def guessed(
    sheet: Sheet, knows: Mapping[str, Callable[[str], bool]], kind: str = "", today: date = date.max
) -> Guess:
    """Guess what a table is of and what each column says.

    Parameters
    ----------
    sheet : Sheet
        As `laid_out` found it.
    knows : mapping of str to callable
        For each sort of name (crop, variety, place, store, grade) whether a cell is one.
    kind : str
        One of `TABLE_KINDS` where it is said; else the one is taken that is served best.
    today : date
        What dates without a year are reckoned from.

    Returns
    -------
    Guess
        No field stands twice.

    Examples
    --------
    >>> from kilter.core.sheets.layout import laid_out
    >>> sheet = laid_out([["Date", "What", "kg"], ["3/5/2026", "pea", "0.4"]])
    >>> guessed(sheet, {"crop": {"pea"}.__contains__}, today=date(2026, 12, 1))
    Guess(kind='lines', columns=('day', 'crop', 'mass'))
    """
    kinds = [TABLE_KINDS[kind]] if kind else list(TABLE_KINDS.values())
    shapes = [_shape(sheet.column(at)[:_LOOKED_AT], knows, today) for at in range(len(sheet.heads))]
    best: tuple[float, Guess] | None = None
    for one in kinds:
        worth, columns = _columns(sheet, one, shapes)
        said = {field for field in columns if field}
        lacking = sum(1 for need in one.needs if not said & set(need))
        worth -= 2.5 * lacking
        if best is None or worth > best[0]:
            best = (worth, Guess(one.key, columns))
    assert best is not None
    return best[1]


def is_head(text: str) -> bool:
    """Tell whether a word is one that heads a column of some kind of table.

    Parameters
    ----------
    text : str
        A cell.

    Returns
    -------
    bool
        Whether a field goes by it.

    Examples
    --------
    >>> is_head("Variety"), is_head("Bed 4")
    (True, False)
    """
    words = head_words(text)
    return any(
        words == one
        for kind in TABLE_KINDS.values()
        for field in kind.fields
        for one in field.heads
    )


@dataclass(frozen=True)
class _Shape:
    """Which share of a column's cells can be read in each way."""

    of: Mapping[str, float]

    def __getitem__(self, key: str) -> float:
        return self.of.get(key, 0.0)


def _shape(cells: Sequence[str], knows: Mapping[str, Callable[[str], bool]], today: date) -> _Shape:
    if not cells:
        return _Shape({})
    tests: dict[str, Callable[[str], bool]] = {
        "day": lambda cell: _is_day(cell, today),
        "weighed": _is_weighed,
        "whole": lambda cell: plain_figure(cell, ".").removesuffix(".0").isdigit(),
        "figure": _is_figure,
        "year": lambda cell: cell.isdigit() and 1980 <= int(cell) <= 2100,
        "long": lambda cell: len(cell) > 25,
        **knows,
    }
    distinct = set(cells)
    holds = {key: {cell for cell in distinct if test(cell)} for key, test in tests.items()}
    return _Shape({key: sum(c in hit for c in cells) / len(cells) for key, hit in holds.items()})


def _is_day(cell: str, today: date) -> bool:
    if cell.isdigit() and int(cell) not in DAY_NUMBERS:
        return False
    for order in ORDERS:
        try:
            day_of(cell, today, order)
        except KilterError:
            continue
        return (
            not cell.replace(".", "").isdigit()
            or ("." in cell and cell.count(".") > 1)
            or (cell.isdigit())
        )
    return False


def _is_weighed(cell: str) -> bool:
    if not is_value(cell) or not any(c.isalpha() for c in cell):
        return False
    try:
        parse_mass(plain_figure(cell, "."))
    except KilterError:
        return False
    return True


def _is_figure(cell: str) -> bool:
    try:
        number_of(cell, ".")
    except KilterError:
        return False
    return is_value(cell)


def _columns(
    sheet: Sheet, kind: TableKind, shapes: Sequence[_Shape]
) -> tuple[float, tuple[str, ...]]:
    """What the columns say if the table is of a kind, and how much of it fits."""
    marks = [
        (worth, -at, field.key)
        for at, head in enumerate(sheet.heads)
        for field in kind.fields
        if (worth := _by_head(head, field) + _by_cells(shapes[at], field))
        >= (_LEAST if head else _LEAST_WITHOUT_HEAD)
    ]
    columns = [""] * len(sheet.heads)
    taken: set[str] = set()
    total = 0.0
    for worth, at, key in sorted(marks, key=lambda mark: (-mark[0], -mark[1])):
        if columns[-at] or key in taken:
            continue
        columns[-at] = key
        taken.add(key)
        total += worth
    return total, tuple(columns)


def _by_head(head: str, field: Field) -> float:
    words = head_words(head)
    if not words:
        return 0.0
    best = 0.0
    for rank, one in enumerate(field.heads):
        if words == one:
            best = max(best, _IS - rank / 100)
        elif f" {one} " in f" {words} " and len(one) > 2:
            best = max(best, _HAS - rank / 100)
    if field.reads == "mass" and unit_in(head, _MASSES):
        best = max(best, _IS - 0.5)
    elif field.reads != "mass" and best and unit_in(head, _MASSES) and words not in field.heads:
        best -= 1.0
    if field.reads == "length" and best and words.split()[-1] in UNIT_IN_HEAD:
        best += 0.5
    return best


#: By which figures a field can be told, and how well; a weight before a count.
_FIGURES: Final = {
    "mass": ("figure", 0.6),
    "count": ("whole", 0.5),
    "figure": ("figure", 0.4),
    "length": ("figure", 0.4),
    "amount": ("figure", 0.3),
}
#: By which shape a field is told, where no head tells.
_TOLD_BY: Final = {"day": "day", "mass": "weighed", "year": "year", "grade": "grade"}


#: What it takes away where the cells are not of this sort; of grades there are words of one's own.
_OTHERWISE: Final = {"grade": -0.5, "day": -2.0, "year": -2.0}


def _by_cells(shape: _Shape, field: Field) -> float:
    """What the cells add: a field of figures is none where words stand, and the other way round."""
    if not shape.of:
        return -1.0
    if field.reads == "name":
        share = shape[field.names]
        if share >= MOST_OF_IT:
            return 2.0 + share / 2
        return -1.5 if shape["day"] > MOST_OF_IT or shape["weighed"] > MOST_OF_IT else share
    told = shape[_TOLD_BY.get(field.reads, "")]
    if told >= MOST_OF_IT:
        return 2.0 * told
    if field.reads in _FIGURES:
        sort, worth = _FIGURES[field.reads]
        return worth if shape[sort] >= MOST_OF_IT and shape["day"] < MOST_OF_IT else -2.0
    if field.reads == "text":
        return 0.6 if field.key == "note" and shape["long"] > 0.3 else 0.0
    return _OTHERWISE[field.reads]
