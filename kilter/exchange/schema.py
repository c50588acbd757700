"""The open format: its tables and columns, and the descriptor that names them (docs/format.md)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any, Final

from kilter.core.errors import KilterError
from kilter.core.units import parse_mass
from kilter.core.yields import GRADES

MAX_NUMBER: Final = 10_000.0


class CellError(KilterError):
    """A cell that cannot be read; the message says why."""


@dataclass(frozen=True)
class Mass:
    """A mass with the text it was written as."""

    mg: int
    typed: str


@dataclass(frozen=True)
class Column:
    """One column: how its cells are read, and how the descriptor tells of it."""

    name: str
    parse: Callable[[str], Any]
    field_type: str = "string"
    is_required: bool = False
    about: str = ""


@dataclass(frozen=True)
class Table:
    """One CSV file."""

    name: str
    columns: tuple[Column, ...]
    foreign_keys: tuple[tuple[str, str], ...] = ()  #: column and the table whose id it holds

    @property
    def column_names(self) -> tuple[str, ...]:
        return tuple(column.name for column in self.columns)


def text(limit: int) -> Callable[[str], str]:
    def parse(cell: str) -> str:
        if len(cell) > limit:
            raise CellError(f"is longer than {limit} characters")
        if "\x00" in cell:
            raise CellError("holds a character that is not text")
        return cell

    return parse


def number(low: float, high: float = MAX_NUMBER) -> Callable[[str], float]:
    def parse(cell: str) -> float:
        try:
            value = float(cell.replace(",", ".") if cell.count(",") == 1 and "." not in cell else cell)
        except ValueError:
            raise CellError("is not a number") from None
        if not low <= value <= high:  # also refuses NaN
            raise CellError(f"is not between {low:g} and {high:g}")
        return value

    return parse


def whole(low: int, high: int) -> Callable[[str], int]:
    def parse(cell: str) -> int:
        figures, _, decimals = cell.partition(".")  # spreadsheets like to write 3 as 3.0
        if not figures.isascii() or not figures.isdigit() or len(figures) > 9 or decimals.strip("0"):
            raise CellError("is not a whole number")
        if not low <= int(figures) <= high:
            raise CellError(f"is not between {low} and {high}")
        return int(figures)

    return parse


def day(cell: str) -> date:
    try:
        found = date.fromisoformat(cell)
    except ValueError:
        raise CellError("is not a date; write it as 2026-08-04") from None
    if not 1900 <= found.year <= 2200:
        raise CellError("is not between the years 1900 and 2200")
    return found


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


def grade(cell: str) -> str:
    if cell.lower() not in GRADES:
        raise CellError(f"is no grade; use one of {', '.join(GRADES)}")
    return cell.lower()


def methods(cell: str) -> dict[str, str]:
    found: dict[str, str] = {}
    for piece in filter(None, (part.strip() for part in cell.split(";"))):
        name, equals, value = (part.strip() for part in piece.partition("="))
        if not (name and equals and value) or "=" in value:
            raise CellError(f"holds “{piece}”; write name=value, and ; between several")
        if len(name) > 40 or len(value) > 80:
            raise CellError("has a method longer than 40, or a value longer than 80 characters")
        if name in found:
            raise CellError(f"says “{name}” twice")
        found[name] = value
    return found


def cell(value: Any) -> str:
    """One value as the format writes it."""
    if value is None:
        return ""
    if isinstance(value, Decimal):
        return f"{value.normalize():f}"
    return f"{value:.15g}" if isinstance(value, float) else str(value)


_ID = Column("id", text(64), is_required=True, about="Unique in its table.")
_SIZE = number(0.01)
_AT = number(-MAX_NUMBER)

TABLES: Final[tuple[Table, ...]] = (
    Table(
        "sites",
        (
            _ID,
            Column("name", text(80), is_required=True),
            Column("length_m", _SIZE, "number", about="Metres, west to east."),
            Column("width_m", _SIZE, "number", about="Metres, south to north."),
            Column("notes", text(2000)),
        ),
    ),
    Table(
        "places",
        (
            _ID,
            Column("site", text(64), about="id of a site; empty for a site named Garden."),
            Column("kind", text(40), is_required=True, about="bed, raised bed, pot, crate, crock, pail, tray …"),
            Column("name", text(80), about="What a set shares; empty for the kind."),
            Column("number", whole(0, 100_000), "integer", about="Number within a set."),
            Column("length_m", _SIZE, "number", about="Metres."),
            Column("width_m", _SIZE, "number", about="Metres."),
            Column("volume_l", _SIZE, "number", about="Litres."),
            Column("material", text(40)),
            Column("x_m", _AT, "number", about="Metres east of the site's south-west corner."),
            Column("y_m", _AT, "number", about="Metres north of it."),
        ),
        (("site", "sites"),),
    ),
    Table(
        "plantings",
        (
            _ID,
            Column("place", text(64), is_required=True, about="id of a place."),
            Column("crop", text(60), is_required=True, about="Name; made if not known yet."),
            Column("variety", text(80), about="Name; empty if unknown; made if not known yet."),
            Column("lot", text(80)),
            Column("season", whole(1900, 2200), "integer", about="Year of harvest; empty: told by the dates."),
            Column("planted_on", day, "date"),
            Column("units", whole(1, 100_000), "integer", about="How many were set out."),
            Column("unit_kind", text(40), about="plant, seed potato, set, clove, slip …; empty for plant."),
            Column("in_row_m", number(0.005, 50), "number", about="Metres from plant to plant."),
            Column("row_gap_m", number(0.005, 50), "number", about="Metres from row to row."),
            Column("finished_on", day, "date", about="Day of the last lift; empty while it may still give."),
            Column("methods", methods, about="name=value;name=value"),
        ),
        (("place", "places"),),
    ),
    Table(
        "weigh_ins",
        (
            _ID,
            Column("planting", text(64), is_required=True, about="id of a planting."),
            Column("weighed_on", day, "date", is_required=True),
            Column("grade", grade, about="table, small, seed, hurt, unripe or lost; empty for table."),
            Column("count", whole(0, 100_000), "integer"),
            Column("mass", mass, about="What the scale showed, with its unit: 940 g, 0.94 kg, 2 lb 3 oz."),
            Column("tare", mass, about="To be taken off, with its unit."),
            Column("note", text(400)),
        ),
        (("planting", "plantings"),),
    ),
    Table(
        "eaters",
        (
            _ID,
            Column("name", text(60), is_required=True),
            Column("appetite", number(0, 20), "number", about="1 is a grown person; empty for 1."),
        ),
    ),
)


def descriptor(name: str) -> dict[str, Any]:
    """The ``datapackage.json`` of a package (Frictionless Data Package with Table Schemas)."""
    return {
        "profile": "tabular-data-package",
        "name": name,
        "resources": [
            {
                "profile": "tabular-data-resource",
                "name": table.name,
                "path": f"{table.name}.csv",
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "schema": {
                    "fields": [_field(column) for column in table.columns],
                    "primaryKey": "id",
                    "missingValues": [""],
                    "foreignKeys": [
                        {"fields": column, "reference": {"resource": other, "fields": "id"}}
                        for column, other in table.foreign_keys
                    ],
                },
            }
            for table in TABLES
        ],
    }


def _field(column: Column) -> dict[str, Any]:
    field: dict[str, Any] = {"name": column.name, "type": column.field_type}
    if column.about:
        field["description"] = column.about
    if column.is_required:
        field["constraints"] = {"required": True}
    return field
