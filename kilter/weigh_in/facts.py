"""Every planting as the core's plain record, with all that it can be compared by."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from operator import methodcaller
from typing import Any, NamedTuple

from django.db.models import Q, QuerySet, Sum

from kilter.core.amounts.vague import VagueDate
from kilter.core.amounts.weighing import Estimate, PerPiece, estimate_mg, per_piece, unripe_left
from kilter.core.growing.almanac import moon_on
from kilter.core.growing.growth import CountEvent
from kilter.core.growing.medium import FillEvent, fill_of
from kilter.core.growing.position import EDGE, MIDDLE, along, edges, third
from kilter.core.growing.succession import Tenancy, predecessors, sharing
from kilter.core.growing.whereabouts import Spot, mostly, stays
from kilter.core.yields.bands import bands, part_of_month
from kilter.core.yields.costs import CostShare
from kilter.core.yields.record import GradeTotal, PlantingRecord, density_per_m2
from kilter.ground.models import Fill, Move, Part, Place, is_bed_kind, place_label
from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.models import Crop, MethodTag, PlantCount, Planting, planting_label
from kilter.set_out.queries import costs_of, stood_of, tenancies
from kilter.tending.models import Job
from kilter.weigh_in.models import WeighIn


class _FactRow(NamedTuple):
    """What is read of a planting to compare it, in the order of `_FACT_COLUMNS`."""

    pk: int
    ref: str
    crop_id: int
    season: int
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
    volume_l: float | None
    material: str

    @property
    def area_m2(self) -> float | None:
        return self.length_m * self.width_m if self.length_m and self.width_m else None

    @property
    def path_area_m2(self) -> float | None:
        """With half of the path on each side."""
        if not (self.length_m and self.width_m and self.path_m):
            return None
        return (self.length_m + self.path_m) * (self.width_m + self.path_m)


#: What costs a query of its own, and is asked for only where a figure needs it.
ALL_NEEDS = frozenset({"work", "cost", "lifts", "handling"})
NEEDS = {
    **{f"{unit}_per_{per}": "work" for unit in ("kg", "count") for per in ("minute", "water_l")},
    **{f"{unit}_per_money": "cost" for unit in ("kg", "count")},
    "days_to_first": "lifts", "days_bearing": "lifts",
}  # fmt: skip
#: How exactly a planting's day must be known to say in which part of a month it lies.
TO_A_THIRD = frozenset({"day", "week", "third"})
#: Words of how a harvest was handled; more than one of them is "mixed".
NO_MOON: dict[str, str | None] = {"moon": None, "moon_phase": None}
HANDLING = ("cleaned", "topped")
_FACT_COLUMNS = (
    "pk", "ref", "crop_id", "season", "units", "units_pm", "unit_kind", "lot_mg", "planted_on", "planted_precision",
    "finished_on", "in_row_m", "row_gap_m", "share", "is_volunteer", "is_perennial", "variety__name",
    "is_variety_doubtful", "lot__name", "part_id", "place_id", "place__site__name", "place__site__light",
    "place__site__path_m", "place__light", "place__kind", "place__name", "place__number", "place__length_m",
    "place__width_m", "place__volume_l", "place__material",
)  # fmt: skip


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
    attributes: dict[str, str | None]
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


def levels_among(rows: Sequence[PlantingFacts], name: str) -> set[str | None]:
    """Every value an attribute has among some rows, None for what is not recorded or in doubt."""
    if name.startswith("method:"):
        method = name.removeprefix("method:")
        return {row.methods.get(method) for row in rows}
    return {None if name in row.doubtful else row.attributes[name] or None for row in rows}


@dataclass(frozen=True)
class _Ground:
    """What the ground knows of the places asked about, beside the rows themselves."""

    parts: dict[int, Part]
    moves: dict[int, list[Move]]
    fills: dict[int, list[FillEvent]]
    shared: frozenset[int]
    before: dict[int, Tenancy]
    has_moon: bool  #: the household has it shown
    edge: dict[int, str]  #: by place: at the edge of its set or in the middle
    along: dict[int, str]  #: by place: in which third of its set


_Key = tuple[int, int | None]  # a planting, and a year where it is asked for by year


@dataclass(frozen=True)
class _Given:
    """What was lifted and put in, by planting."""

    totals: Mapping[_Key, Mapping[str, GradeTotal]]
    lifted: Mapping[_Key, int]
    stood: Mapping[int, int]
    work: Mapping[int, tuple[float | None, float | None]]
    costs: Mapping[int, tuple[CostShare, ...]]
    lifts: Mapping[_Key, tuple[date, date]]
    handling: Mapping[int, tuple[str, str]]


def facts(
    household: Household, plantings: QuerySet[Planting], needs: frozenset[str] = frozenset()
) -> list[PlantingFacts]:
    """Plantings as the core's records, in the order given; a fixed number of queries."""
    rows = [_FactRow(*columns) for columns in plantings.values_list(*_FACT_COLUMNS)]
    crops = Crop.objects.ever_of(household).in_bulk({row.crop_id for row in rows})
    methods, ground = _methods(plantings), _ground(household, plantings)
    given = _Given(
        *_totals(household, plantings, rows),
        stood=_stood(household, rows),
        work=_work(household, plantings) if "work" in needs else {},
        costs=costs_of(household, plantings) if "cost" in needs else {},
        lifts=_lifts(household, plantings) if "lifts" in needs else {},
        handling=_handling(household, plantings) if "handling" in needs else {},
    )
    this_year = clock.today(household).year
    small_eaten = {crop.pk: crop.is_small_eaten(household) for crop in crops.values()}
    found = []
    for row in rows:
        crop, tags, is_small_food = crops[row.crop_id], methods.get(row.pk, {}), small_eaten[row.crop_id]
        for one in _years(row, this_year) if row.is_perennial else [row]:
            record = _record(one, given, ground, is_small_food=is_small_food)
            found.append(_fact(one, crop.name, tags, record, ground, row.season, given.handling.get(row.pk)))
    densities = bands([density_per_m2(fact.record) for fact in found], "per m²")
    for fact, label in zip(found, densities, strict=True):
        fact.attributes["density"] = label
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
    row: _FactRow,
    crop: str,
    methods: dict[str, str],
    record: PlantingRecord,
    ground: _Ground,
    first_season: int,
    handling: tuple[str, str] | None,
) -> PlantingFacts:
    place = place_label(row.name, row.number)
    spot = _spot(row, ground)
    part = ground.parts.get(row.part_id or 0)
    before = ground.before.get(row.pk)
    cleaned, topped = handling or ("", "")
    attributes: dict[str, str | None] = {
        "crop": crop,
        "variety": row.variety,
        "season": str(row.season),
        "site": spot.site,
        "place": place,
        "place_kind": row.kind,
        "material": row.material,
        "volume": f"{row.volume_l:g} L" if row.volume_l else None,
        "part": part.name if part else None,
        "edge": _edge(part) if part else ground.edge.get(row.place_id),
        "along": _along(part) if part else ground.along.get(row.place_id),
        "planting_time": part_of_month(row.planted_on)
        if row.planted_on and row.planted_precision in TO_A_THIRD
        else None,
        "cleaned": cleaned,
        "topped": topped,
        "light": (part.light if part else "") or spot.light,
        "lot": row.lot,
        "before": before.crop if before else None,
        "origin": "came up by itself" if row.is_volunteer else "set out",
        "year_of_life": str(row.season - first_season + 1) if row.is_perennial else None,
        **(_moon(row) if ground.has_moon else NO_MOON),
    }
    label = planting_label(crop, row.variety or "", is_doubtful=row.is_variety_doubtful)
    doubtful = frozenset({"variety"} if row.is_variety_doubtful else ())
    return PlantingFacts(row.pk, label, place, row.kind, row.season, record, attributes, methods, doubtful)


