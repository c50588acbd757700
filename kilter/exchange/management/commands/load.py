"""``manage.py load``: a package into a household, all or nothing."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import CommandError, CommandParser

from kilter.exchange.loading import load
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household


class Command(HouseholdCommand):
    help = "Load a package of the open format: a folder, a bare folder of CSV files, or a zip."
    makes_household = True

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("path", type=Path)
        super().add_arguments(parser)

    def run(self, household: Household, options: dict[str, Any]) -> None:
        loaded = load(options["path"], household)
        for problem in loaded.problems:
            self.stderr.write(str(problem))
        for note in loaded.notes:
            self.stderr.write(f"note: {note}")
        if not loaded.is_done:
            more = f" and {loaded.more_problems} more" if loaded.more_problems else ""
            raise CommandError(f"{len(loaded.problems)} problems{more}; nothing was loaded.")
        if options["json"]:
            self.print_json({"new": loaded.new, "changed": loaded.changed, "same": loaded.same})
            return
        self.print_table(
            ["table", "new", "changed", "as before"],
            [[table, *map(str, counts)] for table, counts in loaded.counts],
        )
