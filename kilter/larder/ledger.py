"""What was lifted and where it went: rows of the tape and of the larder read to the core's ledger, and back."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta
from fractions import Fraction
from typing import NamedTuple

from django.db import connection
from django.db.models import Q

from kilter.core.amounts.weighing import unripe_left
from kilter.core.larder.mass import Entry, LiftedLine, Moved, Used, Whereabouts, whereabouts
from kilter.core.larder.mass import PutByShare as Put
from kilter.core.trade.grades import GRADES, NOT_LIFTED, RIPENING
from kilter.core.trade.uses import MOVED
from kilter.larder.models import Crate, PutBy, Using
from kilter.people import clock
from kilter.people.models import Household
from kilter.set_out.models import Crop
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.pieces import Pieces
from kilter.weigh_in.queries import RIPENS_WITHIN_DAYS

Key = tuple[int, int]  #: a crop and a season


class LineRow(NamedTuple):
    """What is read of a line of the tape."""

    pk: int
    crop_id: int
    variety_id: int | None
    planting_id: int
    season: int
    is_perennial: bool
    weighed_on: date
    grade: str
    pieces: int | None
    mass_mg: int | None
    turned_from_id: int | None
    pm_mg: int | None
    basket: str

    @property
    def is_vague(self) -> bool:
        """Whether its weight is a guess, or a part of a basket of several plantings."""
        return self.pm_mg is not None or bool(self.basket)

    @property
    def key(self) -> Key:
        """Its crop and season; of what stays over years each year is a season."""
        return self.crop_id, self.weighed_on.year if self.is_perennial else self.season


_COLUMNS = (
    "pk",
    "planting__crop_id",
    "planting__variety_id",
    "planting_id",
    "planting__season",
    "planting__is_perennial",
    "weighed_on",
    "grade",
    "count",
    "mass_mg",
    "turned_from_id",
    "pm_mg",
    "basket",
)


@dataclass(frozen=True)
class CrateNow:
    """A crate with what went in and what lies there."""

    crate: Crate
    in_mg: int
    lying_mg: int
    is_estimated: bool = False  #: part of it was counted and not weighed, guessed, or of a mixed basket

    @property
    def left(self) -> int:
        return max(self.lying_mg, 0)

    @property
    def share(self) -> float:
        return min(self.left / self.in_mg, 1.0) if self.in_mg else 0.0


@dataclass(frozen=True)
class StoreStep:
    """What came into the stores, or left them, on a day."""

    key: Key
    crate: int
    day: date
    mass_mg: int  #: below zero where it left
    what: str = ""


@dataclass(frozen=True, kw_only=True)
class Larder:
    """Some seasons of a garden: what was lifted, and where it went."""

    household: Household
    today: date
    crops: dict[int, Crop] = field(default_factory=dict)
    lines: dict[int, LineRow] = field(default_factory=dict)
    masses: dict[int, int] = field(default_factory=dict)  #: of each line
    rest: dict[int, int] = field(default_factory=dict)  #: of each line, what was not put by
    loose: dict[int, int] = field(default_factory=dict)  #: of each line, what of that was used without a crate
    eaten: dict[int, bool | None] = field(default_factory=dict)  #: of each line, whether it is eaten by the rule
    estimated: frozenset[int] = frozenset()  #: lines that were counted and not weighed
    of: dict[Key, Whereabouts] = field(default_factory=dict)
    crates: dict[int, CrateNow] = field(default_factory=dict)
    steps: tuple[StoreStep, ...] = ()
    usings: tuple[Using, ...] = ()
    puts: tuple[tuple[PutBy, int], ...] = ()  #: each with its milligrams

    @property
    def standing(self) -> list[CrateNow]:
        """Crates that were not said to be empty and hold something."""
        return [one for one in self.crates.values() if one.crate.emptied_on is None and one.left > 0]

    def line_is_on_shelf(self, row: LineRow) -> bool:
        return is_on_shelf(row.grade, row.weighed_on, self.today)


def is_on_shelf(grade: str, weighed_on: date, today: date) -> bool:
    """Whether a line lies on the bench's ripening shelf."""
    return GRADES[grade].ripens and (today - weighed_on).days <= RIPENS_WITHIN_DAYS


def open_seasons(household: Household) -> set[int]:
    """Seasons that something in store may be of, with this one and the last."""
    year = clock.today(household).year
    standing = Crate.objects.of(household).filter(emptied_on=None).order_by().values_list("season", flat=True)
    return {year, year - 1, *standing.distinct()}


