"""The strip and the tape of the bench, and every planting as the core's plain record."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import NamedTuple

from django.db.models import QuerySet

from kilter.core.almanac import moon_on
from kilter.core.medium import FillEvent, fill_of
from kilter.core.succession import Tenancy, predecessors, sharing
from kilter.core.whereabouts import Spot, mostly, stays
from kilter.core.yields import GradeTotal, PlantingRecord
from kilter.drawing.vessels import Vessel, vessel
from kilter.ground.models import Fill, Move, Part, is_bed_kind, place_label
from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.models import Crop, MethodTag, Planting, PlantingQuerySet, planting_label
from kilter.set_out.queries import tenancies, with_all_names
from kilter.weigh_in.models import Grade, WeighIn

VESSEL_WIDTH, VESSEL_HEIGHT = 52.0, 66.0


class _FactRow(NamedTuple):
    """What is read of a planting to compare it, in the order of `_FACT_COLUMNS`."""

    pk: int
    ref: str
    crop_id: int
    season: int
    units: int | None
    units_pm: int | None
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
    light: str
    kind: str
    name: str
    number: int | None
    length_m: float | None
    width_m: float | None
    volume_l: float | None
    material: str

    @property
    def area_m2(self) -> float | None:
        return self.length_m * self.width_m if self.length_m and self.width_m else None


_FACT_COLUMNS = (
    "pk", "ref", "crop_id", "season", "units", "units_pm", "planted_on", "planted_precision", "finished_on", "in_row_m",
    "row_gap_m", "share", "is_volunteer", "is_perennial", "variety__name", "is_variety_doubtful", "lot__name",
    "part_id", "place_id", "place__site__name", "place__site__light", "place__light", "place__kind", "place__name",
    "place__number", "place__length_m", "place__width_m", "place__volume_l", "place__material",
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
    """A planting with its record and all it can be compared by; plain values, as there are many.

    A planting that stays over years is one of these for each year.
    """

    pk: int
    label: str
    place: str
    place_kind: str
    season: int
    record: PlantingRecord
    attributes: Mapping[str, str | None]
    methods: Mapping[str, str] = field(default_factory=dict)
    doubtful: frozenset[str] = frozenset()  #: attributes that were written down, but are in doubt

    @property
    def is_bed(self) -> bool:
        return is_bed_kind(self.place_kind)

    def attribute(self, name: str) -> str | None:
        """The value of an attribute, None where it was not recorded or is in doubt."""
        if name in self.doubtful:
            return None
        if name.startswith("method:"):
            return self.methods.get(name.removeprefix("method:"))
        return self.attributes[name] or None


@dataclass(frozen=True)
class _Ground:
    """What the ground knows of the places asked about, beside the rows themselves."""

    parts: dict[int, Part]
    moves: dict[int, list[Move]]
    fills: dict[int, list[FillEvent]]
    shared: frozenset[int]
    before: dict[int, Tenancy]


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
    totals, methods, ground = _grade_totals(household, plantings), _methods(plantings), _ground(household, plantings)
    yearly = _yearly_totals(household, plantings) if any(row.is_perennial for row in rows) else {}
    this_year = clock.today(household).year
    found = []
    for row in rows:
        crop, tags = crops[row.crop_id], methods.get(row.pk, {})
        is_small_food = crop.is_small_eaten(household)
        for one in _years(row, this_year) if row.is_perennial else [row]:
            grades = yearly.get((row.pk, one.season), {}) if row.is_perennial else totals.get(row.pk, {})
            record = _record(one, grades, ground, is_small_food=is_small_food)
            found.append(_fact(one, crop.name, tags, record, ground, row.season))
    return found


def _years(row: _FactRow, this_year: int) -> list[_FactRow]:
    """A planting that stays over years as one for each; a year that is over is finished."""
    last = row.finished_on.year if row.finished_on else this_year
    return [
        row._replace(season=year, ref=f"{row.ref}/{year}", finished_on=_end_of(row, year, last, this_year))
        for year in range(row.season, last + 1)
    ]


def _end_of(row: _FactRow, year: int, last: int, this_year: int) -> date | None:
    if row.finished_on and year == last:
        return row.finished_on
    return date(year, 12, 31) if year < this_year else None


def _fact(
    row: _FactRow, crop: str, methods: dict[str, str], record: PlantingRecord, ground: _Ground, first_season: int
) -> PlantingFacts:
    place = place_label(row.name, row.number)
    spot = _spot(row, ground)
    part = ground.parts.get(row.part_id or 0)
    before = ground.before.get(row.pk)
    attributes: dict[str, str | None] = {
        "variety": row.variety,
        "season": str(row.season),
        "site": spot.site,
        "place": place,
        "place_kind": row.kind,
        "material": row.material,
        "part": part.name if part else None,
        "light": (part.light if part else "") or spot.light,
        "lot": row.lot,
        "before": before.crop if before else None,
        "origin": "came up by itself" if row.is_volunteer else "set out",
        "year_of_life": str(row.season - first_season + 1) if row.is_perennial else None,
        **_moon(row),
    }
    label = planting_label(crop, row.variety or "", is_doubtful=row.is_variety_doubtful)
    doubtful = frozenset({"variety"} if row.is_variety_doubtful else ())
    return PlantingFacts(row.pk, label, place, row.kind, row.season, record, attributes, methods, doubtful)


def _moon(row: _FactRow) -> dict[str, str | None]:
    """The moon on the day of planting, where that day is known."""
    if row.planted_on is None or row.planted_precision != "day":
        return {"moon": None, "moon_phase": None}
    moon = moon_on(row.planted_on)
    return {"moon": moon.trend, "moon_phase": moon.phase}


def _spot(row: _FactRow, ground: _Ground) -> Spot:
    """Where it stood most of its days, with the light there."""
    now = Spot(row.site, row.light or row.site_light)
    moves = ground.moves.get(row.place_id)
    if not moves:
        return now
    first, last = row.planted_on or date(row.season, 1, 1), row.finished_on or date(row.season, 12, 31)
    return mostly(stays(now, [move.departure for move in moves]), first, last)[0]


def _ground(household: Household, plantings: QuerySet[Planting]) -> _Ground:
    places = plantings.order_by().values("place_id")
    moves: dict[int, list[Move]] = defaultdict(list)
    for move in Move.objects.of(household).filter(place__in=places).select_related("left_site"):
        moves[move.place_id].append(move)
    fills: dict[int, list[FillEvent]] = defaultdict(list)
    known = Fill.objects.of(household).filter(place__in=places).values_list("place_id", "day", "kind", "litres")
    for place_id, day, kind, litres in known:
        fills[place_id].append(FillEvent(day, kind, litres))
    parts = Part.objects.ever_of(household).filter(place__in=places).select_related("place").in_bulk()
    spans = tenancies(Planting.objects.of(household).filter(place__in=places))
    return _Ground(parts, moves, fills, sharing(spans), predecessors(spans))


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


def _yearly_totals(household: Household, plantings: QuerySet[Planting]) -> dict[tuple[int, int], dict[str, GradeTotal]]:
    """The same by calendar year, for what stays over years."""
    lasting = plantings.filter(is_perennial=True).order_by().values("pk")
    lines = WeighIn.objects.of(household).filter(planting__in=lasting)
    found: dict[tuple[int, int], dict[str, GradeTotal]] = defaultdict(dict)
    columns = "planting_id", "weighed_on", "grade", "mass_mg", "count"
    for planting_id, day, grade, mass_mg, count in lines.order_by().values_list(*columns):
        total = found[planting_id, day.year].get(grade, GradeTotal())
        found[planting_id, day.year][grade] = total.plus(mass_mg, count)
    return found


def _record(row: _FactRow, grades: dict[str, GradeTotal], ground: _Ground, *, is_small_food: bool) -> PlantingRecord:
    part = ground.parts.get(row.part_id or 0)
    of_part = part.share_of(part.place) if part else None
    events = ground.fills.get(row.place_id)
    real_l = fill_of(events, row.planted_on or row.finished_on).litres if events else None
    return PlantingRecord(
        ref=row.ref,
        units=row.units,
        units_sd=row.units_pm / row.units if row.units and row.units_pm else 0.0,
        planted_on=row.planted_on,
        finished_on=row.finished_on,
        place_area_m2=row.area_m2,
        place_volume_l=real_l or row.volume_l,
        space_share=of_part if row.share is None else row.share * (of_part or 1.0),
        in_row_m=row.in_row_m,
        row_gap_m=row.row_gap_m,
        is_alone=row.pk not in ground.shared,
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
