"""``manage.py restore PATH``: put a backup in place; what was there is kept."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connections

from kilter.site.backup import BackupError, restore
from kilter.site.upkeep import places


class Command(BaseCommand):
    help = (
        "Put a backup in place of the database and photographs; both are checked first, and "
        "what was there is kept."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "path", help="the file that manage.py backup, or the server at night, wrote"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        connections.close_all()
        try:
            kept = restore(Path(options["path"]), *places())
        except (BackupError, OSError) as error:
            raise CommandError(str(error)) from error
        call_command("migrate", verbosity=0)
        self.stdout.write(f"Restored from {options['path']}. What was there before is in {kept}.")
