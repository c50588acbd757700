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

from django.db.models import Q, QuerySet

from kilter.core.errors import KilterError
from kilter.exchange.schema import MODELS, TABLES, Table, cell, descriptor, mass
from kilter.ground.models import Place
from kilter.people.models import Household
from kilter.set_out.forms import format_methods
from kilter.set_out.models import Planting, SeedLot
from kilter.weigh_in.models import WeighIn

# A fixed time inside the zip, so that the same garden gives the same bytes.
_ZIP_TIME = (2026, 1, 1, 0, 0, 0)


def package_files(household: Household) -> dict[str, str]:
    """Every file of the package by its name."""
    name = re.sub(r"[^a-z0-9._-]+", "-", household.name.lower()).strip("-") or "garden"
    files = {"datapackage.json": json.dumps(descriptor(name), indent=2, ensure_ascii=False) + "\n"}
    for table in TABLES:
        files[f"{table.name}.csv"] = _csv(table, _rows(table, household))
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


def _rows(table: Table, household: Household) -> Iterator[dict[str, Any]]:
    special = _SPECIAL.get(table.name)
    for record in _records(table, household):
        row: dict[str, Any] = {"id": record.ref}
        for name, _ in table.foreign_keys:
            target = getattr(record, name)
            row[name] = target and target.ref
        for column in table.plain:
            value = getattr(record, column.kept_as)
            row[column.name] = column.shown(value) if column.shown else value
        yield row | (special(record) if special else {})


def _records(table: Table, household: Household) -> QuerySet[Any]:
    """What stands, and what was struck but is still named by something that stands."""
    model: type[Any] = MODELS[table.name]
    keys = [name for name, _ in table.foreign_keys]
    found = model.objects.ever_of(household).select_related(*keys).order_by("pk")
    plantings = Planting.objects.of(household)
    if table.name == "sites":
        return found.filter(
            Q(struck_at=None) | Q(places__in=_places_kept(household)) | Q(departures__struck_at=None)
        ).distinct()
    if table.name == "places":
        return _places_kept(household).select_related("site").order_by("pk")
    if table.name == "parts":
        return found.filter(
            Q(struck_at=None) | Q(plantings__in=plantings), place__in=_places_kept(household)
        ).distinct()
    if table.name == "mixes":
        return found.filter(Q(struck_at=None) | Q(fills__struck_at=None)).distinct()
    if table.name == "lots":
        return found.filter(Q(struck_at=None) | Q(plantings__in=plantings)).distinct().select_related("crop", "variety")
    found = found.filter(struck_at=None)
    if table.name == "plantings":
        return found.select_related("crop", "variety", "lot").prefetch_related("methods")
    if table.name == "varieties":
        return found.select_related("crop")
    if table.name == "weather":
        return found.filter(is_ahead=False)
    # What was written of a planting or place that was taken out goes with it.
    for name, other in table.foreign_keys:
        if other == "plantings":
            found = found.filter(Q(**{f"{name}__struck_at": None}))
        elif other == "places" and name == "place":
            found = found.filter(Q(place=None) | Q(place__in=_places_kept(household)))
    return found


def _places_kept(household: Household) -> QuerySet[Place]:
    used = Q(plantings__in=Planting.objects.of(household)) | Q(passed_on__struck_at=None)
    return Place.objects.ever_of(household).filter(Q(struck_at=None) | used).distinct()


def _variety(record: Any) -> dict[str, Any]:
    return {"crop": record.crop.name}


def _lot(lot: SeedLot) -> dict[str, Any]:
    return {
        "crop": lot.crop.name,
        "variety": lot.variety and lot.variety.name,
        "kept_from": lot.kept_from.ref if lot.kept_from and lot.kept_from.struck_at is None else None,
    }


def _planting(planting: Planting) -> dict[str, Any]:
    return {
        "crop": planting.crop.name,
        "variety": planting.variety and planting.variety.name,
        "lot": planting.lot and planting.lot.ref,
        "kin": planting.kin.ref if planting.kin and planting.kin.struck_at is None else None,
        "methods": format_methods({tag.name: tag.value for tag in planting.methods.all()}),
    }


def _weigh_in(line: WeighIn) -> dict[str, Any]:
    gross_mg = None if line.mass_mg is None else line.mass_mg + line.tare_mg
    return {
        "mass": None if gross_mg is None else _mass(gross_mg, line.typed),
        "tare": _mass(line.tare_mg, "") if line.tare_mg else None,
    }


_SPECIAL: dict[str, Callable[[Any], dict[str, Any]]] = {
    "varieties": _variety,
    "lots": _lot,
    "plantings": _planting,
    "weigh_ins": _weigh_in,
}


def _mass(mg: int, typed: str) -> str:
    """The text as it was written where it carries its unit and says the same, else grams."""
    try:
        if typed and mass(typed).mg == mg:
            return typed
    except KilterError:
        pass
    return f"{cell(Decimal(mg) / 1000)} g"