def _moon(row: _FactRow) -> dict[str, str | None]:
    """The moon on the day of planting, where that day is known."""
    if row.planted_on is None or row.planted_precision != "day":
        return NO_MOON
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
    return _Ground(
        parts, moves, fills, sharing(spans), predecessors(spans), household.is_moon_shown, *_positions(household)
    )


def _positions(household: Household) -> tuple[dict[int, str], dict[int, str]]:
    """Edge or middle, and which third, of every container of a set that is on the map."""
    sets: dict[tuple[int, str], dict[int, tuple[float, float]]] = defaultdict(dict)
    placed = Place.objects.of(household).filter(x_m__isnull=False, y_m__isnull=False, number__isnull=False)
    for pk, site, name, kind, x_m, y_m in placed.values_list("pk", "site_id", "name", "kind", "x_m", "y_m"):
        if not is_bed_kind(kind) and x_m is not None and y_m is not None:
            sets[site, name][pk] = x_m, y_m
    edge: dict[int, str] = {}
    ends: dict[int, str] = {}
    for spots in sets.values():
        edge |= edges(spots)
        ends |= along(spots)
    return edge, ends


def _planting_time(row: _FactRow) -> str | None:
    known = row.planted_on is not None and row.planted_precision in TO_A_THIRD
    return part_of_month(row.planted_on) if known and row.planted_on else None


def _edge(part: Part) -> str | None:
    return {Part.Kind.EDGE: EDGE, Part.Kind.MIDDLE: MIDDLE}.get(Part.Kind(part.kind))


