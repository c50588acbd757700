"""The strip and the tape of the bench, and every planting as the core's plain record."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date

from django.db.models import QuerySet

from kilter.core.yields import GradeTotal, PlantingRecord
from kilter.drawing.vessels import Vessel, vessel
from kilter.people.models import Household
from kilter.set_out.models import Crop, MethodTag, Planting
from kilter.set_out.queries import plantings_of
from kilter.weigh_in.models import Grade, WeighIn

VESSEL_WIDTH, VESSEL_HEIGHT = 52.0, 66.0
#: All that a comparison reads of a planting; the rest is not fetched for the hundreds there may be.
_FACT_FIELDS = (
    "ref", "season", "units", "planted_on", "finished_on", "in_row_m", "row_gap_m",
    "place__kind", "place__name", "place__number", "place__length_m", "place__width_m", "place__volume_l",
    "place__material", "place__site__name", "crop_id", "variety__name",
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
    """A planting with its record and everything recorded that it can be compared by."""

    planting: Planting
    record: PlantingRecord
    methods: Mapping[str, str] = field(default_factory=dict)

    def attribute(self, name: str) -> str | None:
        """The value of an attribute, None where it was not recorded."""
        if name.startswith("method:"):
            return self.methods.get(name.removeprefix("method:"))
        place = self.planting.place
        values = {
            "variety": self.planting.variety and self.planting.variety.name,
            "season": str(self.planting.season),
            "site": place.site.name,
            "place": str(place),
            "place_kind": place.kind,
            "material": place.material,
        }
        return values[name] or None


def crops_in_reach(household: Household, season: int) -> list[Crop]:
    """Crops with plantings in the season."""
    growing = Planting.objects.of(household).filter(season=season)
    return list(Crop.objects.of(household).filter(pk__in=growing.values("crop_id").order_by()).order_by("name"))


def strip(household: Household, season: int, crop: Crop | None, day: date) -> list[Pot]:
    """The pots in reach, in the order they stand: what is not finished, or was weighed today."""
    if crop is None:
        return []
    plantings = list(plantings_of(household, season).filter(crop=crop))
    masses: dict[int, int] = defaultdict(int)
    today: dict[int, set[str]] = defaultdict(set)
    lines = WeighIn.objects.of(household).filter(planting__in=plantings)
    for planting_id, grade, weighed_on, mass_mg in lines.values_list("planting_id", "grade", "weighed_on", "mass_mg"):
        masses[planting_id] += mass_mg or 0
        if weighed_on == day:
            today[planting_id].add(grade)
    shown = [p for p in plantings if p.finished_on is None or p.finished_on >= day or p.pk in today]
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
    rows = list(plantings.select_related("place__site", "variety").only(*_FACT_FIELDS))
    crops = Crop.objects.ever_of(household).in_bulk({planting.crop_id for planting in rows})
    for planting in rows:
        planting.household, planting.crop = household, crops[planting.crop_id]
    totals, methods = _grade_totals(household, plantings), _methods(plantings)
    shared = _shared(household, plantings)
    return [
        PlantingFacts(p, _record(p, totals.get(p.pk, {}), is_alone=p.pk not in shared), methods.get(p.pk, {}))
        for p in rows
    ]


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


def _record(planting: Planting, grades: dict[str, GradeTotal], *, is_alone: bool) -> PlantingRecord:
    place = planting.place
    return PlantingRecord(
        ref=planting.ref,
        units=planting.units,
        planted_on=planting.planted_on,
        finished_on=planting.finished_on,
        place_area_m2=place.area_m2,
        place_volume_l=place.volume_l,
        in_row_m=planting.in_row_m,
        row_gap_m=planting.row_gap_m,
        is_alone=is_alone,
        is_small_food=planting.is_small_food,
        grades=grades,
    )


def _subtotal(label: str, lines: list[WeighIn]) -> Subtotal:
    return Subtotal(
        label,
        sum(line.count or 0 for line in lines),
        sum(line.mass_mg or 0 for line in lines),
        sum(line.mass_mg is None for line in lines),
    )
