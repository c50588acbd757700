"""What of the ground travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kilter.core.errors import RecordError
from kilter.core.growing.medium import parse_recipe
from kilter.ground.models import Fill, Mix, Move, Part, Place, Site
from kilter.tables import cells
from kilter.tables.table import MAX_REF, Column, Faults, Names, Table, Told, Values

QUIET = ("precision", "over_uses")


def _site_and_name(values: Values, names: Names) -> dict[str, Any]:
    site = names.record("sites", values["site"]) if values["site"] else names.site()
    return {"site": site, "name": values["name"] or values["kind"]}


def _check_part(values: Values, _: Mapping[str, str]) -> Faults:
    if (values["start"] or 0.0) >= (1.0 if values["end"] is None else values["end"]):
        yield "end", "is not after start"


def _check_mix(values: Values, _: Mapping[str, str]) -> Faults:
    try:
        parse_recipe(values["recipe"] or "")
    except RecordError as error:
        yield "recipe", f"is no recipe: {error}"


FORMAT = (
    Table.of(Site, "sites", quiet=("north_deg",)),
    Table.of(
        Place,
        "places",
        told=(
            Told(
                (
                    Column(
                        name="site",
                        parse=cells.text(MAX_REF),
                        about="id of a site; empty for a site named Garden.",
                    ),
                    Column(
                        name="name",
                        parse=cells.text(80),
                        about="What a set shares; empty for the kind.",
                    ),
                ),
                _site_and_name,
                lambda place: {"site": place.site.ref, "name": place.name},
                instead_of=("site", "name"),
                related=("site",),
            ),
        ),
    ),
    Table.of(Part, "parts", check=_check_part),
    Table.of(Move, "moves", quiet=QUIET),
    Table.of(Mix, "mixes", check=_check_mix),
    Table.of(Fill, "fills", quiet=QUIET),
)
