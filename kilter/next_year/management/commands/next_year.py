"""``manage.py next_year``: the plan's rows as a table or as JSON."""

from __future__ import annotations

from dataclasses import asdict, fields
from datetime import date
from typing import Any

from django.core.management.base import CommandParser

from kilter.core.amounts.units import half_up
from kilter.core.plan.forecast import OnePlant
from kilter.next_year.fit.ordering import Ordered, ordered
from kilter.next_year.fit.process import Best, fitted
from kilter.next_year.garden import usual_plan
from kilter.next_year.need import NeedEstimate
from kilter.next_year.rows import CropRow, rows
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household

#: A better fit is looked for so often, if nothing else is said.
TRIES = 30
#: Of a forecast, what is drawn or kept rather than told.
LEFT_OUT = frozenset({"years", "spreads", "effects", "_found"})


class Command(HouseholdCommand):
    help = "Say how many of each crop to plant next year."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--fit", action="store_true", help="say what of it fits where and when")
        parser.add_argument(
            "--tries", type=int, default=TRIES, help="how often a better fit is looked for"
        )

    def run(self, household: Household, options: dict[str, Any]) -> None:
        if options["fit"]:
            self._fit(household, options)
            return
        values = [_values(row) for row in rows(household)]
        if options["json"]:
            self.print_json({"crops": values})
            return
        self.print_table(
            ["crop", "sure", "plants", "row m", "set out", "begin", "lift"],
            [
                [
                    v["crop"],
                    "-" if v["sure"] is None else f"{half_up(v['sure'] * 100, 0)} %",
                    str(v["plants"] if v["plants"] is not None else "-"),
                    "-" if v["row_m"] is None else str(half_up(v["row_m"], 1)),
                    "-" if v["pieces"] is None else f"{v['pieces']} {v['piece']}",
                    *(
                        str(v["dates"][0][key] or "-") if v["dates"] else "-"
                        for key in ("in_the_ground", "lifted_from")
                    ),
                ]
                for v in values
            ],
        )

    def _fit(self, household: Household, options: dict[str, Any]) -> None:
        found = ordered(household, usual_plan(household))
        best = fitted(found.order, max(options["tries"], 0))
        crops: list[dict[str, Any]] = [
            {
                "crop": one.crop.name,
                "reached": best.reached[c],
                "sure": best.sure[c],
                "standing": standing(found, best, c),
            }
            for c, one in enumerate(found.rows)
        ]
        if options["json"]:
            whole = {
                "all_sure": best.all_sure,
                "worth": best.worth,
                "ceiling": best.ceiling,
                "tries": best.tries,
            }
            self.print_json({"crops": crops, **whole, "aside": dict(found.aside)})
            return
        self.print_table(
            ["crop", "reached", "sure", "where"],
            [
                [
                    crop["crop"],
                    f"{half_up(crop['reached'] * 100, 0)} %",
                    f"{half_up(crop['sure'] * 100, 0)} %",
                    "; ".join(
                        f"{at['place']} {at['plants']} from {at['from']}" for at in crop["standing"]
                    )
                    or "-",
                ]
                for crop in crops
            ],
        )


def standing(found: Ordered, best: Best, crop: int) -> list[dict[str, Any]]:
    """What of one crop stands where."""
    return [
        {
            "place": found.grounds[said.plot].plot.name,
            "variety": said.variety,
            "plants": round(amount),
            "from": str(found.windows[option].begins),
            "lifted_from": str(found.windows[option].lift_from),
            "lifted_to": str(found.windows[option].lift_to),
        }
        for option, amount in sorted(best.plants.items())
        if (said := found.order.options[option]).crop == crop
    ]


def _values(row: CropRow) -> dict[str, Any]:
    takes, needed = row.takes, row.needed
    return {
        "crop": row.crop.name,
        "way": needed.by.value,
        "certainty": row.said.certainty,
        "plate": _way(needed.plate),
        "rule": _way(needed.rule),
        "own_record": _way(needed.own),
        "needed_kg": needed.lift_kg,
        "one_plant": _one_plant(row.one_plant) if row.one_plant else None,
        "plants": row.plants,
        "sure": row.sure,
        "plants_at_50": row.at_half,
        "plants_at_80": row.at_eighty,
        "expected_kg": row.expected_kg,
        "surplus_kg": row.surplus_kg,
        "row_m": takes.row_m if takes else None,
        "containers": {f"{one.kind} {one.litres:g} L": count for one, count in takes.in_vessels}
        if takes
        else {},
        "pieces": takes.pieces if takes else None,
        "piece": takes.piece if takes else None,
        "to_get": (takes.buy.pieces if takes.buy else 0) if takes else None,
        "dates": [
            {
                "kind": sowing.kind,
                "under_lights": _written(row.dates.on(sowing.lights_from)),
                "in_the_ground": _written(row.dates.on(sowing.ground_from)),
                "lifted_from": _written(row.dates.on(sowing.lift_from)),
                "lifted_to": _written(row.dates.on(sowing.lift_to)),
            }
            for sowing in row.dates.sowings
        ],
        "problem": row.problem,
    }


def _written(day: date | None) -> str | None:
    return None if day is None else day.isoformat()


def _one_plant(one: OnePlant) -> dict[str, Any]:
    """All of it but the years that were drawn."""
    plain = {
        field.name: getattr(one, field.name)
        for field in fields(one)
        if field.init and field.name not in LEFT_OUT
    }
    return plain | {
        "spreads": asdict(one.spreads),
        "effects": [asdict(effect) for effect in one.effects],
    }


def _way(way: NeedEstimate) -> dict[str, Any]:
    chain = asdict(way.chain) if way.chain else {}
    return {**chain, "plants": way.plants, "problem": way.problem}
