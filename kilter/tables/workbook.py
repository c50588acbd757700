"""Workbooks that any spreadsheet opens: numbers as numbers, days as days, units in the heads."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Final

import xlsxwriter

from kilter.tables.cells import unguarded

Cell = str | int | float | date | None
MOST_WIDE: Final = 40
#: A text is never run, whatever it begins with.
_PLAIN: Final = {
    "in_memory": True,
    "strings_to_formulas": False,
    "strings_to_urls": False,
    "strings_to_numbers": False,
}


def book_of(sheets: Mapping[str, Iterable[Sequence[Cell]]]) -> bytes:
    """A workbook; the first row of each sheet is its head, which stays in sight."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, _PLAIN)
    bold = book.add_format({"bold": True})
    as_day = book.add_format({"num_format": "yyyy-mm-dd"})
    for name, rows in sheets.items():
        sheet = book.add_worksheet(name)
        widths: dict[int, int] = {}
        for at, row in enumerate(rows):
            for column, cell in enumerate(row):
                if cell is None or cell == "":
                    continue
                widths[column] = max(widths.get(column, 8), len(str(cell)) + 2)
                if at == 0:
                    sheet.write_string(0, column, str(cell), bold)
                elif isinstance(cell, str):
                    sheet.write_string(at, column, cell)
                elif isinstance(cell, date):
                    sheet.write_datetime(at, column, cell, as_day)
                else:
                    sheet.write_number(at, column, cell)
        for column, width in widths.items():
            sheet.set_column(column, column, min(width, MOST_WIDE))
        sheet.freeze_panes(1, 0)
    book.close()
    return out.getvalue()


def book_of_csv(name: str, text: str) -> bytes:
    """The table of a CSV file as a workbook."""
    rows = csv.reader(io.StringIO(text))
    return book_of({name[:31]: [[_cell(cell) for cell in row] for row in rows]})


def _cell(text: str) -> Cell:
    """A number or a day where it is written as one, and else the text."""
    try:
        return date.fromisoformat(text) if len(text) == 10 else float(text)
    except ValueError:
        return unguarded(text)
