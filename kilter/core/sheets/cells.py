"""Cells of a table that somebody brings, read by what the whole column shows."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date, timedelta
from typing import Final

from kilter.core.amounts.units import ParsedMass, parse_mass
from kilter.core.amounts.vague import VagueDate, parse_date
from kilter.core.errors import QuantityError, VagueDateError

#: Day 0 of the day numbers that spreadsheets keep dates as; the day that never was, 29 February
#: 1900, lies before every number read here. Common practice, no source.
DAY_ZERO: Final = date(1899, 12, 30)
#: Numbers that are read as days: from 1954 to 2119.
DAY_NUMBERS: Final = range(20_000, 80_000)
_STROKES: Final = re.compile(r"(\d{1,2}) ?[/.-] ?(\d{1,2}) ?[/.-] ?(\d{4}|\d{2})(?: .*)?")
_ISO: Final = re.compile(r"(\d{4}-\d{1,2}-\d{1,2})[T ]\d{1,2}:.*")
#: What may stand between the figures of a number; one at a time, so that nothing is tried twice.
_FIGURES: Final = re.compile(r"[-+]?[.,]?\d(?:[., \u00a0\u202f'’]?\d)*")
_WITH_UNIT: Final = re.compile(rf"({_FIGURES.pattern})[ \u00a0]?(?:[a-zA-Z]+)?\.?")
#: The order of day and month, and the sign of decimals, as a reading says them.
ORDERS: Final = ("dmy", "mdy")
DECIMALS: Final = (".", ",")


def order_of(cells: Iterable[str]) -> frozenset[str]:
    """Tell in which order a column writes day and month.

    Parameters
    ----------
    cells : iterable of str
        The cells of a column of dates.

    Returns
    -------
    frozenset of str
        The orders that at least one cell can only be read in: empty where nothing tells, both where
        the column mixes two.

    Examples
    --------
    >>> sorted(order_of(["3/4/2026", "13/4/2026"])), sorted(order_of(["3/4/2026"]))
    (['dmy'], [])
    >>> sorted(order_of(["13/4/2026", "4/13/2026"]))
    ['dmy', 'mdy']
    """
    found = set()
    for cell in cells:
        if match := _STROKES.fullmatch(cell.strip()):
            first, second = int(match[1]), int(match[2])
            if first > 12 >= second:
                found.add("dmy")
            elif second > 12 >= first:
                found.add("mdy")
    return frozenset(found)


def day_of(cell: str, today: date, order: str) -> VagueDate:
    """Read a day: as people write it, in figures in the order of the column, or as a day number.

    Parameters
    ----------
    cell : str
        ``14/5/2026``, ``2026-05-14 08:30``, ``14 May``, ``46156`` …
    today : date
        What a date without a year is reckoned from.
    order : str
        One of `ORDERS`; figures are never turned round to fit.

    Returns
    -------
    VagueDate
        The day, and how exact it is.

    Raises
    ------
    VagueDateError
        No date, or one that cannot be in this order.

    Examples
    --------
    >>> (
    ...     str(day_of("5/14/2026", date(2026, 12, 1), "mdy")),
    ...     str(day_of("46156", date(2026, 12, 1), "dmy")),
    ... )
    ('14 May 2026', '14 May 2026')
    """
    text = cell.strip()
    if text.isascii() and text.isdigit() and int(text) in DAY_NUMBERS:
        return VagueDate(DAY_ZERO + timedelta(days=int(text)))
    if match := _STROKES.fullmatch(text):
        first, second, year = int(match[1]), int(match[2]), match[3]
        day, month = (first, second) if order == "dmy" else (second, first)
        if month > 12 >= day:
            said = "day first" if order == "dmy" else "month first"
            raise VagueDateError(
                f"“{text}” cannot be read {said}, as the rest of the column is. Write 14 May 2026.",
                typed=text,
            )
        text = f"{day}.{month}.{year}"
    elif match := _ISO.fullmatch(text):
        text = match[1]
    return parse_date(text, today, order)


def decimal_of(cells: Iterable[str]) -> frozenset[str]:
    """Tell which sign a column puts before decimals.

    Parameters
    ----------
    cells : iterable of str
        The cells of a column of figures, with units or without.

    Returns
    -------
    frozenset of str
        The signs that at least one cell can only be read with: empty where nothing tells.

    Examples
    --------
    >>> decimal_of(["1,5", "0,250"]), decimal_of(["1,234"]), decimal_of(["1,234.5", "2"])
    (frozenset({','}), frozenset(), frozenset({'.'}))
    """
    found = set()
    for cell in cells:
        match = _WITH_UNIT.fullmatch(cell.strip())
        figure = match[1] if match else ""
        for sign, other in ((",", "."), (".", ",")):
            if sign not in figure:
                continue
            whole, _, part = figure.rpartition(sign)
            is_last = figure.rfind(sign) > figure.rfind(other)
            if is_last and figure.count(sign) == 1:
                if len(part) != 3 or not whole.strip("0") or other in whole:
                    found.add(sign)
            elif is_last and figure.count(sign) > 1:
                found.add(other)
    return frozenset(found)


def plain_figure(cell: str, decimal: str) -> str:
    """Write a figure without marks between thousands, and with a point before decimals.

    Parameters
    ----------
    cell : str
        ``1.234,5`` or ``1 200``; what follows the figure, such as a unit, stays.
    decimal : str
        One of `DECIMALS`.

    Returns
    -------
    str
        The cell with its first figure written plainly.

    Examples
    --------
    >>> plain_figure("1.234,5 g", ","), plain_figure("1,200", "."), plain_figure("2 lb 3 oz", ".")
    ('1234.5 g', '1200', '2 lb 3 oz')
    """
    text = cell.strip().replace("−", "-")
    match = _FIGURES.match(text)
    if match is None:
        return text
    figure = re.sub(r"[ \u00a0\u202f'’](?=\d{3}(?!\d))", "", match[0])
    other = "," if decimal == "." else "."
    figure = figure.replace(other, "").replace(decimal, ".")
    return figure + text[match.end() :]


def number_of(cell: str, decimal: str) -> float:
    """Read a figure.

    Parameters
    ----------
    cell : str
        ``3``, ``1,5``, ``1.234,5``; a unit or a sign of money after it is passed over.
    decimal : str
        One of `DECIMALS`.

    Returns
    -------
    float
        Finite, may be below 0.

    Raises
    ------
    QuantityError
        No figure.

    Examples
    --------
    >>> number_of("1.234,5", ","), number_of("€ 2.40", "."), number_of("30 cm", ".")
    (1234.5, 2.4, 30.0)
    """
    text = plain_figure(re.sub(r"^[^\d.,+-]+", "", cell.strip().replace("−", "-")), decimal)
    match = re.match(r"[-+]?(?:\d+(?:\.\d*)?|\.\d+)", text)
    if match is None:
        raise QuantityError(f"“{cell.strip()[:40]}” is no figure.", typed=cell)
    return float(match[0])


def count_of(cell: str, decimal: str) -> int:
    """Read how many.

    Parameters
    ----------
    cell : str
        A whole number, also as a spreadsheet writes it: ``12.0``; ``12 pcs``, ``c12``.
    decimal : str
        One of `DECIMALS`.

    Returns
    -------
    int
        Not below 0.

    Raises
    ------
    QuantityError
        No figure, below 0, or not whole.

    Examples
    --------
    >>> count_of("12.0", "."), count_of("12 pcs", ","), count_of("c7", ".")
    (12, 12, 7)
    """
    found = number_of(cell, decimal)
    if found < 0 or found != int(found):
        raise QuantityError(f"“{cell.strip()[:40]}” is no count; write a whole number.", typed=cell)
    return int(found)


def mass_of(cell: str, unit: str, decimal: str) -> ParsedMass:
    """Read a weight, with its unit or in the unit of its column.

    Parameters
    ----------
    cell : str
        ``940``, ``0,94 kg``, ``2 lb 3 oz``.
    unit : str
        One of `kilter.core.amounts.units.DEFAULT_UNITS`.
    decimal : str
        One of `DECIMALS`.

    Returns
    -------
    ParsedMass
        Whole milligrams, and the text as it stands in the cell.

    Raises
    ------
    QuantityError
        No weight, below 0, or above one tonne.

    Examples
    --------
    >>> mass_of("1.200,5 g", "g", ",").mass_mg, mass_of("1,200", "g", ".").mass_mg
    (1200500, 1200000)
    """
    text = plain_figure(cell, decimal)
    if text.startswith("-"):
        raise QuantityError(f"“{cell.strip()}” is below zero; a weight is not.", typed=cell)
    return ParsedMass(parse_mass(text, unit).mass_mg, cell.strip())
