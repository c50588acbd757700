"""What all rows of a plan share, read once and kept while nothing is written."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass, field, replace
from datetime import date

from django.db.models import Q

from kilter.core.growing.climate import Climate
from kilter.core.handbook import Span
from kilter.core.plan.appetite import WeekEaten
from kilter.ground.models import Place
from kilter.larder.learnt import LearntStore, learnt
from kilter.larder.models import Price
from kilter.look_back.decisions import DecisionStanding, open_decisions
from kilter.next_year.records import (
    CropRecord,
    Stored,
    Worked,
    kept_back_in,
    past_and_work,
    standing_in,
    stored,
)
from kilter.people import clock
from kilter.people.models import A_YEAR, Eater, Household
from kilter.people.unchanged import while_unchanged
from kilter.plans.models import Plan, PlannedCrop
from kilter.plans.queries import appetite, not_eaten_of, plan_for, planned_crops, season_to_plan
from kilter.set_out.models import Crop, Planting, Variety
from kilter.set_out.queries import LotLine, lot_lines
from kilter.tending.memory import MOST_SHOWN, memories_of_crops
from kilter.weather.climates import climates_of

KEEPS_WEEKS = 8  # what keeps so long is planned through winter at first
#: Of a hundred seeds, where the handbook does not say (rule).
GERMINATION_PERCENT = 80


@dataclass(frozen=True)
class Vessels:
    """Containers of one size that the household has."""

    litres: float
    count: int
    kind: str


@dataclass(frozen=True, kw_only=True)
class Habit:
    """How a crop was planted last."""

    unit_kind: str
    variety: str  #: that of most units, of its last season; so is the site
    site: str
    season: int
    planted_on: date | None
    in_row_m: float | None
    row_gap_m: float | None
    depth_m: float | None
    is_in_autumn: bool


@dataclass(frozen=True)
class LastSeason:
    """The season before the planned one: what was lifted, and what its plan wanted."""

    lifted_kg: dict[int, float]  #: by crop; what a blinded trial keeps back is not in it
    lasted_weeks: dict[int, int]  #: by crop, of what lay in store and is gone
    standing: frozenset[int]  #: crops of which some still stands
    wanted: Garden  #: what servings then rest on


@dataclass(frozen=True, kw_only=True)
class Garden:
    """What all rows share."""

    plan: Plan
    today: date
    eaters: tuple[Eater, ...]
    not_eaten: dict[int, frozenset[int]]  #: by crop, the eaters who do not eat it
    said: dict[int, PlannedCrop]  #: by crop, what this plan says
    crops: tuple[Crop, ...]  #: grown or planned, and not left out
    left_out: tuple[Crop, ...]
    past: dict[int, CropRecord]
    eaten: dict[int, list[WeekEaten]]  #: by crop, week by week
    habits: dict[int, Habit]
    vessels: tuple[Vessels, ...]  #: the commonest size first
    learnt: dict[int, LearntStore]  #: by crop, what the larder tells
    climates: dict[str, Climate]  #: by the name of the site
    lots: dict[int, list[LotLine]]
    worked: dict[int, Worked]
    prices: dict[int, int]  #: by crop, what a kilogram is worth in the smallest coin
    days: dict[
        tuple[int, str], Span
    ]  #: by crop and variety, to the first lift, where the variety says them
    decided: dict[int | None, list[DecisionStanding]] = field(
        default_factory=dict
    )  #: by crop; of none those of the whole garden
    memory: dict[int, tuple[str, ...]] = field(default_factory=dict)  #: by crop, what hit it
    last: LastSeason | None = None
    lying_kg: dict[int, float] = field(default_factory=dict)  #: by crop, in store now

    @property
    def season(self) -> int:
        return self.plan.season

    def appetite(self, crop: Crop, weeks: float) -> float:
        """Of all who eat a crop: a guest counts for the weeks they are here,
        the others for their share of the year.
        """
        return appetite(self.eaters, self.not_eaten.get(crop.pk, frozenset()), weeks)

    @property
    def is_southern(self) -> bool:
        """Whether its first site, and so its year, is of the southern half."""
        first = next(iter(self.climates.values()), None)
        return first is not None and first.is_southern

    @property
    def people(self) -> float:
        """Appetites at the table over the whole year."""
        return sum(eater.appetite * eater.weeks / A_YEAR for eater in self.eaters)

    def site_of(self, crop: Crop) -> str:
        """The site where most of it was grown last, else the first one."""
        habit = self.habits.get(crop.pk)
        return habit.site if habit else next(iter(self.climates), "")

    def words_for(self, crop: Crop) -> PlannedCrop:
        """What the plan says of a crop, else first words by the handbook."""
        return self.said.get(crop.pk) or first_words(crop, self.plan)


def usual_plan(household: Household, today: date | None = None) -> Plan:
    """The plan for the coming season; one that is not saved yet where there is none."""
    season = season_to_plan(today or clock.today(household))
    return plan_for(household, season) or Plan(household=household, season=season, is_chosen=True)


def garden(household: Household, plan: Plan | None = None) -> Garden:
    """Read all that the rows rest on; a fixed number of queries, none if nothing was written."""
    plan = plan or usual_plan(household)
    key = "plan", household.pk, plan.pk, plan.season, clock.today(household)
    return while_unchanged(key, lambda: _garden(household, plan))


def who_eats_what(household: Household, season: int) -> Garden:
    """Only what servings of a season rest on, for the rooms that ask what is needed;
    the rest is left empty.
    """
    found = _said_only(household, plan_for(household, season) or usual_plan(household))
    found = replace(
        found,
        eaters=tuple(Eater.objects.of(household)),
        not_eaten=not_eaten_of(household),
        learnt=learnt(household, [*found.crops, *found.left_out]),
    )
    if any(
        one.goal == PlannedCrop.Goal.UNTIL for one in found.said.values()
    ):  # until a day from the first lift on
        return _with_dates(household, found)
    return found


def _with_dates(household: Household, found: Garden) -> Garden:
    """With what dates rest on."""
    return replace(
        found, habits=habits_of(household), climates=climates_of(household), days=_days(household)
    )


def what_is_due(household: Household) -> Garden | None:
    """Only what dates rest on, for the sheet of the day; None where nothing was planned yet."""
    plan = usual_plan(household)
    if plan.pk is None:
        return None
    key = "due", household.pk, plan.pk, clock.today(household)
    return while_unchanged(key, lambda: _with_dates(household, _said_only(household, plan)))


def _said_only(household: Household, plan: Plan) -> Garden:
    """A garden of which only the plan and its crops are read."""
    said, crops, left_out = _planned(household, plan)
    return Garden(
        plan=plan,
        today=clock.today(household),
        eaters=(),
        not_eaten={},
        said={one.crop_id: one for one in said},
        crops=tuple(crop for crop in crops if crop.pk not in left_out),
        left_out=tuple(crop for crop in crops if crop.pk in left_out),
        past={},
        eaten={},
        habits={},
        vessels=(),
        learnt={},
        climates={},
        lots={},
        worked={},
        prices={},
        days={},
    )


def _planned(household: Household, plan: Plan) -> tuple[list[PlannedCrop], list[Crop], set[int]]:
    """What the plan says, every crop that was grown or is planned, and those left out."""
    said = list(planned_crops(plan))
    left_out = {one.crop_id for one in said if one.is_out}
    grown = Planting.objects.of(household).order_by().values("crop_id")
    wanted = Q(pk__in=grown) | Q(pk__in=[one.crop_id for one in said])
    crops = list(Crop.objects.of(household).filter(wanted).order_by("name"))
    for crop in crops:
        crop.household = household
    return said, crops, left_out


def _garden(household: Household, plan: Plan) -> Garden:
    today = clock.today(household)
    found = _said_only(household, plan)
    past, work = past_and_work(household)
    memory, store = memories_of_crops(household, today), stored(household, today)
    found = replace(
        found,
        eaters=tuple(Eater.objects.of(household)),
        not_eaten=not_eaten_of(household),
        past=past,
        eaten=store.eaten,
        habits=habits_of(household),
        vessels=_vessels(household),
        learnt=learnt(household, [*found.crops, *found.left_out]),
        climates=climates_of(household),
        lots=_lots(household, today),
        worked=work,
        prices=_prices(household),
        days=_days(household),
        decided=_decided(household),
        memory={pk: tuple(one.said() for one in of[:MOST_SHOWN]) for pk, of in memory.items()},
    )
    return replace(found, last=_last(household, found, store), lying_kg=store.lying_kg)


def _last(household: Household, found: Garden, store: Stored) -> LastSeason:
    """The season before; who eats and what the year is like are the same."""
    season = found.season - 1
    kept_back = kept_back_in(household, season)
    wanted = _said_only(household, plan_for(household, season) or usual_plan(household))
    return LastSeason(
        {
            crop: kg
            for (crop, year), kg in store.lifted_kg.items()
            if year == season and crop not in kept_back
        },
        {crop: weeks for (crop, year), weeks in store.lasted_weeks.items() if year == season},
        frozenset(standing_in(household, season)),
        replace(found, plan=wanted.plan, said=wanted.said),
    )


def _decided(household: Household) -> dict[int | None, list[DecisionStanding]]:
    """Decisions of Look back that are open, by the crop they are about."""
    found: dict[int | None, list[DecisionStanding]] = defaultdict(list)
    for decision in open_decisions(household):
        found[decision.decision.crop_id].append(decision)
    return found


def habits_of(household: Household) -> dict[int, Habit]:
    """How each crop was planted last:
    the planting with most units of its last season stands for all.
    """
    columns = (
        "crop_id",
        "unit_kind",
        "variety__name",
        "place__site__name",
        "season",
        "planted_on",
        "in_row_m",
        "row_gap_m",
        "depth_m",
        "units",
    )
    found: dict[int, Habit] = {}
    most: dict[int, int] = {}
    planted = Planting.objects.of(household).filter(is_volunteer=False).order_by("season", "pk")
    for crop, kind, variety, site, season, day, in_row, gap, depth, units in planted.values_list(
        *columns
    ):
        before = found.get(crop)
        if before is not None and before.season == season and (units or 0) <= most[crop]:
            continue
        most[crop] = units or 0
        found[crop] = Habit(
            unit_kind=kind,
            variety=variety or "",
            site=site,
            season=season,
            planted_on=day,
            in_row_m=in_row or (before.in_row_m if before else None),
            row_gap_m=gap or (before.row_gap_m if before else None),
            depth_m=depth or (before.depth_m if before else None),
            is_in_autumn=bool(day and day.year < season),
        )
    return found


def _vessels(household: Household) -> tuple[Vessels, ...]:
    sizes: Counter[tuple[float, str]] = Counter(
        Place.objects.of(household).exclude(volume_l=None).values_list("volume_l", "kind")
    )
    return tuple(Vessels(litres, count, kind) for (litres, kind), count in sizes.most_common())


def _prices(household: Household) -> dict[int, int]:
    """What a kilogram of each crop is worth by the household's last word."""
    said = Price.objects.of(household).filter(per=Price.Per.KG).order_by("from_day", "pk")
    return dict(said.values_list("crop_id", "price_minor"))


