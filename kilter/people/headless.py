"""What the headless commands share: finding the household, printing JSON, a clear refusal."""

from __future__ import annotations

import json
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, connection

from kilter.core.errors import KilterError
from kilter.people.models import Household


class HouseholdCommand(BaseCommand):
    """A command on one household, named by ``--household``."""

    requires_system_checks: list[str] = []  # noqa: RUF012
    makes_household = False

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--household", required=True, help="name of the household")
        parser.add_argument("--json", action="store_true", help="print JSON")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            if self.makes_household and not connection.introspection.table_names():
                call_command("migrate", verbosity=0)
            household = self._household(options["household"])
            self.run(household, options)
        except OperationalError as error:
            raise CommandError(
                f"The database cannot be used ({error}). Run “manage.py migrate” first."
            ) from error
        except KilterError as error:
            raise CommandError(str(error)) from error

    def run(self, household: Household, options: dict[str, Any]) -> None:
        raise NotImplementedError

    def print_json(self, value: object) -> None:
        self.stdout.write(json.dumps(value, indent=2, ensure_ascii=False))

    def print_table(self, head: list[str], rows: list[list[str]]) -> None:
        """Print columns, each as wide as its widest cell."""
        widths = [max(len(cell) for cell in column) for column in zip(head, *rows, strict=True)]
        for line in (head, *rows):
            self.stdout.write(
                "  ".join(
                    cell.ljust(width) for cell, width in zip(line, widths, strict=True)
                ).rstrip()
            )

    def _household(self, name: str) -> Household:
        found = list(Household.objects.filter(name=name)[:2])
        if len(found) > 1:
            raise CommandError(f"There are several households named “{name}”; rename one.")
        if found:
            return found[0]
        if self.makes_household:
            return Household(name=name)
        known = (
            ", ".join(f"“{n}”" for n in Household.objects.values_list("name", flat=True)[:10])
            or "none"
        )
        raise CommandError(f"There is no household named “{name}”. Known: {known}.")