def larder(household: Household, seasons: Collection[int], crops: Collection[int] | None = None) -> Larder:
    """Read some seasons; a fixed number of queries."""
    of_season = Q(planting__is_perennial=False, planting__season__in=seasons) | Q(
        planting__is_perennial=True, weighed_on__year__in=seasons
    )
    lifted = WeighIn.objects.of(household).filter(planting__struck_at=None).exclude(grade__in=NOT_LIFTED)
    in_crates = PutBy.objects.of(household).filter(crate__season__in=seasons).order_by().values("line_id")
    lines = lifted.filter(of_season | Q(pk__in=in_crates))
    crates = Crate.objects.of(household)
    if crops is not None:
        lines, crates = lines.filter(planting__crop__in=crops), crates.filter(crop__in=crops)
    rows = {one.pk: one for one in (LineRow(*columns) for columns in lines.values_list(*_COLUMNS))}
    held = PutBy.objects.of(household).filter(line__in=lines.order_by().values("pk"), crate__isnull=False)
    crates = crates.filter(Q(season__in=seasons) | Q(pk__in=held.order_by().values("crate_id")))
    shown = {one.pk: one for one in crates.select_related("store", "crop", "variety")}
    puts = list(
        PutBy.objects.of(household)
        .filter(Q(crate__in=crates.order_by().values("pk")) | Q(line__in=lines.order_by().values("pk")))
        .order_by("day", "pk")
    )
    loose = Q(crate=None, season__in=seasons) & (Q() if crops is None else Q(crop__in=crops))
    usings = list(
        Using.objects.of(household)
        .filter(Q(crate__in=crates.order_by().values("pk")) | loose)
        .select_related("written_by")
        .order_by("day", "pk")
    )
    return _made(household, rows, shown, puts, usings)


def larder_of_crate(household: Household, crate: Crate) -> Larder:
    """Read what a crate needs to be reckoned: all of its season, of its crop."""
    return larder(household, {crate.season}, {crate.crop_id})


class Lying(NamedTuple):
    """What lies in a crate: all that the writing of an entry asks for."""

    crop_id: int
    crop: str
    mass_mg: int
    slack_mg: int  #: by how much that may be off


#: Of these the ledger says more than the line: what turned, and what never came in.
_ODD_GRADES = json.dumps([*RIPENING, *NOT_LIFTED])
#: Shares are rounded each by itself here, so that it may be off by a milligram each.
_LYING = """
SELECT crate.crop_id, (SELECT name FROM set_out_crop WHERE id = crate.crop_id),
  coalesce(sum(line.mass_mg * put.share_part / put.share_whole), 0)
    + coalesce((SELECT sum(mass_mg) FROM larder_using WHERE into_id = crate.id AND struck_at IS NULL), 0)
    - coalesce((SELECT sum(mass_mg) FROM larder_using WHERE crate_id = crate.id AND struck_at IS NULL), 0),
  coalesce(sum(put.share_part <> put.share_whole), 0),
  coalesce(sum(line.mass_mg IS NULL OR line.grade IN (SELECT value FROM json_each(%s))), 0)
FROM larder_crate crate
LEFT JOIN larder_putby put ON put.crate_id = crate.id AND put.struck_at IS NULL
LEFT JOIN weigh_in_weighin line ON line.id = put.line_id
  AND line.struck_at IS NULL
  AND EXISTS (SELECT 1 FROM set_out_planting p WHERE p.id = line.planting_id AND p.struck_at IS NULL)
WHERE crate.id = %s AND crate.household_id = %s AND crate.struck_at IS NULL
GROUP BY crate.id
"""


def lying_in(household: Household, crate: int) -> Lying | None:
    """What lies in a crate, in one query where its lines are all weighed, else by the ledger; None for no crate.

    It is asked at every entry, so that it is fast counts.
    """
    with connection.cursor() as cursor:
        cursor.execute(_LYING, [_ODD_GRADES, crate, household.pk])
        row = cursor.fetchone()
    if row is None:
        return None
    crop_id, crop, mass_mg, slack_mg, odd = row
    if not odd:
        return Lying(crop_id, crop, mass_mg, slack_mg)
    found = Crate.objects.of(household).get(pk=crate)
    return Lying(crop_id, crop, larder_of_crate(household, found).crates[crate].lying_mg, 0)


def _made(
    household: Household, rows: dict[int, LineRow], crates: dict[int, Crate], puts: list[PutBy], usings: list[Using]
) -> Larder:
    today = clock.today(household)
    needed = {row.crop_id for row in rows.values()} | {crate.crop_id for crate in crates.values()}
    needed |= {using.crop_id for using in usings if using.crop_id}
    crops = Crop.objects.ever_of(household).in_bulk(needed)
    masses, estimated = masses_of(household, rows)
    rule = {pk: fresh_days(crop) for pk, crop in crops.items()}
    eaten = {pk: _is_eaten(row, rule[row.crop_id], today) for pk, row in rows.items()}
    lines = [
        _lifted(row, masses[pk], today, is_estimated=pk in estimated, is_eaten=eaten[pk])
        for pk, row in sorted(rows.items(), key=lambda pair: (pair[1].weighed_on, pair[0]))
    ]
    puts = [put for put in puts if put.crate_id is None or put.crate_id in crates]
    usings = [one for one in usings if one.into_id is None or one.into_id in crates]
    every: list[PutBy | Using] = [*puts, *usings]
    entries = sorted(
        ((one.day, one) for one in every), key=lambda pair: (pair[0], isinstance(pair[1], Using), pair[1].pk)
    )
    ledger = whereabouts(
        lines,
        {str(pk): (str(crate.crop_id), crate.season) for pk, crate in crates.items()},
        [_entry(one) for _, one in entries],
        {str(pk) for pk, crate in crates.items() if crate.emptied_on},
    )
    put_mg = {entries[i][1].pk: mass_mg for i, mass_mg in ledger.put_mg.items()}
    steps = tuple(_steps(entries, put_mg, crates))
    into: dict[int, int] = defaultdict(int)
    for step in steps:
        into[step.crate] += max(step.mass_mg, 0)
    guessed = {put.crate_id for put in puts if put.line_id in rows and _is_doubtful(rows[put.line_id])}
    return Larder(
        household=household,
        today=today,
        crops=crops,
        lines=rows,
        masses=masses,
        rest={int(ref): mass_mg for ref, mass_mg in ledger.rest_mg.items()},
        loose={int(ref): mass_mg for ref, mass_mg in ledger.loose_mg.items()},
        eaten=eaten,
        estimated=estimated,
        of={(int(crop), season): one for (crop, season), one in ledger.of.items()},
        crates={pk: CrateNow(one, into[pk], ledger.lying_mg[str(pk)], pk in guessed) for pk, one in crates.items()},
        steps=steps,
        usings=tuple(usings),
        puts=tuple((put, put_mg.get(put.pk, 0)) for put in puts),
    )


