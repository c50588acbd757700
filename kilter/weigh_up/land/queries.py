"""How close to plant, and whether sharing a bed pays: from the household's records to the core."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass, replace

from kilter.core.compare import PairResult, Prior, Unit, compare
from kilter.core.compare.density import Crowding, Stand, crowding
from kilter.core.compare.land import LandEquivalent, Share, land_equivalent, shared_ground
from kilter.core.errors import AliasedError, ComparisonError
from kilter.core.growing.succession import companions
from kilter.core.yields.lacks import LeftOut
from kilter.core.yields.measures import MeasuredYield, measure_yield
from kilter.core.yields.record import density_per_m2
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.clearing import tenancies
from kilter.set_out.models import Crop, Planting
from kilter.weigh_up.answer.reading import ForOne
from kilter.weigh_up.answer.spread import spread_here
from kilter.weigh_up.answer.units import BLINDED
from kilter.weigh_up.question.question import Question

TOGETHER, ALONE = "together", "alone"
#: Crops share a bed when they have half of the shorter one's days in common (rule).
SHARED_DAYS = 0.5


@dataclass(frozen=True)
class Crowded:
    """One crop at the densities it was grown at."""

    crop: Crop
    stands: tuple[tuple[PlantingFacts, Stand], ...]
    left_out: tuple[tuple[PlantingFacts, str], ...]
    found: Crowding | None
    problem: str
    is_within_season: bool = False  #: like was held against like within each season


@dataclass(frozen=True)
class SharedBed:
    """Crops that shared a bed, and how often."""

    crops: tuple[Crop, ...]
    times: int

    @property
    def key(self) -> str:
        return "-".join(str(crop.pk) for crop in self.crops)

    @property
    def label(self) -> str:
        return " and ".join(map(str, self.crops))


@dataclass(frozen=True)
class SharedRow:
    """One crop in one place and season: what it gave, and the ground that all in it had."""

    fact: PlantingFacts
    how: str  #: together or alone
    amount: float
    unit: str  #: kg or count
    area_m2: float


@dataclass(frozen=True)
class SharingAnswer:
    """Whether it paid, with what went in."""

    bed: SharedBed
    found: LandEquivalent | None
    problem: str  #: why there is no answer, or of which crops there is no ratio
    rows: tuple[SharedRow, ...]
    left_out: tuple[tuple[PlantingFacts, str], ...]


def crowded(household: Household, crop: Crop, seasons: tuple[int, ...], by: str) -> Crowded:
    """Fit the crowding of a crop from its finished plantings;
    unrecorded densities are left out and listed.
    """
    rows = [
        row
        for row in facts(
            household, Planting.objects.of(household).filter(crop=crop).as_they_stand()
        )
        if not seasons or row.season in seasons
    ]
    stands, left_out = [], []
    kept_back = blinded_of(household)
    for row in rows:
        density = density_per_m2(row.record)
        measured = measure_yield(row.record, by)
        if row.pk in kept_back:
            left_out.append((row, BLINDED.words))
        elif isinstance(measured, LeftOut):
            left_out.append((row, measured.reason))
        elif density is None:
            left_out.append((row, "its plants per square metre were not written down"))
        else:
            stand = Stand(row.record.ref, density, measured.rate, measured.plants, str(row.season))
            stands.append((row, stand))
    asked = Question(crops=(crop,), compare="density", by=by, seasons=seasons)
    prior = spread_here(asked, rows, {stand.ref for _, stand in stands}, ForOne(household))
    only = [stand for _, stand in stands]
    try:
        found, is_within_season = _curve(only, prior)
    except ComparisonError as error:
        return Crowded(crop, tuple(stands), tuple(left_out), None, str(error))
    return Crowded(crop, tuple(stands), tuple(left_out), found, "", is_within_season)


def _curve(stands: list[Stand], prior: Prior) -> tuple[Crowding, bool]:
    """The curve within each season, where the densities can be told from the seasons;
    else over all of them.
    """
    try:
        return crowding(stands, prior), len({stand.block for stand in stands}) > 1
    except AliasedError:
        return crowding([replace(stand, block="") for stand in stands], prior), False


def most_varied(household: Household) -> Crop | None:
    """The crop that was grown at most spacings, to begin with."""
    spaced = Planting.objects.of(household).exclude(finished_on=None).filter(in_row_m__isnull=False)
    pairs = spaced.order_by().values_list("crop_id", "in_row_m", "row_gap_m").distinct()
    counts = Counter(crop_id for crop_id, _, _ in pairs)
    crop: Crop | None = (
        Crop.objects.of(household).filter(pk__in=[pk for pk, _ in counts.most_common(1)]).first()
    )
    return crop


def shared_beds(household: Household) -> list[SharedBed]:
    """Every pair or group of crops that stood in one place at the same time,
    the commonest first.
    """
    spans = tenancies(household, is_volunteer=False)
    crop_of = {span.key: span.crop for span in spans}
    groups: dict[frozenset[str], int] = defaultdict(int)
    for key, others in companions(spans, SHARED_DAYS).items():
        crops = frozenset({crop_of[key], *(crop_of[other] for other in others)})
        if len(crops) > 1:
            groups[crops] += 1
    by_name = {crop.name: crop for crop in Crop.objects.of(household)}
    found = [
        SharedBed(tuple(by_name[name] for name in sorted(names) if name in by_name), times)
        for names, times in groups.items()
    ]
    return sorted(
        (bed for bed in found if len(bed.crops) > 1), key=lambda bed: (-bed.times, bed.label)
    )


def sharing_pays(household: Household, bed: SharedBed) -> SharingAnswer:
    """Hold each crop together against itself alone, per square metre of the whole ground, and add
    up.

    What grew of one crop in one place and season is one unit, in however many plantings. A crop
    that was counted and not weighed goes by number; one that no bed was given to alone is left out
    of the sum, said.
    """
    wanted = {crop.name for crop in bed.crops}
    stood, left_out = _stood(household, bed, wanted)
    rows: list[SharedRow] = []
    ratios, missing, problems = [], [], []
    for crop in bed.crops:
        mine = [one for one in stood if one.crop == crop.name]
        by = _measure_of(mine)
        measured = [(one, measure_yield(one.fact.record, by)) for one in mine]
        left_out += [
            (one.fact, found.reason) for one, found in measured if isinstance(found, LeftOut)
        ]
        units = _units_of(
            by, [(one, found) for one, found in measured if not isinstance(found, LeftOut)], stood
        )
        rows += units
        try:
            ratios.append(_share(household, crop, by, units))
        except ComparisonError as error:
            missing.append(crop.name)
            problems.append(str(error))
    if not ratios:
        return SharingAnswer(bed, None, " ".join(problems), tuple(rows), tuple(left_out))
    try:
        return SharingAnswer(
            bed, land_equivalent(ratios, missing), " ".join(problems), tuple(rows), tuple(left_out)
        )
    except ComparisonError as error:
        return SharingAnswer(bed, None, str(error), tuple(rows), tuple(left_out))


@dataclass(frozen=True)
class StoodTogether:
    """A planting that stood together with the others asked about, or alone."""

    fact: PlantingFacts
    crop: str
    how: str

    @property
    def spot(self) -> tuple[str, int]:
        return f"{self.fact.place}/{self.fact.attributes['part']}", self.fact.season


def _stood(
    household: Household, bed: SharedBed, wanted: set[str]
) -> tuple[list[StoodTogether], list[tuple[PlantingFacts, str]]]:
    """Who stood how; what came up by itself is nobody's company and is left out."""
    plantings = Planting.objects.of(household).filter(crop__in=bed.crops).as_they_stand()
    spans = tenancies(household, is_volunteer=False)
    crop_of, others = {span.key: span.crop for span in spans}, companions(spans, SHARED_DAYS)
    kept_back = blinded_of(household)
    stood: list[StoodTogether] = []
    left_out: list[tuple[PlantingFacts, str]] = []
    for row in facts(household, plantings):
        own = crop_of.get(row.pk, "")
        beside = {crop_of[key] for key in others.get(row.pk, ())} - {own}
        how = TOGETHER if beside | {own} == wanted else ALONE if not beside else ""
        if row.pk in kept_back:
            left_out.append((row, BLINDED.words))
        elif not own:
            left_out.append((row, "it came up by itself"))
        elif not how:
            left_out.append((row, "it shared its place with something else"))
        elif not row.record.place_area_m2:
            left_out.append((row, "its place has no length and width"))
        else:
            stood.append(StoodTogether(row, own, how))
    return stood, left_out


