"""What was lost in store of each planting, and how it was kept:
Weigh up compares ways of keeping by it.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection
from datetime import date
from typing import NamedTuple

from kilter.core.trade.uses import LOSSES, MOVED
from kilter.larder.models import Crate, PutBy, Using
from kilter.people.models import Household
from kilter.records.kept import KEPT, Keeping


class _Put(NamedTuple):
    """What is read of a putting by."""

    day: date
    pk: int
    crate_id: int
    planting_id: int
    mass_mg: int
    pieces: int | None
    part: int
    whole: int
    kind: str
    cured: date | None


class _Used(NamedTuple):
    """What is read of what left a crate."""

    day: date
    pk: int
    crate_id: int
    use: str
    into_id: int | None
    mass_mg: int | None  #: None where only pieces were said
    pieces: float | None


USED_COLUMNS = ("day", "pk", "crate_id", "use", "into_id", "mass_mg", "count")


@KEPT.answered_by
def kept(household: Household, plantings: Collection[int]) -> dict[int, Keeping]:
    """Of each planting what was put by, what of it is lost so far, and where and how it was kept;
    two queries.

    What a crate lost is borne by its plantings by what of each lay in it; what is moved takes them
    along. A line that was not weighed tells of no loss and stays out.
    """
    put = PutBy.objects.of(household).filter(
        crate__isnull=False,
        line__struck_at=None,
        line__planting__struck_at=None,
        line__mass_mg__gt=0,
    )
    seasons = put.filter(line__planting__in=plantings).order_by().values("crate__season")
    columns = (
        *(
            "day",
            "pk",
            "crate_id",
            "line__planting_id",
            "line__mass_mg",
            "line__count",
            "share_part",
            "share_whole",
        ),
        *("crate__store__kind", "crate__cure_until"),
    )
    puts = [
        _Put(*row) for row in put.filter(crate__season__in=seasons).order_by().values_list(*columns)
    ]
    if not puts:
        return {}
    crates = Crate.objects.of(household).filter(season__in=seasons).order_by().values("pk")
    used = Using.objects.of(household).filter(crate__in=crates).order_by()
    usings = [_Used(*row) for row in used.values_list(*USED_COLUMNS)]
    return _shared(puts, usings, frozenset(plantings))


def _shared(puts: list[_Put], usings: list[_Used], asked: Collection[int]) -> dict[int, Keeping]:
    lies: dict[int, dict[int, float]] = defaultdict(lambda: defaultdict(float))
    pieces: dict[int, float] = defaultdict(float)
    brought: dict[int, float] = defaultdict(float)
    lost: dict[int, float] = defaultdict(float)
    where: dict[int, Counter[str]] = defaultdict(Counter)
    cured: set[int] = set()
    moves: list[_Put | _Used] = [*puts, *usings]
    for one in sorted(moves, key=lambda move: (move.day, isinstance(move, _Used), move.pk)):
        if isinstance(one, _Used):
            _take(one, lies, lost, pieces)
            continue
        mass_mg = one.mass_mg * one.part / one.whole
        lies[one.crate_id][one.planting_id] += mass_mg
        pieces[one.crate_id] += (one.pieces or 0) * one.part / one.whole
        brought[one.planting_id] += mass_mg
        where[one.planting_id][one.kind] += round(mass_mg)
        if one.cured is not None:
            cured.add(one.planting_id)
    return {
        pk: Keeping(mass_mg, lost[pk], where[pk].most_common(1)[0][0], pk in cured)
        for pk, mass_mg in brought.items()
        if pk in asked
    }


def _take(
    one: _Used,
    lies: dict[int, dict[int, float]],
    lost: dict[int, float],
    pieces: dict[int, float],
) -> None:
    content = lies[one.crate_id]
    whole = sum(content.values())
    if not whole:
        return
    # A taking in pieces takes the same share of the mass.
    if one.mass_mg is not None:
        share = min(one.mass_mg / whole, 1.0)
    else:
        there = pieces[one.crate_id]
        share = min((one.pieces or 0.0) / there, 1.0) if there else 0.0
    gone = pieces[one.crate_id] * share
    pieces[one.crate_id] -= gone
    if one.into_id:
        pieces[one.into_id] += gone
    for pk, mass_mg in list(content.items()):
        content[pk] -= mass_mg * share
        if one.use == MOVED and one.into_id:
            lies[one.into_id][pk] += mass_mg * share
        elif one.use in LOSSES:
            lost[pk] += mass_mg * share
