"""How much room a plant takes in a bed, and how many a container holds."""

from __future__ import annotations

import math
from collections.abc import Mapping

from kilter.ground.models import Place
from kilter.next_year.garden import Habit
from kilter.next_year.rows import spacing_of
from kilter.next_year.takes import PER_30L
from kilter.set_out.models import Crop


def plant_m2(crop: Crop, habits: Mapping[int, Habit]) -> float:
    """Square metres a plant, spaced as it was last, else by the handbook; 0 where neither says."""
    in_row, habit, book = spacing_of(crop, habits), habits.get(crop.pk), crop.in_handbook
    gap = (habit.row_gap_m if habit else None) or (book.row_gap_m if book else None) or in_row
    return in_row * gap if in_row and gap else 0.0


def plants_a_pot(crop: Crop, pot: Place) -> int:
    """How many plants a container holds, by the handbook; 0 where it holds none or does not say."""
    book = crop.in_handbook
    if book is None or not book.plants_per_30l or not pot.volume_l:
        return 0
    return math.floor(book.plants_per_30l * pot.volume_l / PER_30L + 1e-9)
