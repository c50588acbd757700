"""``manage.py demo``: make the demo garden if need be, and serve it signed in."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from kilter.site.demo import ensure_demo
from kilter.site.serving import serve


class Command(BaseCommand):
    help = "Load the demo garden and serve it on this machine; what is entered is kept."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--reset", action="store_true", help="start over with the garden as it ships"
        )
        parser.add_argument("--no-serve", action="store_true", help="only make the garden")

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.IS_DEMO:
            raise CommandError("Run this with the demo's settings: make demo.")
        database = Path(str(settings.DATABASES["default"]["NAME"]))
        if options["reset"]:
            for path in database.parent.glob(f"{database.name}*"):
                path.unlink()
        call_command("migrate", verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        household = ensure_demo()
        self.stdout.write(f"The demo garden is {household}; it lives in {database}.")
        if not options["no_serve"]:
            serve(self.stdout.write)
