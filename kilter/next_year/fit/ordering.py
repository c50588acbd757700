"""A plan as an order for the fit: crops, plots, and every way in which a crop may stand somewhere for a time."""

from __future__ import annotations

import hashlib
import math
import statistics
from collections import defaultdict
from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from datetime import date, timedelta
from functools import cached_property
from typing import TypeVar

from kilter.core.fit.order import Foretold, Order
from kilter.core.fit.problem import SLOTS, Limits, Option, Wanted
from kilter.core.plan.effects import Planned
from kilter.core.plan.hedge import Split, splits
from kilter.core.plan.when import Sowing
from kilter.ground.models import Place
from kilter.next_year.fit.intercropping import Paid, beside_of, paid
from kilter.next_year.fit.plots import Grounds, PlotGround, grounds_of, slot_of
from kilter.next_year.garden import Garden, Habit, garden
from kilter.next_year.records import CropRecord, Worked
from kilter.next_year.rows import CropRow, row, spacing_of
from kilter.next_year.takes import BLOCK_CROPS, BLOCK_ROWS, PER_30L
from kilter.people import clock
from kilter.people.models import Household
from kilter.plans.models import Plan, PlannedPlanting, Spot
from kilter.records.unchanged import while_unchanged
from kilter.set_out.models import Crop, Planting
from kilter.set_out.queries import family_of, standing_of, with_all_names
from kilter.set_out.wording import name_together
from kilter.weigh_in.models import WeighIn

_T = TypeVar("_T")
#: Letters of half a key.
HALF_KEY = 32
#: What must be in the fit weighs so many times as much (rule).
MUST = 10
#: How much it matters that a family is back too soon, as the plan says (rules).
REST_WEIGHTS = {Plan.Rest.LITTLE: 0.2, Plan.Rest.USUAL: 1.0, Plan.Rest.STRICT: 10.0}
#: What stands tall enough to shade what is beside it (common practice, no source).
TALL = frozenset({"climbing bean", "sweet corn", "tomato", "sunchoke", "pea"})
#: So many varieties of a crop are looked at, those grown last and most first (rule).
MOST_VARIETIES = 4
#: One sowing may begin so many half-months later, as long as it is sensible (rule).
LATER = (0, 1, 2)
#: Splitting is worth something to who wants to be sure: at least so sure (rule).
LEAST_TO_HEDGE = 0.8
#: So many plants stand together where nothing was grown yet (rule).
TOGETHER = 10.0
#: Why what stays over years is not fitted.
STAYS = "it stays where it stands, and none of it does yet"
#: A block of corn is so many plants at least: four rows of three (common practice, no source).
LEAST_BLOCK = BLOCK_ROWS * 3


@dataclass(frozen=True)
class OptionDays:
    """One option as days."""

    begins: date
    lift_from: date
    lift_to: date


@dataclass(frozen=True)
class Lasting:
    """A crop that stays where it stands over years: it takes its room and gives what it gives."""

    row: CropRow
    plants: int
    where: str
    window: OptionDays | None  #: when it was lifted in the seasons on record; None: it never was

    @property
    def reached(self) -> float:
        """The share of its need that it reaches as surely as wanted."""
        assert self.row.one_plant is not None
        (sure_kg,) = self.row.one_plant.span_kg(self.plants, 1 - self.row.said.certainty / 100)
        wanted_kg = self.row.needed.lift_kg
        if not wanted_kg:
            return float(wanted_kg == 0 or sure_kg > 0)
        return min(sure_kg / wanted_kg, 1.0)

    @property
    def width(self) -> float:
        """The same, of a hundred pixels."""
        return 100 * self.reached

    @property
    def sure(self) -> float:
        """How sure the whole of it is."""
        assert self.row.one_plant is not None
        return self.row.one_plant.sure_of(self.row.needed.lift_kg or 0.0, self.plants)