def _along(part: Part) -> str | None:
    return third((part.start + part.end) / 2) if part.kind == Part.Kind.STRETCH else None


def _lifts(household: Household, plantings: QuerySet[Planting]) -> dict[_Key, tuple[date, date]]:
    """First and last day of lifting, thinnings apart; of what stays over years also of each."""
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"), is_thinning=False)
    found: dict[_Key, tuple[date, date]] = {}
    for pk, day in lines.order_by("weighed_on").values_list("planting_id", "weighed_on"):
        for key in ((pk, None), (pk, day.year)):
            found[key] = found.get(key, (day, day))[0], day
    return found


def _handling(household: Household, plantings: QuerySet[Planting]) -> dict[int, tuple[str, str]]:
    """Whether a harvest was washed and topped, where that was said; several answers are "mixed"."""
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    said: dict[int, tuple[set[str], set[str]]] = defaultdict(lambda: (set(), set()))
    for pk, *words in lines.exclude(cleaned="", topped="").order_by().values_list("planting_id", *HANDLING).distinct():
        for one, word in zip(said[pk], words, strict=True):
            one.add(word)
    return {pk: (_one_word(cleaned), _one_word(topped)) for pk, (cleaned, topped) in said.items()}


def _one_word(words: set[str]) -> str:
    said = words - {""}
    return "mixed" if len(said) > 1 else next(iter(said), "")


def _methods(plantings: QuerySet[Planting]) -> dict[int, dict[str, str]]:
    methods: dict[int, dict[str, str]] = defaultdict(dict)
    tags = MethodTag.objects.filter(planting__in=plantings.order_by().values("pk"))
    for planting_id, name, value in tags.order_by().values_list("planting_id", "name", "value"):
        methods[planting_id][name] = value
    return methods


def _totals(
    household: Household, plantings: QuerySet[Planting], rows: list[_FactRow]
) -> tuple[dict[_Key, dict[str, GradeTotal]], dict[_Key, int]]:
    """Grades and plants lifted, by planting; of what stays over years also by calendar year."""
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    totals: dict[_Key, dict[str, GradeTotal]] = defaultdict(dict)
    for planting_id, grade, count_of_lines, mass, count, unweighed, uncounted in lines.graded_totals():
        totals[planting_id, None][grade] = GradeTotal(count_of_lines, mass or 0, count or 0, unweighed, uncounted)
    lasting = {row.pk for row in rows if row.is_perennial}
    if lasting:
        columns = "planting_id", "weighed_on", "grade", "mass_mg", "count"
        for pk, day, grade, mass_mg, count in lines.filter(planting__in=lasting).order_by().values_list(*columns):
            of_year = totals[pk, day.year]
            of_year[grade] = of_year.get(grade, GradeTotal()).plus(mass_mg, count)
    lifted: dict[_Key, int] = defaultdict(int)
    for pk, year, grade, change in _changes(household, lines, rows, lifted):
        for key in {(pk, None), (pk, year) if pk in lasting else (pk, None)}:
            totals[key][grade] = change(totals[key].get(grade, GradeTotal()))
    return totals, lifted


def _changes(
    household: Household, lines: QuerySet[WeighIn], rows: list[_FactRow], lifted: dict[_Key, int]
) -> list[tuple[int, int, str, Callable[[GradeTotal], GradeTotal]]]:
    """What the few lines that are more than a weight and a count do to their totals."""
    special = lines.filter(
        Q(pm_mg__isnull=False) | Q(mass_mg=None) | Q(plants__isnull=False) | Q(turned_from__isnull=False)
    )
    found: list[tuple[int, int, str, Callable[[GradeTotal], GradeTotal]]] = []
    few = list(special.select_related("turned_from").order_by("pk"))
    each = Pieces(household, {row.crop_id for row in rows}) if any(line.mass_mg is None for line in few) else None
    of = {row.pk: row for row in rows}
    turned: dict[WeighIn, list[tuple[int | None, int | None]]] = defaultdict(list)
    for line in few:
        at = line.planting_id, line.weighed_on.year, line.grade
        if line.plants and not line.is_thinning:
            for key in ((line.planting_id, None), (line.planting_id, line.weighed_on.year)):
                lifted[key] += line.plants
        if line.pm_mg is not None:
            found.append((*at, methodcaller("remembered", float(line.pm_mg) ** 2)))
        if line.mass_mg is None and each is not None:
            row = of[line.planting_id]
            if (estimate := each.estimate(line, row.crop_id, row.variety)) is not None:
                found.append((*at, methodcaller("reckoned", estimate.mass_mg, estimate.sd_mg)))
        if line.turned_from is not None and line.turned_from.struck_at is None:
            turned[line.turned_from].append((line.mass_mg, line.count))
    for source, off in turned.items():
        mass_mg, count = source.mass_mg or 0, source.count or 0
        left_mg, left = unripe_left(mass_mg, count, off)
        gone = methodcaller("less", mass_mg - left_mg, count - left)
        found.append((source.planting_id, source.weighed_on.year, source.grade, gone))
    return found


