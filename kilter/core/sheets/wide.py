"""Wide tables: a column for each crop, place or day, turned into a row for each amount."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.errors import KilterError
from kilter.core.sheets.cells import ORDERS, day_of
from kilter.core.sheets.kinds import TABLE_KINDS, UNIT_IN_HEAD, head_words, unit_in
from kilter.core.sheets.layout import Line, Sheet, is_value

#: So many columns of one sort make a table wide (rule).
LEAST: Final = 2
_COUNTS: Final = TABLE_KINDS["lines"].field("count").heads


@dataclass(frozen=True)
class Wide:
    """In which columns a wide table holds amounts, and of what each is."""

    sort: str  #: crop, variety, place or day
    columns: Mapping[int, tuple[str, str, str]]  #: name, measure (mass, count, amount), unit


def wide_of(
    sheet: Sheet, knows: Mapping[str, Callable[[str], bool]], today: date = date.max
) -> Wide | None:
    """Tell whether a table is wide.

    Parameters
    ----------
    sheet : Sheet
        As `kilter.core.sheets.layout.laid_out` found it.
    knows : mapping of str to callable
        For crop, variety and place whether a text is such a name.
    today : date
        What dates without a year are reckoned from.

    Returns
    -------
    Wide or None
        None where its heads are words for columns.

    Examples
    --------
    >>> from kilter.core.sheets.layout import laid_out
    >>> sheet = laid_out([["Week", "Pea", "Bean"], ["3/5/2026", "1 kg", "40"]])
    >>> found = wide_of(sheet, {"crop": {"Pea", "Bean"}.__contains__})
    >>> found.sort, sorted(found.columns)
    ('crop', [1, 2])
    """
    best: Wide | None = None
    for sort, know in _sorts(knows, today).items():
        columns = {
            at: named
            for at, head in enumerate(sheet.heads)
            if head
            and not _heads_a_field(head)
            and _holds_amounts(sheet, at)
            and (named := _named(head, know))
        }
        if len(columns) >= LEAST and (best is None or len(columns) > len(best.columns)):
            best = Wide(sort, columns)
    return best


def turned(sheet: Sheet, wide: Wide) -> Sheet:
    """Turn a wide table: a row for each amount in it.

    Parameters
    ----------
    sheet : Sheet
        The table.
    wide : Wide
        What `wide_of` told of it.

    Returns
    -------
    Sheet
        The other columns as they are, then the name, weight, pieces and amount. An empty cell makes
        no row; each row keeps the number of the row that it comes from.

    Examples
    --------
    >>> from kilter.core.sheets.layout import laid_out
    >>> sheet = laid_out([["Day", "Pea", "Bean"], ["3/5/2026", "1 kg", "40"]])
    >>> flat = turned(sheet, wide_of(sheet, {"crop": {"Pea", "Bean"}.__contains__}))
    >>> flat.heads, [line.cells for line in flat.lines]
    (('Day', 'crop', 'amount'), [('3/5/2026', 'Pea', '1 kg'), ('3/5/2026', 'Bean', '40')])
    """
    others = [at for at in range(len(sheet.heads)) if at not in wide.columns]
    measures = sorted({measure for _, measure, _ in wide.columns.values()})
    lines = []
    for line in sheet.lines:
        rows: dict[str, dict[str, str]] = {}
        for at, (name, measure, unit) in wide.columns.items():
            if cell := line.cells[at]:
                bare = unit and not any(c.isalpha() for c in cell)
                rows.setdefault(name, {})[measure] = f"{cell} {unit}" if bare else cell
        kept = tuple(line.cells[at] for at in others)
        lines += [
            Line(line.number, (*kept, name, *(row.get(one, "") for one in measures)))
            for name, row in rows.items()
        ]
    letters = tuple(sheet.letters[at] for at in others)
    spread = f"{sheet.letters[min(wide.columns)]}–{sheet.letters[max(wide.columns)]}"
    words = {"mass": "weight", "count": "pieces", "amount": "amount"}
    return Sheet(
        heads=(*(sheet.heads[at] for at in others), wide.sort, *(words[one] for one in measures)),
        letters=(*letters, *((spread,) * (1 + len(measures)))),
        lines=tuple(lines),
        sums=sheet.sums,
        titles=sheet.titles,
    )


def _sorts(
    knows: Mapping[str, Callable[[str], bool]], today: date
) -> Mapping[str, Callable[[str], bool]]:
    sorts = {sort: knows[sort] for sort in ("crop", "variety", "place") if sort in knows}
    return {**sorts, "day": lambda text: _is_day(text, today)}


def _is_day(text: str, today: date) -> bool:
    for order in ORDERS:
        try:
            day_of(text, today, order)
        except KilterError:
            continue
        return True
    return False


def _heads_a_field(head: str) -> bool:
    """Whether a head is a word for a column, with its unit or without."""
    words = head_words(head).split()
    plain = " ".join(words[:-1] if len(words) > 1 and words[-1] in UNIT_IN_HEAD else words)
    return any(plain in field.heads for kind in TABLE_KINDS.values() for field in kind.fields)


def _holds_amounts(sheet: Sheet, at: int) -> bool:
    cells = sheet.column(at)
    return all(is_value(cell) for cell in cells)


def _named(head: str, know: Callable[[str], bool]) -> tuple[str, str, str] | None:
    """The name in a head, and of what the column is: ``Pea (g)``, ``Pea count``."""
    if know(head):
        return head, "amount", ""
    words = head.replace("(", " ").replace(")", " ").replace(",", " ").split()
    for cut in range(len(words) - 1, 0, -1):
        name, rest = " ".join(words[:cut]), " ".join(words[cut:])
        if know(name):
            unit = unit_in(rest, ("g", "kg", "lb", "oz"))
            if unit:
                return name, "mass", unit
            if head_words(rest) in _COUNTS:
                return name, "count", ""
            if head_words(rest) in ("weight", "mass"):
                return name, "mass", ""
    return None
