"""What is read of each planting, and of the ground it stands in."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from django.db.models import QuerySet

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.medium import FillEvent
from kilter.core.growing.places import ground_area_m2
from kilter.core.growing.position import along, edges
from kilter.core.growing.succession import Tenancy, predecessors, sharing
from kilter.core.trade.places import place_kind
from kilter.ground.models import Fill, Move, Part, Place
from kilter.people.models import Household
from kilter.set_out.clearing import tenancies
from kilter.set_out.models import MethodTag, Planting
from kilter.weigh_in.models import WeighIn


class FactRow(NamedTuple):
    """What is read of a planting, with its place and names."""

    pk: int
    ref: str
    crop_id: int
    season: int
    rest: str
    units: int | None
    units_pm: int | None
    unit_kind: str
    lot_mg: int | None
    planted_on: date | None
    planted_precision: str
    finished_on: date | None
    in_row_m: float | None
    row_gap_m: float | None
    share: float | None
    is_volunteer: bool
    is_perennial: bool
    variety: str | None
    is_variety_doubtful: bool
    lot: str | None
    part_id: int | None
    place_id: int
    site: str
    site_light: str
    path_m: float | None
    light: str
    kind: str
    name: str
    number: int | None
    length_m: float | None
    width_m: float | None
    diameter_m: float | None
    volume_l: float | None
    material: str
    first_season: int

    @property
    def is_whole_year(self) -> bool:
        """Whether it stood on beyond the last day of its year."""
        return self.finished_on == date(self.season, 12, 31)

    @property
    def year_began_on(self) -> date | None:
        """Of a later year of what stays over years: that year's first day,
        from which its days count (rule).
        """
        return date(self.season, 1, 1) if self.season > self.first_season else None

    @property
    def days_sd(self) -> float:
        """Standard deviation of its days, where the day it was planted on is vague."""
        if self.planted_on is None or self.year_began_on:
            return 0.0
        return VagueDate(self.planted_on, self.planted_precision).sd_days

    @property
    def area_m2(self) -> float | None:
        return ground_area_m2(self.length_m, self.width_m, self.diameter_m)

    @property
    def path_area_m2(self) -> float | None:
        """With half of the path on each side."""
        if not (self.length_m and self.width_m and self.path_m):
            return None
        return (self.length_m + self.path_m) * (self.width_m + self.path_m)


#: Where a field of the row has another name than the column it is read from.
_NAMES = {
    "variety": "variety__name",
    "lot": "lot__name",
    "site": "place__site__name",
    "site_light": "place__site__light",
    "path_m": "place__site__path_m",
    "first_season": "season",
    **{
        name: f"place__{name}"
        for name in ("light", "kind", "name", "number", "length_m", "width_m")
    },
    **{name: f"place__{name}" for name in ("diameter_m", "volume_l", "material")},
}
#: Words of how a harvest was handled; more than one of them is "mixed".
HANDLING = ("cleaned", "topped")
FACT_COLUMNS = tuple(_NAMES.get(name, name) for name in FactRow._fields)


@dataclass(frozen=True, kw_only=True)
class GroundFacts:
    """What the ground knows of the places asked about, beside the rows themselves."""

    parts: dict[int, Part]
    moves: dict[int, list[Move]]
    fills: dict[int, list[FillEvent]]
    shared: frozenset[int]
    before: dict[int, Tenancy]
    has_moon: bool  #: the household has it shown
    edge: dict[int, str]  #: by place: at the edge of its set or in the middle
    along: dict[int, str]  #: by place: in which third of its set


def rows_of(plantings: QuerySet[Planting], this_year: int) -> list[FactRow]:
    """Read plantings in the order given; what stays over years is one row for each of them."""
    read = (FactRow(*columns) for columns in plantings.values_list(*FACT_COLUMNS))
    return [one for row in read for one in (_years(row, this_year) if row.is_perennial else [row])]


def _years(row: FactRow, this_year: int) -> list[FactRow]:
    """A planting that stays over years as one for each; a year that is over is finished."""
    last = row.finished_on.year if row.finished_on else this_year
    return [
        row._replace(
            season=year, ref=f"{row.ref}/{year}", finished_on=_end_of(row, year, last, this_year)
        )
        for year in range(row.season, max(last, row.season) + 1)
    ]


def _end_of(row: FactRow, year: int, last: int, this_year: int) -> date | None:
    if row.finished_on and year == last:
        return row.finished_on
    return date(year, 12, 31) if year < this_year else None


def ground_of(household: Household, plantings: QuerySet[Planting]) -> GroundFacts:
    """Read what the ground knows of the places of some plantings."""
    places = plantings.order_by().values("place_id")
    moves: dict[int, list[Move]] = defaultdict(list)
    for move in Move.objects.of(household).filter(place__in=places).select_related("left_site"):
        moves[move.place_id].append(move)
    fills: dict[int, list[FillEvent]] = defaultdict(list)
    known = (
        Fill.objects.of(household)
        .filter(place__in=places)
        .values_list("place_id", "day", "kind", "litres")
    )
    for place_id, day, kind, litres in known:
        fills[place_id].append(FillEvent(day, kind, litres))
    parts = (
        Part.objects.ever_of(household).filter(place__in=places).select_related("place").in_bulk()
    )
    edge, ends = _positions(household)
    spans = tenancies(household, place__in=places)
    return GroundFacts(
        parts=parts,
        moves=moves,
        fills=fills,
        shared=sharing(spans),
        before=predecessors(spans),
        has_moon=household.is_moon_shown,
        edge=edge,
        along=ends,
    )


def _positions(household: Household) -> tuple[dict[int, str], dict[int, str]]:
    """Edge or middle, and which third, of every container of a set that is on the map."""
    sets: dict[tuple[int, str], dict[int, tuple[float, float]]] = defaultdict(dict)
    placed = Place.objects.of(household).filter(
        x_m__isnull=False, y_m__isnull=False, number__isnull=False
    )
    for pk, site, name, kind, x_m, y_m in placed.values_list(
        "pk", "site_id", "name", "kind", "x_m", "y_m"
    ):
        if not place_kind(kind).is_bed and x_m is not None and y_m is not None:
            sets[site, name][pk] = x_m, y_m
    edge: dict[int, str] = {}
    ends: dict[int, str] = {}
    for spots in sets.values():
        edge |= edges(spots)
        ends |= along(spots)
    return edge, ends


def handling_of(household: Household, plantings: QuerySet[Planting]) -> dict[int, tuple[str, str]]:
    """Whether a harvest was washed and topped, where that was said; several answers are "mixed"."""
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    said: dict[int, tuple[set[str], set[str]]] = defaultdict(lambda: (set(), set()))
    for pk, *words in (
        lines.exclude(cleaned="", topped="")
        .order_by()
        .values_list("planting_id", *HANDLING)
        .distinct()
    ):
        for one, word in zip(said[pk], words, strict=True):
            one.add(word)
    return {pk: (_one_word(cleaned), _one_word(topped)) for pk, (cleaned, topped) in said.items()}


def _one_word(words: set[str]) -> str:
    said = words - {""}
    return "mixed" if len(said) > 1 else next(iter(said), "")


def methods_of(plantings: QuerySet[Planting]) -> dict[int, dict[str, str]]:
    """The method tags of each planting."""
    methods: dict[int, dict[str, str]] = defaultdict(dict)
    tags = MethodTag.objects.filter(planting__in=plantings.order_by().values("pk"))
    for planting_id, name, value in tags.order_by().values_list("planting_id", "name", "value"):
        methods[planting_id][name] = value
    return methods
