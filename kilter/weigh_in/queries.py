"""The strip and the tape of the bench, and every planting as the core's plain record."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import NamedTuple

from django.db.models import QuerySet

from kilter.core.yields import GradeTotal, PlantingRecord
from kilter.drawing.vessels import Vessel, vessel
from kilter.ground.models import is_bed_kind, place_label
from kilter.people.models import Household
from kilter.set_out.models import Crop, MethodTag, Planting, PlantingQuerySet, planting_label
from kilter.set_out.queries import with_all_names
from kilter.weigh_in.models import Grade, WeighIn

VESSEL_WIDTH, VESSEL_HEIGHT = 52.0, 66.0


class _FactRow(NamedTuple):
    """What is read of a planting to compare it, in the order of `_FACT_COLUMNS`."""

    pk: int
    ref: str
    crop_id: int
    season: int
    units: int | None
    planted_on: date | None
    finished_on: date | None
    in_row_m: float | None
    row_gap_m: float | None
    variety: str | None
    site: str
    kind: str
    name: str
    number: int | None
    length_m: float | None
    width_m: float | None
    volume_l: float | None
    material: str


_FACT_COLUMNS = (
    "pk", "ref", "crop_id", "season", "units", "planted_on", "finished_on", "in_row_m", "row_gap_m", "variety__name",
    "place__site__name", "place__kind", "place__name", "place__number", "place__length_m", "place__width_m",
    "place__volume_l", "place__material",
)  # fmt: skip


@dataclass(frozen=True)
class Pot:
    """One planting on the strip."""

    planting: Planting
    shape: Vessel
    grades_today: str  #: the grades written today, for the bench to know when the pot is in
    mass_mg: int


@dataclass(frozen=True)
class Subtotal:
    """One grade on the tape, or all of it."""

    label: str
    count: int
    mass_mg: int
    waiting: int


@dataclass(frozen=True)
class Tape:
    """What was written today, with subtotals."""

    lines: tuple[WeighIn, ...]
    subtotals: tuple[Subtotal, ...]
    total: Subtotal
    pots: int


@dataclass(frozen=True)
class PlantingFacts:
    """A planting with its record and all it can be compared by; plain values, as there are many."""

    pk: int
    label: str
    place: str
    place_kind: str
    season: int
    record: PlantingRecord
    attributes: Mapping[str, str | None]
    methods: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_bed(self) -> bool:
        return is_bed_kind(self.place_kind)

    def attribute(self, name: str) -> str | None:
        """The value of an attribute, None where it was not recorded."""
        if name.startswith("method:"):
            return self.methods.get(name.removeprefix("method:"))
        return self.attributes[name] or None


def crops_in_reach(household: Household, day: date) -> list[Crop]:
    """Crops with something still to lift, or weighed today."""
    growing = _in_reach(household, day).order_by().values("crop_id")
    return list(Crop.objects.of(household).filter(pk__in=growing).order_by("name"))


def _in_reach(household: Household, day: date) -> PlantingQuerySet:
    weighed = WeighIn.objects.of(household).filter(weighed_on=day).values("planting_id")
    plantings = Planting.objects.of(household)
    return plantings.in_reach(day) | plantings.filter(pk__in=weighed)


def strip(household: Household, crop: Crop | None, day: date) -> list[Pot]:
    """The pots in reach, in the order they stand."""
    if crop is None:
        return []
    shown = list(with_all_names(_in_reach(household, day).filter(crop=crop)))
    masses: dict[int, int] = defaultdict(int)
    today: dict[int, set[str]] = defaultdict(set)
    lines = WeighIn.objects.of(household).filter(planting__in=shown)
    for planting_id, grade, weighed_on, mass_mg in lines.values_list("planting_id", "grade", "weighed_on", "mass_mg"):
        masses[planting_id] += mass_mg or 0
        if weighed_on == day:
            today[planting_id].add(grade)
    fullest = max((masses[p.pk] for p in shown), default=0) * 1.15
    return [
        Pot(
            p,
            vessel(
                2, 2, VESSEL_WIDTH, VESSEL_HEIGHT,
                kind=p.place.kind, is_bed=p.place.is_bed, share=masses[p.pk] / fullest if fullest else 0.0,
            ),
            " ".join(sorted(today[p.pk])),
            masses[p.pk],
        )
        for p in shown
    ]  # fmt: skip


def tape(household: Household, day: date) -> Tape:
    """The lines written for a day, struck ones too, and what stands."""
    names = "planting__place", "planting__crop", "planting__variety"
    written = WeighIn.objects.ever_of(household).filter(weighed_on=day).select_related(*names).order_by("pk")
    lines = tuple(written)
    standing = [line for line in lines if line.struck_at is None]
    by_grade = [_subtotal(label, [line for line in standing if line.grade == grade]) for grade, label in Grade.choices]
    pots = len({line.planting_id for line in standing})
    used = tuple(sub for sub in by_grade if sub.count or sub.mass_mg or sub.waiting)
    return Tape(lines, used, _subtotal("all", standing), pots)


def waiting_lines(household: Household) -> QuerySet[WeighIn]:
    """Counted and still to be weighed, oldest first."""
    waiting = WeighIn.objects.of(household).waiting()
    return waiting.select_related("planting__place", "planting__crop", "planting__variety").order_by("weighed_on", "pk")


def facts(household: Household, plantings: QuerySet[Planting]) -> list[PlantingFacts]:
    """Plantings as the core's records, in the order given; a fixed number of queries."""
    rows = [_FactRow(*columns) for columns in plantings.values_list(*_FACT_COLUMNS)]
    crops = Crop.objects.ever_of(household).in_bulk({row.crop_id for row in rows})
    totals, methods, shared = _grade_totals(household, plantings), _methods(plantings), _shared(household, plantings)
    return [
        _fact(
            row,
            crops[row.crop_id].name,
            methods.get(row.pk, {}),
            _record(
                row,
                totals.get(row.pk, {}),
                is_alone=row.pk not in shared,
                is_small_food=crops[row.crop_id].is_small_eaten(household),
            ),
        )
        for row in rows
    ]


