"""A household as a package of the open format."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

from django.db.models import QuerySet

from kilter.exchange.formats import TABLES, descriptor, keys_of
from kilter.people.models import Household
from kilter.tables.cells import guarded, written
from kilter.tables.table import Table
from kilter.tending.format import photo_bytes, photo_name

#: A fixed time inside the zip, so that the same garden gives the same bytes.
_ZIP_TIME = (2026, 1, 1, 0, 0, 0)
#: The id of the one row that tells of the household itself.
OURS = "household"


def package_files(household: Household) -> dict[str, str | bytes]:
    """Every file of the package by its name: the descriptor, the tables, the photographs."""
    name = re.sub(r"[^a-z0-9._-]+", "-", household.name.lower()).strip("-") or "garden"
    files: dict[str, str | bytes] = {
        "datapackage.json": json.dumps(descriptor(name), indent=2, ensure_ascii=False) + "\n"
    }
    kept = _kept(household)
    for table in TABLES:
        files[f"{table.name}.csv"] = as_csv(
            table, (_row(table, record) for record in kept[table.name])
        )
    for photo in kept["photos"]:
        if (raw := photo_bytes(photo)) is not None:
            files[photo_name(photo)] = raw
    return files


def dump(household: Household, target: Path) -> None:
    """Write a package: a zip where the name ends so, else a folder."""
    files = package_files(household)
    if target.suffix == ".zip":
        target.write_bytes(as_zip(files))
        return
    for name, content in files.items():
        path = target / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content if isinstance(content, bytes) else content.encode())


def as_zip(files: Mapping[str, str | bytes]) -> bytes:
    """Pack files into a zip."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(zipfile.ZipInfo(name, _ZIP_TIME), content, zipfile.ZIP_DEFLATED)
    return stream.getvalue()


def as_csv(table: Table, rows: Iterable[dict[str, Any]]) -> str:
    """A table as text; what a spreadsheet would run as a formula is guarded."""
    texts = {column.name for column in table.columns if column.field_type == "string"}
    stream = io.StringIO(newline="")
    writer = csv.DictWriter(stream, table.column_names, lineterminator="\n")
    writer.writeheader()
    for row in rows:
        cells = {name: written(value) for name, value in row.items()}
        writer.writerow(
            {name: guarded(cell) if name in texts else cell for name, cell in cells.items()}
        )
    return stream.getvalue()


def _kept(household: Household) -> dict[str, list[Any]]:
    """What stands, and what was struck but is still named by a planting that stands or by choice of
    another row.

    What was written of a planting or place that was taken out goes with it.
    """
    found: dict[str, dict[int, Any]] = {table.name: {} for table in TABLES}
    for table in _plantings_first():
        for record in _standing(table, household):
            if not _is_orphan(table, record, found):
                found[table.name][record.pk] = record
        for record in found[table.name].values():
            for name, other in _targets(table):
                target = getattr(record, name)
                if target is not None and other not in ("plantings", table.name):
                    found[other].setdefault(target.pk, target)
    # A photograph whose file is gone has nothing to travel with.
    found["photos"] = {
        pk: photo for pk, photo in found["photos"].items() if photo_bytes(photo) is not None
    }
    return {name: [records[pk] for pk in sorted(records)] for name, records in found.items()}


def _targets(table: Table) -> list[tuple[str, str]]:
    """The records that a row names, each with its table: by id,
    and a planting its lot, a place its site.
    """
    told = {"plantings": [("lot", "lots")], "places": [("site", "sites")]}
    return [*keys_of(table), *told.get(table.name, [])]


def _plantings_first() -> list[Table]:
    """The tables from the last back, plantings before all: they say what is needed."""
    backwards = list(reversed(TABLES))
    return sorted(backwards, key=lambda table: table.name != "plantings")


def _is_orphan(table: Table, record: Any, found: dict[str, dict[int, Any]]) -> bool:
    """Whether it says something of what was taken out and is not needed."""
    needed = {column.name for column in table.columns if column.is_required} | {
        *table.one_of,
        *table.goes_with,
    }
    return table.name != "plantings" and any(
        (target := getattr(record, name)) is not None
        and target.struck_at is not None
        and target.pk not in found[other]
        for name, other in keys_of(table)
        if name in needed
    )


def _standing(table: Table, household: Household) -> Iterator[Any] | QuerySet[Any]:
    if table.model is Household:
        return iter([household])
    model: Any = table.model
    found = model.objects.of(household).filter(table.only).select_related(*table.related)
    many = {"plantings": "methods", "weigh_ins": "photos"}.get(table.name)
    return found.prefetch_related(many) if many else found


def _row(table: Table, record: Any) -> dict[str, Any]:
    row: dict[str, Any] = {"id": OURS if table.model is Household else record.ref}
    for name, _ in table.keys:
        target = getattr(record, name)
        is_gone = target is not None and name in table.late and target.struck_at is not None
        row[name] = target.ref if target is not None and not is_gone else None
    for column in table.plain:
        value = getattr(record, column.kept_as)
        row[column.name] = column.shown(value) if column.shown else value
    for told in table.told:
        row |= told.cells(record)
    return row
