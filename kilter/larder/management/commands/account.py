"""``manage.py account``: what each crop of a season was worth and what it cost,
as a table or as JSON.
"""

from __future__ import annotations

from typing import Any

from django.core.management.base import CommandParser

from kilter.core.amounts.units import half_up
from kilter.larder.account import CropAccount, account
from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household


class Command(HouseholdCommand):
    help = "Say what a season was worth at your own prices, and what it cost, item by item."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--season", type=int, help="the year; this one without it")

    def run(self, household: Household, options: dict[str, Any]) -> None:
        found = account(household, options["season"] or clock.today(household).year)
        if options["json"]:
            sums = {name: getattr(found, name) for name in ("value", "saved", "given", "cost")}
            unshared = [{"what": item.what, "minor": item.minor} for item in found.unshared]
            crops = [_values(crop) for crop in found.crops]
            self.print_json(
                {
                    "season": found.season,
                    **sums,
                    "borne_by_no_crop": unshared,
                    "minutes_of_no_crop": found.of_places.minutes,
                    "litres_of_no_crop": found.of_places.water_l,
                    "crops": crops,
                }
            )
            return
        self.print_table(
            ["crop", "food kg", "worth", "saved", "given", "cost", "a kg from"],
            [
                [
                    crop.crop.name,
                    str(half_up(crop.food_kg, 3)),
                    *(
                        str(half_up(getattr(crop.account, name) / 100, 2))
                        for name in ("value", "saved", "given", "cost")
                    ),
                    "-"
                    if crop.account.break_even_minor is None
                    else str(half_up(crop.account.break_even_minor / 100, 2)),
                ]
                for crop in found.crops
            ],
        )


def _values(one: CropAccount) -> dict[str, Any]:
    return {
        "crop": one.crop.name,
        "food_mg": one.account.food_mg,
        "food_count": one.pieces,
        "eaten_mg": one.eaten_mg,
        "given_mg": one.given_mg,
        "price": one.price_words,
        "problem": one.problem,
        "value": one.account.value,
        "saved": one.account.saved,
        "given": one.account.given,
        "cost": one.account.cost,
        "items": [{"what": item.what, "minor": item.minor} for item in one.account.items],
        "break_even_minor": one.account.break_even_minor,
        "minutes": one.minutes,
        "litres": one.water_l,
        "minutes_per_kg": one.minutes_per_kg,
        "litres_per_kg": one.litres_per_kg,
    }
