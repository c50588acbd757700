"""A row per crop: what is needed, what one plant gives, how many plants, and what follows."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field

from django.db.models import Q

from kilter.core.errors import KilterError
from kilter.core.handbook import HandbookCrop
from kilter.core.plan.appetite import Appetite, WeekEaten, own_appetite
from kilter.core.plan.forecast import OnePlant, forecast_one_plant
from kilter.core.plan.need import Chain, Losses, back_to_the_soil, forward_to_the_table, plate_need_kg, rule_row_m
from kilter.core.plan.quantities import PlantsNeeded, containers_for, seeds_for
from kilter.drawing.promise import Promise, promise
from kilter.ground.models import Place
from kilter.larder.learnt import Learnt, learnt
from kilter.look_back.decisions import Stands, open_decisions
from kilter.next_year.models import CropPlan
from kilter.next_year.records import Past, pasts_of, weeks_eaten
from kilter.people import clock
from kilter.people.models import Eater, Household
from kilter.set_out.models import Crop, Planting
from kilter.tending.memory import MOST_SHOWN, memories_of_crops

NEVER_SURE = (
    "However many are planted, too many years fail altogether for that: split it over more places or varieties, or be "
    "less sure."
)
STANDARD_CONTAINER_L = 30.0
KEEPS_WEEKS = 8  # what keeps so long is planned through winter at first
SEED_WORDS = ("seed", "module", "transplant")


@dataclass(frozen=True)
class NeedEstimate:
    """One way of saying how much, all in the same units."""

    chain: Chain | None
    plants: int | None
    row_m: float | None
    problem: str = ""


@dataclass(frozen=True)
class CropRow:
    """The chain of reasoning for one crop, left to right."""

    crop: Crop
    plan: CropPlan
    plate: NeedEstimate
    rule: NeedEstimate
    own: NeedEstimate  #: by what was eaten here
    appetite: Appetite | None
    one_plant: OnePlant | None
    at_half: PlantsNeeded | None  #: by the way chosen, 50 % sure
    at_eighty: PlantsNeeded | None
    chosen: PlantsNeeded | None  #: by the chosen way, as sure as wanted
    plants: int | None
    row_m: float | None
    containers: int | None
    container_l: float
    seeds: int | None
    planted_as: str
    problem: str = ""
    learnt: Learnt = field(default_factory=Learnt)
    decided: tuple[Stands, ...] = ()  #: decisions of Look back that wait for the plan
    memory: tuple[str, ...] = ()  #: what hit it, and how often

    @property
    def promise(self) -> Promise | None:
        """What one plant gives, drawn."""
        if (one := self.one_plant) is None:
            return None
        return promise(one.tenth_kg, one.median_kg, one.ninetieth_kg, one.own_share)

    @property
    def more_kg(self) -> float | None:
        """What is expected beyond what is to be lifted for the need; None where it is no more."""
        chain = (self.own if self.plan.way == CropPlan.Way.OWN else self.plate).chain
        if self.chosen is None or chain is None or self.chosen.expected_kg <= chain.lifted_kg:
            return None
        return self.chosen.expected_kg - chain.lifted_kg


@dataclass(frozen=True)
class Garden:
    """What all rows share, read once."""

    eaters: tuple[Eater, ...]
    past: dict[int, Past]
    eaten: dict[int, list[WeekEaten]]  #: by crop, week by week
    spacing_m: dict[int, float]
    container_l: float
    learnt: dict[int, Learnt] = field(default_factory=dict)  #: by crop, what the larder tells
    decided: dict[int | None, list[Stands]] = field(default_factory=dict)  #: by crop; of none those of the whole garden
    memory: dict[int, tuple[str, ...]] = field(default_factory=dict)  #: by crop, what hit it

    @property
    def appetites(self) -> list[float]:
        return [eater.appetite for eater in self.eaters]


def garden(household: Household) -> Garden:
    """Read eaters, past yields, own spacings, the usual container and what the larder learnt; a few queries."""
    today = clock.today(household)
    volumes = Place.objects.of(household).exclude(volume_l=None).values_list("volume_l", flat=True)
    common = Counter(volumes).most_common(1)
    return Garden(
        tuple(Eater.objects.of(household)),
        pasts_of(household),
        weeks_eaten(household, today),
        _spacings(household),
        common[0][0] if common else STANDARD_CONTAINER_L,
        learnt(household, list(Crop.objects.of(household))),
        _decided(household),
        {
            crop: tuple(one.said() for one in of[:MOST_SHOWN])
            for crop, of in memories_of_crops(household, today).items()
        },
    )


def _decided(household: Household) -> dict[int | None, list[Stands]]:
    """Decisions of Look back that are open, by the crop they are about."""
    found: dict[int | None, list[Stands]] = defaultdict(list)
    for one in open_decisions(household):
        found[one.decision.crop_id].append(one)
    return found


#: Of a hundred seeds, where the handbook does not say (rule).
GERMINATION_PERCENT = 80


def crops_to_plan(household: Household) -> list[Crop]:
    """Crops that were grown or are planned."""
    grown = Planting.objects.of(household).order_by().values("crop_id")
    wanted = (Q(pk__in=grown) | Q(plan__isnull=False, plan__struck_at=None)) & ~Q(plan__is_out=True)
    return list(Crop.objects.of(household).filter(wanted).select_related("plan").order_by("name"))


def left_out(household: Household) -> list[Crop]:
    """Crops that were taken out of the plan."""
    return list(Crop.objects.of(household).filter(plan__is_out=True, plan__struck_at=None).order_by("name"))


def plan_of(crop: Crop) -> CropPlan:
    """The crop's plan, or a first one by the handbook."""
    if hasattr(crop, "plan"):
        return crop.plan
    book = crop.in_handbook
    if book is None:
        return CropPlan(crop=crop, household=crop.household)
    return CropPlan(
        crop=crop,
        household=crop.household,
        is_kept=bool(book.keep_weeks and book.keep_weeks >= KEEPS_WEEKS),
        weeks=book.weeks_at_table,
        servings_per_week=book.servings_per_week,
        serving_g=book.serving_g,
        germination_percent=round(book.germination_percent or GERMINATION_PERCENT),
    )


