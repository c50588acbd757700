"""What places remember of pests, dry ends and failures. What happened is asked in a later room, which tells it here."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from datetime import date

from kilter.ground.models import Part, Place
from kilter.people.models import Household


@dataclass(frozen=True)
class Remembered:
    """What one place, part or site remembers, in words."""

    where: str
    words: tuple[str, ...]


Provider = Callable[[Household, Collection[tuple[Place, Part | None]], date], list[Remembered]]
_providers: list[Provider] = []


def tells_memory(provider: Provider) -> Provider:
    """Let a room say what places remember."""
    if provider not in _providers:
        _providers.append(provider)
    return provider


def memory_of(household: Household, spots: Collection[tuple[Place, Part | None]], today: date) -> list[Remembered]:
    """What some places remember, those that remember nothing left out."""
    return [one for provider in _providers for one in provider(household, spots, today)]
