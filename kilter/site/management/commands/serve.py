"""``manage.py serve``: serve for real use."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

from kilter.site.backup import BackupError, alone, copy_database, keep_nightly
from kilter.site.serving import keep_deleting, serve
from kilter.site.upkeep import (
    files_of,
    keep_to_owner,
    pending_migrations,
    places,
    require_secret,
    stamp,
    unsound,
)


class Command(BaseCommand):
    help = "Check the database, bring it up to date and serve; PORT and KILTER_BIND say where."

    def handle(self, *args: Any, **options: Any) -> None:
        require_secret()
        database, photos = places()
        os.umask(0o077)
        try:
            with alone(database):
                self._make_ready(database, photos)
                if settings.KILTER_BACKUPS:
                    keep_nightly(database, photos, Path(settings.KILTER_BACKUPS), self.stderr.write)
                keep_deleting(self.stderr.write)
                serve(self.stdout.write, os.environ.get("KILTER_BIND", "127.0.0.1"))
        except (BackupError, OSError) as error:
            raise CommandError(str(error)) from error

    def _make_ready(self, database: Path, photos: Path) -> None:
        """Refuse what is damaged, keep a copy before anything is changed,
        and let only the owner read.
        """
        if problem := unsound(database):
            raise CommandError(
                f"The database is damaged ({problem}). Restore a backup: manage.py restore PATH."
            )
        if database.exists() and database.stat().st_size and pending_migrations():
            copy = database.with_name(f"{database.stem}-before-{stamp()}{database.suffix}")
            copy_database(database, copy)
            self.stdout.write(
                f"The database is brought up to date; as it was it is kept in {copy}."
            )
        call_command("migrate", verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        keep_to_owner(
            *files_of(database), photos, *(p for p in photos.rglob("*") if photos.is_dir())
        )
