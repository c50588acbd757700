"""Each row of a table as it would be written: read as the bench reads a line, with what is wrong
with it and what is asked about it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import Any, Final

from kilter.core.amounts.units import parse_bench_line
from kilter.core.amounts.vague import FIRST_YEAR, LAST_YEAR, VagueDate
from kilter.core.errors import KilterError, QuantityError
from kilter.core.sheets import cells
from kilter.core.sheets.guess import guessed, is_head
from kilter.core.sheets.kinds import METRES, TABLE_KINDS, Field, TableKind, unit_in
from kilter.core.sheets.layout import BROKEN, Line, Sheet, laid_out
from kilter.core.sheets.wide import turned, wide_of
from kilter.exchange.bring.asked import Asking, Question
from kilter.exchange.bring.known import Known
from kilter.exchange.bring.names import crop_said, spot_said, store_said, variety_said
from kilter.exchange.bring.rows import ReadRow
from kilter.tables.brought import Rows

_MASSES: Final = ("g", "kg", "lb", "oz")


@dataclass(frozen=True, kw_only=True)
class Manner:
    """How a table is to be read; what is empty is guessed. Kept as JSON under its heads."""

    sheet: str = ""
    kind: str = ""
    columns: tuple[str, ...] | None = None
    order: str = ""
    decimal: str = ""
    unit: str = ""
    shape: str = ""  #: long, or wide
    carries: bool = False  #: an empty day or name is as in the row above
    answers: Mapping[str, str] = field(default_factory=dict)


@dataclass(kw_only=True)
class Reading:
    """A table read: its columns, its rows, what is asked and what was decided by itself."""

    table: Sheet
    kind: TableKind
    manner: Manner  #: as it was read, with what was guessed
    rows: list[ReadRow]
    questions: list[Question]
    notes: list[str]
    sheets: tuple[str, ...]
    lacks: tuple[str, ...] = ()  #: fields that a table of this kind must have

    @cached_property
    def counts(self) -> Counter[str]:
        return Counter(row.state for row in self.rows)

    @property
    def ready(self) -> list[ReadRow]:
        return [row for row in self.rows if row.state == "ready"]

    @property
    def open_questions(self) -> list[Question]:
        return [question for question in self.questions if question.is_open]


def read(
    sheets: Mapping[str, Rows],
    manner: Manner,
    known: Known,
    finish: Mapping[str, Callable[[list[ReadRow], Known, Asking], None]],
) -> Reading:
    """Read a table; ``finish`` holds for each kind what only whole rows can tell."""
    name = manner.sheet if manner.sheet in sheets else next(iter(sheets))
    table = laid_out(sheets[name], is_head)
    notes: list[str] = []
    tests = known.tests()
    wide = None if manner.shape == "long" else wide_of(table, tests, known.today)
    if wide is not None and manner.kind in ("", "lines"):
        table = turned(table, wide)
        manner = replace(manner, kind="lines")
        notes.append(f"A column for each {wide.sort}: each amount in it is a row.")
    guess = guessed(table, tests, manner.kind, known.today)
    columns = guess.columns
    if manner.columns is not None and len(manner.columns) == len(table.heads):
        columns = manner.columns
    kind = TABLE_KINDS[guess.kind]
    columns = tuple(one if one in {f.key for f in kind.fields} else "" for one in columns)
    reader = _Reader(table, kind, columns, manner, known, notes)
    rows = [row for line in table.lines if (row := reader.row(line)) is not None]
    finish[kind.key](rows, known, reader.asking)
    if table.sums:
        notes.append(f"Left out as sums: {_rows_said(table.sums)}.")
    return Reading(
        table=table,
        kind=kind,
        manner=replace(
            manner,
            sheet=name,
            kind=kind.key,
            columns=columns,
            order=reader.order,
            decimal=reader.decimal,
            unit=reader.unit,
            shape="wide" if wide else "long",
        ),
        rows=rows,
        questions=list(reader.asking.questions.values()),
        notes=notes,
        sheets=tuple(sheets),
        lacks=tuple(
            " or ".join(kind.field(key).words for key in need)
            for need in kind.needs
            if not set(need) & set(columns)
        ),
    )


def _rows_said(numbers: tuple[int, ...]) -> str:
    shown = ", ".join(str(number) for number in numbers[:5])
    return f"row{'s' * (len(numbers) > 1)} {shown}{' …' if len(numbers) > 5 else ''}"


class _Reader:
    """Reads the cells of a table by what its columns say."""

    def __init__(
        self,
        table: Sheet,
        kind: TableKind,
        columns: tuple[str, ...],
        manner: Manner,
        known: Known,
        notes: list[str],
    ) -> None:
        self.table, self.kind, self.known = table, kind, known
        self.fields = [(at, kind.field(key)) for at, key in enumerate(columns) if key]
        self.asking = Asking(manner.answers)
        self.carries = manner.carries
        self.order = manner.order or self._order(notes)
        self.decimal = manner.decimal or self._decimal(notes)
        self.unit = manner.unit or known.unit
        self._above: dict[str, str] = {}
        named = {one.key for _, one in self.fields if one.reads == "name"}
        self._names = [(name, said) for name, said in _NAMES.items() if name in named]
        self._units = {at: unit_in(table.heads[at], (*_MASSES, *METRES)) for at, _ in self.fields}
        # A table says the same days, amounts and names over and over.
        self._day = lru_cache(maxsize=None)(self._read_day)
        self._mass, self._count = (
            lru_cache(maxsize=None)(f) for f in (cells.mass_of, cells.count_of)
        )
        self._grade = lru_cache(maxsize=None)(known.grades.find)

    def _cells_of(self, *reads: str) -> list[str]:
        return [
            cell
            for at, field_ in self.fields
            if field_.reads in reads
            for cell in self.table.column(at)
        ]

    def _order(self, notes: list[str]) -> str:
        found = cells.order_of(self._cells_of("day"))
        if len(found) == 1:
            (order,) = found
            if order != self.known.order:
                said = "month first" if order == "mdy" else "day first"
                notes.append(f"Dates are read {said}, as some can be read no other way.")
            return order
        if found:
            notes.append(
                "The dates are written in two orders, day first and month first. Those that cannot "
                "be read are named; choose the order, or put them right in your file."
            )
        return self.known.order

    def _decimal(self, notes: list[str]) -> str:
        found = cells.decimal_of(self._cells_of("mass", "amount", "figure", "length"))
        if len(found) == 1:
            return next(iter(found))
        if found:
            notes.append("Decimals are written with a comma and with a point: look at the weights.")
        return "."

    def row(self, line: Line) -> ReadRow | None:
        """One row, its cells read; None where nothing stands in its columns."""
        if not any(line.cells[at] for at, _ in self.fields) and self.fields:
            return None
        row = ReadRow(line=line)
        for at, one in self.fields:
            cell = line.cells[at]
            if self.carries and one.reads in ("day", "name"):
                cell = cell or self._above.get(one.key, "")
                self._above[one.key] = cell
            if not cell or cell in ("-", "–", "—"):
                continue
            try:
                if BROKEN.fullmatch(cell):
                    raise QuantityError(f"“{cell}” is a formula that came to nothing.", typed=cell)
                self._read(row, at, one, cell)
            except KilterError as error:
                if not row.problem:
                    row.problem, row.column = str(error), at
        for name, said in self._names:
            if name in row.said and not row.problem:
                said(row, self.known, self.asking)
        return row

    def _read(self, row: ReadRow, at: int, one: Field, cell: str) -> None:
        said = row.said
        if one.reads == "day":
            said[one.key] = self._day(cell)
        elif one.reads == "mass":
            unit = self._units[at] if self._units[at] in _MASSES else self.unit
            said["mass"] = self._mass(cell, unit, self.decimal)
        elif one.reads == "amount":
            self._read_amount(said, cells.plain_figure(cell, self.decimal))
        elif one.reads == "count":
            said[one.key] = self._count(cell, self.decimal)
        elif one.reads == "figure":
            said[one.key] = cells.number_of(cell, self.decimal)
            if said[one.key] < 0:
                raise QuantityError(f"“{cell}” is below zero.", typed=cell)
        elif one.reads == "length":
            said[one.key] = self._length(at, one, cell)
        elif one.reads == "year":
            said[one.key] = _year(cell)
        elif one.reads == "grade":
            self._read_grade(said, cell)
        else:
            said[one.key] = cell[:200] if one.reads == "text" else cell

    def _read_day(self, cell: str) -> VagueDate:
        return cells.day_of(cell, self.known.today, self.order)

    def _read_amount(self, said: dict[str, Any], cell: str) -> None:
        found = parse_bench_line(cell.replace(";", " ").replace(",", " "), self.unit)
        if found.mass:
            said["mass"] = found.mass
        if found.count is not None:
            said["count"] = found.count

    def _read_grade(self, said: dict[str, Any], cell: str) -> None:
        found = self._grade(cell)
        if found is None:
            words = ", ".join(dict.fromkeys(name for name in self.known.grades.known))
            raise QuantityError(f"“{cell}” is no grade. Write one of: {words}.", typed=cell)
        said["grade"], said["size"] = found

    def _length(self, at: int, one: Field, cell: str) -> float:
        """Metres; bare distances of plants are centimetres where they can be nothing else."""
        value = cells.number_of(cell, self.decimal)
        word = cell.lstrip("0123456789., \u00a0\u202f'’").rstrip(". ").lower()
        unit = unit_in(word, tuple(METRES)) if word else self._units[at]
        if word and not unit:
            raise QuantityError(f"“{cell}” has a unit that is not known; write m or cm.")
        if not unit:
            unit = "cm" if one.key in ("in_row", "row_gap") and value > 2 else "m"
        metres = value * METRES[unit]
        if not 0 < metres <= 1000:
            raise QuantityError(f"“{cell}” is no length in a garden.", typed=cell)
        return round(metres, 4)


def _year(cell: str) -> int:
    digits = re.search(r"\d{4}", cell)
    year = int(digits[0]) if digits else 0
    if not FIRST_YEAR <= year <= LAST_YEAR:
        raise QuantityError(f"“{cell}” is no year; write 2026.", typed=cell)
    return year


_NAMES: Final[Mapping[str, Callable[[Any, Known, Asking], None]]] = {
    "crop": crop_said,
    "variety": variety_said,
    "place": spot_said,
    "store": store_said,
}
