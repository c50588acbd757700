"""What of plans travels in the open format."""

from __future__ import annotations

from collections.abc import Mapping

from kilter.plans.models import PROMISED, NotEaten, Plan, PlannedCrop, Shelf, Wish
from kilter.set_out.format import OF_CROP
from kilter.tables.table import Faults, Table, Told, Values

#: Earlier packages know of one plan only, and do not name it.
OF_PLAN = Told((), lambda values, names: {"plan": names.plan(values["plan"])}, lambda _: {})


def _check_planned(values: Values, _: Mapping[str, str]) -> Faults:
    if values["pull_from"] and values["pull_until"] and values["pull_from"] > values["pull_until"]:
        yield "pull_until", "lies before pull_from"


FORMAT = (
    Table.of(Plan, "plans", twin=lambda plan: (plan.season, plan.name)),
    Table.of(
        PlannedCrop,
        "planned_crops",
        told=(OF_PLAN, OF_CROP),
        optional=("plan",),
        also=PROMISED,
        quiet=("own_percent", "given_kg", "animals_kg", "weight", "sowings"),
        twin=lambda one: (one.plan_id, one.crop_id),
        check=_check_planned,
    ),
    Table.of(NotEaten, "not_eaten", told=(OF_CROP,), twin=lambda one: (one.eater_id, one.crop_id)),
    Table.of(Shelf, "shelves"),
    Table.of(Wish, "wishes"),
)
