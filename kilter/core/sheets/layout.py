"""Where in a sheet the table stands: its heads, its rows, and what is no row of it."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Final

from kilter.core.amounts.vague import MONTHS
from kilter.core.errors import RecordError

MOST_ROWS: Final = 20_000
MOST_COLUMNS: Final = 200
#: So many rows from the top are looked at for the heads.
_TOP: Final = 12
_VALUE: Final = re.compile(
    rf"[-+€$£~c]?\s*\d.*|(?:{'|'.join(m[:3].lower() for m in MONTHS)})[a-z]*\.? \d.*",
    re.IGNORECASE,
)
_SUM: Final = re.compile(r"(?:grand |sub)?-?\s*(?:total|sum)s?\b.*|all together", re.IGNORECASE)
#: What a spreadsheet shows where a formula came to nothing.
BROKEN: Final = re.compile(r"#(?:REF|N/A|NAME|VALUE|DIV/0|NUM|NULL)[!?]?.*", re.IGNORECASE)


@dataclass(frozen=True)
class Line:
    """One row of a table."""

    number: int  #: where it stands in the file, from 1
    cells: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """A table: heads, and rows of as many cells."""

    heads: tuple[str, ...]  #: empty for a column without a head
    letters: tuple[str, ...]  #: what a spreadsheet calls the column: A, B … AA
    lines: tuple[Line, ...]
    sums: tuple[int, ...] = ()  #: numbers of rows left out because they are sums
    titles: tuple[str, ...] = ()  #: what stands above the heads
    notes: tuple[str, ...] = field(default=())  #: what was done to it, in sentences

    def column(self, at: int) -> list[str]:
        """All cells of a column that hold something."""
        return [line.cells[at] for line in self.lines if line.cells[at]]


def laid_out(
    raw: Sequence[Sequence[str]], is_head: Callable[[str], bool] = lambda _: True
) -> Sheet:
    """Find the table in a sheet.

    Parameters
    ----------
    raw : sequence of sequences of str
        The rows of the file, of any lengths; an empty cell is an empty text.
    is_head : callable
        Whether a word is one that heads a column; asked where a table holds words alone.

    Returns
    -------
    Sheet
        Without empty rows and columns. Heads in two rows, the upper one merged over several
        columns, are put together; titles above and sums at the foot are told apart.

    Raises
    ------
    RecordError
        Nothing in it, or more than `MOST_ROWS` rows or `MOST_COLUMNS` columns.

    Examples
    --------
    >>> found = laid_out([["My harvest"], [], ["Day", "Crop"], ["3 May", "pea"], ["Total", ""]])
    >>> found.heads, found.lines, found.sums, found.titles
    (('Day', 'Crop'), (Line(number=4, cells=('3 May', 'pea')),), (5,), ('My harvest',))
    """
    rows = [
        Line(number, tuple(" ".join(cell.split()) for cell in row))
        for number, row in enumerate(raw, 1)
        if any(cell.strip() for cell in row)
    ]
    if not rows:
        raise RecordError("There is nothing in it. Copy the table with its heads, and paste it.")
    if len(rows) > MOST_ROWS + _TOP:
        raise RecordError(f"It has {len(rows):,} rows; bring {MOST_ROWS:,} at a time.")
    width = max(len(row.cells) for row in rows)
    rows = [Line(row.number, row.cells + ("",) * (width - len(row.cells))) for row in rows]
    kept = [at for at in range(width) if any(row.cells[at] for row in rows)]
    if len(kept) > MOST_COLUMNS:
        raise RecordError(f"It has {len(kept)} columns; bring {MOST_COLUMNS} at a time.")
    rows = [Line(row.number, tuple(row.cells[at] for at in kept)) for row in rows]
    titles, heads, rows = _headed(rows, is_head)
    body = [row for row in rows if not _is_sum(row)]
    if not body:
        raise RecordError("There are heads and no rows under them. Copy the rows too.")
    return Sheet(
        heads=heads,
        letters=tuple(letter_of(at) for at in kept),
        lines=tuple(body),
        sums=tuple(row.number for row in rows if _is_sum(row)),
        titles=titles,
    )


def letter_of(at: int) -> str:
    """Call a column as a spreadsheet does.

    Parameters
    ----------
    at : int
        From 0.

    Returns
    -------
    str
        ``A`` to ``Z``, ``AA`` …

    Examples
    --------
    >>> letter_of(0), letter_of(25), letter_of(26), letter_of(701), letter_of(702)
    ('A', 'Z', 'AA', 'ZZ', 'AAA')
    """
    letters = ""
    at += 1
    while at:
        at, left = divmod(at - 1, 26)
        letters = chr(65 + left) + letters
    return letters


def is_value(cell: str) -> bool:
    """Tell a figure or a day from a word.

    Parameters
    ----------
    cell : str
        Not empty.

    Returns
    -------
    bool
        Whether it begins as a figure, a day or a sum of money does.

    Examples
    --------
    >>> [is_value(cell) for cell in ("12 g", "May 3", "2026-05-14", "Bed 4", "Crop")]
    [True, True, True, False, False]
    """
    return _VALUE.fullmatch(cell) is not None


def _headed(
    rows: list[Line], is_head: Callable[[str], bool]
) -> tuple[tuple[str, ...], tuple[str, ...], list[Line]]:
    """The titles, the heads, and the rows below them."""
    width = len(rows[0].cells)
    first = next(
        (i for i, row in enumerate(rows[:_TOP]) if any(is_value(c) for c in row.cells if c)),
        None,
    )
    if first is None:  # words alone: the first row of full width may be the head
        full = max(map(_filled, rows))
        first = next(i for i, row in enumerate(rows) if _filled(row) == full)
        first += any(is_head(cell) for cell in rows[first].cells)
    if _may_be_wide(rows, first):
        first += 1
    above = rows[:first]
    titles = tuple(next(filter(None, r.cells)) for r in above if _filled(r) == 1 and width > 1)
    heads = [row for row in above if _filled(row) > 1 or width == 1]
    if not heads:
        return titles, ("",) * width, rows[first:]
    return titles, _joined(heads[-2:]), rows[first:]


def _may_be_wide(rows: list[Line], first: int) -> bool:
    """Whether the first row with figures is itself a head: a day or a year over each column."""
    if first > 1 or first + 1 >= len(rows):
        return False
    top = rows[first].cells
    filled = [cell for cell in top[1:] if cell]
    return (
        len(filled) > 1
        and not is_value(top[0] or "-")
        and all(is_value(c) for c in filled)
        and (
            all(re.search(r"[/.-]|[a-z]|^(?:19|20)\d\d$", cell, re.IGNORECASE) for cell in filled)
            and all(
                len(row.cells[0]) and not is_value(row.cells[0]) for row in rows[first + 1 : _TOP]
            )
            and not any(
                re.search(r"[/-]|[a-z]{3}", c, re.IGNORECASE) for c in rows[first + 1].cells[1:]
            )
        )
    )


def _joined(heads: list[Line]) -> tuple[str, ...]:
    """Heads in two rows as one; the upper goes on over the columns to its right."""
    if len(heads) == 1:
        return heads[0].cells
    above, said = [], ""
    for cell, below in zip(heads[0].cells, heads[1].cells, strict=True):
        said = cell or (said if below else "")
        above.append(said)
    return tuple(" ".join(filter(None, pair)) for pair in zip(above, heads[1].cells, strict=True))


def _filled(row: Line) -> int:
    """Cells that say something of their own: a title merged over the table is one."""
    filled = [cell for cell in row.cells if cell]
    return len(filled) if len(set(filled)) > 1 else len(set(filled))


def _is_sum(row: Line) -> bool:
    filled = [cell for cell in row.cells if cell]
    return _SUM.fullmatch(filled[0]) is not None and (len(filled) == 1 or is_value(filled[-1]))