def _fact(row: _FactRow, crop: str, methods: dict[str, str], record: PlantingRecord) -> PlantingFacts:
    place = place_label(row.name, row.number)
    attributes = {
        "variety": row.variety,
        "season": str(row.season),
        "site": row.site,
        "place": place,
        "place_kind": row.kind,
        "material": row.material,
    }
    label = planting_label(crop, row.variety or "")
    return PlantingFacts(row.pk, label, place, row.kind, row.season, record, attributes, methods)


def _methods(plantings: QuerySet[Planting]) -> dict[int, dict[str, str]]:
    methods: dict[int, dict[str, str]] = defaultdict(dict)
    tags = MethodTag.objects.filter(planting__in=plantings.order_by().values("pk"))
    for planting_id, name, value in tags.order_by().values_list("planting_id", "name", "value"):
        methods[planting_id][name] = value
    return methods


def _grade_totals(household: Household, plantings: QuerySet[Planting]) -> dict[int, dict[str, GradeTotal]]:
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    totals: dict[int, dict[str, GradeTotal]] = defaultdict(dict)
    for planting_id, grade, count_of_lines, mass, count, unweighed, uncounted in lines.graded_totals():
        totals[planting_id][grade] = GradeTotal(count_of_lines, mass or 0, count or 0, unweighed, uncounted)
    return totals


def _shared(household: Household, plantings: QuerySet[Planting]) -> set[int]:
    """Plantings during whose time something else grew in their place."""
    places = plantings.order_by().values("place_id")
    spans = Planting.objects.of(household).filter(place__in=places).order_by("place_id")
    by_place: dict[int, list[tuple[int, date, date]]] = defaultdict(list)
    for pk, place_id, season, start, end in spans.values_list("pk", "place_id", "season", "planted_on", "finished_on"):
        by_place[place_id].append((pk, start or date(season, 1, 1), end or date(season, 12, 31)))
    return {pk for group in by_place.values() for pk in _overlapping(group)}


def _overlapping(spans: list[tuple[int, date, date]]) -> Iterable[int]:
    """Spans that overlap another, by one pass over them in order of their start."""
    shared: set[int] = set()
    last: tuple[int, date] | None = None
    for pk, start, end in sorted(spans, key=lambda span: span[1]):
        if last is not None and start < last[1]:
            shared |= {pk, last[0]}
        if last is None or end > last[1]:
            last = pk, end
    return shared


def _record(row: _FactRow, grades: dict[str, GradeTotal], *, is_alone: bool, is_small_food: bool) -> PlantingRecord:
    return PlantingRecord(
        ref=row.ref,
        units=row.units,
        planted_on=row.planted_on,
        finished_on=row.finished_on,
        place_area_m2=row.length_m * row.width_m if row.length_m and row.width_m else None,
        place_volume_l=row.volume_l,
        in_row_m=row.in_row_m,
        row_gap_m=row.row_gap_m,
        is_alone=is_alone,
        is_small_food=is_small_food,
        grades=grades,
    )


def _subtotal(label: str, lines: list[WeighIn]) -> Subtotal:
    return Subtotal(
        label,
        sum(line.count or 0 for line in lines),
        sum(line.mass_mg or 0 for line in lines),
        sum(line.mass_mg is None for line in lines),
    )
