"""What each crop of a season was worth at the household's own prices,
and what it cost, item by item.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from fractions import Fraction
from typing import NamedTuple

from kilter.core.amounts.units import half_up
from kilter.core.growing.clearing import Clears
from kilter.core.larder.account import Account, Amounts, Item, account_of
from kilter.core.trade.uses import EATEN, GIVEN
from kilter.core.yields.costs import half_months, split_whole, yearly_parts
from kilter.core.yields.work import UNKNOWN_AREA_M2, WorkShare
from kilter.ground.models import Place
from kilter.larder.food import Food, food_of
from kilter.larder.ledger import Larder, larder
from kilter.larder.lines import LineRow
from kilter.larder.models import Expense, Price
from kilter.people.models import Household
from kilter.set_out.clearing import clearing_of, last_day
from kilter.set_out.costs import Costs, costs_of, over_years
from kilter.set_out.models import Crop, Planting
from kilter.set_out.queries import plantings_of
from kilter.tending.work import Spent, shares_by_planting, together, work_of


@dataclass(frozen=True, kw_only=True)
class CropAccount:
    """One crop in one season."""

    crop: Crop
    account: Account
    price_words: str  #: the price it is valued at; empty where none is known
    problem: str = ""  #: why it has no value
    eaten_mg: int = 0
    given_mg: int = 0
    is_estimated: bool = False  #: part of its food was counted, not weighed
    minutes: float | None = None
    water_l: float | None = None
    pieces: int | None = None  #: of food of which no weight is known
    is_worth_estimated: bool = False  #: part of it by what a piece weighs

    @property
    def food_kg(self) -> float:
        return self.account.food_mg / 1e6

    @property
    def minutes_per_kg(self) -> float | None:
        return self.minutes / self.food_kg if self.minutes is not None and self.food_kg else None

    @property
    def litres_per_kg(self) -> float | None:
        return self.water_l / self.food_kg if self.water_l is not None and self.food_kg else None


NOTHING_SPENT = Spent()


@dataclass(frozen=True)
class SeasonAccount:
    """All crops of a season."""

    season: int
    crops: tuple[CropAccount, ...]
    unshared: tuple[Item, ...] = ()  #: what fell on no crop, as nothing stood that could bear it
    of_places: Spent = NOTHING_SPENT  #: work and water on places and sites in which nothing stood

    def total(self, name: str) -> int:
        return sum(getattr(crop.account, name) for crop in self.crops)

    @property
    def value(self) -> int:
        return self.total("value")

    @property
    def saved(self) -> int:
        return self.total("saved")

    @property
    def given(self) -> int:
        return self.total("given")

    @property
    def cost(self) -> int:
        return self.total("cost") + sum(item.minor for item in self.unshared)

    @property
    def unpriced(self) -> list[CropAccount]:
        return [crop for crop in self.crops if not crop.price_words and crop.account.food_mg]


def account(household: Household, season: int, found: Larder | None = None) -> SeasonAccount:
    """The account of a season; a fixed number of queries."""
    found = found or larder(household, {season})
    grown = list(plantings_of(household, season).order_by("pk"))
    items: dict[int, Counter[str]] = defaultdict(Counter)
    costs = costs_of(household)
    for planting in grown:
        for share in costs.of.get((planting.pk, season), ()):
            items[planting.crop_id][share.what] += share.minor
    unshared = [*_expenses(household, season, grown, items), *_of_places(household, costs, season)]
    work = _work(household, grown, season)
    prices = _prices(household, season)
    crops = {one.crop_id: one.crop for one in grown} | {
        key[0]: found.crops[key[0]]
        for key, one in found.of.items()
        if key[1] == season and one.lifted_mg
    }
    crops |= Crop.objects.ever_of(household).in_bulk(items.keys() - crops.keys())
    made = [
        _of_crop(found, crop, season, prices.get(pk), items[pk], together(work[pk]))
        for pk, crop in crops.items()
    ]
    made.sort(key=lambda one: (-one.account.value, -one.account.cost, one.crop.name))
    of_places = [job for job in work_of(household).unshared if job.day.year == season]
    return SeasonAccount(season, tuple(made), tuple(unshared), together(of_places))


def _of_places(household: Household, costs: Costs, season: int) -> list[Item]:
    """What a season's part of a place's price is, where nothing stood there."""
    found = [one for one in costs.unshared if one.year == season]
    places = Place.objects.ever_of(household).in_bulk({one.place for one in found})
    return [
        Item(f"{one.what}, {places[one.place]}, with nothing in it", one.minor) for one in found
    ]


def _of_crop(
    found: Larder,
    crop: Crop,
    season: int,
    price: Price | None,
    items: Counter[str],
    spent: Spent,
) -> CropAccount:
    food = food_of(found, crop, season)
    where = found.of.get((crop.pk, season))
    eaten_mg, given_mg = (where.used_mg[EATEN], where.used_mg[GIVEN]) if where else (0, 0)
    valued = _valued(found, food, (crop.pk, season), price, (eaten_mg, given_mg))
    listed = [Item(what, minor) for what, minor in items.items()]
    amount = price.price_minor if price else 0
    reckoned = account_of(food.mass_mg, valued.amounts, amount, listed)
    is_estimated = any(row.pk in found.estimated or row.is_vague for row in food.lines)
    return CropAccount(
        crop=crop,
        account=reckoned,
        price_words=_words(price, found.household.currency),
        problem=valued.problem,
        pieces=food.pieces if not food.mass_mg else None,
        is_worth_estimated=valued.is_estimated,
        eaten_mg=eaten_mg,
        given_mg=given_mg,
        is_estimated=is_estimated,
        minutes=spent.minutes,
        water_l=spent.water_l,
    )


class _Valued(NamedTuple):
    """What is held against the price, in its unit."""

    amounts: Amounts
    problem: str = ""
    is_estimated: bool = False


def _words(price: Price | None, currency: str) -> str:
    if price is None:
        return ""
    each = "/kg" if price.per == Price.Per.KG else " each"
    return f"{half_up(price.price_minor / 100, 2):,} {currency}{each}"


def _valued(
    found: Larder, food: Food, key: tuple[int, int], price: Price | None, used_mg: tuple[int, int]
) -> _Valued:
    """Masses for a price of a kilogram. For one of a piece the pieces, and of lines that were not
    counted as many as they weigh by what a piece weighs in this season's lines that were both.
    """
    by_mass = Amounts.of_mass(food.mass_mg, *used_mg)
    if price is None:
        return _Valued(by_mass, "no price yet")
    if price.per == Price.Per.KG:
        return _Valued(by_mass)
    uncounted = [row for row in food.lines if row.pieces is None]
    pieces = Fraction(food.pieces or 0)
    if not uncounted and not food.mass_mg:
        in_pieces = found.in_pieces.get(key)
        used = in_pieces.used if in_pieces else {}
        eaten, given = (Fraction(used.get(use, 0)) for use in (EATEN, GIVEN))
        return _Valued(Amounts(pieces, eaten, given))
    both = [row for row in food.lines if row.pieces and row.mass_mg]
    mass_mg, count = sum(row.mass_mg or 0 for row in both), sum(row.pieces or 0 for row in both)
    is_estimated = bool(uncounted)
    if mass_mg:
        unsaid_mg = sum(found.masses[row.pk] for row in uncounted)
        pieces += Fraction(unsaid_mg * count, mass_mg)
    elif uncounted:
        nothing = Fraction(0)
        problem = f"{_lines(uncounted)} not counted"
        return _Valued(Amounts(pieces, nothing, nothing), problem, is_estimated=True)
    shares = [Fraction(mg, food.mass_mg) if food.mass_mg else Fraction(0) for mg in used_mg]
    worth = (pieces * share for share in shares)
    return _Valued(Amounts(pieces, *worth), is_estimated=is_estimated)


def _lines(rows: list[LineRow]) -> str:
    return f"{len(rows)} line{'s' * (len(rows) != 1)}"


def _prices(household: Household, season: int) -> dict[int, Price]:
    """The price of each crop that held at the season's end; before the first one, the first."""
    found: dict[int, Price] = {}
    for price in Price.objects.of(household).order_by("-from_day", "-pk"):
        if price.crop_id not in found or found[price.crop_id].from_day > date(season, 12, 31):
            found[price.crop_id] = price
    return found


