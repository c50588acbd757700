"""What a household knows by name, for the cells of a table that is brought."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date
from functools import cache

from kilter.core.amounts.vague import VagueDate
from kilter.core.handbook import handbook, other_names
from kilter.core.sheets.near import Names, plain_name
from kilter.core.trade.grades import GRADES
from kilter.core.trade.places import UNKNOWN, place_kind
from kilter.ground.models import Part, Place, Site
from kilter.larder.ledger import larder
from kilter.larder.models import Price, Store
from kilter.larder.waiting import Waiting, waiting
from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, CropSize, Planting, Variety
from kilter.set_out.queries import find_crop, with_all_names
from kilter.weigh_in.models import WeighIn

#: What is left of each line: its key, what is left of it, what there was; by weight, by pieces.
Rests = tuple[list[tuple[int, int, int]], list[tuple[int, int, int]]]


@dataclass(frozen=True)
class Spot:
    """A place or a part of it; a place that is still to be made has no id."""

    place: str  #: id in the open format
    part: str
    label: str


@dataclass(frozen=True, kw_only=True)
class KnownPlanting:
    """What tells a planting from others."""

    ref: str
    spot: tuple[str, str]
    crop: str
    variety: str
    season: int
    start: date | None
    end: date | None
    label: str

    def may_give(self, day: date) -> bool:
        """Whether something may have been lifted of it on a day."""
        if self.start is not None and day < self.start:
            return False
        if self.end is not None:
            return day <= self.end
        return self.start is not None or self.season == day.year


@dataclass(frozen=True, kw_only=True)
class Known:
    """All names and records that rows are held against."""

    today: date
    order: str
    unit: str
    currency: str
    crops: Names[str]
    varieties: Mapping[str, Names[str]]  #: by crop
    crops_of: Mapping[str, tuple[str, ...]]  #: by the plain name of a variety
    spots: Names[Spot]
    stores: Names[tuple[str, str]]
    sites: Names[tuple[str, str]]
    grades: Names[tuple[str, str]]  #: grade and size
    plantings: Mapping[str, tuple[KnownPlanting, ...]]  #: by crop
    lines: Counter[tuple[object, ...]]
    prices: frozenset[tuple[object, ...]]
    waiting: Callable[[str, str, int], Rests]  #: by crop, variety and season

    def tests(self) -> Mapping[str, Callable[[str], bool]]:
        """For each sort of name whether a cell is one."""
        return {
            "crop": lambda cell: self.crop_in(cell) is not None,
            "variety": lambda cell: plain_name(cell) in self.crops_of,
            "place": lambda cell: (
                self.spots.find(cell) is not None
                or (place_kind(cell) is not UNKNOWN and len(cell) < 40)
            ),
            "store": lambda cell: self.stores.find(cell) is not None,
            "grade": lambda cell: self.grades.find(cell) is not None,
        }

    def crop_in(self, cell: str) -> tuple[str, str] | None:
        """The crop that a cell names, and the variety where it names one too: ``tomato Brass
        Bell``, ``Brass Bell``.
        """
        if found := self.crops.find(cell):
            return found, ""
        plain = plain_name(cell.replace(",", " ").replace("(", " ").replace(")", " "))
        if (named := self.crops_of.get(plain)) and len(named) == 1:
            return named[0], self.varieties[named[0]].known[plain]
        words = plain.split()
        for cut in range(len(words) - 1, 0, -1):
            for crop, rest in ((words[:cut], words[cut:]), (words[cut:], words[:cut])):
                found = self.crops.known.get(" ".join(crop))
                if found and (variety := self._variety(found, " ".join(rest))):
                    return found, variety
        return None

    def _variety(self, crop: str, name: str) -> str | None:
        names = self.varieties.get(crop)
        return names.find(name) if names else None


def known_of(household: Household) -> Known:
    """Read what a household knows; a handful of queries."""
    names = {plain_name(other): crop for other, crop in other_names().items()}
    names |= {plain_name(crop): crop for crop in handbook()}
    for crop in Crop.objects.of(household).values_list("name", flat=True):
        names[plain_name(crop)] = crop
        names.setdefault(plain_name(f"{crop}s"), crop)
    varieties: dict[str, dict[str, str]] = defaultdict(dict)
    crops_of: dict[str, dict[str, None]] = defaultdict(dict)
    pairs = Variety.objects.of(household).values_list("crop__name", "name")
    for crop, variety in pairs:
        varieties[crop][plain_name(variety)] = variety
        crops_of[plain_name(variety)][crop] = None
    grades = {plain_name(grade.words): (grade.key, "") for grade in GRADES.values()}
    for word, grade, ref in CropSize.objects.of(household).values_list("word", "grade", "ref"):
        grades.setdefault(plain_name(word), (grade, ref))
    return Known(
        today=clock.today(household),
        order=household.date_order,
        unit=household.default_unit,
        currency=household.currency,
        crops=Names(names),
        varieties={crop: Names(found) for crop, found in varieties.items()},
        crops_of={name: tuple(crops) for name, crops in crops_of.items()},
        spots=Names(_spots(household)),
        stores=Names(
            {
                plain_name(name): (ref, name)
                for ref, name in Store.objects.of(household).values_list("ref", "name")
            }
        ),
        sites=Names(
            {
                plain_name(name): (ref, name)
                for ref, name in Site.objects.of(household).values_list("ref", "name")
            }
        ),
        grades=Names(grades),
        plantings=_plantings(household),
        lines=_lines(household),
        prices=frozenset(
            Price.objects.of(household).values_list("crop__name", "from_day", "per", "price_minor")
        ),
        waiting=_waiting(household),
    )


def _waiting(household: Household) -> Callable[[str, str, int], Rests]:
    """What was lifted and lies nowhere; of one crop and season at a time, read once."""

    @cache
    def of(crop: str, season: int) -> list[Waiting]:
        found = find_crop(household, crop)
        if found is None:
            return []
        return waiting(larder(household, {season}, {found.pk}), with_fresh=True, with_eaten=True)

    def rests(crop: str, variety: str, season: int) -> Rests:
        some = [
            one
            for one in of(crop, season)
            if not variety or (one.variety and one.variety.name == variety)
        ]
        return (
            [rest for one in some for rest in one.rests],
            [rest for one in some for rest in one.piece_rests],
        )

    return rests


def _spots(household: Household) -> dict[str, Spot]:
    found: dict[str, Spot] = {}
    for place in Place.objects.of(household).in_order():
        found.setdefault(plain_name(str(place)), Spot(place.ref, "", str(place)))
    parts = Part.objects.of(household).filter(place__struck_at=None).select_related("place__site")
    for part in parts:
        label = f"{part.place}, {part}"
        found[plain_name(label)] = Spot(part.place.ref, part.ref, label)
    return found


def _plantings(household: Household) -> dict[str, tuple[KnownPlanting, ...]]:
    found: dict[str, list[KnownPlanting]] = defaultdict(list)
    hidden = blinded_of(household)
    for one in with_all_names(Planting.objects.of(household)):
        start = one.planted.earliest if one.planted else None
        found[one.crop.name].append(
            KnownPlanting(
                ref=one.ref,
                spot=(one.place.ref, one.part.ref if one.part else ""),
                crop=one.crop.name,
                variety=one.variety.name if one.variety and one.pk not in hidden else "",
                season=one.season,
                start=start,
                end=one.finished_on,
                label=f"{one.crop} in {one.where}" if one.pk in hidden else str(one),
            )
        )
    return {crop: tuple(plantings) for crop, plantings in found.items()}


def _lines(household: Household) -> Counter[tuple[object, ...]]:
    """Lines on record, by what makes two of them the same."""
    rows = WeighIn.objects.of(household).values_list(
        "weighed_on", "precision", "planting__ref", "mass_mg", "count", "grade"
    )
    return Counter(
        (str(VagueDate(day, precision)), *line) for day, precision, *line in rows.iterator()
    )