def rows(household: Household, shared: Garden | None = None) -> list[CropRow]:
    """All rows of the plan."""
    shared = shared or garden(household)
    return [row(crop, shared) for crop in crops_to_plan(household)]


def row(crop: Crop, shared: Garden) -> CropRow:
    """One row; what cannot be reckoned says why and leaves the rest standing."""
    plan, book = plan_of(crop), crop.in_handbook
    learnt_here = shared.learnt.get(crop.pk, Learnt())
    losses = losses_of_plan(plan, book, learnt_here)
    spacing_m = shared.spacing_m.get(crop.pk) or (book.in_row_m if book else None)
    one_plant, problem = None, ""
    try:
        one_plant = _one_plant(shared, crop, book)
    except KilterError as error:
        problem = str(error)
    plate, counts = _by_plate(plan, shared, losses, one_plant, spacing_m)
    own, appetite, own_counts = _by_own(plan, shared, losses, one_plant, spacing_m)
    rule = _by_rule(plan, shared, losses, one_plant, spacing_m, book)
    if plan.way == CropPlan.Way.OWN:
        counts = own_counts
    chosen = counts.get(plan.certainty) if plan.way != CropPlan.Way.RULE else _count_of(rule, one_plant)
    plants = chosen.plants if chosen else rule.plants if plan.way == CropPlan.Way.RULE else None
    planted_as = book.planted_as if book else "plant"
    is_sown = any(word in planted_as for word in SEED_WORDS) and "potato" not in planted_as
    per_30l = book.plants_per_30l if book else None
    return CropRow(
        crop=crop,
        plan=plan,
        plate=plate,
        rule=rule,
        own=own,
        appetite=appetite,
        one_plant=one_plant,
        at_half=counts.get(50),
        at_eighty=counts.get(80),
        chosen=chosen,
        plants=plants,
        row_m=plants * spacing_m if plants is not None and spacing_m else None,
        containers=containers_for(plants, per_30l, shared.container_l) if plants is not None and per_30l else None,
        container_l=shared.container_l,
        seeds=seeds_for(plants, plan.germination_percent / 100) if plants is not None and is_sown else None,
        planted_as=planted_as,
        problem=problem or (own.problem if plan.way == CropPlan.Way.OWN else plate.problem),
        learnt=learnt_here,
        decided=tuple(shared.decided.get(crop.pk, ())),
        memory=shared.memory.get(crop.pk, ()),
    )


def lifted_for_the_table(plan: CropPlan, appetites: Sequence[float], losses: Losses) -> Chain:
    """What is to be lifted so that the servings of a plan come to the table."""
    table_kg = plate_need_kg(float(plan.servings_per_week), plan.serving_g, plan.weeks, appetites)
    return back_to_the_soil(table_kg, losses)


def _one_plant(shared: Garden, crop: Crop, book: HandbookCrop | None) -> OnePlant:
    """What a plant will give, planted as it was last."""
    past = shared.past.get(crop.pk, Past())
    return forecast_one_plant(past.grown, past.planned, book.kg_per_plant if book else None, past.failed, past.setbacks)


