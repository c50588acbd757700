"""What of a crop and season is food, by the grades that the household eats: told here alone."""

from __future__ import annotations

from typing import NamedTuple

from kilter.core.trade.grades import food_grades
from kilter.larder.ledger import Larder
from kilter.larder.lines import LineRow
from kilter.set_out.models import Crop


class Food(NamedTuple):
    """What was lifted of the grades that are food; Unripe is food once it has turned."""

    lines: tuple[LineRow, ...]
    mass_mg: int
    pieces: int | None  #: None where none of it was counted


def food_of(found: Larder, crop: Crop, season: int) -> Food:
    """The food of a crop and season, of whatever larder was read."""
    grades = food_grades(is_small_food=crop.is_small_eaten(found.household))
    lines = tuple(
        row for row in found.lines.values() if row.key == (crop.pk, season) and row.grade in grades
    )
    counted = [row.pieces for row in lines if row.pieces is not None]
    mass_mg = sum(found.masses[row.pk] for row in lines)
    return Food(lines, mass_mg, sum(counted) if counted else None)
