"""The strip and the tape of the bench, what waits for the scale, the ripening shelf,
and the picking round.
"""

from __future__ import annotations

import hashlib
import math
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import date
from functools import cached_property, reduce
from operator import attrgetter

from django.db.models import QuerySet

from kilter.core.amounts.weighing import (
    CountEstimate,
    PerPiece,
    WeighedLine,
    is_doubt_shown,
    resolution_sd_mg,
    unripe_left,
)
from kilter.core.trade.grades import CHOICES, GRADES, RIPENING
from kilter.core.yields.harvest import GradeTotal, harvest
from kilter.core.yields.visits import FIRST
from kilter.drawing.vessels import Vessel, vessel
from kilter.ground.models import Site
from kilter.people.models import ChangedRecord, Household, User
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting, PlantingQuerySet
from kilter.set_out.queries import standing_of, with_all_names
from kilter.set_out.telling import told_apart
from kilter.weigh_in.lifts import lifts_of
from kilter.weigh_in.models import CAUSES, CORRECTED, Bowl, OwnMeasure, Scale, WeighIn
from kilter.weigh_in.pieces import Pieces
from kilter.weigh_in.visits import plants_by_visit

VESSEL_WIDTH, VESSEL_HEIGHT = 52.0, 66.0
#: A planting lifted from on so many days is picked rather than lifted (rule).
PICKED_FROM_LIFTS = 3
LINES_SHOWN = 300
#: Later than this nothing on the shelf is waited for (rule).
RIPENS_WITHIN_DAYS = 120


@dataclass(frozen=True, kw_only=True)
class Pot:
    """One planting in reach on the bench."""

    planting: Planting
    shape: Vessel
    grades_today: str  #: the grades written today, for the bench to know when the pot is in
    mass_mg: int
    lifted: int = 0  #: plants that part lifts took
    plants_today: int | None = None  #: of them those of the visit that is on
    number: int | None = None  #: where varieties are hidden, its number in the random order
    is_blinded: bool = (
        False  #: a trial keeps its harvest back, so neither fill nor name tells which is ahead
    )
    name: str  #: its place, with what tells it from the others of the strip

    @property
    def left(self) -> int | None:
        """Plants still in the ground, where part lifts say."""
        return (
            max(self.planting.units - self.lifted, 0)
            if self.lifted and self.planting.units
            else None
        )

    def is_beside(self, other: Pot) -> bool:
        """Whether both stand in places of one set."""
        mine, of_other = self.planting.place, other.planting.place
        return mine.number is not None and (mine.site_id, mine.name) == (
            of_other.site_id,
            of_other.name,
        )

    @property
    def title(self) -> str:
        if self.number is not None:
            return f"No. {self.number}: {self.name}"
        return (
            self.name
            if self.is_blinded
            or self.name.startswith(f"{self.planting.where}, {self.planting.crop}")
            else f"{self.name}, {self.planting.label}"
        )

    @property
    def about(self) -> str:
        """When and what was set out, in a line;
        nothing that would tell which is which where that is hidden.
        """
        planting, is_open = self.planting, self.number is None and not self.is_blinded
        planted = f"set out {planting.planted}" if is_open and planting.planted else ""
        tags = [f"{tag.name}: {tag.value}" for tag in planting.methods.all()] if is_open else []
        left = "" if self.left is None else f"{self.left} of {planting.units} still in the ground"
        return " · ".join(filter(None, (planted, planting.amount, *tags, left)))


@dataclass(frozen=True)
class TapeLine:
    """One line of the tape with what was reckoned for it, and how far its scale can be off."""

    line: WeighIn
    estimate: CountEstimate | None = None
    doubt_mg: float | None = None  #: only where it is large enough to matter
    is_blinded: bool = (
        False  #: a trial keeps its harvest back, so the line does not tell what it was
    )

    where: str = ""  #: its place, with what tells it from the others of the tape

    @property
    def label(self) -> str:
        return str(self.line.planting.crop) if self.is_blinded else self.line.planting.label


@dataclass(frozen=True)
class Subtotal:
    """One grade on the tape, or all of it."""

    label: str
    total: GradeTotal
    waiting: int
    doubt_mg: float | None = None


@dataclass(frozen=True)
class Tape:
    """What was written today, with subtotals."""

    lines: tuple[TapeLine, ...]
    subtotals: tuple[Subtotal, ...]
    total: Subtotal
    pots: int


