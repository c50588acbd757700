"""Kinds of crop at the table: whether something of each is there every week,
and what stands in for what lacks.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date, timedelta

from kilter.drawing.fitted import WEEKS
from kilter.next_year.fit.ordering import Ordered
from kilter.next_year.fit.weeks import FEW, FRESH, LACKING, STORED, Ribbon, longest_gap_of


def by_kind(found: Ordered, of_crops: Sequence[Ribbon]) -> list[Ribbon]:
    """Kinds of which something is there every week;
    a kind lacks where none of its crops has any.
    """
    kinds: dict[str, list[Ribbon]] = defaultdict(list)
    kind_of = _kinds(found)
    for crop in of_crops:
        kinds[kind_of.get(crop.name) or "others"].append(crop)
    made = []
    for kind, ribbons_ in sorted(kinds.items()):
        weeks = []
        for i in range(WEEKS):
            there = [ribbon for ribbon in ribbons_ if ribbon.kg[i] > FEW]
            weeks.append(
                LACKING
                if not there
                else FRESH
                if any(one.weeks[i] != STORED for one in there)
                else STORED
            )
        kg = tuple(sum(ribbon.kg[i] for ribbon in ribbons_) for i in range(WEEKS))
        poor, good = (
            tuple(any(of[i] for of in years) for i in range(WEEKS)) for years in _years_of(ribbons_)
        )
        made.append(Ribbon(name=kind, weeks=tuple(weeks), kg=kg, poor=poor, good=good))
    return made


def _years_of(ribbons_: Sequence[Ribbon]) -> tuple[list[tuple[bool, ...]], list[tuple[bool, ...]]]:
    return [ribbon.poor for ribbon in ribbons_], [ribbon.good for ribbon in ribbons_]


def _kinds(found: Ordered) -> dict[str, str]:
    """By crop, what it stands in as."""
    crops = [row.crop for row in (*found.rows, *(one.row for one in found.lasting))]
    return {crop.name: book.stands_in_as for crop in crops if (book := crop.in_handbook)}


def stand_ins(found: Ordered, of_crops: Sequence[Ribbon]) -> list[tuple[str, str, date]]:
    """For a crop that lacks: what of its kind has more meanwhile than its own later weeks need, and
    from when on.
    """
    kind_of = _kinds(found)
    said = []
    for crop in of_crops:
        length, start = longest_gap_of(crop.weeks)
        if not length or not kind_of.get(crop.name):
            continue
        there = [
            other.name
            for other in of_crops
            if other is not crop
            and kind_of.get(other.name) == kind_of[crop.name]
            and all(other.spare[w] > FEW for w in range(start, start + length))
        ]
        if there:
            said.append(
                (
                    crop.name,
                    " or ".join(there),
                    date(found.plan.season, 1, 1) + timedelta(weeks=start),
                )
            )
    return said
