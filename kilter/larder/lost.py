"""What was lost in store of each planting, and how it was kept: Weigh up compares ways of keeping by it."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection

from kilter.larder.ledger import Larder, larder
from kilter.larder.models import MOVED, Crate, PutBy, Use, Using
from kilter.people.models import Household
from kilter.records.kept import Kept, tells_kept

LOST = frozenset({Use.SPOILED, Use.DRIED_AWAY})


@tells_kept
def kept(household: Household, plantings: Collection[int]) -> dict[int, Kept]:
    """Of each planting what was put by, what of it is lost so far, and where and how it was kept.

    What a crate lost is borne by its plantings by what of each lay in it; what is moved takes them along.
    """
    put = PutBy.objects.of(household).filter(crate__isnull=False, line__planting__in=plantings)
    seasons = set(put.order_by().values_list("crate__season", flat=True).distinct())
    return _of(larder(household, seasons), plantings) if seasons else {}


def _of(found: Larder, plantings: Collection[int]) -> dict[int, Kept]:
    lies: dict[int, dict[int, float]] = defaultdict(lambda: defaultdict(float))
    brought: Counter[int] = Counter()
    lost: dict[int, float] = defaultdict(float)
    where: dict[int, Counter[str]] = defaultdict(Counter)
    cured: set[int] = set()
    moves: list[tuple[PutBy | Using, int]] = [*found.puts, *((one, one.mass_mg) for one in found.usings)]
    for one, mass_mg in sorted(moves, key=lambda move: (move[0].day, isinstance(move[0], Using), move[0].pk)):
        if one.crate_id not in found.crates:
            continue
        crate = found.crates[one.crate_id].crate
        if isinstance(one, Using):
            _take(one, lies, lost)
        elif one.line_id in found.lines:
            pk = found.lines[one.line_id].planting_id
            lies[crate.pk][pk] += mass_mg
            brought[pk] += mass_mg
            where[pk][crate.store.kind] += mass_mg
            if _is_cured(crate):
                cured.add(pk)
    return {
        pk: Kept(brought[pk], lost[pk], where[pk].most_common(1)[0][0], pk in cured)
        for pk in brought
        if pk in plantings and brought[pk]
    }


def _take(one: Using, lies: dict[int, dict[int, float]], lost: dict[int, float]) -> None:
    content = lies[one.crate_id or 0]
    whole = sum(content.values())
    if not whole:
        return
    share = min(one.mass_mg / whole, 1.0)
    for pk, mass_mg in list(content.items()):
        content[pk] -= mass_mg * share
        if one.use == MOVED and one.into_id:
            lies[one.into_id][pk] += mass_mg * share
        elif one.use in LOST:
            lost[pk] += mass_mg * share


def _is_cured(crate: Crate) -> bool:
    return crate.cure_until is not None
