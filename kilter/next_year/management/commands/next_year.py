"""``manage.py next_year``: the plan's rows as a table or as JSON."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Any

from kilter.core.plan.forecast import OnePlant
from kilter.next_year.queries import CropRow, NeedEstimate, rows
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household

#: Of a forecast, what is drawn or kept rather than told.
LEFT_OUT = frozenset({"years", "spreads", "_found"})


class Command(HouseholdCommand):
    help = "Say how many of each crop to plant next year."

    def run(self, household: Household, options: dict[str, Any]) -> None:
        values = [_values(row) for row in rows(household)]
        if options["json"]:
            self.print_json({"crops": values})
            return
        self.print_table(
            ["crop", "sure", "plants", "row m", "seeds"],
            [
                [
                    v["crop"],
                    f"{v['certainty']} %",
                    str(v["plants"] if v["plants"] is not None else "-"),
                    "-" if v["row_m"] is None else f"{v['row_m']:.1f}",
                    "-" if v["seeds"] is None else str(v["seeds"]),
                ]
                for v in values
            ],
        )


def _values(row: CropRow) -> dict[str, Any]:
    return {
        "crop": row.crop.name,
        "way": row.plan.way,
        "certainty": row.plan.certainty,
        "plate": _way(row.plate),
        "rule": _way(row.rule),
        "own_record": _way(row.own),
        "one_plant": _one_plant(row.one_plant) if row.one_plant else None,
        "plants": row.plants,
        "plants_at_50": row.at_half.plants if row.at_half else None,
        "plants_at_80": row.at_eighty.plants if row.at_eighty else None,
        "expected_kg": row.chosen.expected_kg if row.chosen else None,
        "more_than_needed_kg": row.more_kg,
        "expected_surplus_kg": row.chosen.expected_surplus_kg if row.chosen else None,
        "row_m": row.row_m,
        "containers": row.containers,
        "container_l": row.container_l,
        "seeds": row.seeds,
        "problem": row.problem,
    }


def _one_plant(one: OnePlant) -> dict[str, Any]:
    """All of it but the years that were drawn."""
    plain = {field.name: getattr(one, field.name) for field in fields(one) if field.init and field.name not in LEFT_OUT}
    return plain | {"spreads": asdict(one.spreads)}


def _way(way: NeedEstimate) -> dict[str, Any]:
    chain = asdict(way.chain) if way.chain else {}
    return {**chain, "plants": way.plants, "row_m": way.row_m, "problem": way.problem}