@dataclass(frozen=True, kw_only=True)
class Ordered:
    """An order with what its numbers stand for."""

    plan: Plan
    order: Order
    rows: tuple[CropRow, ...]  #: of the crops that are fitted
    needs_kg: tuple[float, ...]  #: of each, what is to be lifted with what is set out already
    grounds: tuple[PlotGround, ...]
    windows: tuple[OptionDays, ...]  #: of each option
    aside: tuple[tuple[str, str], ...]  #: crops that are not fitted, each with the reason
    unsized: tuple[str, ...]  #: places without a size
    planned: tuple[PlannedPlanting, ...]  #: what was taken into the plan
    planted: dict[int, int]  #: by crop, units that are set out already
    paid: tuple[Paid, ...]  #: pairs for which sharing a bed paid here
    lasting: tuple[Lasting, ...]  #: what stays where it stands

    @cached_property
    def key(self) -> str:
        """Changes with anything that the fit rests on; its first half only with the options and what they give."""
        order = self.order
        named = [(one.name, one.family) for one in order.wanted]
        options = repr(
            (named, order.foretold, [plot.name for plot in order.plots], order.options, order.spots, order.seed)
        )
        return _half(options) + _half(repr(order))


def _half(said: str) -> str:
    return hashlib.sha256(said.encode()).hexdigest()[:HALF_KEY]


def ordered(household: Household, plan: Plan) -> Ordered:
    """The order of a plan, made once while nothing is written: a page asks for it every second."""
    key = "order", household.pk, plan.pk, plan.season, clock.today(household)
    return while_unchanged(key, lambda: _ordered(household, plan))


def _ordered(household: Household, plan: Plan) -> Ordered:
    shared = garden(household, plan)
    spots = spots_of(plan)
    grounds = grounds_of(household, plan.season, spots)
    stands = _stands_already(household, plan.season)
    taken = planned_of(plan)
    making = _Making(shared, grounds, spots, stands)
    for crop in shared.crops:
        making.take(row(crop, shared))
    making.pin(taken)
    fitted = [one.crop for one in making.rows]
    pairs = paid(household, fitted)
    limits = Limits(plan.money_minor, minutes_a_week=plan.minutes_a_week, litres_a_day=plan.litres_a_day)
    order = Order(
        wanted=tuple(making.wanted),
        foretold=tuple(making.foretold),
        plots=tuple(ground.plot for ground in grounds.plots),
        options=tuple(making.options),
        spots=tuple(making.spots_of),
        limits=limits,
        pinned=tuple(sorted(making.pinned.items())),
        rest_weight=REST_WEIGHTS[Plan.Rest(plan.rest)],
        beside=beside_of(spots, pairs, fitted),
    )
    return Ordered(
        plan=plan,
        order=order,
        rows=tuple(making.rows),
        needs_kg=tuple(making.needs_kg),
        grounds=grounds.plots,
        windows=tuple(making.windows),
        aside=tuple(making.aside),
        unsized=tuple(str(place) for place in grounds.without_size),
        planned=tuple(taken),
        planted=stands,
        paid=tuple(pairs),
        lasting=tuple(making.lasting),
    )


def spots_of(plan: Plan) -> list[Spot]:
    """What is said of where crops may stand, and beside whom."""
    if plan.pk is None:
        return []
    return list(Spot.objects.of(plan.household).filter(plan=plan).select_related("crop", "other", "place"))


def planned_of(plan: Plan) -> list[PlannedPlanting]:
    """What was taken into a plan, place by place."""
    if plan.pk is None:
        return []
    found = PlannedPlanting.objects.of(plan.household).filter(plan=plan)
    return list(found.select_related("crop", "variety", "place__site", "part", "planting"))


def _stands_already(household: Household, season: int) -> dict[int, int]:
    """By crop, the plants of the season that stand already."""
    found: dict[int, int] = defaultdict(int)
    for one in with_all_names(Planting.objects.of(household).filter(season=season)):
        found[one.crop_id] += _plants_of(one)
    return found


def _plants_of(planting: Planting) -> int:
    """By the last count; what was never counted is what was set out, and at least one plant."""
    now = standing_of(planting).now
    return (planting.units or 1) if now is None else now


