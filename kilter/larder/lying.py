"""What lies in one crate, asked whenever something is taken of it."""

from __future__ import annotations

from typing import NamedTuple

from django.db.models import Q

from kilter.core.larder.mass import whereabouts
from kilter.larder.ledger import crates_named, entry_of
from kilter.larder.lines import lifted_line, lifted_of, masses_of, rows_of
from kilter.larder.models import Crate, PutBy, Using
from kilter.people import clock
from kilter.people.models import Household


class Lying(NamedTuple):
    """What lies in a crate: all that the writing of an entry asks for."""

    crop_id: int
    crop: str
    mass_mg: int


def lying_in(household: Household, pk: int) -> Lying | None:
    """What lies in a crate, by all that ever went into it or out of it; None for no crate.

    It is asked at every entry, so only what concerns that crate is read.
    """
    crate = Crate.objects.of(household).select_related("crop").filter(pk=pk).first()
    if crate is None:
        return None
    its_lines = PutBy.objects.of(household).filter(crate=pk).order_by().values("line_id")
    rows = rows_of(lifted_of(household).filter(pk__in=its_lines))
    masses, _ = masses_of(household, rows)
    puts = PutBy.objects.of(household).filter(line__in=list(rows)).order_by("day", "pk")
    usings = Using.objects.of(household).filter(Q(crate=pk) | Q(into=pk)).order_by("day", "pk")
    entries = [*map(entry_of, puts), *map(entry_of, usings)]
    named = {name for entry in entries for name in crates_named(entry)}
    lines = [lifted_line(row, masses[row.pk], clock.today(household)) for row in rows.values()]
    key = str(crate.crop_id), crate.season
    ledger = whereabouts(lines, dict.fromkeys({str(pk), *named}, key), entries)
    return Lying(
        crate.crop_id, crate.crop.name, 0 if crate.emptied_on else ledger.lying_mg[str(pk)]
    )
