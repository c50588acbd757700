"""Plantings of a season, ready to be shown."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from itertools import groupby

from django.db.models import Prefetch, QuerySet

from kilter.people.models import Household
from kilter.set_out.models import MethodTag, Planting, PlantingQuerySet


@dataclass(frozen=True)
class Lane:
    """Plantings alike in all but their place, as one lane over the weeks."""

    label: str
    places: str
    plantings: tuple[Planting, ...]
    planted_on: date | None
    finished_on: date | None
    due_from: date | None
    due_to: date | None

    @property
    def first(self) -> Planting:
        return self.plantings[0]

    @property
    def units(self) -> int:
        return sum(planting.units or 0 for planting in self.plantings)


def plantings_of(household: Household, season: int) -> QuerySet[Planting]:
    """A season's plantings with all their names, as they stand."""
    return with_all_names(Planting.objects.of(household).filter(season=season))


def with_all_names(plantings: PlantingQuerySet) -> QuerySet[Planting]:
    """Plantings with places, crops, varieties and methods, as they stand."""
    tags = Prefetch("methods", MethodTag.objects.order_by("name"))
    return plantings.with_names().prefetch_related(tags).as_they_stand()


def seasons_of(household: Household, current: int) -> list[int]:
    """All seasons on record and the current one, newest first."""
    known = Planting.objects.of(household).values_list("season", flat=True).order_by().distinct()
    return sorted({current, *known}, reverse=True)


def lanes(plantings: list[Planting]) -> list[Lane]:
    """Group plantings that differ only in their place."""

    def alike(p: Planting) -> tuple[str, str, str, str, str]:
        tags = ";".join(str(tag) for tag in p.methods.all())
        return (p.crop.name, p.label, str(p.planted_on or ""), str(p.finished_on or ""), tags)

    return [_lane(list(group)) for _, group in groupby(sorted(plantings, key=alike), key=alike)]


def due_window(planting: Planting) -> tuple[date, date] | None:
    """When the handbook expects the first lift, if it counts days for this crop."""
    crop = planting.crop.in_handbook
    if crop is None or crop.days is None or planting.planted_on is None:
        return None
    return (
        planting.planted_on + timedelta(days=crop.days.low),
        planting.planted_on + timedelta(days=crop.days.high),
    )


def _lane(group: list[Planting]) -> Lane:
    first = group[0]
    due = due_window(first)
    return Lane(
        first.label,
        name_places(group),
        tuple(group),
        first.planted_on,
        first.finished_on,
        due[0] if due else None,
        due[1] if due else None,
    )


def name_places(plantings: list[Planting]) -> str:
    """Name the places together: ``Crate 1–4, 7``."""
    parts = []
    by_name: dict[str, list[int | None]] = {}
    for planting in plantings:
        by_name.setdefault(planting.place.name, []).append(planting.place.number)
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
