"""What one piece and one own measure of each crop weighs here."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from typing import Any

from kilter.core.amounts.weighing import MEASURE_CV, CountEstimate, PerPiece, estimate_mg, per_piece
from kilter.people.models import Household
from kilter.weigh_in.models import WeighIn


class Pieces:
    """What one piece and one own measure of each crop weighs here, learnt from the lots weighed."""

    def __init__(self, household: Household, crops: Iterable[int]) -> None:
        weighed = WeighIn.objects.of(household).filter(
            planting__crop__in=list(crops),
            mass_mg__isnull=False,
            pm_mg=None,
            planting__struck_at=None,
        )
        columns = (
            "planting__crop_id",
            "planting__variety__name",
            "grade",
            "count",
            "measure_id",
            "measures",
            "mass_mg",
        )
        self._lots: dict[tuple[Any, ...], list[tuple[float, float]]] = defaultdict(list)
        for crop_id, variety, grade, count, measure, measures, mass_mg in weighed.order_by(
            "pk"
        ).values_list(*columns):
            if count:
                self._lots[crop_id, grade].append((count, mass_mg))
                self._lots[crop_id, grade, variety].append((count, mass_mg))
            if measures:
                self._lots[crop_id, "measure", measure].append((measures, mass_mg))

    def of_measure(self, crop_id: int, measure_id: int) -> PerPiece | None:
        """What one of an own measure holds of a crop."""
        return per_piece(self._lots.get((crop_id, "measure", measure_id), []), MEASURE_CV)

    def of_crop(self, crop_id: int) -> PerPiece | None:
        """What one piece of a crop's Table grade weighs."""
        return per_piece(self._lots.get((crop_id, "table"), []))

    def estimate(self, line: WeighIn, crop_id: int, variety: str | None) -> CountEstimate | None:
        """Reckon a line that was not weighed: by its own measure,
        else by pieces of its variety, else of its crop.
        """
        if line.measures and line.measure_id:
            each = self.of_measure(crop_id, line.measure_id)
            if each is not None:
                return estimate_mg(line.measures, each)
        if not line.count:
            return None
        lots = self._lots.get((crop_id, line.grade, variety)) or self._lots.get(
            (crop_id, line.grade), []
        )
        each = per_piece(lots)
        return None if each is None else estimate_mg(line.count, each)
