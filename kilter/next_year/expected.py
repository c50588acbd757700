"""What a plant is expected to give this season: for the rooms that tell what is left to lift."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress

from kilter.core.errors import KilterError
from kilter.core.plan.forecast import forecast_one_plant
from kilter.next_year.records import CropRecord, past_and_work
from kilter.people.models import Household
from kilter.records.left import EXPECTED
from kilter.set_out.models import Crop


@EXPECTED.answered_by
def expected_kg(
    household: Household, crops: Mapping[tuple[int, int], Crop]
) -> dict[tuple[int, int], float]:
    """By crop and season the middle of its forecast, from the seasons before it; crops without
    any are not in it.
    """
    if not crops:
        return {}
    past, _ = past_and_work(household)
    found = {}
    for (pk, season), crop in crops.items():
        before, book = past.get(pk, CropRecord()).before(season), crop.in_handbook
        if not before.grown:
            continue
        with suppress(KilterError):
            found[pk, season] = forecast_one_plant(
                before.grown,
                before.planned,
                book.kg_per_plant if book else None,
                before.failed,
                before.setbacks,
            ).median_kg
    return found
