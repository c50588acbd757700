"""``manage.py backup PATH``: database and photographs in one file, while Kilter serves."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from kilter.core.amounts.units import half_up
from kilter.site.backup import BackupError, backup
from kilter.site.upkeep import places, stamp


class Command(BaseCommand):
    help = (
        "Keep the whole of this Kilter in one file: database and photographs, consistent while "
        "it serves."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("path", help="the file to write, or a folder to write it into")

    def handle(self, *args: Any, **options: Any) -> None:
        target = Path(options["path"])
        if target.is_dir():
            target /= f"kilter-{stamp()}.zip"
        try:
            made = backup(*places(), target)
        except (BackupError, OSError) as error:
            raise CommandError(str(error)) from error
        self.stdout.write(
            f"Kept in {made}, {half_up(made.stat().st_size / 1e6, 1)} MB. "
            "Keep it on another machine too."
        )
