"""Naming several plantings together."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from kilter.ground.models import Place
    from kilter.set_out.models import Planting


def name_places(plantings: Sequence[Planting]) -> str:
    """Name the places of plantings together: ``Crate 1–4, 7``."""
    return name_together((planting.place, planting.where) for planting in plantings)


def name_together(places: Iterable[tuple[Place, str]]) -> str:
    """Name places together, each with what it is called where it is of no set."""
    parts = []
    by_name: dict[str, list[int | None]] = {}
    for place, where in places:
        name = place.name if place.number is not None else where
        by_name.setdefault(name, []).append(place.number)
    for name, numbers in by_name.items():
        parts.append(f"{name} {_runs([n for n in numbers if n is not None])}".strip())
    return ", ".join(parts)


def _runs(numbers: list[int]) -> str:
    runs: list[list[int]] = []
    for number in sorted(set(numbers)):
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ", ".join(str(a) if a == b else f"{a}–{b}" for a, b in runs)
