"""The harvest week by week: each crop's weeks,
with what was lifted in bulk apart from the weekly basket.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.larder.food import food_of
from kilter.larder.ledger import Larder, larder
from kilter.larder.models import Bulk
from kilter.people.models import Household
from kilter.set_out.models import Crop
from kilter.tending.models import Photo

#: A day that brought more than this share of a crop's year is a bulk harvest, unless something else
#: is said (rule).
BULK_SHARE = 0.25


@dataclass(frozen=True)
class LiftDay:
    """What was lifted of a crop on a day."""

    day: date
    mass_mg: int
    pieces: int  #: of what was counted
    is_bulk: bool
    is_said: bool = False


@dataclass(frozen=True)
class CropWeeks:
    """One crop over the weeks of a season."""

    crop: Crop
    weeks: tuple[tuple[date, int, int], ...]  #: by Monday: milligrams of the basket, and in bulk
    days: tuple[LiftDay, ...]

    @property
    def basket_mg(self) -> int:
        return sum(basket for _, basket, _ in self.weeks)

    @property
    def bulk_mg(self) -> int:
        return sum(bulk for _, _, bulk in self.weeks)

    @property
    def most_mg(self) -> int:
        return max((basket + bulk for _, basket, bulk in self.weeks), default=0)

    @property
    def mass_mg(self) -> int:
        return self.basket_mg + self.bulk_mg


@dataclass(frozen=True)
class Weeks:
    """All crops over the weeks of a season."""

    season: int
    mondays: tuple[date, ...]
    crops: tuple[CropWeeks, ...]
    photos: tuple[tuple[date, tuple[Photo, ...]], ...]  #: of each week that has some

    @property
    def baskets(self) -> list[tuple[date, int, int]]:
        """Of all crops together."""
        found: dict[date, list[int]] = {monday: [0, 0] for monday in self.mondays}
        for crop in self.crops:
            for monday, basket, bulk in crop.weeks:
                found[monday][0] += basket
                found[monday][1] += bulk
        return [(monday, *sums) for monday, sums in found.items()]  # type: ignore[misc]


def monday_of(day: date) -> date:
    """The first day of its week."""
    return day - timedelta(days=day.weekday())


def weeks_of(household: Household, season: int, found: Larder | None = None) -> Weeks:
    """What was lifted each week of a season, food only; a fixed number of queries."""
    found = found or larder(household, {season})
    said = {(bulk.crop_id, bulk.day): bulk.is_bulk for bulk in Bulk.objects.of(household)}
    days: dict[int, dict[date, int]] = defaultdict(lambda: defaultdict(int))
    pieces: dict[tuple[int, date], int] = defaultdict(int)
    for pk, crop in found.crops.items():
        for row in food_of(found, crop, season).lines:
            days[pk][row.weighed_on] += found.masses[row.pk]
            pieces[pk, row.weighed_on] += row.pieces or 0
    lifted = [day for of_crop in days.values() for day in of_crop]
    mondays = _between(monday_of(min(lifted)), monday_of(max(lifted))) if lifted else ()
    crops = [
        _crop_weeks(found.crops[pk], of_crop, pieces, said, mondays) for pk, of_crop in days.items()
    ]
    crops.sort(key=lambda one: (-one.mass_mg, one.crop.name))
    return Weeks(season, mondays, tuple(crops), _photos(household, mondays))


def _between(first: date, last: date) -> tuple[date, ...]:
    return tuple(first + timedelta(weeks=n) for n in range((last - first).days // 7 + 1))


def _crop_weeks(
    crop: Crop,
    days: dict[date, int],
    pieces: dict[tuple[int, date], int],
    said: dict[tuple[int, date], bool],
    mondays: tuple[date, ...],
) -> CropWeeks:
    whole = sum(days.values())
    shown = []
    for day, mass_mg in sorted(days.items()):
        is_bulk = whole > 0 and mass_mg > BULK_SHARE * whole
        key = crop.pk, day
        shown.append(
            LiftDay(day, mass_mg, pieces[key], said.get(key, is_bulk), is_said=key in said)
        )
    sums = {monday: [0, 0] for monday in mondays}
    for one in shown:
        sums[monday_of(one.day)][one.is_bulk] += one.mass_mg
    return CropWeeks(crop, tuple((monday, *pair) for monday, pair in sums.items()), tuple(shown))  # type: ignore[misc]


def _photos(
    household: Household, mondays: tuple[date, ...]
) -> tuple[tuple[date, tuple[Photo, ...]], ...]:
    if not mondays:
        return ()
    found: dict[date, list[Photo]] = defaultdict(list)
    taken = Photo.objects.of(household).filter(
        day__gte=mondays[0], day__lt=mondays[-1] + timedelta(weeks=1)
    )
    for photo in taken.order_by("day", "pk"):
        found[monday_of(photo.day)].append(photo)
    return tuple((monday, tuple(photos)) for monday, photos in sorted(found.items()))
