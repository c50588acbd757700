"""The open format: the tables of every room in the order they are written,
and the descriptor that names them.
"""

from __future__ import annotations

from typing import Any, Final

from django.db import models

from kilter.exchange.models import BroughtTable
from kilter.ground import format as ground
from kilter.larder import format as larder
from kilter.look_back import format as look_back
from kilter.people import format as people
from kilter.plans import format as plans
from kilter.set_out import format as set_out
from kilter.tables.table import Column, Table
from kilter.tending import format as tending
from kilter.weather import format as weather
from kilter.weigh_in import format as weigh_in
from kilter.weigh_up import format as weigh_up

#: Of the packages written here; `kilter.exchange.older` brings earlier ones up.
VERSION: Final = 5
#: Where the descriptor says it.
VERSION_KEY: Final = "kilter_format"
TABLES: Final[tuple[Table, ...]] = (
    *people.FORMAT,
    *ground.FORMAT,
    *set_out.FORMAT,
    *tending.FORMAT,
    *weather.FORMAT,
    *weigh_in.FORMAT,
    *weigh_up.FORMAT,
    *plans.FORMAT,
    *larder.FORMAT,
    *look_back.FORMAT,
)
#: Models that have no table, each with its reason.
STAYS: Final[dict[type[models.Model], str]] = {
    **people.STAYS,
    **set_out.STAYS,
    **weigh_in.STAYS,
    **plans.STAYS,
    BroughtTable: "is on its way in; what is written of it travels",
}
NAME_OF: Final = {table.model: table.name for table in TABLES}


def keys_of(table: Table) -> list[tuple[str, str]]:
    """The columns of a table that hold ids, each with the table whose ids they are."""
    return [(column, NAME_OF[model]) for column, model in table.keys]


def descriptor(name: str) -> dict[str, Any]:
    """The ``datapackage.json`` of a package (Frictionless Data Package with Table Schemas)."""
    return {
        "profile": "tabular-data-package",
        "name": name,
        VERSION_KEY: VERSION,
        "resources": [_resource(table) for table in TABLES],
    }


def _resource(table: Table) -> dict[str, Any]:
    keys = keys_of(table)
    schema: dict[str, Any] = {
        "fields": [_field(column) for column in table.columns],
        "primaryKey": "id",
        "missingValues": [""],
    }
    if keys:
        schema["foreignKeys"] = [
            # The specification names the own table by an empty text.
            {
                "fields": column,
                "reference": {"resource": "" if other == table.name else other, "fields": "id"},
            }
            for column, other in keys
        ]
    return {
        "profile": "tabular-data-resource",
        "name": table.name,
        "path": f"{table.name}.csv",
        "format": "csv",
        "mediatype": "text/csv",
        "encoding": "utf-8",
        "schema": schema,
    }


def _field(column: Column) -> dict[str, Any]:
    field: dict[str, Any] = {"name": column.name, "type": column.field_type}
    if column.about:
        field["description"] = column.about
    if column.is_required:
        field["constraints"] = {"required": True}
    return field
