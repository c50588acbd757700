"""Plantings whose results are kept back, as a trial is blinded until all of it is in.

Trials are asked in a later room; it says here which plantings it keeps back, so that every page can ask.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kilter.people.models import Household


@dataclass(frozen=True)
class Blinded:
    """A trial whose results are not shown yet."""

    pk: int
    name: str
    done: int  #: places that are in
    of: int


Provider = Callable[[Household], Mapping[int, Blinded]]
_providers: list[Provider] = []


def keeps_back(provider: Provider) -> Provider:
    """Let a room say which plantings are kept back."""
    if provider not in _providers:
        _providers.append(provider)
    return provider


def blinded_of(household: Household) -> dict[int, Blinded]:
    """The plantings that are kept back, by key, each with its trial."""
    return {pk: trial for provider in _providers for pk, trial in provider(household).items()}