class _Making:
    """An order while it is put together."""

    def __init__(self, shared: Garden, grounds: Grounds, spots: Sequence[Spot], stands: dict[int, int]) -> None:
        self.shared, self.grounds, self.stands = shared, grounds.plots, stands
        self.only: dict[int, set[int]] = defaultdict(set)
        self.never: dict[int, set[int]] = defaultdict(set)
        for one in spots:
            if one.crop_id is not None and one.place_id is not None:
                (self.only if one.says == Spot.Says.ONLY else self.never)[one.crop_id].add(one.place_id)
        self.rows: list[CropRow] = []
        self.needs_kg: list[float] = []
        self.wanted: list[Wanted] = []
        self.foretold: list[Foretold] = []
        self.options: list[Option] = []
        self.spots_of: list[int] = []
        self.windows: list[OptionDays] = []
        self.pinned: dict[int, float] = {}
        self.aside: list[tuple[str, str]] = []
        self.lasting: list[Lasting] = []

    def take(self, found: CropRow) -> None:
        """A crop with all its options, or why it has none."""
        why = self._why_not(found)
        if why == STAYS and (stands := lasting_of(found, self.shared.season)) is not None:
            self.lasting.append(stands)
        elif why:
            self.aside.append((found.crop.name, why))
        if why:
            return
        need_kg = need_of(found)
        still_kg = need_kg - planted_kg(found, self.stands)
        if still_kg <= 0:
            self.aside.append((found.crop.name, "enough of it is planted already"))
            return
        windows = [window for one in found.dates.sowings for window in self._windows(found, one)]
        places = [(p, use) for p, ground in enumerate(self.grounds) if (use := self._use(found.crop, ground))]
        if not places:
            self.aside.append((found.crop.name, "no place is left in which it may stand"))
            return
        self.needs_kg.append(need_kg)
        self._add(found, still_kg, windows, places)

    def _add(self, found: CropRow, need_kg: float, windows: list[OptionDays], places: list[tuple[int, float]]) -> None:
        c, season = len(self.wanted), self.shared.season
        said, name = found.said, found.crop.name
        past = self.shared.past.get(found.crop.pk, CropRecord())
        varieties = _varieties(past, [line.lot.variety for line in self.shared.lots.get(found.crop.pk, [])])
        worked = self.shared.worked.get(found.crop.pk, Worked())
        spots: dict[Planned, int] = {}
        for variety, method in varieties:
            for p, use in places:
                spot = self._spot(past, variety, method, self.grounds[p], _together(past))
                at = spots.setdefault(spot, len(spots))
                for window in windows:
                    start, end = slot_of(window.begins, season), slot_of(window.lift_to, season)
                    self.options.append(
                        Option(
                            crop=c,
                            variety=variety,
                            plot=p,
                            start=start,
                            end=end,
                            use=use,
                            cost=worked.cost_minor or 0.0,
                            minutes=worked.minutes or 0.0,
                            water=worked.water_l or 0.0,
                        )
                    )
                    self.spots_of.append(at)
                    self.windows.append(window)
        book = found.crop.in_handbook
        self.rows.append(found)
        self.foretold.append(
            Foretold(past.grown, past.failed, past.setbacks, book.kg_per_plant if book else None, tuple(spots))
        )
        self.wanted.append(
            Wanted(
                name=name,
                family=family_of(name),
                need_kg=need_kg,
                certainty=said.certainty / 100,
                weight=max(found.comes_first, 0.1) * (MUST if said.is_must else 1),
                min_block=LEAST_BLOCK if book is not None and book.name in BLOCK_CROPS else 0,
                variety_share=said.variety_share_percent / 100,
                site_share=said.site_share_percent / 100,
                is_tall=book is not None and book.name in TALL,
                is_low=book is None or book.name not in TALL,
            )
        )

    def _why_not(self, found: CropRow) -> str:
        book = found.crop.in_handbook
        # no number may be as sure as one asks; as much as fits is fitted all the same
        if found.needed.lift_kg is None or found.plants == 0 or found.one_plant is None:
            return found.problem or "nothing is wanted of it"
        if book is not None and book.years_to_bearing is not None:
            return STAYS
        if not found.dates.sowings or all(one.lift_to is None for one in found.dates.sowings):
            return found.dates.problem or "its dates are not known"
        return ""

    def _windows(self, found: CropRow, sowing: Sowing) -> list[OptionDays]:
        """A sowing on its first day, and where it is the only one a little later too."""
        if sowing.lift_from is None or sowing.lift_to is None:
            return []
        on = found.dates.date_of
        found_ = [OptionDays(on(sowing.ground_from), on(sowing.lift_from), on(sowing.lift_to))]
        if len(found.dates.sowings) == 1 and sowing.kind != "autumn":
            for later in LATER[1:]:
                day = sowing.ground_from + round(later * 365 / SLOTS)
                if day <= sowing.ground_to:
                    moved = timedelta(days=day - sowing.ground_from)
                    first = found_[0]
                    found_.append(OptionDays(first.begins + moved, first.lift_from + moved, first.lift_to + moved))
        return found_

    def _use(self, crop: Crop, ground: PlotGround) -> float:
        """Square metres a plant, or pots a plant; 0 where it may not stand."""
        here = {place.pk for place in ground.places}
        if self.only[crop.pk] and not here & self.only[crop.pk]:
            return 0.0
        if here & self.never[crop.pk]:
            return 0.0
        if ground.plot.is_pots:
            each = plants_a_pot(crop, ground.places[0])
            return 1 / each if each else 0.0
        return plant_m2(crop, self.shared.habits)

    def _spot(self, past: CropRecord, variety: str, method: str, ground: PlotGround, together: float) -> Planned:
        """A place that the crop has stood in has a name; any other is like those of its site."""
        known = {one.as_planned.place for one in past.taken}
        names = [str(place) for place in ground.places if str(place) in known]
        label = names[0] if names and not ground.plot.is_pots else f"another at {ground.site}"
        return Planned(variety, method, label, together, ground.site)

    def pin(self, taken: Sequence[PlannedPlanting]) -> None:
        """What is said to stay as it is, where that option is still there."""
        crops = [found.crop.pk for found in self.rows]
        of_place: dict[tuple[int, int | None], int] = {
            (place.pk, ground.part.pk if ground.part else None): p
            for p, ground in enumerate(self.grounds)
            for place in ground.places
        }
        for (place, _), p in list(of_place.items()):  # what says no part of a bed with parts stands in one of them
            of_place.setdefault((place, None), p)
        for one in taken:
            at = of_place.get((one.place_id, one.part_id), of_place.get((one.place_id, None)))
            if not one.is_pinned or one.planting_id or one.crop_id not in crops or at is None:
                continue
            c, p = crops.index(one.crop_id), at
            variety = one.variety.name if one.variety else ""
            alike = [o for o, option in enumerate(self.options) if (option.crop, option.plot) == (c, p)]
            if alike:
                at = min(
                    alike,
                    key=lambda o: (
                        self.options[o].variety != variety,
                        abs(self.options[o].start - one.start) + abs(self.options[o].end - one.end),
                    ),
                )
                self.pinned[at] = self.pinned.get(at, 0.0) + one.plants