@dataclass(frozen=True)
class Kit:
    """What the bench offers beside grades: scales, bowls, own measures, and causes known here."""

    scales: tuple[Scale, ...]
    bowls: tuple[Bowl, ...]
    measures: tuple[OwnMeasure, ...]
    causes: tuple[str, ...]
    hands: tuple[str, ...]


@dataclass(frozen=True)
class LearntMeasure:
    """What an own measure holds of one crop."""

    crop: Crop
    each: PerPiece

    @cached_property
    def between_mg(self) -> tuple[int, int]:
        """Between what it likely lies."""
        low, high = self.each.interval()
        return round(low), round(high)


@dataclass(frozen=True)
class Shelved:
    """A lot on the ripening shelf, and what of it is left."""

    line: WeighIn
    left_mg: int
    left: int
    days: int


@dataclass(frozen=True)
class Round:
    """One crop of the picking round, or one variety where there are several: its plantings,
    what was picked last.
    """

    label: str
    plantings: tuple[Planting, ...]
    last_day: date | None
    last_mg: int
    last_count: int
    days_since: int | None

    @property
    def keys(self) -> str:
        return ",".join(str(planting.pk) for planting in self.plantings)

    @property
    def last_grams(self) -> str:
        """What was picked last as it would be typed."""
        return f"{self.last_mg / 1000:.15g}g"

    @property
    def places(self) -> str:
        return ", ".join(dict.fromkeys(planting.where for planting in self.plantings))


def crops_in_reach(household: Household, day: date) -> list[Crop]:
    """Crops with something still to lift, or weighed today."""
    growing = in_reach(household, day).order_by().values("crop_id")
    return list(Crop.objects.of(household).filter(pk__in=growing).order_by("name"))


#: So many plantings are offered to be opened again, where everything is lifted.
LATELY = 8


def finished_lately(household: Household) -> list[Planting]:
    """What was finished last, to be opened again."""
    finished = Planting.objects.of(household).filter(finished_on__isnull=False, is_perennial=False)
    return list(with_all_names(finished).order_by("-finished_on", "pk")[:LATELY])


def usual_grades(household: Household, crop: Crop | None, day: date) -> list[str]:
    """The grades that half of the crop's plantings or more got when it was last lifted before a day
    (rule).
    """
    lines = WeighIn.objects.of(household).filter(
        planting__crop=crop, weighed_on__lt=day, is_thinning=False
    )
    latest = lines.order_by("-planting__season").values_list("planting__season", flat=True).first()
    got: dict[str, set[int]] = defaultdict(set)
    pairs = (
        lines.filter(planting__season=latest)
        .order_by()
        .values_list("grade", "planting_id")
        .distinct()
    )
    for grade, planting in pairs:
        got[grade].add(planting)
    plantings = len(set().union(*got.values()))
    return [grade for grade in GRADES if got[grade] and len(got[grade]) * 2 >= plantings]


def in_reach(household: Household, day: date) -> PlantingQuerySet:
    """Plantings with something still to lift, or weighed on a day."""
    weighed = WeighIn.objects.of(household).filter(weighed_on=day).values("planting_id")
    plantings = Planting.objects.of(household)
    return plantings.in_reach(day) | plantings.filter(pk__in=weighed)


