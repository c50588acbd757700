"""One season as a workbook: what was written as it can be brought again, and what it came to."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Q

from kilter.core.amounts.vague import VagueDate, format_date
from kilter.core.trade.grades import GRADES
from kilter.core.trade.uses import USES
from kilter.ground.models import Place
from kilter.larder.account import account
from kilter.larder.food import food_of
from kilter.larder.ledger import larder
from kilter.larder.models import Price
from kilter.larder.went import went
from kilter.next_year.rows import rows as planned_rows
from kilter.people.models import Household
from kilter.plans.models import Plan
from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import Planting
from kilter.set_out.queries import with_all_names
from kilter.tables.workbook import Cell, book_of
from kilter.weigh_in.models import WeighIn

Row = list[Cell]


def season_book(household: Household, season: int) -> bytes:
    """The workbook of a season; heads are those by which a table that is brought is told."""
    return book_of(
        {
            "Harvest": _harvest(household, season),
            "Plantings": _plantings(household, season),
            "Places": _places(household),
            "Prices": _prices(household),
            "Larder": _larder(household, season),
            "Account": _account(household, season),
            "Plan": _plan(household, season + 1),
        }
    )


def _where(planting: Planting) -> str:
    return f"{planting.place}, {planting.part}" if planting.part else str(planting.place)


def _day(day: VagueDate | None) -> Cell:
    return None if day is None else day.day if day.is_exact else format_date(day)


def _grams(mg: int | None) -> float | None:
    return None if mg is None else mg / 1000


def _kg(mg: int | None) -> float | None:
    return None if mg is None else mg / 1e6


def _coins(minor: float | None) -> float | None:
    return None if minor is None else minor / 100


def _harvest(household: Household, season: int) -> Iterator[Row]:
    yield [
        "Day",
        "Crop",
        "Variety",
        "Place",
        "Weight (g)",
        "Pieces",
        "Grade",
        "Plants lifted",
        "Season",
        "Note",
    ]
    hidden = blinded_of(household)
    of_season = Q(planting__season=season, planting__is_perennial=False) | Q(
        planting__is_perennial=True, weighed_on__year=season
    )
    # What a blinded trial keeps back is told by no sheet until it is in.
    lines = (
        WeighIn.objects.of(household)
        .filter(of_season)
        .exclude(planting__in=[*hidden])
        .select_related(
            "planting__crop",
            "planting__variety",
            "planting__place",
            "planting__part__place",
            "size",
        )
        .order_by("weighed_on", "pk")
    )
    for line in lines:
        of = line.planting
        variety = of.variety.name if of.variety else None
        grade = line.size.word if line.size else GRADES[line.grade].words
        yield [
            _day(VagueDate(line.weighed_on, line.precision)),
            of.crop.name,
            variety,
            _where(of),
            _grams(line.mass_mg),
            line.count,
            grade,
            line.plants,
            of.season,
            line.note,
        ]


def _plantings(household: Household, season: int) -> Iterator[Row]:
    yield [
        "Place",
        "Crop",
        "Variety",
        "Set out",
        "How many",
        "Set out as",
        "Season",
        "Finished",
        "In the row (m)",
        "Rows apart (m)",
        "Seed lot",
        "Note",
    ]
    hidden = blinded_of(household)
    for one in with_all_names(Planting.objects.of(household).filter(season=season)):
        is_hidden = one.pk in hidden
        yield [
            _where(one),
            one.crop.name,
            one.variety.name if one.variety and not is_hidden else None,
            _day(one.planted),
            one.units,
            one.unit_kind,
            one.season,
            one.finished_on,
            one.in_row_m,
            one.row_gap_m,
            one.lot.name if one.lot and not is_hidden else None,
            one.notes,
        ]


def _places(household: Household) -> Iterator[Row]:
    yield [
        "Name",
        "Kind",
        "Site",
        "Length (m)",
        "Width (m)",
        "Diameter (m)",
        "Depth (m)",
        "Volume (litres)",
        "Note",
    ]
    for place in Place.objects.of(household).in_order():
        sizes = (place.length_m, place.width_m, place.diameter_m, place.depth_m, place.volume_l)
        yield [str(place), place.kind, place.site.name, *sizes, place.notes]


def _prices(household: Household) -> Iterator[Row]:
    yield ["Crop", "Price", "Per", "From"]
    for price in Price.objects.of(household).select_related("crop"):
        yield [price.crop.name, price.price_minor / 100, price.per, price.from_day]


def _larder(household: Household, season: int) -> Iterator[Row]:
    """Where what was lifted went; pieces where they were counted."""
    yield [
        "Crop",
        "Lifted (kg)",
        "Lifted (pieces)",
        "Food (kg)",
        "Food (pieces)",
        *(f"{use.replace('_', ' ').capitalize()} (kg)" for use in USES),
        "In store (kg)",
        "Not accounted for (kg)",
    ]
    found = larder(household, {season})
    for one in went(found, [season]):
        food = food_of(found, one.crop, season)
        yield [
            one.crop.name,
            _kg(one.where.lifted_mg),
            one.pieces.lifted if one.pieces else None,
            _kg(food.mass_mg),
            food.pieces,
            *(_kg(one.where.used_mg[use]) for use in USES),
            _kg(one.where.in_store_mg),
            _kg(one.where.not_accounted_mg),
        ]


def _account(household: Household, season: int) -> Iterator[Row]:
    money = f"({household.currency})"
    yield [
        "Crop",
        "Food (kg)",
        "Food (pieces)",
        f"Worth {money}",
        f"Not spent {money}",
        f"Given {money}",
        f"Cost {money}",
        "Work (min)",
        "Water (L)",
    ]
    for one in account(household, season).crops:
        amounts = one.account
        coins = (amounts.value, amounts.saved, amounts.given, amounts.cost)
        yield [
            one.crop.name,
            one.food_kg,
            one.pieces,
            *(_coins(minor) for minor in coins),
            one.minutes,
            one.water_l,
        ]


def _plan(household: Household, season: int) -> Iterator[Row]:
    yield ["Crop", "Needed (kg)", "Plants", "Row (m)", "Sure (%)", "Expected (kg)", "Problem"]
    plan = Plan.objects.of(household).filter(season=season, is_chosen=True).first()
    if plan is None:
        return
    for one in planned_rows(household, plan):
        yield [
            one.crop.name,
            one.needed.lift_kg,
            one.plants,
            one.takes.row_m if one.takes else None,
            one.sure * 100 if one.sure is not None else None,
            one.expected_kg,
            one.problem,
        ]
