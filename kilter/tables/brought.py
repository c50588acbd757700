"""Files and pasted text that somebody brings, as rows of text: CSV, TSV, ODS, XLSX."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Iterable, Sequence
from datetime import date, datetime, time, timedelta
from typing import Final

from python_calamine import CalamineError, CalamineWorkbook

from kilter.core.errors import RecordError
from kilter.core.sheets.layout import MOST_ROWS

Rows = list[list[str]]
#: A workbook unpacks to no more than this.
MOST_UNPACKED: Final = 200 * 2**20
_MARKS: Final = ",;\t|"
_TEXTS: Final = (
    (b"\xef\xbb\xbf", "utf-8-sig"),
    (b"\xff\xfe", "utf-16"),
    (b"\xfe\xff", "utf-16"),
)
#: How a workbook begins: a zip, or the older kind in one stream.
_BOOKS: Final = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")


def sheets_in(data: bytes) -> dict[str, Rows]:
    """The sheets of a workbook by their names, or one without a name of a text.

    Empty sheets are left out. Dates are written 2026-05-14, whole numbers without decimals, the
    value of a merged cell stands in each cell that it covers.

    Raises
    ------
    RecordError
        What the file is, and what would be right.
    """
    return _workbook(data) if data.startswith(_BOOKS) else {"": rows_of_text(_decoded(data))}


def rows_of_text(text: str) -> Rows:
    """The rows of a text with marks between the cells, as pasted from a spreadsheet."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").strip("\n")
    mark = ""
    first, _, rest = text.partition("\n")
    if first.lower().startswith("sep=") and len(first) == 5:  # how some spreadsheets say the mark
        mark, text = first[4], rest
    mark = mark or _mark_of(text)
    try:
        reader = csv.reader(io.StringIO(text), delimiter=mark, skipinitialspace=mark != "\t")
        return [row for row, _ in zip(reader, range(10 * MOST_ROWS), strict=False)]
    except csv.Error as error:
        raise RecordError(
            "The text cannot be parted into cells: a quotation mark that is opened is not closed."
        ) from error


def _decoded(data: bytes) -> str:
    for start, encoding in _TEXTS:
        if data.startswith(start):
            return data.decode(encoding, errors="replace")
    if b"\x00" in data[:4000]:
        raise RecordError(
            "That is no table. Bring a CSV, TSV, ODS or XLSX file, or paste the cells."
        )
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _mark_of(text: str) -> str:
    """The mark between cells: a tab where there is any, else what the sniffer finds, else the one
    that parts the most lines alike.
    """
    lines = [line for line in text.split("\n")[:60] if line.strip()]
    if any("\t" in line for line in lines):
        return "\t"
    counts = {mark: [line.count(mark) for line in lines] for mark in _MARKS}
    alike = {
        mark: sum(1 for n in found if n and n == max(set(found), key=found.count))
        for mark, found in counts.items()
    }
    best = max(_MARKS, key=lambda mark: (alike[mark], mark == ";"))
    if alike[best] * 2 > len(lines):
        return best
    try:
        return csv.Sniffer().sniff("\n".join(lines), _MARKS).delimiter
    except csv.Error:
        return best


def _workbook(data: bytes) -> dict[str, Rows]:
    if data.startswith(b"PK"):
        _check_unpacked(data)
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        found = {}
        for name in book.sheet_names:
            sheet = book.get_sheet_by_name(name)
            rows = [
                [_text(cell) for cell in row]
                for row in sheet.to_python(skip_empty_area=False, nrows=10 * MOST_ROWS)
            ]
            for (top, left), (bottom, right) in sheet.merged_cell_ranges or ():
                _fill(rows, range(top, bottom + 1), range(left, right + 1))
            if any(cell for row in rows for cell in row):
                found[name] = rows
    except (CalamineError, OSError, ValueError, zipfile.BadZipFile) as error:
        raise RecordError(
            "The workbook cannot be opened: it may be broken or locked with a password. Save it "
            "once more as XLSX or ODS, or save the sheet as CSV."
        ) from error
    if not found:
        raise RecordError("There is nothing in it. Choose the workbook with the table in it.")
    return found


def _check_unpacked(data: bytes) -> None:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            size = sum(one.file_size for one in packed.infolist())
            names = set(packed.namelist())
    except zipfile.BadZipFile as error:
        raise RecordError("The file is broken. Save it once more as XLSX or ODS.") from error
    if size > MOST_UNPACKED:
        raise RecordError("The workbook is too large. Save the one sheet with the table as CSV.")
    if not names & {"[Content_Types].xml", "mimetype"}:
        raise RecordError(
            "That is no workbook. A garden taken out of Kilter goes in under “Bring a garden in”."
        )


def _fill(rows: Rows, down: Iterable[int], across: Sequence[int]) -> None:
    lines = [rows[i] for i in down if i < len(rows)]
    if not lines or not across or across[0] >= len(lines[0]):
        return
    value = lines[0][across[0]]
    for line in lines:
        for at in across:
            if at < len(line):
                line[at] = value


def _text(cell: object) -> str:
    if isinstance(cell, datetime):
        return cell.date().isoformat()
    if isinstance(cell, date):
        return cell.isoformat()
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return str(int(cell)) if cell == int(cell) and abs(cell) < 1e15 else f"{cell:.12g}"
    if isinstance(cell, time | timedelta):
        return str(cell)
    return str(cell)
