"""The lines of the tape as the core's lifts: the one place where they are read to be summed."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable
from datetime import date
from itertools import chain
from operator import attrgetter

from django.db.models import Count, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from kilter.core.amounts.weighing import unripe_left
from kilter.core.trade.grades import size_key
from kilter.core.yields.harvest import BasketLine, GradeTotal, Lift
from kilter.core.yields.visits import FIRST
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.pieces import Pieces
from kilter.weigh_in.visits import Visits, plants_by_visit

Lifts = dict[int, tuple[Lift, ...]]
#: A line that is more than a weight and a count.
SPECIAL = (
    Q(pm_mg__isnull=False)
    | Q(mass_mg=None)
    | Q(plants__isnull=False)
    | Q(turned_from__isnull=False)
)
SUMS = {
    "lines": Count("pk"),
    "mass_sum": Sum("mass_mg"),
    "count_sum": Sum("count"),
    "weighed": Count("mass_mg"),
    "counted": Count("count"),
}


def lifts_of(
    household: Household,
    plantings: QuerySet[Planting],
    lasting: Collection[int] = (),
    *,
    is_by_day: bool = False,
) -> Lifts:
    """Read what was lifted, by planting; each lift with its day where that is asked for or matters.

    It matters for what is ``lasting`` over years, and where part lifts say from how many plants
    they are. At most six queries, however many plantings.
    """
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    few = list(
        lines.filter(SPECIAL)
        .select_related("planting__variety", "turned_from", "size")
        .order_by("weighed_on", "pk")
    )
    plants = plants_by_visit(sorted(few, key=attrgetter("pk")))
    if is_by_day:
        read = [_daily(lines, plants)]
    else:
        dated = [*lasting, *{line.planting_id for line in few if line.plants}]
        read = [
            _whole(lines.exclude(planting__in=dated)),
            _daily(lines.filter(planting__in=dated), plants),
        ]
    found: dict[int, list[Lift]] = defaultdict(list)
    for pk, lift in chain(*read, _of_sizes(lines), _special(household, few)):
        found[pk].append(lift)
    return {pk: tuple(lifts) for pk, lifts in found.items()}


def basket_lines(household: Household) -> dict[int, tuple[BasketLine, ...]]:
    """By planting, the lines that are parts of a weight shared out over several;
    one query over those alone.
    """
    columns = "basket", "planting_id", "grade", "mass_mg", "count", "size__word"
    rows = list(
        WeighIn.objects.of(household).filter(basket__gt="").order_by("pk").values_list(*columns)
    )
    shared: dict[str, set[int]] = defaultdict(set)
    for basket, pk, *_ in rows:
        shared[basket].add(pk)
    found: dict[int, list[BasketLine]] = defaultdict(list)
    for basket, pk, grade, mass_mg, count, word in rows:
        size = size_key(grade, word) if word else ""
        parts = len(shared[basket])
        found[pk].append(BasketLine(basket, grade, mass_mg or 0, count or 0, parts, size))
    return {pk: tuple(lines) for pk, lines in found.items()}


def _whole(lines: QuerySet[WeighIn]) -> Iterable[tuple[int, Lift]]:
    """All lines of a grade together."""
    summed = lines.order_by().values("planting_id", "grade").annotate(**SUMS)
    for pk, grade, *sums in summed.values_list("planting_id", "grade", *SUMS):
        yield pk, Lift(None, grade, _total(*sums))


def _daily(lines: QuerySet[WeighIn], plants: Visits) -> Iterable[tuple[int, Lift]]:
    """Every day's lines of a grade and visit, with the plants of that visit; thinnings and what
    came off the shelf apart.
    """
    names = "planting_id", "weighed_on", "of_visit", "grade", "is_thinning", "is_off_shelf"
    summed = (
        lines.annotate(is_off_shelf=Q(turned_from__isnull=False), of_visit=Coalesce("visit", FIRST))
        .order_by("weighed_on")
        .values(*names)
    )
    rows = summed.annotate(**SUMS).values_list(*names, *SUMS)
    for pk, day, visit, grade, is_thinning, is_off_shelf, *sums in rows:
        is_apart = is_thinning or is_off_shelf
        of_visit = 0 if is_apart else plants.get((pk, day, visit), 0)
        yield pk, Lift(day, grade, _total(*sums), of_visit, is_apart, visit)


def _of_sizes(lines: QuerySet[WeighIn]) -> Iterable[tuple[int, Lift]]:
    """What was graded by size too, beside its grade."""
    names = "planting_id", "weighed_on", "grade", "size__word"
    sized = lines.filter(size__isnull=False).order_by("weighed_on").values(*names)
    for pk, day, grade, word, *sums in sized.annotate(**SUMS).values_list(*names, *SUMS):
        yield pk, Lift(day, size_key(grade, word), _total(*sums))


def _total(
    lines: int, mass_mg: int | None, count: int | None, weighed: int, counted: int
) -> GradeTotal:
    return GradeTotal(
        lines=lines,
        mass_mg=mass_mg or 0,
        count=count or 0,
        unweighed=lines - weighed,
        uncounted=lines - counted,
    )


def _special(household: Household, few: list[WeighIn]) -> Iterable[tuple[int, Lift]]:
    """What the few lines that are more than a weight and a count add to their day: doubt,
    estimates, what turned.
    """
    crops = {line.planting.crop_id for line in few if line.mass_mg is None}
    each = Pieces(household, crops) if crops else None
    turned: dict[WeighIn, list[WeighIn]] = defaultdict(list)
    for line in few:
        if line.pm_mg is not None:
            yield from _lift(line, GradeTotal(vague_mg2=float(line.pm_mg) ** 2))
        if line.mass_mg is None and each is not None:
            variety = line.planting.variety.name if line.planting.variety else None
            if (found := each.estimate(line, line.planting.crop_id, variety)) is not None:
                reckoned = GradeTotal(
                    estimated=1, estimated_mg=found.mass_mg, estimated_mg2=found.sd_mg**2
                )
                yield from _lift(line, reckoned)
        if line.turned_from is not None and line.turned_from.struck_at is None:
            turned[line.turned_from].append(line)
    for lot, off in turned.items():
        for day, gone in _gone(lot, off):
            yield lot.planting_id, Lift(day, lot.grade, gone, is_apart=True)


def _lift(line: WeighIn, total: GradeTotal) -> Iterable[tuple[int, Lift]]:
    """What a line adds to its grade, and to its size where it has one."""
    keys = [line.grade] + ([line.size.key] if line.size else [])
    for key in keys:
        yield line.planting_id, Lift(line.weighed_on, key, total, is_apart=True)


def _gone(lot: WeighIn, off: list[WeighIn]) -> Iterable[tuple[date, GradeTotal]]:
    """What left a lot on the ripening shelf with each line taken off it."""
    left_mg, left = lot.mass_mg or 0, lot.count or 0
    for n, line in enumerate(off, start=1):
        so_far = [(one.mass_mg, one.count) for one in off[:n]]
        still_mg, still = unripe_left(lot.mass_mg or 0, lot.count or 0, so_far)
        yield line.weighed_on, GradeTotal(mass_mg=still_mg - left_mg, count=still - left)
        left_mg, left = still_mg, still
