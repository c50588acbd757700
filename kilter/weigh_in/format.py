"""What of the bench travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import Model

from kilter.core.errors import KilterError
from kilter.core.trade import grades
from kilter.set_out.format import VARIETY
from kilter.tables import cells
from kilter.tables.table import Column, Faults, Names, Table, Told, Values, column_of
from kilter.weigh_in.models import (
    Bowl,
    LateLine,
    OwnMeasure,
    Renaming,
    Scale,
    SinglePlant,
    Striking,
    WeighIn,
)

KNOWN = "One of: table, small, seed, hurt, unripe, lost; empty for table."


def _masses(values: Values, _: Names) -> dict[str, Any]:
    mass, tare = values["mass"], values["tare"]
    tare_mg = tare.mg if tare else 0
    typed = mass.typed[:60] if mass else ""
    return {"mass_mg": mass.mg - tare_mg if mass else None, "tare_mg": tare_mg, "typed": typed}


def _mass_cells(line: WeighIn) -> dict[str, Any]:
    gross_mg = None if line.mass_mg is None else line.mass_mg + line.tare_mg
    return {
        "mass": None if gross_mg is None else _as_typed(gross_mg, line.typed),
        "tare": cells.grams(line.tare_mg or None),
    }


def _as_typed(mg: int, typed: str) -> str | None:
    """The text as it was written where it carries its unit and says the same, else grams."""
    try:
        if typed and cells.mass(typed).mg == mg:
            return typed
    except KilterError:
        pass
    return cells.grams(mg)


def _check_line(values: Values, given: Mapping[str, str]) -> Faults:
    mass, tare = values["mass"], values["tare"]
    if not any(
        values[name] is not None or given.get(name) for name in ("mass", "count", "measures")
    ):
        yield "mass", "is empty, and so is count; a line has one of them"
    if bool(given.get("measures")) != bool(given.get("measure")):
        yield "measures", "goes with a measure"
    if values["give_or_take"] and mass is None and not given.get("mass"):
        yield "give_or_take", "goes with a mass"
    if tare and not mass and not given.get("mass"):
        yield "tare", "has no mass to be taken off"
    if tare and mass and tare.mg > mass.mg:
        yield "tare", "is more than the mass it is taken off"


def _was(values: Values, names: Names) -> dict[str, Any]:
    planting = names.record("plantings", values["planting"])
    return {"was": names.variety(planting.crop, values["was"])}


MASSES = Told(
    (
        Column(
            name="mass",
            parse=cells.mass,
            about="What the scale showed, with its unit: 940 g, 0.94 kg, 2 lb 3 oz.",
        ),
        Column(name="tare", parse=cells.mass, about="To be taken off in all, with its unit."),
    ),
    _masses,
    _mass_cells,
    instead_of=("mass_mg", "tare_mg", "typed"),
)
PHOTOS = Told(
    (
        Column(
            name="photos", parse=cells.listed(64), about="ids of photographs of it, with ; between."
        ),
    ),
    lambda _, __: {},
    lambda line: {
        "photos": [photo.ref for photo in line.photos.all() if photo.struck_at is None] or None
    },
)
_NAME = column_of(OwnMeasure._meta.get_field("name"))
FORMAT = (
    Table.of(Scale, "scales", names={"step_mg": "step", "limit_mg": "limit"}),
    Table.of(Bowl, "bowls"),
    Table.of(
        OwnMeasure,
        "own_measures",
        instead=(
            Column(
                name="name",
                parse=lambda cell: _NAME.parse(cell.lower()),
                is_required=True,
                about="One word, such as tub.",
            ),
        ),
        twin=lambda one: (one.name.lower(),),
    ),
    Table.of(
        WeighIn,
        "weigh_ins",
        names={"pm_mg": "give_or_take"},
        quiet=("precision", "loads"),
        instead=(
            Column(name="grade", parse=cells.word(*grades.GRADES), about=KNOWN, empty=grades.USUAL),
        ),
        also=("device", "pile", "number_in_pile", "reading_mg"),
        skip={
            "client_id": "of the event that wrote it, which is stored once where it was written",
            "written_at": "when and by whom it was written is known where it was",
            "written_by": "people stay where they sign in",
        },
        told=(MASSES, PHOTOS),
        late=("turned_from",),
        check=_check_line,
        kept_where_same=("typed", "device", "pile", "number_in_pile", "reading_mg"),
    ),
    Table.of(SinglePlant, "single_plants", quiet=("precision",)),
    Table.of(
        Renaming,
        "renamings",
        quiet=("precision",),
        told=(
            Told(
                (
                    Column(
                        name="was",
                        parse=VARIETY.parse,
                        about="The variety it was taken for until then; empty if unknown.",
                    ),
                ),
                _was,
                lambda renaming: {"was": renaming.was and renaming.was.name},
                instead_of=("was",),
                related=("was",),
            ),
        ),
    ),
)
STAYS: dict[type[Model], str] = {
    LateLine: "waits for an owner's yes or no where it was sent; once kept it is a line",
    Striking: (
        "when a line was struck and put back is known where it was; struck lines do not travel"
    ),
}
