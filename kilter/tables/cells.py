"""One cell of a table: read with a reason where it cannot be,
and written so that it comes back the same.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any

from kilter.core.amounts.units import parse_mass
from kilter.core.errors import KilterError

Parse = Callable[[str], Any]
#: A spreadsheet runs a text that begins so as a formula.
FORMULA = ("=", "+", "-", "@", "\t", "\r")
#: Stands before such a text in a file, and before a text that begins with itself.
GUARD = "'"


class CellError(KilterError):
    """A cell that cannot be read; the message says why."""


@dataclass(frozen=True)
class Mass:
    """A mass with the text it was written as."""

    mg: int
    typed: str


def guarded(text: str) -> str:
    """A text as it stands in a file: no spreadsheet runs it."""
    return GUARD + text if text.startswith((*FORMULA, GUARD)) else text


def unguarded(text: str) -> str:
    """The text again."""
    return text[1:] if text.startswith(GUARD) and text[1:].startswith((*FORMULA, GUARD)) else text


def text(limit: int | None) -> Parse:
    """A text of at most so many characters."""

    def parse(cell: str) -> str:
        if limit is not None and len(cell) > limit:
            raise CellError(f"is longer than {limit} characters")
        if "\x00" in cell:
            raise CellError("holds a character that is not text")
        return cell

    return parse


def number(
    low: float = -math.inf, high: float = math.inf, made: Callable[[Any], Any] = float
) -> Parse:
    """A number between two others; with a point, or a single comma, before its decimals."""

    def parse(cell: str) -> Any:
        try:
            value = made(
                cell.replace(",", ".") if cell.count(",") == 1 and "." not in cell else cell
            )
        except (ValueError, InvalidOperation):
            raise CellError("is not a number") from None
        if not (math.isfinite(value) and low <= value <= high):
            raise CellError(f"is not between {low:g} and {high:g}")
        return value

    return parse


def decimal(low: float, high: float) -> Parse:
    """A number kept with its decimals as they are written."""
    return number(low, high, Decimal)


def whole(low: int, high: int) -> Parse:
    """A whole number; spreadsheets like to write 3 as 3.0."""

    def parse(cell: str) -> int:
        figures, _, decimals = cell.partition(".")
        if (
            not figures.isascii()
            or not figures.isdigit()
            or len(figures) > 19
            or decimals.strip("0")
        ):
            raise CellError("is not a whole number")
        if not low <= int(figures) <= high:
            raise CellError(f"is not between {low} and {high}")
        return int(figures)

    return parse


def day(first: date, last: date) -> Parse:
    """A date as 2026-08-04."""

    def parse(cell: str) -> date:
        try:
            found = date.fromisoformat(cell)
        except ValueError:
            raise CellError("is not a date; write it as 2026-08-04") from None
        if not first <= found <= last:
            raise CellError(f"is not between the years {first.year} and {last.year}")
        return found

    return parse


def mass(cell: str) -> Mass:
    """A mass must carry its unit: read under two default units, it must come out the same."""
    try:
        mg = parse_mass(cell, "g").mass_mg
        if mg != parse_mass(cell, "lb").mass_mg:
            raise CellError("has no unit; write it as 940 g, 0.94 kg or 2 lb 3 oz")
    except CellError:
        raise
    except KilterError as error:
        raise CellError(f"cannot be used: {error}") from error
    return Mass(mg, cell.strip())


def word(*words: str) -> Parse:
    """One of some words, in any case."""

    def parse(cell: str) -> str:
        if cell.lower() in lowered:
            return lowered[cell.lower()]
        raise CellError(f"is none of {', '.join(words)}")

    lowered = {one.lower(): one for one in words}
    return parse


def yes_no(cell: str) -> bool:
    """Written yes or no."""
    if cell.lower() in {"yes", "true", "1"}:
        return True
    if cell.lower() in {"no", "false", "0"}:
        return False
    raise CellError("is neither yes nor no")


def listed(limit: int) -> Parse:
    """Several texts with ; between, none of them twice."""

    def parse(cell: str) -> list[str]:
        found = [piece.strip() for piece in cell.split(";") if piece.strip()]
        if len(set(found)) < len(found) or any(len(one) > limit for one in found):
            raise CellError(f"names a kind twice, or one longer than {limit} characters")
        return found

    return parse


def written(value: Any) -> str:
    """One value as the format writes it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Decimal):
        return f"{value.normalize():f}"
    if isinstance(value, list):
        return "; ".join(value)
    if isinstance(value, float):
        short = f"{value:.15g}"
        return (
            short if float(short) == value else repr(value)
        )  # repr always reads back as the same number
    return str(value)


def grams(mg: int | None) -> str | None:
    """Milligrams with their unit."""
    return None if mg is None else f"{written(Decimal(mg) / 1000)} g"