def need_of(row: CropRow) -> float:
    """What is to be lifted; of one's own number or the rule's as much as that many give as surely as wanted."""
    assert row.one_plant is not None
    if row.follows_sure or row.plants is None:
        return row.needed.lift_kg or 0.0
    return row.one_plant.span_kg(row.plants, 1 - row.said.certainty / 100)[0]


def planted_kg(row: CropRow, planted: Mapping[int, int]) -> float:
    """What is set out already gives in the middle of the years; the fit looks for the rest."""
    return planted.get(row.crop.pk, 0) * (row.one_plant.median_kg if row.one_plant else 0.0)


def as_sure(found: Ordered, crop: int, percent: int) -> Ordered:
    """The same order, if one were otherwise sure of a crop; nothing is written."""
    at = next((c for c, one in enumerate(found.rows) if one.crop.pk == crop), None)
    if at is None:
        return found
    said = copy(found.rows[at].said)
    said.certainty = percent
    row = replace(found.rows[at], said=said)
    need_kg = need_of(row)
    still_kg = need_kg - planted_kg(row, found.planted)
    if still_kg <= 0:
        return found
    wanted = replace(found.order.wanted[at], certainty=percent / 100, need_kg=still_kg)
    order = replace(found.order, wanted=_with(found.order.wanted, at, wanted))
    return replace(found, order=order, rows=_with(found.rows, at, row), needs_kg=_with(found.needs_kg, at, need_kg))