def _by_plate(
    plan: CropPlan, shared: Garden, losses: Losses, one_plant: OnePlant | None, spacing_m: float | None
) -> tuple[NeedEstimate, dict[int, PlantsNeeded]]:
    try:
        chain = lifted_for_the_table(plan, shared.appetites, losses)
    except KilterError as error:
        return NeedEstimate(None, None, None, str(error)), {}
    return _counted(plan, chain, one_plant, spacing_m)


def _by_own(
    plan: CropPlan, shared: Garden, losses: Losses, one_plant: OnePlant | None, spacing_m: float | None
) -> tuple[NeedEstimate, Appetite | None, dict[int, PlantsNeeded]]:
    """By what was eaten here, week by week; weeks in which it ran out are reckoned as at least what was eaten."""
    weeks = shared.eaten.get(plan.crop_id, [])
    if not any(one.eaten_kg for one in weeks):
        return NeedEstimate(None, None, None, "Nothing that was eaten of it is written down yet."), None, {}
    a_week_kg = float(plan.servings_per_week) * plan.serving_g / 1000 * sum(shared.appetites)
    try:
        # the larder weighs what comes out of it, before trimming
        found = own_appetite(weeks, a_week_kg / losses.edible_share)
        chain = back_to_the_soil(found.need_kg(plan.weeks, 1, 1) * losses.edible_share, losses)
    except KilterError as error:
        return NeedEstimate(None, None, None, str(error)), None, {}
    estimate, counts = _counted(plan, chain, one_plant, spacing_m)
    return estimate, found, counts


def _counted(
    plan: CropPlan, chain: Chain, one_plant: OnePlant | None, spacing_m: float | None
) -> tuple[NeedEstimate, dict[int, PlantsNeeded]]:
    """The plants that a need takes, as sure as wanted and at 50 and 80 %."""
    if one_plant is None:
        return NeedEstimate(chain, None, None), {}
    if not chain.lifted_kg:
        none = PlantsNeeded(0, 0.0, 0.0)
        return NeedEstimate(chain, 0, 0.0), dict.fromkeys((50, 80, plan.certainty), none)
    try:
        found = {percent: one_plant.enough(chain.lifted_kg, percent / 100) for percent in {50, 80, plan.certainty}}
    except KilterError as error:
        return NeedEstimate(None, None, None, str(error)), {}
    counts = {
        percent: PlantsNeeded(one.plants, one.expected_kg, one.surplus_kg) for percent, one in found.items() if one
    }
    if plan.certainty not in counts:
        return NeedEstimate(chain, None, None, NEVER_SURE), counts
    plants = counts[plan.certainty].plants
    return NeedEstimate(chain, plants, plants * spacing_m if spacing_m else None), counts


def _by_rule(
    plan: CropPlan,
    shared: Garden,
    losses: Losses,
    one_plant: OnePlant | None,
    spacing_m: float | None,
    book: HandbookCrop | None,
) -> NeedEstimate:
    row_m = rule_row_m(book, shared.appetites, is_kept=plan.is_kept) if book else None
    if book is None or row_m is None or not spacing_m:
        return NeedEstimate(None, None, None, "The handbook has no rule of thumb for this crop.")
    # The rule's metres are at the handbook's spacing; its plants are what carries over to ours.
    plants = round(row_m / book.in_row_m)
    if one_plant is None:
        return NeedEstimate(None, plants, plants * spacing_m)
    return NeedEstimate(forward_to_the_table(plants * one_plant.median_kg, losses), plants, plants * spacing_m)


def _count_of(rule: NeedEstimate, one_plant: OnePlant | None) -> PlantsNeeded | None:
    """The rule's own number of plants; it speaks of no certainty and so of no surplus."""
    if rule.plants is None or one_plant is None:
        return None
    return PlantsNeeded(rule.plants, rule.plants * one_plant.mean_kg, 0.0)


def losses_of_plan(plan: CropPlan, book: HandbookCrop | None, learnt_here: Learnt) -> Losses:
    """Trimming and store, as the larder learnt them, else as assumed.

    What is lost at lifting is already off, as one plant's figure is food.
    """
    assumed = float(plan.store_loss_percent) / 100
    loss = learnt_here.loss.per_week if learnt_here.loss else assumed
    return Losses(
        edible_share=learnt_here.edible_share or (book.edible_share if book else 1.0),
        store_loss_per_week=loss if plan.is_kept else 0.0,
        store_weeks=plan.weeks if plan.is_kept else 0,
    )


def _spacings(household: Household) -> dict[int, float]:
    """Each crop's own spacing in the row, as last planted."""
    planted = Planting.objects.of(household).exclude(in_row_m=None).order_by("season", "pk")
    return dict(planted.values_list("crop_id", "in_row_m").distinct())