def strip(
    household: Household,
    crop: Crop | None,
    day: date,
    *,
    is_hidden: bool = False,
    is_yard: bool = False,
) -> list[Pot]:
    """The pots in reach, of a crop or of the whole yard, in the order they stand; with varieties
    hidden, in an order of chance that stays.
    """
    if crop is None and not is_yard:
        return []
    reach = in_reach(household, day)
    shown = list(with_all_names(reach if is_yard else reach.filter(crop=crop)))
    if is_hidden:
        shown.sort(key=lambda p: hashlib.sha256(f"{household.pk}/{p.ref}".encode()).digest())
    masses: dict[int, int] = defaultdict(int)
    today: dict[int, set[str]] = defaultdict(set)
    lines = WeighIn.objects.of(household).filter(planting__in=shown)
    visit_now: dict[int, int] = {}
    columns = "planting_id", "grade", "weighed_on", "mass_mg", "visit"
    for planting_id, grade, weighed_on, mass_mg, visit in lines.values_list(*columns):
        masses[planting_id] += mass_mg or 0
        if weighed_on == day:
            today[planting_id].add(grade)
            visit_now[planting_id] = max(visit_now.get(planting_id, FIRST), visit or FIRST)
    visits = plants_by_visit(lines.filter(plants__isnull=False).order_by("pk"))
    lifted: dict[int, int] = defaultdict(int)
    for (planting_id, _, _), plants in visits.items():
        lifted[planting_id] += plants
    kept_back = blinded_of(household)
    fullest = max((masses[p.pk] for p in shown if p.pk not in kept_back), default=0) * 1.15
    pots = []
    # Where varieties are hidden none of them is told.
    called = told_apart(
        shown, attrgetter("where"), {p.pk for p in shown} if is_hidden else kept_back
    )
    for i, p in enumerate(shown):
        share = masses[p.pk] / fullest if fullest and p.pk not in kept_back else 0.0
        shape = vessel(
            2, 2, VESSEL_WIDTH, VESSEL_HEIGHT, kind=p.place.kind, is_bed=p.place.is_bed, share=share
        )
        grades, number = " ".join(sorted(today[p.pk])), i + 1 if is_hidden else None
        pots.append(
            Pot(
                planting=p,
                shape=shape,
                grades_today=grades,
                mass_mg=masses[p.pk],
                lifted=lifted[p.pk],
                plants_today=visits.get((p.pk, day, visit_now.get(p.pk, FIRST))),
                number=number,
                is_blinded=p.pk in kept_back,
                name=called[p.pk],
            )
        )
    return pots


def sites_of(pots: Iterable[Pot]) -> list[Site]:
    """The sites that some pots stand in, in the order they stand."""
    return list(dict.fromkeys(pot.planting.place.site for pot in pots))


def open_beside(
    household: Household, planting: Planting, day: date, *, is_set: bool
) -> list[Planting]:
    """The open plantings of its crop in the same set of places,
    or those of its crop written today.
    """
    shown = in_reach(household, day).filter(crop=planting.crop_id, finished_on=None)
    if is_set:
        shown = shown.filter(place__site=planting.place.site_id, place__name=planting.place.name)
    else:
        written = WeighIn.objects.of(household).filter(weighed_on=day)
        shown = shown.filter(pk__in=written.order_by().values("planting_id"))
    return list(with_all_names(shown))


@dataclass(frozen=True)
class PartLift:
    """So many of the plants were lifted by themselves."""

    lifted: int
    stood: int

    @property
    def others(self) -> int:
        return self.stood - self.lifted


@dataclass(frozen=True)
class LiftedSoFar:
    """What the lines of a planting say of its being all lifted."""

    is_written: bool
    part: PartLift | None

    @property
    def is_clear(self) -> bool:
        """Whether nothing is to be asked before it is finished."""
        return self.is_written and self.part is None


def lifted_so_far(household: Household, plantings: Collection[Planting]) -> dict[int, LiftedSoFar]:
    """What the lines of each planting say;
    a fixed number of queries where their counts were read with them.
    """
    keys = [planting.pk for planting in plantings]
    lifts = lifts_of(household, Planting.objects.of(household).filter(pk__in=keys))
    found = {}
    for planting in plantings:
        lines = lifts.get(planting.pk, ())
        lifted, stood = harvest(lines).plants_lifted, standing_of(planting).now
        part = PartLift(lifted, stood) if lifted and stood and lifted < stood else None
        found[planting.pk] = LiftedSoFar(bool(lines), part)
    return found


def tape(household: Household, day: date, by: User | None = None) -> Tape:
    """The lines written for a day, struck ones too, and what stands; of one person or of all."""
    written = WeighIn.objects.ever_of(household).filter(
        weighed_on=day, **({"written_by": by} if by else {})
    )
    lines = written_lines(household, written.order_by("pk"))
    standing = [line for line in lines if line.line.struck_at is None]
    by_grade = [
        _subtotal(label, [one for one in standing if one.line.grade == grade])
        for grade, label in CHOICES
    ]
    pots = len({one.line.planting_id for one in standing})
    used = tuple(sub for sub in by_grade if sub.total.lines)
    return Tape(tuple(lines), used, _subtotal("all", standing), pots)


