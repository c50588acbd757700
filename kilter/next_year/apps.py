"""Next year as an application: what it reckons is needed is known to Look back."""

from django.apps import AppConfig


class NextYearConfig(AppConfig):
    """Next year."""

    name = "kilter.next_year"

    def ready(self) -> None:
        from kilter.next_year import needed  # noqa: F401
