"""What of plantings travels in the open format; crops, varieties and lots are known by name too."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from django.db.models import Model

from kilter.core.amounts.vague import VagueDate
from kilter.set_out.models import (
    Cost,
    Crop,
    CropSize,
    MethodTag,
    PlantCount,
    Planting,
    SeedLot,
    Variety,
    YearSaid,
)
from kilter.tables import cells
from kilter.tables.cells import CellError
from kilter.tables.table import Column, Faults, Names, Table, Told, Values

_PIECES = re.compile(r"(?:[^;\\]|\\.)+", re.DOTALL)
_PARTS = re.compile(r"(?:[^=\\]|\\.)+", re.DOTALL)
_SPECIAL = re.compile(r"[;=\\]")

CROP = Column(
    name="crop", parse=cells.text(60), is_required=True, about="Name; made if not known yet."
)
VARIETY = Column(
    name="variety", parse=cells.text(80), about="Name; empty if unknown; made if not known yet."
)
#: Of a record with a crop: the crop by its name.
OF_CROP = Told(
    (CROP,),
    lambda values, names: {"crop": names.crop(values["crop"])},
    lambda record: {"crop": record.crop.name},
    instead_of=("crop",),
    related=("crop",),
)
#: A crop that may be left empty.
MAYBE_CROP = Told(
    (
        Column(
            name="crop",
            parse=cells.text(60),
            about="Name; made if not known yet; empty where it is of none.",
        ),
    ),
    lambda values, names: {"crop": names.crop(values["crop"]) if values["crop"] else None},
    lambda record: {"crop": record.crop and record.crop.name},
    instead_of=("crop",),
    related=("crop",),
)
#: Of a record with a crop, and a variety where it is known.
WITH_VARIETY = Told(
    (CROP, VARIETY),
    lambda values, names: {
        "crop": (crop := names.crop(values["crop"])),
        "variety": names.variety(crop, values["variety"]) if values["variety"] else None,
    },
    lambda record: {"crop": record.crop.name, "variety": record.variety and record.variety.name},
    instead_of=("crop", "variety"),
    related=("crop", "variety"),
)


def of_variety() -> Told:
    """Of a record with a variety: crop and variety by their names."""
    variety = Column(name="variety", parse=cells.text(80), is_required=True, about=VARIETY.about)
    return Told(
        (CROP, variety),
        lambda values, names: {
            "variety": names.variety(names.crop(values["crop"]), values["variety"])
        },
        lambda record: {"crop": record.variety.crop.name, "variety": record.variety.name},
        instead_of=("variety",),
        related=("variety__crop",),
    )


def _methods(cell: str) -> dict[str, str]:
    """Read ``name=value;name=value``; a \\ before ; = or \\ makes it part of the text."""
    found: dict[str, str] = {}
    for piece in _PIECES.findall(cell):
        if not piece.strip():
            continue
        parts = [_plain(part) for part in _PARTS.findall(piece)]
        if len(parts) != 2 or not all(parts):
            raise CellError(f"holds “{piece.strip()}”; write name=value, and ; between several")
        name, value = parts
        if len(name) > 40 or len(value) > 80:
            raise CellError("has a method longer than 40, or a value longer than 80 characters")
        if name in found:
            raise CellError(f"says “{name}” twice")
        found[name] = value
    return found


def _plain(part: str) -> str:
    return re.sub(r"\\(.)", r"\1", part.strip(), flags=re.DOTALL)


def _written(methods: Mapping[str, str]) -> str:
    """Write methods as `_methods` reads them."""

    def escaped(text: str) -> str:
        return _SPECIAL.sub(r"\\\g<0>", text)

    return ";".join(f"{escaped(name)}={escaped(value)}" for name, value in sorted(methods.items()))


def _lot_fields(values: Values, names: Names) -> dict[str, Any]:
    crop = names.crop(values["crop"])
    return {"crop": crop, "variety": names.variety(crop, values["variety"])}


def _planting_fields(values: Values, names: Names) -> dict[str, Any]:
    found = _lot_fields(values, names)
    return {**found, "lot": names.lot(found["crop"], found["variety"], values["lot"])}


def _planting_cells(planting: Planting) -> dict[str, Any]:
    return {
        "crop": planting.crop.name,
        "variety": planting.variety and planting.variety.name,
        "lot": planting.lot and planting.lot.ref,
        "methods": _written({tag.name: tag.value for tag in planting.methods.all()}),
    }


def _check_planting(values: Values, given: Mapping[str, str]) -> Faults:
    start, end = values["planted_on"], values["finished_on"]
    if start and end and end < VagueDate(start, values["planted_precision"] or "day").earliest:
        yield "finished_on", f"is before planted_on, {start}"
    if not (start or end or values["season"]) and not given.get("season"):
        yield "season", "is needed where there is no date"


SEASON = Column(
    name="season",
    parse=cells.whole(1900, 2200),
    field_type="integer",
    about="Year of harvest; empty: told by the dates.",
)
LOT = Column(
    name="lot", parse=cells.text(80), about="id of a lot, or a name; made if not known yet."
)
METHODS = Column(name="methods", parse=_methods, about="name=value;name=value")

FORMAT = (
    Table.of(Crop, "crops", twin=lambda crop: (crop.name.lower(),)),
    Table.of(
        Variety, "varieties", told=(OF_CROP,), twin=lambda one: (one.crop_id, one.name.lower())
    ),
    Table.of(
        CropSize, "crop_sizes", told=(OF_CROP,), twin=lambda one: (one.crop_id, one.word.lower())
    ),
    Table.of(
        SeedLot,
        "lots",
        names={"bought_mg": "bought_mass"},
        late=("kept_from",),
        told=(
            Told(
                (CROP, VARIETY),
                _lot_fields,
                lambda lot: {"crop": lot.crop.name, "variety": lot.variety and lot.variety.name},
                instead_of=("crop", "variety"),
                related=("crop", "variety"),
            ),
        ),
    ),
    Table.of(
        Planting,
        "plantings",
        names={"is_variety_doubtful": "variety_in_doubt", "lot_mg": "lot_mass"},
        instead=(SEASON,),
        quiet=("planted_precision",),
        late=("kin",),
        told=(
            Told(
                (CROP, VARIETY, LOT, METHODS),
                _planting_fields,
                _planting_cells,
                instead_of=("crop", "variety", "lot"),
                related=("crop", "variety", "lot"),
            ),
        ),
        check=_check_planting,
    ),
    Table.of(PlantCount, "counts", quiet=("precision",)),
    Table.of(YearSaid, "years_said", twin=lambda one: (one.planting_id, one.year)),
    Table.of(Cost, "costs", quiet=("over_years",), one_of=("planting", "place")),
)
STAYS: dict[type[Model], str] = {MethodTag: "stands in the column methods of plantings"}