def written_lines(household: Household, lines: QuerySet[WeighIn]) -> list[TapeLine]:
    """Lines as they are shown: with estimates of what was not weighed,
    and the doubt of the scale.
    """
    names = (
        "planting__place",
        "planting__part",
        "planting__crop",
        "planting__variety",
        "bowl",
        "scale",
        "size",
        "measure",
        "written_by",
    )
    found = list(lines.select_related(*names)[:LINES_SHOWN])
    corrected = _corrected(found)
    for line in found:
        line.corrections = corrected.get(line.pk, 0)
    crops = {line.planting.crop_id for line in found if line.mass_mg is None}
    each = Pieces(household, crops) if crops else None
    kept_back = blinded_of(household)
    called = _told_apart(household, {line.planting_id: line.planting for line in found}, kept_back)
    return [
        TapeLine(
            line,
            _estimate(each, line),
            _doubt_mg([line]),
            line.planting_id in kept_back,
            called[line.planting_id],
        )
        for line in found
    ]


def _told_apart(
    household: Household, plantings: dict[int, Planting], kept_back: Collection[int]
) -> dict[int, str]:
    """Where some plantings stand, told apart from each other and from what stands there beside."""
    if not plantings:
        return {}
    places = {planting.place_id for planting in plantings.values()}
    beside = Planting.objects.of(household).filter(finished_on=None, place__in=places)
    among = plantings | {planting.pk: planting for planting in beside.with_names()}
    return told_apart(among.values(), attrgetter("where"), kept_back)


def _corrected(lines: list[WeighIn]) -> dict[int, int]:
    """How often each line was changed by hand after it was written."""
    kept = ChangedRecord.objects.filter(
        model="weigh_in.weighin", record_id__in=[line.pk for line in lines]
    )
    found: dict[int, int] = defaultdict(int)
    kept = kept.filter(change__says__startswith=CORRECTED, change__undone_at=None)
    for record_id in kept.values_list("record_id", flat=True):
        found[record_id] += 1
    return found


def _estimate(each: Pieces | None, line: WeighIn) -> CountEstimate | None:
    if each is None or line.mass_mg is not None:
        return None
    variety = line.planting.variety.name if line.planting.variety else None
    return each.estimate(line, line.planting.crop_id, variety)


def _doubt_mg(lines: Iterable[WeighIn]) -> float | None:
    """What the scale's steps and memory leave open, where it is large enough to matter."""
    lines = [line for line in lines if line.mass_mg is not None]
    readings = [
        WeighedLine(
            line.mass_mg or 0,
            line.scale.step_mg,
            line.loads,
            f"{line.device}/{line.pile}" if line.pile else "",
            line.number_in_pile or 0,
        )
        for line in lines
        if line.scale is not None
    ]
    sd_mg = math.hypot(resolution_sd_mg(readings), *(line.pm_mg or 0 for line in lines))
    return sd_mg if is_doubt_shown(sum(line.mass_mg or 0 for line in lines), sd_mg) else None


def _subtotal(label: str, lines: list[TapeLine]) -> Subtotal:
    total = reduce(GradeTotal.plus, map(_total_of, lines), GradeTotal())
    return Subtotal(
        label, total, sum(line.line.waits for line in lines), _doubt_mg(line.line for line in lines)
    )


def _total_of(one: TapeLine) -> GradeTotal:
    line, found = one.line, one.estimate
    return GradeTotal(
        lines=1,
        mass_mg=line.mass_mg or 0,
        count=line.count or 0,
        unweighed=line.mass_mg is None,
        uncounted=line.count is None,
        estimated=found is not None,
        estimated_mg=found.mass_mg if found else 0.0,
    )


def waiting_lines(household: Household) -> QuerySet[WeighIn]:
    """Counted and still to be weighed, oldest first."""
    waiting = WeighIn.objects.of(household).waiting()
    names = "planting__place", "planting__part", "planting__crop", "planting__variety"
    return waiting.select_related(*names).order_by("weighed_on", "pk")


def kit_of(household: Household) -> Kit:
    """Scales, bowls, own measures and causes of a household."""
    lines = WeighIn.objects.of(household).order_by()
    used = lines.exclude(cause="").values_list("cause", flat=True).distinct()
    hands = lines.exclude(hand="").values_list("hand", flat=True).distinct()
    return Kit(
        tuple(Scale.objects.of(household)),
        tuple(Bowl.objects.of(household)),
        tuple(OwnMeasure.objects.of(household)),
        tuple(dict.fromkeys([*sorted(used), *CAUSES])),
        tuple(sorted(hands)) if household.asks_hand else (),
    )


