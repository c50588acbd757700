"""Next year as an application: what it reckons is needed, and what it promised,
is known to earlier rooms.
"""

from django.apps import AppConfig


class NextYearConfig(AppConfig):
    """Next year."""

    name = "kilter.next_year"

    def ready(self) -> None:
        from kilter.next_year import actions, expected, needed  # noqa: F401
