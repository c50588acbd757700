"""What is known of a site's year: its frosts, at the risk that one takes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cached_property
from typing import Final

from kilter.core.growing.clearing import Frost
from kilter.core.growing.season import (
    DayAtRisk,
    Year,
    day_of_season,
    first_frost_at,
    last_frost_at,
)

#: Half of the years: what a window that carries no risk is counted from.
EVEN: Final = 0.5
#: A frost on record is that of the autumn whose usual day is nearer than this.
HALF_A_YEAR: Final = timedelta(days=182)


@dataclass(frozen=True)
class Climate:
    """What is known of a site's year."""

    years: tuple[Year, ...] = ()
    latitude: float | None = None
    stated_last: int | None = (
        None  #: average last frost by the gardener's word, as a day of the season
    )
    stated_first: int | None = None
    frosts_seen: tuple[date, ...] = ()  #: first frosts of autumn on record, also of short years
    _made: dict[tuple[str, float], DayAtRisk] = field(
        default_factory=dict, repr=False, compare=False, hash=False
    )

    @property
    def is_southern(self) -> bool:
        return (self.latitude or 0) < 0

    def last_frost(self, risk: float) -> DayAtRisk:
        """The day after which a frost comes in so many of the years only."""
        days = [year.last_frost for year in self.years if year.last_frost is not None]
        return self._kept(
            "last",
            risk,
            lambda: last_frost_at(days, risk, self.stated_last, is_southern=self.is_southern),
        )

    def first_frost(self, risk: float) -> DayAtRisk:
        """The day before which a frost comes in so many of the years only."""
        days = [year.first_frost for year in self.years if year.first_frost is not None]
        return self._kept(
            "first",
            risk,
            lambda: first_frost_at(days, risk, self.stated_first, is_southern=self.is_southern),
        )

    def _kept(self, which: str, risk: float, reckon: Callable[[], DayAtRisk]) -> DayAtRisk:
        if (which, risk) not in self._made:
            self._made[which, risk] = reckon()
        return self._made[which, risk]

    @cached_property
    def frosts(self) -> tuple[int, ...]:
        """The first frost of each year on record; where it is not, the middle of what is known."""
        middle = self.first_frost(EVEN).day
        return tuple(
            middle if year.first_frost is None else year.first_frost for year in self.years
        )

    def frost_after(self, day: date) -> Frost:
        """The first frost of autumn that comes after a day: as it was recorded,
        else the day by which it comes in one year of two.
        """
        usual = self.first_frost(EVEN).day
        for season in (day.year - 1, day.year, day.year + 1):
            expected = day_of_season(season, usual)
            seen = [one for one in self.frosts_seen if abs(one - expected) <= HALF_A_YEAR]
            frost = min(seen, default=expected)
            if frost > day:
                return Frost(frost, has_come=bool(seen))
        raise AssertionError("a frost comes every year")
