"""``manage.py weigh_up``: the same answer as the page, as a table or as JSON."""

from __future__ import annotations

from typing import Any

from django.core.management.base import CommandError, CommandParser

from kilter.core.compare import Prior
from kilter.core.measures import MEASURES
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.set_out.models import Crop
from kilter.weigh_up.headless import as_values
from kilter.weigh_up.queries import ask
from kilter.weigh_up.questions import Question, attributes_of


class Command(HouseholdCommand):
    help = "Compare yields: which did better, by how much, and how sure is that."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--crop", required=True)
        parser.add_argument("--compare", required=True, metavar="ATTR", help="variety, season, …, method:NAME")
        parser.add_argument("--by", required=True, choices=sorted(MEASURES), metavar="MEASURE")
        parser.add_argument("--within", action="append", default=[], metavar="ATTR")
        parser.add_argument("--season", action="append", default=[], type=int)
        parser.add_argument("--estimates", action="store_true", help="with what was counted and not weighed")
        parser.add_argument("--prior-weight", type=float, default=Prior.weight)

    def run(self, household: Household, options: dict[str, Any]) -> None:
        crop = Crop.objects.of(household).filter(name__iexact=options["crop"]).first()
        if crop is None:
            raise CommandError(f"There is no crop “{options['crop']}” in this household.")
        known = attributes_of(household)
        for attribute in (options["compare"], *options["within"]):
            if attribute not in known:
                raise CommandError(f"“{attribute}” is not recorded here; use one of {', '.join(known)}.")
        if options["compare"] in options["within"]:
            raise CommandError("What is compared cannot also be held alike.")
        if not 0 <= options["prior_weight"] < 1e6:
            raise CommandError("The prior's weight is zero or more.")
        within, seasons = tuple(options["within"]), tuple(options["season"])
        question = Question(crop, options["compare"], options["by"], within, seasons, options["estimates"])
        values = as_values(ask(household, question, known, Prior(weight=options["prior_weight"])))
        if options["json"]:
            self.print_json(values)
        if "problem" in values:
            raise CommandError(values["problem"])
        if not options["json"]:
            self._print(values)

    def _print(self, values: dict[str, Any]) -> None:
        def cell(value: float | None) -> str:
            return "" if value is None else f"{value:.4g}"

        self.stdout.write(values["sentence"])
        self.print_table(
            ["level", "n", "mean", "low", "high"],
            [[v["level"], str(v["n"]), cell(v["mean"]), cell(v["low"]), cell(v["high"])] for v in values["levels"]],
        )
        self.print_table(
            ["a", "b", "ratio", "low", "high", "chance"],
            [[v["a"], v["b"], *(cell(v[k]) for k in ("ratio", "low", "high", "chance"))] for v in values["pairs"]],
        )
        for out in values["left_out"]:
            self.stdout.write(f"left out: {out['planting']} {out['reason']}")
