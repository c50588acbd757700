"""What of plans travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import Model

from kilter.plans.models import (
    PROMISED,
    FitState,
    NotEaten,
    Plan,
    PlannedCrop,
    PlannedPlanting,
    Shelf,
    Spot,
    Wish,
)
from kilter.set_out.format import MAYBE_CROP, OF_CROP, WITH_VARIETY
from kilter.tables import cells
from kilter.tables.table import Column, Faults, Table, Told, Values

#: Earlier packages know of one plan only, and do not name it.
OF_PLAN = Told((), lambda values, names: {"plan": names.plan(values["plan"])}, lambda _: {})


#: The crop that another is to share a bed with.
OF_OTHER = Told(
    (
        Column(
            name="other",
            parse=cells.text(60),
            about="Name of the crop that it shares a bed with; made if not known yet.",
        ),
    ),
    lambda values, names: {"other": names.crop(values["other"]) if values["other"] else None},
    lambda record: {"other": record.other and record.other.name},
    instead_of=("other",),
    related=("other",),
)


def _check_spot(values: Values, _: Mapping[str, str]) -> Faults:
    of_place = values["says"] in {Spot.Says.ONLY, Spot.Says.NEVER}
    if of_place != bool(values["place"]):
        yield "place", "is said of only and never, and of nothing else"
    if (values["says"] == Spot.Says.WITH) != bool(values["other"]):
        yield "other", "is said of with, and of nothing else"
    if values["says"] != Spot.Says.NEVER and not values["crop"]:
        yield "crop", "is missing"


def _check_planned(values: Values, _: Mapping[str, str]) -> Faults:
    if values["pull_from"] and values["pull_until"] and values["pull_from"] > values["pull_until"]:
        yield "pull_until", "lies before pull_from"


def _check_half_months(values: Values, _: Mapping[str, str]) -> Faults:
    start, end = values["start"], values["end"]
    if start is not None and end is not None and start > end:
        yield "end", "lies before start"


STAYS: dict[type[Model], str] = {FitState: "reckoned from the plan, and found anew"}
FORMAT = (
    Table.of(Plan, "plans", twin=lambda plan: (plan.season, plan.name)),
    Table.of(
        PlannedCrop,
        "planned_crops",
        told=(OF_PLAN, OF_CROP),
        optional=("plan",),
        also=PROMISED,
        quiet=(
            "own_percent",
            "given_kg",
            "animals_kg",
            "weight",
            "sowings",
            "variety_share_percent",
            "site_share_percent",
            "is_must",
        ),
        twin=lambda one: (one.plan_id, one.crop_id),
        check=_check_planned,
    ),
    Table.of(NotEaten, "not_eaten", told=(OF_CROP,), twin=lambda one: (one.eater_id, one.crop_id)),
    Table.of(Spot, "spots", told=(MAYBE_CROP, OF_OTHER), goes_with=("place",), check=_check_spot),
    Table.of(
        PlannedPlanting,
        "planned_plantings",
        told=(WITH_VARIETY,),
        also=("planting",),
        check=_check_half_months,
    ),
    Table.of(Shelf, "shelves"),
    Table.of(Wish, "wishes"),
)