def _measure_of(mine: list[StoodTogether]) -> str:
    """Kilograms, unless only by number there is something on both sides."""

    def sides(by: str) -> set[str]:
        return {
            one.how for one in mine if not isinstance(measure_yield(one.fact.record, by), LeftOut)
        }

    return (
        "count_per_place"
        if len(sides("kg_per_place")) < 2 <= len(sides("count_per_place"))
        else "kg_per_place"
    )


def _units_of(
    by: str, measured: list[tuple[StoodTogether, MeasuredYield]], stood: list[StoodTogether]
) -> list[SharedRow]:
    """One crop's plantings of a season, place by place, with the ground that all in it had."""
    by_spot: dict[tuple[str, int, str], list[tuple[StoodTogether, MeasuredYield]]] = defaultdict(
        list
    )
    for one, found in measured:
        by_spot[(*one.spot, one.how)].append((one, found))
    units = []
    for (place, season, how), group in by_spot.items():
        first = group[0][0].fact
        shares = [one.fact.record.space_share for one in stood if one.spot == (place, season)]
        ground = shared_ground(shares, is_part=bool(first.attributes["part"]))
        area_m2 = (first.record.place_area_m2 or 0.0) * ground
        amount = sum(found.amount for _, found in group)
        units.append(SharedRow(first, how, amount, by.partition("_")[0], area_m2))
    return units


