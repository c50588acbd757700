"""``manage.py larder``: what was lifted of each crop and season and where it went,
as a table or as JSON.
"""

from __future__ import annotations

from typing import Any

from kilter.core.amounts.units import half_up
from kilter.core.trade.uses import USES
from kilter.larder.ledger import larder
from kilter.larder.went import Went, went
from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.set_out.queries import seasons_of


class Command(HouseholdCommand):
    help = "Say where everything lifted went, to the milligram."

    def run(self, household: Household, options: dict[str, Any]) -> None:
        seasons = seasons_of(household, clock.today(household).year)
        found = went(larder(household, seasons), seasons)
        if options["json"]:
            self.print_json({"crops": [_values(one) for one in found]})
            return
        head = [
            "crop",
            "season",
            "lifted kg",
            *(use.replace("_", " ") for use in USES),
            "in store",
            "not accounted",
        ]
        rows = [
            [one.crop.name, str(one.season), *(str(half_up(mg / 1e6, 3)) for mg in _masses(one))]
            for one in found
        ]
        self.print_table(head, rows)


def _masses(one: Went) -> list[int]:
    where = one.where
    return [
        where.lifted_mg,
        *(where.used_mg[use] for use in USES),
        where.in_store_mg,
        where.not_accounted_mg,
    ]


def _counts(one: Went) -> dict[str, Any]:
    """The same in pieces; null where nothing was counted."""
    pieces = one.pieces
    named = ("lifted", *USES, "in_store", "preserved", "not_accounted")
    if pieces is None:
        return {**{f"{name}_count": None for name in named}, "lines_not_counted": None}
    said = {
        "lifted": pieces.lifted,
        **pieces.used,
        "in_store": pieces.in_store,
        "preserved": pieces.preserved,
        "not_accounted": pieces.not_accounted,
    }
    return {
        **{f"{name}_count": said[name] for name in named},
        "lines_not_counted": pieces.uncounted,
    }


def _values(one: Went) -> dict[str, Any]:
    where = one.where
    return {
        "crop": one.crop.name,
        "season": one.season,
        "lifted_mg": where.lifted_mg,
        **{use: where.used_mg[use] for use in USES},
        "in_store": where.in_store_mg,
        "not_accounted": where.not_accounted_mg,
        "why_not_accounted": dict(where.reasons),
        "assumed_eaten": where.assumed_mg,
        "estimated_of_lifted": where.estimated_mg,
        **_counts(one),
        "said": [
            {"said": said.said, "when": str(said.when), "note": said.note} for said in one.supplies
        ],
    }
