"""What each crop of a season was worth at the household's own prices,
and what it cost, item by item.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from django.db.models import Sum

from kilter.core.growing.clearing import Clears
from kilter.core.larder.account import Account, Item, account_of
from kilter.core.trade.uses import EATEN, GIVEN
from kilter.core.yields.costs import half_months, split_whole, yearly_parts
from kilter.larder.food import food_of
from kilter.larder.ledger import Larder, larder
from kilter.larder.lines import LineRow
from kilter.larder.models import Expense, Price
from kilter.people.models import Household
from kilter.set_out.clearing import clearing_of, clears
from kilter.set_out.costs import costs_of, over_years
from kilter.set_out.models import Crop, Planting
from kilter.tending.models import Job

#: Ground of what stands in a place without length and width, in square metres (rule): a large
#: pot's.
UNKNOWN_AREA_M2 = 0.15


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

    @property
    def food_kg(self) -> float:
        return self.account.food_mg / 1e6

    @property
    def minutes_per_kg(self) -> float | None:
        return self.minutes / self.food_kg if self.minutes is not None and self.food_kg else None

    @property
    def litres_per_kg(self) -> float | None:
        return self.water_l / self.food_kg if self.water_l is not None and self.food_kg else None


@dataclass(frozen=True)
class SeasonAccount:
    """All crops of a season."""

    season: int
    crops: tuple[CropAccount, ...]
    unshared: tuple[Item, ...] = ()  #: what fell on no crop, as nothing stood in that season

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
    plantings = Planting.objects.of(household).filter(season=season)
    grown = list(plantings.select_related("crop", "place", "part__place").order_by("pk"))
    items: dict[int, Counter[str]] = defaultdict(Counter)
    crop_of = {one.pk: one.crop_id for one in grown}
    for pk, shares in costs_of(household, plantings).items():
        for share in shares:
            items[crop_of[pk]][share.what] += share.minor
    unshared = _expenses(household, season, grown, items)
    work = _work(household, crop_of)
    prices = _prices(household, season)
    crops = {one.crop_id: one.crop for one in grown} | {
        key[0]: found.crops[key[0]]
        for key, one in found.of.items()
        if key[1] == season and one.lifted_mg
    }
    crops |= Crop.objects.ever_of(household).in_bulk(items.keys() - crops.keys())
    made = [
        _of_crop(found, crop, season, prices.get(pk), items[pk], work.get(pk))
        for pk, crop in crops.items()
    ]
    made.sort(key=lambda one: (-one.account.value, -one.account.cost, one.crop.name))
    return SeasonAccount(season, tuple(made), tuple(unshared))


def _of_crop(
    found: Larder,
    crop: Crop,
    season: int,
    price: Price | None,
    items: Counter[str],
    work: tuple[float | None, float | None] | None,
) -> CropAccount:
    of_crop, food_mg, _ = food_of(found, crop, season)
    both = [row for row in of_crop if row.pieces and row.mass_mg]
    where = found.of.get((crop.pk, season))
    eaten_mg, given_mg = (where.used_mg[EATEN], where.used_mg[GIVEN]) if where else (0, 0)
    per_kg, words, problem = _per_kg(price, both, found.household.currency)
    listed = [Item(what, minor) for what, minor in items.items()]
    reckoned = account_of(food_mg, eaten_mg, given_mg, per_kg, listed)
    minutes, water_l = work or (None, None)
    is_estimated = any(row.pk in found.estimated or row.is_vague for row in of_crop)
    return CropAccount(
        crop=crop,
        account=reckoned,
        price_words=words,
        problem=problem,
        eaten_mg=eaten_mg,
        given_mg=given_mg,
        is_estimated=is_estimated,
        minutes=minutes,
        water_l=water_l,
    )


def _per_kg(price: Price | None, both: list[LineRow], currency: str) -> tuple[int, str, str]:
    """The price of a kilogram, in words, or why there is none; of pieces by what one weighs in the
    lines of this season that were weighed and counted.
    """
    if price is None:
        return 0, "", "no price yet"
    words = (
        f"{price.price_minor / 100:,.2f} "
        f"{currency}{'/kg' if price.per == Price.Per.KG else ' each'}"
    )
    if price.per == Price.Per.KG:
        return price.price_minor, words, ""
    mass_mg, count = sum(row.mass_mg or 0 for row in both), sum(row.pieces or 0 for row in both)
    if not mass_mg:
        return 0, "", "its pieces were not both weighed and counted"
    return round(price.price_minor * count * 1e6 / mass_mg), words, ""


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
    weights = [_weight(planting, clearing) for planting in grown]
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


def _weight(planting: Planting, clearing: Mapping[int, Clears]) -> float:
    """Area times half-months: what a planting bears of what is shared."""
    area = (planting.place.area_m2 or UNKNOWN_AREA_M2) * (planting.soil_share or 1.0)
    begins = planting.planted_on or date(planting.season, 1, 1)
    year_ends = date(planting.season, 12, 31)
    over = clears(planting, clearing).day or year_ends
    return area * half_months(begins, min(over, year_ends))


def _work(
    household: Household, crop_of: dict[int, int]
) -> dict[int, tuple[float | None, float | None]]:
    """Minutes and litres noted for each crop; None where nothing was."""
    jobs = (
        Job.objects.of(household)
        .filter(planting__in=list(crop_of))
        .order_by()
        .values("planting__crop_id")
    )
    summed = jobs.annotate(s=Sum("seconds"), ml=Sum("water_ml")).values_list(
        "planting__crop_id", "s", "ml"
    )
    return {
        crop: (None if seconds is None else seconds / 60, None if ml is None else ml / 1000)
        for crop, seconds, ml in summed
    }
