"""``manage.py weigh_up``: the same answer as the page, as a table or as JSON."""

from __future__ import annotations

from typing import Any

from django.core.management.base import CommandError, CommandParser
from django.http import QueryDict

from kilter.core.compare import Prior
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.answer.headless import as_values
from kilter.weigh_up.question.forms import QuestionForm
from kilter.weigh_up.question.gaps import GAPS

OPTION = {gap.name: f"--{gap.option}" for gap in GAPS}


class Command(HouseholdCommand):
    help = "Compare yields: which did better, by how much, and how sure is that."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        for gap in GAPS:
            how: dict[str, Any] = (
                {"action": "store_true"} if gap.kind == "flag" else {"metavar": gap.kind.upper()}
            )
            if gap.is_many:
                how |= {"action": "append", "default": []}
            parser.add_argument(
                OPTION[gap.name], dest=gap.name, help=gap.about, required=gap.is_needed, **how
            )
        parser.add_argument(
            "--prior-weight", type=float, help="instead of the garden's own replicates; 0 for none"
        )
        parser.add_argument(
            "--plain",
            action="store_true",
            help=(
                "as textbooks reckon: no place off, no other season; so with a prior weight of 0 "
                "too"
            ),
        )

    def run(self, household: Household, options: dict[str, Any]) -> None:
        weight = options["prior_weight"]
        if weight is not None and not 0 <= weight < 1e6:
            raise CommandError("The prior's weight is zero or more.")
        form = self._form(household, options)
        prior = None if weight is None else Prior.plain(weight)
        values = as_values(
            ask(
                household,
                form.question(),
                form.attributes,
                prior,
                is_plain=options["plain"] or weight == 0,
            )
        )
        if options["json"]:
            self.print_json(values)
        if "problem" in values:
            raise CommandError(values["problem"])
        if not options["json"]:
            self._print(values)

    def _form(self, household: Household, options: dict[str, Any]) -> QuestionForm:
        """The question as the page would be asked it, and refused as there."""
        data = QueryDict(mutable=True)
        for gap in GAPS:
            said = options[gap.name]
            if said:
                data.setlist(
                    gap.name, said if gap.is_many else ["on" if gap.kind == "flag" else said]
                )
        form = QuestionForm(data, household=household)
        if not form.is_valid():
            said = "; ".join(
                f"{OPTION[name]}: {' '.join(map(str, errors))}"
                for name, errors in form.errors.items()
            )
            known = {
                gap.kind: ", ".join(key for key, _ in form.choices_of(gap) if key)
                for gap in GAPS
                if gap.name in form.errors
            }
            words = " ".join(f"Known: {names}." for names in known.values() if names)
            raise CommandError(f"{said} {words}".strip())
        return form

    def _print(self, values: dict[str, Any]) -> None:
        def cell(value: float | None) -> str:
            return "" if value is None else f"{value:.4g}"

        self.stdout.write(values["sentence"])
        self.print_table(
            ["level", "n", "mean", "low", "high"],
            [
                [v["level"], str(v["n"]), cell(v["mean"]), cell(v["low"]), cell(v["high"])]
                for v in values["levels"]
            ],
        )
        self.print_table(
            ["a", "b", values["pairs_in"], "low", "high", "chance"],
            [
                [v["a"], v["b"], *(cell(v[k]) for k in ("size", "low", "high", "chance"))]
                for v in values["pairs"]
            ],
        )
        for out in values["left_out"]:
            self.stdout.write(f"left out: {out['planting']} {out['reason']}")
