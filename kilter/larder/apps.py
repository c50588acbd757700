"""Larder as an application: what it lost in store is known to Weigh up."""

from django.apps import AppConfig


class LarderConfig(AppConfig):
    """Larder."""

    name = "kilter.larder"

    def ready(self) -> None:
        from kilter.larder import lost  # noqa: F401
