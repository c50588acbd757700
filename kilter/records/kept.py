"""What became of a planting's harvest in store. The larder is a later room; it says here what it knows."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass

from kilter.people.models import Household


@dataclass(frozen=True)
class Kept:
    """Of one planting: what was put by, what of that was lost, and how it was kept."""

    put_by_mg: float
    lost_mg: float  #: spoiled, or lost in weight, so far
    kept_in: str  #: the kind of store that most of it went into
    is_cured: bool


Provider = Callable[[Household, Collection[int]], Mapping[int, Kept]]
_providers: list[Provider] = []


def tells_kept(provider: Provider) -> Provider:
    """Let a room say what became of harvests in store."""
    if provider not in _providers:
        _providers.append(provider)
    return provider


def kept_of(household: Household, plantings: Collection[int]) -> dict[int, Kept]:
    """What became of some plantings' harvest, by key; those of which nothing was put by are not in it."""
    return {pk: kept for provider in _providers for pk, kept in provider(household, plantings).items()}