def _days(household: Household) -> dict[tuple[int, str], Span]:
    said = Variety.objects.of(household).exclude(days_min=None).exclude(days_max=None)
    columns = "crop_id", "name", "days_min", "days_max"
    return {(crop, name): Span(low, high) for crop, name, low, high in said.values_list(*columns)}


def _lots(household: Household, today: date) -> dict[int, list[LotLine]]:
    found: dict[int, list[LotLine]] = defaultdict(list)
    for line in lot_lines(household, today):
        found[line.lot.crop_id].append(line)
    return found


def first_words(crop: Crop, plan: Plan) -> PlannedCrop:
    """What a plan says of a crop before anybody said anything: the handbook's."""
    book = crop.in_handbook
    if book is None:
        return PlannedCrop(crop=crop, plan=plan, household=crop.household)
    keeps = bool(book.keep_weeks and book.keep_weeks >= KEEPS_WEEKS)
    return PlannedCrop(
        crop=crop,
        plan=plan,
        household=crop.household,
        goal=PlannedCrop.Goal.WINTER if keeps else PlannedCrop.Goal.FRESH,
        weeks=book.weeks_at_table,
        servings_per_week=book.servings_per_week,
        serving_g=book.serving_g,
        germination_percent=round(book.germination_percent or GERMINATION_PERCENT),
    )