class Pieces:
    """What one piece and one own measure of each crop weighs here, learnt from the lots weighed."""

    def __init__(self, household: Household, crops: Iterable[int]) -> None:
        weighed = WeighIn.objects.of(household).filter(
            planting__crop__in=list(crops), mass_mg__isnull=False, pm_mg=None, planting__struck_at=None
        )
        columns = (
            "planting__crop_id", "planting__variety__name", "grade", "count", "measure_id", "measures", "mass_mg",
        )  # fmt: skip
        self._lots: dict[tuple[Any, ...], list[tuple[float, float]]] = defaultdict(list)
        for crop_id, variety, grade, count, measure, measures, mass_mg in weighed.order_by("pk").values_list(*columns):
            if count:
                self._lots[crop_id, grade].append((count, mass_mg))
                self._lots[crop_id, grade, variety].append((count, mass_mg))
            if measures:
                self._lots[crop_id, "measure", measure].append((measures, mass_mg))

    def of_measure(self, crop_id: int, measure_id: int) -> PerPiece | None:
        """What one of an own measure holds of a crop."""
        return per_piece(self._lots.get((crop_id, "measure", measure_id), []))

    def estimate(self, line: WeighIn, crop_id: int, variety: str | None) -> Estimate | None:
        """Reckon a line that was not weighed: by its own measure, else by pieces of its variety, else of its crop."""
        if line.measures and line.measure_id:
            each = self.of_measure(crop_id, line.measure_id)
            if each is not None:
                return estimate_mg(line.measures, each)
        if not line.count:
            return None
        lots = self._lots.get((crop_id, line.grade, variety)) or self._lots.get((crop_id, line.grade), [])
        each = per_piece(lots)
        return None if each is None else estimate_mg(line.count, each)


def _stood(household: Household, rows: list[_FactRow]) -> dict[int, int]:
    """Plants that came of seeds, where they were counted."""
    sown = {row.pk: row.units for row in rows if row.unit_kind == "seed"}
    if not sown:
        return {}
    counts: dict[int, list[CountEvent]] = defaultdict(list)
    for entry in PlantCount.objects.of(household).filter(planting__in=list(sown)):
        counts[entry.planting_id].append(entry.event)
    return stood_of(counts, sown)


def _work(household: Household, plantings: QuerySet[Planting]) -> dict[int, tuple[float | None, float | None]]:
    """Minutes and litres of water noted for each planting."""
    jobs = Job.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    summed = jobs.order_by().values("planting_id").annotate(s=Sum("seconds"), ml=Sum("water_ml"))
    return {
        row["planting_id"]: (
            None if row["s"] is None else row["s"] / 60,
            None if row["ml"] is None else row["ml"] / 1000,
        )
        for row in summed
    }


def _record(row: _FactRow, given: _Given, ground: _Ground, *, is_small_food: bool) -> PlantingRecord:
    key = row.pk, row.season if row.is_perennial else None
    part = ground.parts.get(row.part_id or 0)
    of_part = part.share_of(part.place) if part else None
    events = ground.fills.get(row.place_id)
    real_l = fill_of(events, row.planted_on or row.finished_on).litres if events else None
    minutes, water_l = given.work.get(row.pk, (None, None))
    costs = given.costs.get(row.pk)
    lifts = given.lifts.get(key)
    return PlantingRecord(
        ref=row.ref,
        units=row.units,
        units_sd=row.units_pm / row.units if row.units and row.units_pm else 0.0,
        plants=given.stood.get(row.pk),
        plants_lifted=given.lifted.get(key),
        seed_mass_mg=row.lot_mg,
        planted_on=row.planted_on,
        days_sd=VagueDate(row.planted_on, row.planted_precision).sd_days if row.planted_on else 0.0,
        finished_on=row.finished_on,
        first_lift=lifts[0] if lifts else None,
        last_lift=lifts[1] if lifts else None,
        place_area_m2=row.area_m2,
        path_area_m2=row.path_area_m2,
        place_volume_l=real_l or row.volume_l,
        space_share=of_part if row.share is None else row.share * (of_part or 1.0),
        in_row_m=row.in_row_m,
        row_gap_m=row.row_gap_m,
        is_alone=row.pk not in ground.shared,
        is_small_food=is_small_food,
        minutes=minutes,
        water_l=water_l,
        cost_minor=sum(share.minor for share in costs) if costs else None,
        grades=given.totals.get(key, {}),
    )