def learnt_of(household: Household, measure: OwnMeasure) -> list[LearntMeasure]:
    """What an own measure holds of each crop it was weighed with."""
    weighed = WeighIn.objects.of(household).filter(measure=measure, mass_mg__isnull=False)
    crops = Crop.objects.of(household).filter(pk__in=weighed.order_by().values("planting__crop"))
    each = Pieces(household, [crop.pk for crop in crops])
    found = [(crop, each.of_measure(crop.pk, measure.pk)) for crop in crops]
    return [LearntMeasure(crop, known) for crop, known in found if known is not None]


def habits_of(household: Household, crop: Crop | None) -> tuple[str, str]:
    """Whether a crop was washed and topped when it was last weighed;
    offered again the next time.
    """
    if crop is None:
        return "", ""
    last = WeighIn.objects.of(household).filter(planting__crop=crop).order_by("-pk")
    return last.values_list("cleaned", "topped").first() or ("", "")


def ripening(household: Household, day: date) -> list[Shelved]:
    """Lots of Unripe of which something is left, oldest first."""
    lots = WeighIn.objects.of(household).filter(grade__in=RIPENING, planting__struck_at=None)
    names = "planting__place", "planting__crop", "planting__variety"
    turned: dict[int, list[tuple[int | None, int | None]]] = defaultdict(list)
    off = WeighIn.objects.of(household).filter(turned_from__in=lots)
    for lot, mass_mg, count in off.values_list("turned_from_id", "mass_mg", "count"):
        if lot is not None:
            turned[lot].append((mass_mg, count))
    found = []
    for line in lots.select_related(*names).order_by("weighed_on", "pk"):
        left_mg, left = unripe_left(line.mass_mg or 0, line.count or 0, turned[line.pk])
        if left_mg or left:
            found.append(Shelved(line, left_mg, left, (day - line.weighed_on).days))
    return found


def picking_round(household: Household, day: date) -> list[Round]:
    """The varieties that are picked again and again, each with what was picked last."""
    growing = with_all_names(
        Planting.objects.of(household).in_reach(day).exclude(finished_on__lt=day)
    )
    by_variety: dict[tuple[Crop, int | None], list[Planting]] = defaultdict(list)
    for planting in growing:
        if planting.planted_on is None or planting.planted_on <= day:
            by_variety[planting.crop, planting.variety_id].append(planting)
    everything = [planting for group in by_variety.values() for planting in group]
    varieties = Counter(crop for crop, _ in by_variety)
    lifts: dict[tuple[int, int | None], dict[date, list[tuple[int, int]]]] = defaultdict(
        lambda: defaultdict(list)
    )
    lines = WeighIn.objects.of(household).filter(planting__in=everything)
    days: dict[int, set[date]] = defaultdict(set)
    columns = (
        "planting_id",
        "planting__crop_id",
        "planting__variety_id",
        "weighed_on",
        "mass_mg",
        "count",
    )
    for planting_id, crop_id, variety_id, on, mass_mg, count in lines.values_list(*columns):
        lifts[crop_id, variety_id][on].append((mass_mg or 0, count or 0))
        days[planting_id].add(on)
    found = []
    for (crop, variety), plantings in sorted(
        by_variety.items(), key=lambda pair: (pair[0][0].name, pair[1][0].label)
    ):
        book = crop.in_handbook
        most = max(len(days[planting.pk]) for planting in plantings)
        if not ((book and book.pick_every_days) or most >= PICKED_FROM_LIFTS):
            continue
        mine = lifts[crop.pk, variety]
        last = max(mine, default=None)
        picked = mine[last] if last else []
        label = plantings[0].label if varieties[crop] > 1 else crop.name
        found.append(
            Round(
                label[:1].upper() + label[1:],
                tuple(plantings),
                last,
                sum(mass for mass, _ in picked),
                sum(count for _, count in picked),
                (day - last).days if last else None,
            )
        )
    return found


def history_of(household: Household, line: WeighIn) -> list[ChangedRecord]:
    """What a line was before each change by hand, newest first, with who and when."""
    kept = ChangedRecord.objects.filter(
        model="weigh_in.weighin", record_id=line.pk, change__household=household
    ).exclude(before=None)
    return list(kept.select_related("change__by").order_by("-pk"))
