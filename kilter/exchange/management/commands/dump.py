"""``manage.py dump``: a household as a package."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from kilter.exchange.dumping import dump
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household


class Command(HouseholdCommand):
    help = (
        "Write a household as a package of the open format: a zip if the name ends so, else a "
        "folder."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("path", type=Path)
        super().add_arguments(parser)

    def run(self, household: Household, options: dict[str, Any]) -> None:
        dump(household, options["path"])
        if not options["json"]:
            self.stdout.write(f"Written to {options['path']}.")