def _share(household: Household, crop: Crop, by: str, rows: list[SharedRow]) -> Share:
    """The ratio of a crop together to itself alone, from the comparison;
    within each season where that can be.
    """
    units = [
        Unit(
            ref=row.fact.record.ref,
            amount=row.amount,
            exposure=row.area_m2,
            level=row.how,
            blocks=(str(row.fact.season),),
            plants=row.fact.record.plants,
        )
        for row in rows
    ]
    counts = {how: sum(unit.level == how for unit in units) for how in (TOGETHER, ALONE)}
    for how, count in counts.items():
        if not count:
            raise ComparisonError(f"No {crop} that is finished and measured was grown {how}.")
    own = facts(household, Planting.objects.of(household).filter(crop=crop).as_they_stand())
    prior = spread_here(
        Question(crops=(crop,), compare="place", by=by),
        own,
        {unit.ref for unit in units},
        ForOne(household),
    )
    pair = _pair(units, prior)
    if pair is None:
        raise ComparisonError(f"One side of {crop} gave nothing, so there is no ratio for it.")
    ratio = pair.size if pair.a == TOGETHER else 1 / pair.size
    return Share(
        crop=crop.name,
        ratio=ratio,
        log_se=pair.doubt.sd,
        df=pair.doubt.df,
        together=counts[TOGETHER],
        alone=counts[ALONE],
        unit=rows[0].unit,
    )


def _pair(units: list[Unit], prior: Prior) -> PairResult | None:
    """Together against alone, within each season where that can be told apart;
    None where one side gave nothing.
    """
    try:
        answer = compare(units, block_names=("season",), prior=prior)
    except AliasedError:
        answer = compare([replace(unit, blocks=()) for unit in units], prior=prior)
    return answer.pairs[0] if answer.pairs else None
