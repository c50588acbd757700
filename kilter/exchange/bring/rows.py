"""A row of a table that is brought: what it says, and what becomes of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from typing import Any

from kilter.core.amounts.vague import VagueDate
from kilter.core.sheets.layout import Line
from kilter.exchange.bring.asked import OUT, Question


@dataclass(kw_only=True)
class ReadRow:
    """One row: what it says, and what becomes of it."""

    line: Line
    said: dict[str, Any] = field(default_factory=dict)
    problem: str = ""
    column: int | None = None  #: where the problem stands
    asks: list[Question] = field(default_factory=list)
    is_known: bool = False  #: it is on record already
    is_out: bool = False  #: the gardener leaves it out

    @property
    def state(self) -> str:
        if self.is_out:
            return "out"
        if self.problem:
            return "problem"
        if any(question.is_open for question in self.asks):
            return "asked"
        return "known" if self.is_known else "ready"


def season_of_row(row: ReadRow) -> int | None:
    """The season that a row says, else the year of its day."""
    said: int | None = row.said.get("season")
    day: VagueDate | None = row.said.get("day")
    return said or (day.day.year if day else None)


def leave_out(row: ReadRow, question: Question) -> bool:
    """Whether the answer to a question leaves the row out."""
    row.asks.append(question)
    row.is_out = row.is_out or question.taken == OUT
    return row.is_out


def is_ahead(row: ReadRow, today: date) -> bool:
    """Whether a row is of a day that has not come yet; then it says so."""
    day: VagueDate | None = row.said.get("day")
    if day is not None and day.earliest > today and not row.problem:
        row.problem = f"{day} has not come yet; look at the order of day and month, and the year."
    return bool(row.problem)
