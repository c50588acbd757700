"""A household as a package of the open format."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

from django.db.models import QuerySet

from kilter.core.errors import KilterError
from kilter.exchange.schema import MODELS, TABLES, Table, cell, descriptor, mass
from kilter.people.models import Household
from kilter.set_out.forms import format_methods
from kilter.set_out.models import Planting, SeedLot
from kilter.weigh_in.models import Renaming, WeighIn

# A fixed time inside the zip, so that the same garden gives the same bytes.
_ZIP_TIME = (2026, 1, 1, 0, 0, 0)


def package_files(household: Household) -> dict[str, str]:
    """Every file of the package by its name."""
    name = re.sub(r"[^a-z0-9._-]+", "-", household.name.lower()).strip("-") or "garden"
    files = {"datapackage.json": json.dumps(descriptor(name), indent=2, ensure_ascii=False) + "\n"}
    kept = _kept(household)
    for table in TABLES:
        files[f"{table.name}.csv"] = _csv(table, (_row(table, record) for record in kept[table.name]))
    return files


def dump(household: Household, target: Path) -> None:
    """Write a package: a zip where the name ends so, else a folder."""
    files = package_files(household)
    if target.suffix == ".zip":
        target.write_bytes(as_zip(files))
        return
    target.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        (target / name).write_text(text, encoding="utf-8", newline="")


def as_zip(files: dict[str, str]) -> bytes:
    """Pack files into a zip."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            archive.writestr(zipfile.ZipInfo(name, _ZIP_TIME), text, zipfile.ZIP_DEFLATED)
    return stream.getvalue()


def _csv(table: Table, rows: Iterator[dict[str, Any]]) -> str:
    stream = io.StringIO(newline="")
    writer = csv.DictWriter(stream, table.column_names, lineterminator="\n")
    writer.writeheader()
    writer.writerows({name: cell(value) for name, value in row.items()} for row in rows)
    return stream.getvalue()


def _kept(household: Household) -> dict[str, list[Any]]:
    """What stands, and what was struck but is still named by a planting that stands or by choice of another row.

    What was written of a planting or place that was taken out goes with it.
    """
    found: dict[str, dict[int, Any]] = {table.name: {} for table in TABLES}
    for table in _plantings_first():
        for record in _standing(table, household):
            if not _is_orphan(table, record, found):
                found[table.name][record.pk] = record
        for record in found[table.name].values():
            for name, other in table.foreign_keys:
                target = getattr(record, name)
                if target is not None and other not in ("plantings", table.name):
                    found[other].setdefault(target.pk, target)
            if table.name == "plantings" and record.lot is not None:  # an id or a name, so no declared key
                found["lots"].setdefault(record.lot_id, record.lot)
    return {name: [records[pk] for pk in sorted(records)] for name, records in found.items()}


def _plantings_first() -> list[Table]:
    """The tables from the last back, plantings before all: they say what is needed."""
    backwards = list(reversed(TABLES))
    return sorted(backwards, key=lambda table: table.name != "plantings")


def _is_orphan(table: Table, record: Any, found: dict[str, dict[int, Any]]) -> bool:
    """Whether it says something of what was taken out and is not needed."""
    needed = {column.name for column in table.columns if column.is_required} | set(table.one_of)
    return table.name != "plantings" and any(
        (target := getattr(record, name)) is not None and target.struck_at is not None and target.pk not in found[other]
        for name, other in table.foreign_keys
        if name in needed
    )


def _standing(table: Table, household: Household) -> QuerySet[Any]:
    model: type[Any] = MODELS[table.name]
    keys = [name for name, _ in table.foreign_keys]
    also = {
        "varieties": ["crop"],
        "lots": ["crop", "variety"],
        "plantings": ["crop", "variety", "lot"],
        "renamings": ["was"],
        "scores": ["variety__crop"],
        "verdicts": ["variety__crop"],
        "trials": ["crop"],
    }
    found = model.objects.of(household).select_related(*keys, *also.get(table.name, []))
    if table.name == "plantings":
        return found.prefetch_related("methods")
    if table.name == "varieties":  # their names stand in the plantings; here only what those do not say
        return found.exclude(days_min=None)
    if table.name == "crops":
        return found.exclude(is_small_food=None, is_counted=None)
    return found.filter(is_ahead=False) if table.name == "weather" else found


def _row(table: Table, record: Any) -> dict[str, Any]:
    row: dict[str, Any] = {"id": record.ref}
    for name, _ in table.foreign_keys:
        target = getattr(record, name)
        is_gone = target is not None and name in table.late and target.struck_at is not None
        row[name] = target.ref if target is not None and not is_gone else None
    for column in table.plain:
        value = getattr(record, column.kept_as)
        row[column.name] = column.shown(value) if column.shown else value
    special = _SPECIAL.get(table.name)
    return row | (special(record) if special else {})


def _variety(record: Any) -> dict[str, Any]:
    return {"crop": record.crop.name}


def _lot(lot: SeedLot) -> dict[str, Any]:
    return {
        "crop": lot.crop.name,
        "variety": lot.variety and lot.variety.name,
    }


def _planting(planting: Planting) -> dict[str, Any]:
    return {
        "crop": planting.crop.name,
        "variety": planting.variety and planting.variety.name,
        "lot": planting.lot and planting.lot.ref,
        "methods": format_methods({tag.name: tag.value for tag in planting.methods.all()}),
    }


def _weigh_in(line: WeighIn) -> dict[str, Any]:
    gross_mg = None if line.mass_mg is None else line.mass_mg + line.tare_mg
    return {
        "mass": None if gross_mg is None else _mass(gross_mg, line.typed),
        "tare": _mass(line.tare_mg, "") if line.tare_mg else None,
    }


def _renaming(renaming: Renaming) -> dict[str, Any]:
    return {"was": renaming.was and renaming.was.name}


def _of_variety(record: Any) -> dict[str, Any]:
    return {"crop": record.variety.crop.name, "variety": record.variety.name}


_SPECIAL: dict[str, Callable[[Any], dict[str, Any]]] = {
    "varieties": _variety,
    "lots": _lot,
    "plantings": _planting,
    "weigh_ins": _weigh_in,
    "renamings": _renaming,
    "scores": _of_variety,
    "verdicts": _of_variety,
    "trials": _variety,
}


def _mass(mg: int, typed: str) -> str:
    """The text as it was written where it carries its unit and says the same, else grams."""
    try:
        if typed and mass(typed).mg == mg:
            return typed
    except KilterError:
        pass
    return f"{cell(Decimal(mg) / 1000)} g"
