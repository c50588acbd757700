"""``manage.py figures``: what each planting gave, by every measure, as its page shows it."""

from __future__ import annotations

from typing import Any

from django.core.management.base import CommandParser

from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.records.facts import facts
from kilter.records.figures import figures_of
from kilter.records.harvest import ALL_NEEDS
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Planting


class Command(HouseholdCommand):
    help = (
        "Show what plantings gave: per plant, square metre, litre, day, minute …, with what is "
        "missing."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--crop", help="only of this crop")
        parser.add_argument("--season", type=int, help="only of this season")

    def run(self, household: Household, options: dict[str, Any]) -> None:
        plantings = Planting.objects.of(household).with_names().as_they_stand()
        if options["crop"]:
            plantings = plantings.filter(crop__name__iexact=options["crop"])
        if options["season"]:
            plantings = plantings.filter(season=options["season"])
        today, kept_back = clock.today(household), blinded_of(household)
        found: list[dict[str, Any]] = []
        for fact in facts(household, plantings, ALL_NEEDS):
            figures = figures_of(household, fact, today)
            for figure in figures.by_measure:
                said: dict[str, Any] = {
                    "planting": fact.record.ref,
                    "place": fact.place,
                    "label": fact.label,
                }
                said |= {"season": fact.season, "measure": figure.measure.key}
                if fact.pk in kept_back:
                    said["missing"] = (
                        f"belongs to the trial “{kept_back[fact.pk].name}”, which is blinded"
                    )
                elif figure.found:
                    said |= {
                        "value": figure.found.rate,
                        "sd": figure.found.rate_sd,
                        "estimated": figure.found.is_estimated,
                        "so_far": figure.found.is_so_far,
                    }
                else:
                    said["missing"] = figure.reason
                found.append(said)
        if options["json"]:
            self.print_json(found)
            return
        rows = []
        for said in found:
            if "value" in said:
                value = f"{'~' * said['estimated']}{said['value']:.4g}"
                names = [said[name] for name in ("place", "label", "season", "measure")]
                rows.append([*map(str, names), value, f"{said['sd']:.2g}"])
        self.print_table(["place", "planting", "season", "measure", "value", "sd"], rows)
