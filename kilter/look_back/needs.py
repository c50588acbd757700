"""What the household needs of each crop. The plan is a later room; it says here what it reckons."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kilter.people.models import Household


@dataclass(frozen=True)
class Need:
    """What is to be lifted of a crop for what is eaten here."""

    kg: float
    is_said: bool  #: the household said how much it eats of it; else it is the handbook's servings


#: Of a season, by the key of the crop.
Provider = Callable[[Household, int], Mapping[int, Need]]
_providers: list[Provider] = []


def tells_need(provider: Provider) -> Provider:
    """Let a room say what is needed."""
    if provider not in _providers:
        _providers.append(provider)
    return provider


def needs_of(household: Household, season: int) -> dict[int, Need]:
    """What is to be lifted of each crop for what is eaten here, by its key, where that is known."""
    return {pk: need for provider in _providers for pk, need in provider(household, season).items()}
