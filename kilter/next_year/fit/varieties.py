"""Which varieties and methods of a crop the fit may choose among,
and what splitting a crop over two is worth.
"""

from __future__ import annotations

import statistics
from collections.abc import Sequence

from kilter.core.plan.effects import Planned
from kilter.core.plan.hedge import Split, splits
from kilter.next_year.garden import Garden
from kilter.next_year.records import CropRecord
from kilter.next_year.rows import row
from kilter.set_out.models import Crop

#: So many varieties of a crop are looked at, those grown last and most first (rule).
MOST_VARIETIES = 4
#: Splitting is worth something to who wants to be sure: at least so sure (rule).
LEAST_TO_HEDGE = 0.8
#: So many plants stand together where nothing was grown yet (rule).
TOGETHER = 10.0


def splits_of(crop: Crop, shared: Garden) -> tuple[Split, ...]:
    """What splitting a crop over two varieties or places is worth,
    at the certainty asked for, 80 % at least.
    """
    found = row(crop, shared)
    past, book = shared.past.get(crop.pk, CropRecord()), crop.in_handbook
    lots = [line.lot.variety for line in shared.lots.get(crop.pk, [])]
    places = list(dict.fromkeys((one.as_planned.place, one.as_planned.site) for one in past.taken))
    site = shared.site_of(crop)
    places = [*places, (f"another at {site}", site), (f"one more at {site}", site)][:2]
    together = usually_together(past)
    spots = [
        Planned(variety, method, where, together, at)
        for variety, method in varieties_of(past, lots)
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


def usually_together(past: CropRecord) -> float:
    """How many plants usually stand together: the middle of the record."""
    return (
        float(statistics.median(one.as_planned.plants for one in past.taken))
        if past.taken
        else TOGETHER
    )


def varieties_of(past: CropRecord, lots: Sequence[object]) -> list[tuple[str, str]]:
    """Varieties on offer with the method they were last grown by:
    those of the record, and those in stock.
    """
    last: dict[str, tuple[int, float, str]] = {}
    for one in past.taken:
        of = one.as_planned
        here = one.season, of.plants, of.method
        if of.variety not in last or here > last[of.variety]:
            last[of.variety] = here
    for variety in lots:
        if variety is not None:
            last.setdefault(str(getattr(variety, "name", "")), (0, 0.0, ""))
    best = sorted(last.items(), key=lambda pair: (-pair[1][0], -pair[1][1], pair[0]))[
        :MOST_VARIETIES
    ]
    return [(variety, method) for variety, (_, _, method) in best] or [("", "")]
