"""The lines of the tape that enter the larder: what is read of them, and what each weighs."""

from __future__ import annotations

from collections import defaultdict
from datetime import date
from typing import NamedTuple

from django.db.models import QuerySet

from kilter.core.amounts.weighing import unripe_left
from kilter.core.larder.mass import LiftedLine
from kilter.core.trade.grades import GRADES, NOT_LIFTED, RIPENING
from kilter.people.models import Household
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


def is_on_shelf(grade: str, weighed_on: date, today: date) -> bool:
    """Whether a line lies on the bench's ripening shelf."""
    return GRADES[grade].ripens and (today - weighed_on).days <= RIPENS_WITHIN_DAYS


def lifted_of(household: Household) -> QuerySet[WeighIn]:
    """The lines of the tape that enter the larder."""
    return (
        WeighIn.objects.of(household).filter(planting__struck_at=None).exclude(grade__in=NOT_LIFTED)
    )


def rows_of(lines: QuerySet[WeighIn]) -> dict[int, LineRow]:
    """What is read of some lines, by key; one query."""
    return {one.pk: one for one in (LineRow(*columns) for columns in lines.values_list(*_COLUMNS))}


def lifted_line(
    row: LineRow,
    mass_mg: int,
    today: date,
    *,
    is_estimated: bool = False,
    is_eaten: bool | None = None,
) -> LiftedLine:
    """A line of the tape as the core's."""
    crop_id, season = row.key
    return LiftedLine(
        ref=str(row.pk),
        crop=str(crop_id),
        season=season,
        grade=row.grade,
        mass_mg=mass_mg,
        is_estimated=is_estimated,
        is_eaten=is_eaten,
        is_on_shelf=is_on_shelf(row.grade, row.weighed_on, today),
    )


def masses_of(
    household: Household, rows: dict[int, LineRow]
) -> tuple[dict[int, int], dict[int, int], frozenset[int]]:
    """What each line weighs, with the estimates of those that were counted; how many pieces each
    is of those counted; and which were not weighed. What came off the shelf is off its lot.
    """
    counts = {pk: row.pieces for pk, row in rows.items() if row.pieces is not None}
    masses = {pk: row.mass_mg or 0 for pk, row in rows.items()}
    bare = [pk for pk, row in rows.items() if row.mass_mg is None]
    if bare:
        each = Pieces(household, {rows[pk].crop_id for pk in bare})
        for line in (
            WeighIn.objects.of(household).filter(pk__in=bare).select_related("planting__variety")
        ):
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
        masses[pk], left = unripe_left(masses[pk], rows[pk].pieces or 0, gone)
        if pk in counts:
            counts[pk] = left
    return masses, counts, frozenset(bare)