def _is_doubtful(row: LineRow) -> bool:
    return row.mass_mg is None or row.is_vague


def _entry(one: PutBy | Using) -> Entry:
    if isinstance(one, PutBy):
        share = Fraction(one.share_part, one.share_whole)
        return Put(str(one.crate_id) if one.crate_id else None, str(one.line_id), share, one.use or None)
    if one.use == MOVED:
        return Moved(str(one.crate_id), str(one.into_id), one.mass_mg)
    of = None if one.crate_id else (str(one.crop_id), one.season or 0)
    return Used(str(one.crate_id) if one.crate_id else None, one.use, one.mass_mg, of)


def _steps(
    entries: Iterable[tuple[date, PutBy | Using]], put_mg: dict[int, int], crates: dict[int, Crate]
) -> Iterable[StoreStep]:
    """What each entry brought into a crate or took out of it."""

    def key(pk: int) -> Key:
        return crates[pk].crop_id, crates[pk].season

    for day, one in entries:
        if one.crate_id is None:
            continue
        if isinstance(one, PutBy):
            yield StoreStep(key(one.crate_id), one.crate_id, day, put_mg.get(one.pk, 0))
            continue
        yield StoreStep(key(one.crate_id), one.crate_id, day, -one.mass_mg, one.use)
        if one.into_id:
            yield StoreStep(key(one.into_id), one.into_id, day, one.mass_mg, one.use)


def _lifted(row: LineRow, mass_mg: int, today: date, *, is_estimated: bool, is_eaten: bool | None) -> LiftedLine:
    crop_id, season = row.key
    shelf = is_on_shelf(row.grade, row.weighed_on, today)
    return LiftedLine(
        ref=str(row.pk),
        crop=str(crop_id),
        season=season,
        grade=row.grade,
        mass_mg=mass_mg,
        is_estimated=is_estimated,
        is_eaten=is_eaten,
        is_on_shelf=shelf,
    )


def fresh_days(crop: Crop) -> int | None:
    """Within how many days what is not put by is eaten: the household's word, or the handbook's of what perishes."""
    if crop.own_fresh_days is not None:
        return crop.own_fresh_days
    return crop.in_handbook.fresh_days if crop.in_handbook else None


def _is_eaten(row: LineRow, days: int | None, today: date) -> bool | None:
    if days is None or not GRADES[row.grade].eats_fresh:
        return None
    return row.weighed_on + timedelta(days=days) <= today


def masses_of(household: Household, rows: dict[int, LineRow]) -> tuple[dict[int, int], frozenset[int]]:
    """What each line weighs, with the estimates of those that were counted; what came off the shelf is off its lot."""
    masses = {pk: row.mass_mg or 0 for pk, row in rows.items()}
    bare = [pk for pk, row in rows.items() if row.mass_mg is None]
    if bare:
        each = Pieces(household, {rows[pk].crop_id for pk in bare})
        for line in WeighIn.objects.of(household).filter(pk__in=bare).select_related("planting__variety"):
            variety = line.planting.variety.name if line.planting.variety else None
            found = each.estimate(line, rows[line.pk].crop_id, variety)
            masses[line.pk] = round(found.mass_mg) if found else 0
    off: dict[int, list[tuple[int | None, int | None]]] = defaultdict(list)
    lots = [pk for pk, row in rows.items() if row.grade in RIPENING]
    if lots:
        turned = WeighIn.objects.of(household).filter(turned_from__in=lots).order_by("pk")
        for lot, *one in turned.values_list("turned_from_id", "mass_mg", "count"):
            off[lot].append((one[0], one[1]))
    for pk, gone in off.items():
        masses[pk] = unripe_left(masses[pk], rows[pk].pieces or 0, gone)[0]
    return masses, frozenset(bare)
