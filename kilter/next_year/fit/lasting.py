"""What stays where it stands over years: it takes its room and gives what it gives."""

from __future__ import annotations

import statistics
from collections import defaultdict
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.next_year.fit.option_days import OptionDays
from kilter.next_year.rows import CropRow
from kilter.set_out.models import Planting
from kilter.set_out.queries import standing_of, with_all_names
from kilter.set_out.wording import name_together
from kilter.weigh_in.models import WeighIn


@dataclass(frozen=True)
class Lasting:
    """A crop that stays where it stands over years: it takes its room and gives what it gives."""

    row: CropRow
    plants: int
    where: str
    window: OptionDays | None  #: when it was lifted in the seasons on record; None: it never was

    @property
    def reached(self) -> float:
        """The share of its need that it reaches as surely as wanted."""
        assert self.row.one_plant is not None
        (sure_kg,) = self.row.one_plant.span_kg(self.plants, 1 - self.row.said.certainty / 100)
        wanted_kg = self.row.needed.lift_kg
        if not wanted_kg:
            return float(wanted_kg == 0 or sure_kg > 0)
        return min(sure_kg / wanted_kg, 1.0)

    @property
    def width(self) -> float:
        """The same, of a hundred pixels."""
        return 100 * self.reached

    @property
    def sure(self) -> float:
        """How sure the whole of it is."""
        assert self.row.one_plant is not None
        return self.row.one_plant.sure_of(self.row.needed.lift_kg or 0.0, self.plants)


def plants_of(planting: Planting) -> int:
    """By the last count; what was never counted is what was set out, and at least one plant."""
    now = standing_of(planting).now
    return (planting.units or 1) if now is None else now


def lasting_of(row: CropRow, season: int) -> Lasting | None:
    """What of a crop stands over years, and when it was lifted; nothing where none of it does."""
    there = Planting.objects.of(row.crop.household).filter(
        crop=row.crop, is_perennial=True, finished_on=None
    )
    plantings = list(with_all_names(there))
    if not plantings:
        return None
    lifted = WeighIn.objects.of(row.crop.household).filter(
        planting__in=plantings, is_thinning=False
    )
    by_year: dict[int, list[date]] = defaultdict(list)
    for day in lifted.values_list("weighed_on", flat=True):
        by_year[day.year].append(day)
    window = None
    if by_year:
        first, last = (
            statistics.median_low(pick(days).timetuple().tm_yday for days in by_year.values())
            for pick in (min, max)
        )
        days = [date(season, 1, 1) + timedelta(days=day - 1) for day in (first, last)]
        window = OptionDays(date(season, 1, 1), days[0], max(days))
    where = name_together((planting.place, planting.where) for planting in plantings)
    return Lasting(row, sum(map(plants_of, plantings)), where, window)
