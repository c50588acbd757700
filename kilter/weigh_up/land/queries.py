"""How close to plant, and whether sharing a bed pays: from the household's records to the core."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass

from kilter.core.compare import Unit, compare
from kilter.core.compare.density import Crowding, Stand, crowding
from kilter.core.compare.land import LandEquivalent, Share, land_equivalent, shared_ground
from kilter.core.compare.replicates import own_prior
from kilter.core.errors import ComparisonError
from kilter.core.growing.succession import companions
from kilter.core.yields.measures import LeftOut, MeasuredYield, measure_yield
from kilter.core.yields.record import density_per_m2
from kilter.people.models import Household
from kilter.records.facts import PlantingFacts, facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Crop, Planting
from kilter.set_out.queries import tenancies
from kilter.weigh_up.answer.spread import like_units
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
class SharingAnswer:
    """Whether it paid, with what went in."""

    bed: SharedBed
    found: LandEquivalent | None
    problem: str
    rows: tuple[tuple[PlantingFacts, str, float, float], ...]  #: planting, together or alone, kg, m²
    left_out: tuple[tuple[PlantingFacts, str], ...]


def crowded(household: Household, crop: Crop, seasons: tuple[int, ...], by: str) -> Crowded:
    """Fit the crowding of a crop from its finished plantings; untold densities are left out, said."""
    rows = [
        row
        for row in facts(household, Planting.objects.of(household).filter(crop=crop).as_they_stand())
        if not seasons or row.season in seasons
    ]
    stands, left_out = [], []
    kept_back = blinded_of(household)
    for row in rows:
        density = density_per_m2(row.record)
        measured = measure_yield(row.record, by)
        if row.pk in kept_back:
            left_out.append((row, BLINDED))
        elif isinstance(measured, LeftOut):
            left_out.append((row, measured.reason))
        elif density is None:
            left_out.append((row, "its plants per square metre were not written down"))
        else:
            stands.append((row, Stand(row.record.ref, density, measured.rate, measured.plants)))
    prior = own_prior(like_units(rows, Question((crop,), "density", by), set()))
    try:
        return Crowded(crop, tuple(stands), tuple(left_out), crowding([stand for _, stand in stands], prior), "")
    except ComparisonError as error:
        return Crowded(crop, tuple(stands), tuple(left_out), None, str(error))


def most_varied(household: Household) -> Crop | None:
    """The crop that was grown at most spacings, to begin with."""
    spaced = Planting.objects.of(household).exclude(finished_on=None).filter(in_row_m__isnull=False)
    pairs = spaced.order_by().values_list("crop_id", "in_row_m", "row_gap_m").distinct()
    counts = Counter(crop_id for crop_id, _, _ in pairs)
    crop: Crop | None = Crop.objects.of(household).filter(pk__in=[pk for pk, _ in counts.most_common(1)]).first()
    return crop


def shared_beds(household: Household) -> list[SharedBed]:
    """Every pair or group of crops that stood in one place at the same time, the commonest first."""
    spans = tenancies(Planting.objects.of(household))
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
    return sorted((bed for bed in found if len(bed.crops) > 1), key=lambda bed: (-bed.times, bed.label))


def sharing_pays(household: Household, bed: SharedBed) -> SharingAnswer:
    """Hold each crop together against itself alone, per square metre of the whole ground, and add up.

    What grew of one crop in one place and season is one unit, in however many plantings.
    """
    plantings = Planting.objects.of(household).filter(crop__in=bed.crops).as_they_stand()
    spans = tenancies(Planting.objects.of(household))
    crop_of = {span.key: span.crop for span in spans}
    others = companions(spans, SHARED_DAYS)
    wanted = {crop.name for crop in bed.crops}
    groups: dict[tuple[str, str, int], list[tuple[PlantingFacts, MeasuredYield]]] = defaultdict(list)
    shares: dict[tuple[str, int], dict[int, float | None]] = defaultdict(dict)
    left_out: list[tuple[PlantingFacts, str]] = []
    kept_back = blinded_of(household)
    for row in facts(household, plantings):
        own = crop_of[row.pk]
        beside = {crop_of[key] for key in others.get(row.pk, ())} - {own}
        how = TOGETHER if beside | {own} == wanted else ALONE if not beside else ""
        measured = measure_yield(row.record, "kg_per_place")
        if row.pk in kept_back:
            left_out.append((row, BLINDED))
        elif not how:
            left_out.append((row, "it shared its place with something else"))
        elif isinstance(measured, LeftOut):
            left_out.append((row, measured.reason))
        elif not row.record.place_area_m2:
            left_out.append((row, "its place has no length and width"))
        else:
            groups[how, own, row.season].append((row, measured))
            shares[f"{row.place}/{row.attributes['part']}", row.season][row.pk] = row.record.space_share
    rows = [unit for (how, _, season), inside in groups.items() for unit in _units_of(how, season, inside, shares)]
    try:
        ratios = [_share(crop.name, [row for row in rows if crop_of[row[0].pk] == crop.name]) for crop in bed.crops]
        return SharingAnswer(bed, land_equivalent(ratios), "", tuple(rows), tuple(left_out))
    except ComparisonError as error:
        return SharingAnswer(bed, None, str(error), tuple(rows), tuple(left_out))


def _units_of(
    how: str,
    season: int,
    inside: list[tuple[PlantingFacts, MeasuredYield]],
    shares: dict[tuple[str, int], dict[int, float | None]],
) -> list[tuple[PlantingFacts, str, float, float]]:
    """One crop's plantings of a season, place by place, with the ground that all in it had."""
    by_place: dict[str, list[tuple[PlantingFacts, MeasuredYield]]] = defaultdict(list)
    for row, measured in inside:
        by_place[f"{row.place}/{row.attributes['part']}"].append((row, measured))
    found = []
    for place, group in by_place.items():
        first = group[0][0]
        ground = shared_ground(list(shares[place, season].values()), is_part=bool(first.attributes["part"]))
        area_m2 = (first.record.place_area_m2 or 0.0) * ground
        found.append((first, how, sum(measured.amount for _, measured in group), area_m2))
    return found


def _share(crop: str, rows: list[tuple[PlantingFacts, str, float, float]]) -> Share:
    """The ratio of a crop together to itself alone, from the comparison."""
    units = [Unit(row.record.ref, amount, area, how, plants=row.record.plants) for row, how, amount, area in rows]
    counts = {how: sum(unit.level == how for unit in units) for how in (TOGETHER, ALONE)}
    for how, count in counts.items():
        if not count:
            raise ComparisonError(
                f"No {crop} that is finished and measured was grown {how}, so there is no ratio for it."
            )
    answer = compare(units)
    if not answer.pairs:
        raise ComparisonError(f"One side of {crop} gave nothing, so there is no ratio for it.")
    pair = answer.pairs[0]
    ratio = pair.ratio if pair.a == TOGETHER else 1 / pair.ratio
    return Share(crop, ratio, pair.log_se, answer.df, counts[TOGETHER], counts[ALONE])
