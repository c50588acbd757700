"""What is to be kept at the first planting of a crop in a season: the plan, a later room, keeps what it promised."""

from __future__ import annotations

from collections.abc import Callable

from kilter.people.history import Recorder
from kilter.people.models import Household
from kilter.set_out.models import Crop, Planting

Keep = Callable[[Recorder, list[Planting]], None]
#: Reckons before anything is locked, and gives what is to be written with the planting; None where nothing is.
Provider = Callable[[Household, int, Crop], Keep | None]
_providers: list[Provider] = []


def keeps_promises(provider: Provider) -> Provider:
    """Let a room keep what it promised."""
    if provider not in _providers:
        _providers.append(provider)
    return provider


def promises_of(household: Household, season: int, crop: Crop | None) -> list[Keep]:
    """What is to be written along with a planting of a crop."""
    if crop is None:
        return []
    return [keep for provider in _providers if (keep := provider(household, season, crop)) is not None]
