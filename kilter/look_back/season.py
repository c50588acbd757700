"""All that a review is drafted from:
one season's records beside those of earlier years, read once.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from functools import cached_property
from typing import Any, NamedTuple

from kilter.core.growing.almanac import WeatherDay, dry_spells, frost_years
from kilter.core.review.usual import Yielded
from kilter.core.yields.measures import MeasuredYield, measure_yield
from kilter.ground.models import Place, Site
from kilter.larder.account import SeasonAccount, account
from kilter.larder.ledger import Larder, larder
from kilter.larder.went import Went, went
from kilter.look_back.needs import Need, needs_of
from kilter.people import clock
from kilter.people.models import Household
from kilter.plans.models import PlannedCrop
from kilter.plans.promises import promised
from kilter.records.facts import PlantingFacts, facts
from kilter.records.harvest import ALL_NEEDS
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting, Variety
from kilter.tending.models import Happening
from kilter.tending.queries import happened_to_each
from kilter.weather.models import SIMULATED, Day
from kilter.weigh_up.answer.reading import AllRows
from kilter.weigh_up.varieties.queries import without_chance

#: A planting is measured by weight per plant; a crop that is only counted by its number per plant.
BY_WEIGHT, BY_COUNT = "kg_per_plant", "count_per_plant"
#: So many of what happened are offered as causes, beside the weather.
MOST_CAUSES = 6


class Keys(NamedTuple):
    """What a planting is of, by keys."""

    crop: int
    variety: int | None
    place: int
    part: int | None
    site: int


class Season:
    """One season, with what came before it; nothing of later ones, so that a review stays as it
    was.

    Each part is read when it is first asked for, in a fixed number of queries.
    """

    def __init__(self, household: Household, year: int, system: str = "metric") -> None:
        self.household, self.year, self.system = (
            household,
            year,
            system,
        )  # the units that the reader wants
        self.today = clock.today(household)
        self.kept_back = frozenset(blinded_of(household))
        plantings = Planting.objects.of(household)
        columns = "pk", "crop_id", "variety_id", "place_id", "part_id", "place__site_id"
        self.keys = {pk: Keys(*of) for pk, *of in plantings.order_by().values_list(*columns)}
        #: Every planting, of any season, as a question reads them.
        self.read_all = AllRows(facts(household, plantings.as_they_stand(), ALL_NEEDS - {"lifts"}))
        #: Of this season and earlier ones; what a blinded trial keeps back is not in it.
        self.rows = tuple(
            row for row in self.read_all.rows if row.season <= year and row.pk not in self.kept_back
        )

    def keeps_back(self, crop: int) -> bool:
        """Whether a blinded trial keeps back something of a crop this season,
        so that the rest is only a part of it.
        """
        return crop in self._crops_kept_back

    @cached_property
    def _crops_kept_back(self) -> set[int]:
        rows = [
            row
            for row in self.read_all.rows
            if row.season == self.year and row.pk in self.kept_back
        ]
        return {self.keys[row.pk].crop for row in rows}

    @cached_property
    def crops(self) -> dict[int, Crop]:
        return Crop.objects.ever_of(self.household).in_bulk()

    @cached_property
    def varieties(self) -> dict[int, Variety]:
        return Variety.objects.ever_of(self.household).select_related("crop").in_bulk()

    @cached_property
    def without_chance(self) -> frozenset[int]:
        """Varieties that the household says had no fair chance this season."""
        return without_chance(self.household, self.year)

    @cached_property
    def places(self) -> dict[int, Place]:
        return Place.objects.ever_of(self.household).select_related("site").in_bulk()

    @cached_property
    def sites(self) -> dict[int, Site]:
        return Site.objects.ever_of(self.household).in_bulk()

    @cached_property
    def happenings(self) -> list[Happening]:
        """What happened in every year up to this one, oldest first."""
        names = (
            "site",
            "place",
            "part__place",
            "planting__place",
            "planting__crop",
            "planting__variety",
        )
        found = (
            Happening.objects.of(self.household)
            .filter(day__year__lte=self.year)
            .select_related(*names)
        )
        return list(found.order_by("day", "pk"))

    @cached_property
    def hits(self) -> dict[int, list[Happening]]:
        """By planting: what happened to it."""
        return happened_to_each(self.household, [row.pk for row in self.rows])

    @cached_property
    def promised(self) -> list[PlannedCrop]:
        """What the plan of the season promised."""
        return list(promised(self.household, self.year))

    @cached_property
    def larder(self) -> Larder:
        return larder(self.household, {self.year})

    @cached_property
    def account(self) -> SeasonAccount:
        return account(self.household, self.year, self.larder)

    @cached_property
    def went(self) -> list[Went]:
        """Where each crop of the season went, and whether there was enough."""
        return went(self.larder, [self.year])

    @cached_property
    def needed(self) -> dict[int, Need]:
        """What is needed of each crop, by its key."""
        return needs_of(self.household, self.year)

    @cached_property
    def own_rows(self) -> list[PlantingFacts]:
        """Those of the season itself."""
        return [row for row in self.rows if row.season == self.year]

    @property
    def is_over(self) -> bool:
        return self.year < self.today.year

    def of_crop(self, crop: int) -> list[PlantingFacts]:
        return [row for row in self.own_rows if self.keys[row.pk].crop == crop]

    @cached_property
    def grown(self) -> list[Crop]:
        """The crops of the season, by name."""
        found = {self.keys[row.pk].crop for row in self.own_rows}
        return sorted((self.crops[pk] for pk in found), key=lambda crop: crop.name)

    @cached_property
    def by(self) -> dict[int, str]:
        """By which measure each crop is held against itself."""
        weighed: dict[int, set[str]] = defaultdict(set)
        for row in self.own_rows:
            crop = self.keys[row.pk].crop
            for by in (BY_WEIGHT, BY_COUNT):
                if isinstance(measure_yield(row.record, by), MeasuredYield):
                    weighed[crop].add(by)
        return {
            crop: BY_WEIGHT if BY_WEIGHT in found else BY_COUNT for crop, found in weighed.items()
        }

    @cached_property
    def measured(self) -> dict[str, MeasuredYield]:
        """What each finished planting gave, by ref."""
        found = {}
        for row in self.rows:
            one = measure_yield(row.record, self.by.get(self.keys[row.pk].crop, BY_WEIGHT))
            if isinstance(one, MeasuredYield) and one.exposure > 0:
                found[row.record.ref] = one
        return found

    @cached_property
    def yields(self) -> list[Yielded]:
        """The same as the core takes it."""
        found = []
        for row in self.rows:
            one = self.measured.get(row.record.ref)
            if one is not None:
                keys, before = self.keys[row.pk], row.attributes["before"] or ""
                found.append(
                    Yielded(
                        ref=row.record.ref,
                        place=keys.place,
                        season=row.season,
                        crop=keys.crop,
                        mass=one.amount,
                        plants=one.exposure,
                        before=before,
                    )
                )
        return found

    @cached_property
    def by_ref(self) -> dict[str, PlantingFacts]:
        return {row.record.ref: row for row in self.rows}

    @cached_property
    def weather(self) -> dict[int, list[WeatherDay]]:
        """Every measured day of each site up to the season's end."""
        found: dict[int, list[WeatherDay]] = defaultdict(list)
        for site, _, *of_day in self._days:
            found[site].append(WeatherDay(*of_day))
        return found

    @cached_property
    def simulated(self) -> set[int]:
        """Sites whose weather this season was invented by the station that ships with Kilter."""
        return {
            site
            for site, source, day, *_ in self._days
            if source == SIMULATED and day.year == self.year
        }

    @cached_property
    def _days(self) -> list[tuple[Any, ...]]:
        days = (
            Day.objects.of(self.household)
            .filter(is_ahead=False, day__year__lte=self.year)
            .order_by("day")
        )
        return list(days.values_list("site_id", "source", "day", "min_c", "max_c", "rain_mm"))

    @cached_property
    def weather_causes(self) -> tuple[str, ...]:
        """What the weather of the season may have caused, at any site: a late frost,
        an early one, its driest spell.
        """
        found: list[str] = []
        for site, days in self.weather.items():
            this = next(
                (
                    f
                    for f in frost_years(days, is_southern=self.sites[site].is_southern)
                    if f.year == self.year
                ),
                None,
            )
            if this and this.last_spring:
                found.append(f"frost on {this.last_spring.day} {this.last_spring:%B}")
            spells = dry_spells([day for day in days if day.day.year == self.year])
            if spells:
                driest = max(spells, key=lambda spell: spell.days)
                found.append(f"{driest.days} dry days from {driest.start.day} {driest.start:%B}")
        return tuple(dict.fromkeys(found))

    def causes_of(self, rows: Sequence[PlantingFacts]) -> tuple[str, ...]:
        """What happened to some plantings this season, and its weather, as causes on offer."""
        hits = {
            one.words
            for row in rows
            for one in self.hits.get(row.pk, ())
            if one.day.year == self.year
        }
        return (*sorted(hits)[:MOST_CAUSES], *self.weather_causes)
