"""Tending as an application: what places remember is known to Set out."""

from django.apps import AppConfig


class TendingConfig(AppConfig):
    """Tending."""

    name = "kilter.tending"

    def ready(self) -> None:
        from kilter.tending import memory  # noqa: F401
