"""What of reviews and decisions travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kilter.look_back.models import Decision, Remark, Review
from kilter.set_out.format import MAYBE_CROP, VARIETY
from kilter.tables.table import Faults, Names, Table, Told, Values


def _of_variety(values: Values, names: Names) -> dict[str, Any]:
    crop = names.crop(values["crop"]) if values["crop"] else None
    variety = names.variety(crop, values["variety"]) if crop and values["variety"] else None
    return {"crop": crop, "variety": variety}


MAYBE_VARIETY = Told(
    (*MAYBE_CROP.columns, VARIETY),
    _of_variety,
    lambda record: {
        "crop": record.crop and record.crop.name,
        "variety": record.variety and record.variety.name,
    },
    instead_of=("crop", "variety"),
    related=("crop", "variety"),
)


def _check_decision(values: Values, _: Mapping[str, str]) -> Faults:
    if values["percent"] is not None and values["number"] is not None:
        yield "number", "goes with no per cent"
    if values["variety"] and not values["crop"]:
        yield "crop", "goes with a variety"


FORMAT = (
    Table.of(Review, "reviews", twin=lambda one: (one.season,)),
    Table.of(
        Remark, "remarks", told=(MAYBE_CROP,), twin=lambda one: (one.season, one.key or id(one))
    ),
    Table.of(Decision, "decisions", told=(MAYBE_VARIETY,), check=_check_decision),
)
