"""``manage.py weigh_up``: the same answer as the page, as a table or as JSON."""

from __future__ import annotations

from typing import Any

from django.core.management.base import CommandError, CommandParser

from kilter.core.compare import Prior
from kilter.core.yields.measures import MEASURES
from kilter.core.yields.record import GRADES
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.set_out.models import Crop
from kilter.weigh_up.headless import as_values
from kilter.weigh_up.queries import ask
from kilter.weigh_up.questions import Question, attributes_of


def _crop(household: Household, name: str) -> Crop:
    crop: Crop | None = Crop.objects.of(household).filter(name__iexact=name).first()
    if crop is None:
        raise CommandError(f"There is no crop “{name}” in this household.")
    return crop


class Command(HouseholdCommand):
    help = "Compare yields: which did better, by how much, and how sure is that."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--crop", action="append", default=[], help="again for more; none for all")
        parser.add_argument("--compare", required=True, metavar="ATTR", help="variety, season, …, method:NAME")
        parser.add_argument("--by", required=True, choices=sorted(MEASURES), metavar="MEASURE")
        parser.add_argument("--within", action="append", default=[], metavar="ATTR")
        parser.add_argument("--season", action="append", default=[], type=int)
        parser.add_argument("--and", dest="also", default="", metavar="ATTR", help="a second thing compared at once")
        parser.add_argument(
            "--grade", action="append", default=[], choices=GRADES, help="again for more; none for food"
        )
        parser.add_argument("--upto", default="", choices=["date", "age"], help="of what is picked again and again")
        parser.add_argument("--estimates", action="store_true", help="with what was counted and not weighed")
        parser.add_argument("--prior-weight", type=float, help="instead of the garden's own replicates; 0 for none")

    def run(self, household: Household, options: dict[str, Any]) -> None:
        crops = tuple(_crop(household, name) for name in options["crop"])
        known = attributes_of(household)
        also = options["also"]
        for attribute in (options["compare"], also, *options["within"]):
            if attribute and attribute not in known:
                raise CommandError(f"“{attribute}” is not recorded here; use one of {', '.join(known)}.")
        if {options["compare"], also} & set(options["within"]) or options["compare"] == also:
            raise CommandError("What is compared cannot also be held alike.")
        weight = options["prior_weight"]
        if weight is not None and not 0 <= weight < 1e6:
            raise CommandError("The prior's weight is zero or more.")
        question = Question(
            crops, options["compare"], options["by"], tuple(options["within"]), tuple(options["season"]),
            options["estimates"], also=also, grades=tuple(options["grade"]), upto=options["upto"],
        )  # fmt: skip
        prior = None if weight is None else Prior(weight=weight)
        values = as_values(ask(household, question, known, prior))
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
