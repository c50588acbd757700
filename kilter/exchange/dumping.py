"""A household as a package of the open format."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

from django.db.models import Q, QuerySet

from kilter.core.errors import KilterError
from kilter.exchange.schema import TABLES, Table, cell, descriptor, mass
from kilter.ground.models import Place, Site
from kilter.people.models import Eater, Household
from kilter.set_out.forms import format_methods
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn

# A fixed time inside the zip, so that the same garden gives the same bytes.
_ZIP_TIME = (2026, 1, 1, 0, 0, 0)


def package_files(household: Household) -> dict[str, str]:
    """Every file of the package by its name."""
    name = re.sub(r"[^a-z0-9._-]+", "-", household.name.lower()).strip("-") or "garden"
    files = {"datapackage.json": json.dumps(descriptor(name), indent=2, ensure_ascii=False) + "\n"}
    rows = {
        "sites": _sites,
        "places": _places,
        "plantings": _plantings,
        "weigh_ins": _weigh_ins,
        "eaters": _eaters,
    }
    for table in TABLES:
        files[f"{table.name}.csv"] = _csv(table, rows[table.name](household))
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


def _places_kept(household: Household) -> QuerySet[Place]:
    return _kept(Place.objects.ever_of(household), plantings=Planting.objects.of(household))


def _kept(records: QuerySet[Any], **used_by: QuerySet[Any]) -> QuerySet[Any]:
    """What stands, and what was struck but is still named by something that stands."""
    ((relation, users),) = used_by.items()
    return records.filter(Q(struck_at=None) | Q(**{f"{relation}__in": users})).distinct()


def _sites(household: Household) -> Iterator[dict[str, Any]]:
    for site in _kept(Site.objects.ever_of(household), places=_places_kept(household)):
        yield {"id": site.ref, **_fields(site, "name", "length_m", "width_m", "notes")}


def _places(household: Household) -> Iterator[dict[str, Any]]:
    sizes = "length_m", "width_m", "volume_l", "material", "x_m", "y_m"
    for place in _places_kept(household).select_related("site").order_by("pk"):
        yield {"id": place.ref, "site": place.site.ref, **_fields(place, "kind", "name", "number", *sizes)}


def _plantings(household: Household) -> Iterator[dict[str, Any]]:
    plain = "lot", "season", "planted_on", "units", "unit_kind", "in_row_m", "row_gap_m", "finished_on"
    plantings = Planting.objects.of(household).with_names().prefetch_related("methods").order_by("pk")
    for planting in plantings:
        yield {
            "id": planting.ref,
            "place": planting.place.ref,
            "crop": planting.crop.name,
            "variety": planting.variety and planting.variety.name,
            **_fields(planting, *plain),
            "methods": format_methods({tag.name: tag.value for tag in planting.methods.all()}),
        }


def _weigh_ins(household: Household) -> Iterator[dict[str, Any]]:
    lines = WeighIn.objects.of(household).filter(planting__struck_at=None)
    for line in lines.select_related("planting").order_by("pk"):
        gross_mg = None if line.mass_mg is None else line.mass_mg + line.tare_mg
        yield {
            "id": line.ref,
            "planting": line.planting.ref,
            **_fields(line, "weighed_on", "grade", "count", "note"),
            "mass": None if gross_mg is None else _mass(gross_mg, line.typed),
            "tare": _mass(line.tare_mg, "") if line.tare_mg else None,
        }


def _eaters(household: Household) -> Iterator[dict[str, Any]]:
    for eater in Eater.objects.of(household):
        yield {"id": eater.ref, **_fields(eater, "name", "appetite")}


def _fields(record: Any, *names: str) -> dict[str, Any]:
    return {name: getattr(record, name) for name in names}


def _mass(mg: int, typed: str) -> str:
    """The text as it was written where it carries its unit and says the same, else grams."""
    try:
        if typed and mass(typed).mg == mg:
            return typed
    except KilterError:
        pass
    return f"{cell(Decimal(mg) / 1000)} g"
