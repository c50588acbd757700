"""Plans as an application: a small layer that the rooms from the larder on read."""

from django.apps import AppConfig


class PlansConfig(AppConfig):
    """Plans."""

    name = "kilter.plans"
