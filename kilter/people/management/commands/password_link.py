"""``manage.py password_link NAME``: for the last owner, who can ask nobody."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from kilter.people.accounts import password_link
from kilter.people.models import User


class Command(BaseCommand):
    help = (
        "Print the end of an address by which somebody sets a new password; it works once, for "
        "three days."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name", help="the name they sign in with")

    def handle(self, *args: Any, **options: Any) -> None:
        user = User.objects.filter(username__iexact=options["name"], is_active=True).first()
        if user is None or not user.has_usable_password():
            raise CommandError(f"Nobody signs in as {options['name']} here.")
        self.stdout.write(password_link(user))
