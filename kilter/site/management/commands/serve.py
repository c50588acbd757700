"""``manage.py serve``: serve for real use."""

from __future__ import annotations

import os
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from kilter.site.serving import serve


class Command(BaseCommand):
    help = "Bring the database up to date and serve; PORT and KILTER_BIND say where."

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0)
        call_command("collectstatic", interactive=False, verbosity=0)
        serve(self.stdout.write, os.environ.get("KILTER_BIND", "127.0.0.1"))