def _expenses(
    household: Household, season: int, grown: list[Planting], items: dict[int, Counter[str]]
) -> list[Item]:
    """What is of no one place: of a crop, or shared by area and half-months;
    gives what nobody bore.
    """
    clearing = clearing_of(household)
    weights = [_weight(planting, season, clearing) for planting in grown]
    unshared = []
    for expense in Expense.objects.of(household):
        year = season - expense.day.year
        if not 0 <= year < expense.over_years:
            continue
        part = yearly_parts(expense.price_minor, expense.over_years)[year]
        what = over_years(expense.what, expense.over_years)
        if expense.crop_id:
            items[expense.crop_id][what] += part
        elif sum(weights):
            for one, minor in zip(grown, split_whole(part, weights), strict=True):
                items[one.crop_id][what] += minor
        else:
            unshared.append(Item(what, part))
    return unshared


def _weight(planting: Planting, season: int, clearing: Mapping[int, Clears]) -> float:
    """Area times half-months of the season: what a planting bears of what is shared."""
    area = (planting.place.area_m2 or UNKNOWN_AREA_M2) * (planting.soil_share or 1.0)
    begins = planting.planted_on or date(planting.season, 1, 1)
    if season > planting.season:
        begins = date(season, 1, 1)
    over = min(last_day(planting.pk, planting.finished_on, clearing), date(season, 12, 31))
    return area * half_months(begins, over)


def _work(household: Household, grown: list[Planting], season: int) -> dict[int, list[WorkShare]]:
    """What work and water each crop of a season bears; of what stays over years that of the
    year.
    """
    shares = shares_by_planting(household)
    found: dict[int, list[WorkShare]] = defaultdict(list)
    for planting in grown:
        mine = shares.get(planting.pk, ())
        found[planting.crop_id] += [
            share for share in mine if not planting.is_perennial or share.year == season
        ]
    return found
