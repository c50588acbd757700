"""What so many plants take: metres, containers that the household has, seed by its lots,
what to buy, work, money.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.units import half_up
from kilter.core.growing.season import day_of_season
from kilter.core.handbook import HandbookCrop
from kilter.core.plan.quantities import containers_for, inner_share, seeds_for
from kilter.core.trade import units
from kilter.core.trade.units import noun
from kilter.next_year.dates import CropDates
from kilter.next_year.garden import Garden, Vessels
from kilter.next_year.records import Worked
from kilter.plans.models import PlannedCrop
from kilter.set_out.models import Crop, SeedLot

#: Two pieces are cut of a seed potato, each with an eye or two (common practice, no source: 2 to
#: 3).
PIECES_A_TUBER = 2
#: A mother root gives so many slips (common practice, no source: 6 to 12).
SLIPS_A_ROOT = 8
#: Seeds to a mound, thinned to two plants (common practice, no source: 6 to 8).
SEEDS_A_MOUND, PLANTS_A_MOUND = 6, 2
MOUND_CROPS = frozenset({"winter squash", "pumpkin"})
#: Ears fill better in a block: so many rows at least (common practice, no source).
BLOCK_ROWS = 4
BLOCK_CROPS = frozenset({"sweet corn"})
PER_30L = 30.0


@dataclass(frozen=True)
class Stock:
    """A lot in stock that may still be sown when it is wanted."""

    lot: SeedLot
    left: int
    germination: float | None  #: by own counts
    is_past: bool  #: past its last sowing date by then


@dataclass(frozen=True)
class Buy:
    """What is lacking, and in which packs."""

    pieces: int
    packs: int | None = None
    pack_of: int | None = None
    price_minor: int | None = None  #: of all packs, as last paid


@dataclass(frozen=True, kw_only=True)
class Takes:
    """What so many plants take."""

    plants: int
    row_m: float | None
    area_m2: float | None
    metres_a_person: float | None
    in_vessels: tuple[
        tuple[Vessels, int], ...
    ]  #: sizes owned, with how many of each would be filled
    is_too_many: bool  #: more than the household owns
    pieces: int  #: seeds, tubers, sets … set out
    piece: str
    pieces_why: str
    germination: float | None
    stock: tuple[Stock, ...]
    buy: Buy | None
    minutes: float | None
    water_l: float | None
    cost_minor: float | None
    medium_l: float | None
    block: tuple[int, int, float] | None  #: rows, plants a row, share with neighbours all round
    spacing: str
    kept: str

    @property
    def vessels_said(self) -> str:
        """How many of which containers, in words."""
        said = ", ".join(
            f"{n} of your {one.count} {one.kind}s of {one.litres:g} L" for one, n in self.in_vessels
        )
        return said + (": too few for all of it, split it over beds" if self.is_too_many else "")

    @property
    def pieces_said(self) -> str:
        """How many of what, in words."""
        return f"{self.pieces} {noun(self.pieces, self.piece)}"


def takes_of(
    crop: Crop,
    said: PlannedCrop,
    shared: Garden,
    plants: int,
    dates: CropDates,
    spacing_m: float | None,
) -> Takes:
    """Reckon what some plants of a crop take."""
    book, habit = crop.in_handbook, shared.habits.get(crop.pk)
    gap_m = (habit.row_gap_m if habit else None) or (book.row_gap_m if book else None)
    row_m = plants * spacing_m if spacing_m else None
    people = shared.people
    vessels, too_many, medium = _vessels(shared, book, plants)
    sown_on = min((sowing.begins for sowing in dates.sowings), default=None)
    stock = _stock(shared, crop, None if sown_on is None else day_of_season(shared.season, sown_on))
    germination = _germination(said, stock, book)
    kind = _planted_as(book, habit.unit_kind if habit else "")
    pieces, piece, why = _pieces(book, plants, germination, kind)
    worked = shared.worked.get(crop.pk, Worked())
    return Takes(
        plants=plants,
        row_m=row_m,
        area_m2=row_m * gap_m if row_m is not None and gap_m else None,
        metres_a_person=row_m / people if row_m is not None and people else None,
        in_vessels=vessels,
        is_too_many=too_many,
        pieces=pieces,
        piece=piece,
        pieces_why=why,
        germination=germination,
        stock=stock,
        buy=_buy(shared, crop, pieces, stock),
        minutes=None if worked.minutes is None else worked.minutes * plants,
        water_l=None if worked.water_l is None else worked.water_l * plants,
        cost_minor=None if worked.cost_minor is None else worked.cost_minor * plants,
        medium_l=medium,
        block=_block(book, plants),
        spacing=_spacing(book, spacing_m, gap_m, habit.depth_m if habit else None),
        kept=_kept(book, is_kept=said.is_kept),
    )


def _vessels(
    shared: Garden, book: HandbookCrop | None, plants: int
) -> tuple[tuple[tuple[Vessels, int], ...], bool, float | None]:
    """Containers of the sizes that the household has, the largest first;
    whether that is all of them and not enough.
    """
    per_30l = book.plants_per_30l if book else None
    if not per_30l or not shared.vessels or not plants:
        return (), False, None
    left, used, medium = plants, [], 0.0
    for one in sorted(shared.vessels, key=lambda vessel: -vessel.litres):
        each = math.floor(per_30l * one.litres / PER_30L + 1e-9)
        if each < 1:
            continue
        count = min(one.count, containers_for(left, per_30l, one.litres))
        used.append((one, count))
        medium += count * one.litres
        left -= count * each
        if left <= 0:
            break
    return tuple(used), left > 0, medium or None


def _planted_as(book: HandbookCrop | None, unit_kind: str) -> units.UnitKind:
    """As what it is planted: as it was last, else as the handbook does it."""
    if unit_kind:
        return units.unit_kind(unit_kind)
    return book.planted[0] if book else units.USUAL


def _stock(shared: Garden, crop: Crop, sown_on: date | None) -> tuple[Stock, ...]:
    """Lots with something left, those that are not past their last sowing date first."""
    found = []
    for line in shared.lots.get(crop.pk, []):
        if line.left:
            by_then = sown_on or shared.today
            is_past = bool(line.lot.sow_by and line.lot.sow_by < by_then)
            found.append(Stock(line.lot, line.left, line.germination, is_past))
    return tuple(
        sorted(found, key=lambda one: (one.is_past, one.lot.sow_by or date.max, one.lot.pk))
    )


def _germination(
    said: PlannedCrop, stock: tuple[Stock, ...], book: HandbookCrop | None
) -> float | None:
    """Of the very lot that would be sown, by own counts; else as the plan says."""
    if book is not None and not any(kind.from_seed for kind in book.planted):
        return None
    counted = [one for one in stock if one.germination and not one.is_past]
    if counted:
        weights = sum(one.left for one in counted)
        return sum((one.germination or 0) * one.left for one in counted) / weights
    return said.germination_percent / 100


def _pieces(
    book: HandbookCrop | None, plants: int, germination: float | None, kind: units.UnitKind
) -> tuple[int, str, str]:
    """How many of what to set out, and why so many."""
    if kind.key == "seed potato":
        tubers = math.ceil(plants / PIECES_A_TUBER)
        return (
            plants,
            "seed potato",
            f"or {tubers} cut in {PIECES_A_TUBER} pieces with an eye or two each",
        )
    if kind.key == "slip":
        roots = math.ceil(plants / SLIPS_A_ROOT)
        return plants, "slip", f"from {roots} mother root{'' if roots == 1 else 's'}"
    if kind.from_seed and germination:
        why = f"of 100, {half_up(germination * 100, 0)} come up; 90 % sure that enough do, on top"
        if book is not None and book.name in MOUND_CROPS and plants:
            mounds = math.ceil(plants / PLANTS_A_MOUND)
            why += (
                f"; or {mounds} mound{'' if mounds == 1 else 's'} of {SEEDS_A_MOUND} seeds, "
                f"thinned to {PLANTS_A_MOUND}"
            )
        return seeds_for(plants, germination), "seed", why
    return plants, kind.key, ""


def _buy(shared: Garden, crop: Crop, pieces: int, stock: tuple[Stock, ...]) -> Buy | None:
    """What the stock does not cover, in packs as they were last bought."""
    lacking = pieces - sum(one.left for one in stock if not one.is_past)
    if lacking <= 0:
        return None
    bought = [
        line.lot
        for line in shared.lots.get(crop.pk, [])
        if line.lot.bought_count and not line.lot.kept_from_id
    ]
    if not bought:
        return Buy(lacking)
    last = max(bought, key=lambda lot: (lot.packed_year or 0, lot.pk))
    assert last.bought_count is not None
    packs = math.ceil(lacking / last.bought_count)
    return Buy(
        lacking,
        packs,
        last.bought_count,
        None if last.price_minor is None else packs * last.price_minor,
    )


def _block(book: HandbookCrop | None, plants: int) -> tuple[int, int, float] | None:
    """What is pollinated by wind stands in a block, as square as may be."""
    if book is None or book.name not in BLOCK_CROPS or plants < BLOCK_ROWS:
        return None
    rows = max(BLOCK_ROWS, math.floor(math.sqrt(plants)))
    each = math.ceil(plants / rows)
    return rows, each, inner_share(rows, each)


def _spacing(
    book: HandbookCrop | None, in_row_m: float | None, gap_m: float | None, depth_m: float | None
) -> str:
    """Spacing, row and depth in words."""
    depth = depth_m or (book.sow_depth_m if book else None)
    said = []
    if in_row_m:
        said.append(f"{half_up(in_row_m * 100, 0)} cm apart")
    if gap_m:
        said.append(f"rows {half_up(gap_m * 100, 0)} cm apart")
    if depth:
        said.append(
            f"{half_up(depth * 100, 0)} cm deep"
            if depth >= 0.01
            else f"{half_up(depth * 1000, 0)} mm deep"
        )
    return ", ".join(said)


def _kept(book: HandbookCrop | None, *, is_kept: bool) -> str:
    """How it is cured and kept, in words."""
    if book is None:
        return ""
    said = [f"cured {book.cure.replace('-', '–')}"] if book.cure else []
    if is_kept and book.store_c:
        where = (
            "in the ground"
            if "ground" in book.store_c
            else f"at {book.store_c.replace('-', '–')} °C"
        )
        weeks = f", up to {half_up(book.keep_weeks, 0)} weeks" if book.keep_weeks else ""
        said.append(f"kept {where}{weeks}")
    return "; ".join(said)