def _with(items: tuple[_T, ...], at: int, item: _T) -> tuple[_T, ...]:
    return (*items[:at], item, *items[at + 1 :])


def lasting_of(row: CropRow, season: int) -> Lasting | None:
    """What of a crop stands over years, and when it was lifted; nothing where none of it does."""
    there = Planting.objects.of(row.crop.household).filter(crop=row.crop, is_perennial=True, finished_on=None)
    plantings = list(with_all_names(there))
    if not plantings:
        return None
    lifted = WeighIn.objects.of(row.crop.household).filter(planting__in=plantings, is_thinning=False)
    by_year: dict[int, list[date]] = defaultdict(list)
    for day in lifted.values_list("weighed_on", flat=True):
        by_year[day.year].append(day)
    window = None
    if by_year:
        first, last = (
            statistics.median_low(pick(days).timetuple().tm_yday for days in by_year.values()) for pick in (min, max)
        )
        days = [date(season, 1, 1) + timedelta(days=day - 1) for day in (first, last)]
        window = OptionDays(date(season, 1, 1), days[0], max(days))
    where = name_together((one.place, one.where) for one in plantings)
    return Lasting(row, sum(map(_plants_of, plantings)), where, window)


def plant_m2(crop: Crop, habits: Mapping[int, Habit]) -> float:
    """Square metres a plant, spaced as it was last, else by the handbook; 0 where neither says."""
    in_row, habit, book = spacing_of(crop, habits), habits.get(crop.pk), crop.in_handbook
    gap = (habit.row_gap_m if habit else None) or (book.row_gap_m if book else None) or in_row
    return in_row * gap if in_row and gap else 0.0


def plants_a_pot(crop: Crop, pot: Place) -> int:
    """How many plants a container holds, by the handbook; 0 where it holds none or does not say."""
    book = crop.in_handbook
    if book is None or not book.plants_per_30l or not pot.volume_l:
        return 0
    return math.floor(book.plants_per_30l * pot.volume_l / PER_30L + 1e-9)


def splits_of(crop: Crop, shared: Garden) -> tuple[Split, ...]:
    """What splitting a crop over two varieties or places is worth, at the certainty asked for, 80 % at least."""
    found = row(crop, shared)
    past, book = shared.past.get(crop.pk, CropRecord()), crop.in_handbook
    lots = [line.lot.variety for line in shared.lots.get(crop.pk, [])]
    places = list(dict.fromkeys((one.as_planned.place, one.as_planned.site) for one in past.taken))
    site = shared.site_of(crop)
    places = [*places, (f"another at {site}", site), (f"one more at {site}", site)][:2]
    together = _together(past)
    spots = [
        Planned(variety, method, where, together, at)
        for variety, method in _varieties(past, lots)
        for where, at in places
    ]
    return splits(
        past.grown,
        spots,
        book.kg_per_plant if book else None,
        found.needed.lift_kg or 0.0,
        max(found.said.certainty / 100, LEAST_TO_HEDGE),
        failed=past.failed,
        setbacks=past.setbacks,
    )


def _together(past: CropRecord) -> float:
    """How many plants usually stand together: the middle of the record."""
    return float(statistics.median(one.as_planned.plants for one in past.taken)) if past.taken else TOGETHER


def _varieties(past: CropRecord, lots: Sequence[object]) -> list[tuple[str, str]]:
    """Varieties on offer with the method they were last grown by: those of the record, and those in stock."""
    last: dict[str, tuple[int, float, str]] = {}
    for one in past.taken:
        of = one.as_planned
        here = one.season, of.plants, of.method
        if of.variety not in last or here > last[of.variety]:
            last[of.variety] = here
    for variety in lots:
        if variety is not None:
            last.setdefault(str(getattr(variety, "name", "")), (0, 0.0, ""))
    best = sorted(last.items(), key=lambda pair: (-pair[1][0], -pair[1][1], pair[0]))[:MOST_VARIETIES]
    return [(variety, method) for variety, (_, _, method) in best] or [("", "")]
