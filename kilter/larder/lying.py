"""What lies in one crate, asked whenever something is taken of it."""

from __future__ import annotations

from typing import NamedTuple

from django.db.models import Q

from kilter.core.larder.mass import whereabouts
from kilter.core.larder.pieces import followed
from kilter.larder.ledger import crates_named, entry_of, said_of
from kilter.larder.lines import lifted_line, lifted_of, masses_of, rows_of
from kilter.larder.models import PRESERVED, Crate, PutBy, Using
from kilter.people import clock
from kilter.people.models import Household


class Lying(NamedTuple):
    """What lies in a crate: all that the writing of an entry asks for."""

    crop_id: int
    crop: str
    mass_mg: int
    pieces: float = 0.0  #: of what was counted


def lying_in(household: Household, pk: int) -> Lying | None:
    """What lies in a crate, by all that ever went into it or out of it; None for no crate.

    It is asked at every entry, so only what concerns that crate is read.
    """
    crate = Crate.objects.of(household).select_related("crop").filter(pk=pk).first()
    if crate is None:
        return None
    its_lines = PutBy.objects.of(household).filter(crate=pk).order_by().values("line_id")
    rows = rows_of(lifted_of(household).filter(pk__in=its_lines))
    masses, counts, _ = masses_of(household, rows)
    puts = PutBy.objects.of(household).filter(line__in=list(rows)).order_by("day", "pk")
    usings = Using.objects.of(household).filter(Q(crate=pk) | Q(into=pk)).order_by("day", "pk")
    every: list[PutBy | Using] = [*puts, *usings]
    entries = [entry_of(one) for one in every]
    named = {name for entry in entries for name in crates_named(entry)}
    lines = [lifted_line(row, masses[row.pk], clock.today(household)) for row in rows.values()]
    key = str(crate.crop_id), crate.season
    crates = dict.fromkeys({str(pk), *named}, key)
    pieces = followed(
        lines, {str(line): count for line, count in counts.items()}, crates, entries, said_of(every)
    )
    ledger = whereabouts(lines, crates, pieces.masses)
    if crate.emptied_on:
        return Lying(crate.crop_id, crate.crop.name, 0)
    there = 0.0 if crate.state in PRESERVED else pieces.lying[str(pk)]
    return Lying(crate.crop_id, crate.crop.name, ledger.lying_mg[str(pk)], there)
