"""Weigh up as an application: what trials keep back is known to every room."""

from django.apps import AppConfig


class WeighUpConfig(AppConfig):
    """Weigh up."""

    name = "kilter.weigh_up"

    def ready(self) -> None:
        from kilter.weigh_up.trials import blinding  # noqa: F401
