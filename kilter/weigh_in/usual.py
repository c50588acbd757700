"""What a pot's lines usually hold,
so that a slip of the finger is asked about before it is written.
"""

from __future__ import annotations

from collections.abc import Sequence

from django.core.cache import cache

from kilter.core.amounts.units import format_mass, half_up
from kilter.core.amounts.usual import Unusual, Usual, far_from_usual, usual_of
from kilter.core.yields.visits import FIRST
from kilter.people.events import AskedError
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from kilter.weigh_in.visits import plants_by_visit

#: What is usual changes slowly once so many lines say it, and a line is written every few seconds.
KNOWN_FOR_SECONDS, KNOWN_FROM_LINES = 300, 20
#: Of so many lines, the latest.
LINES_ASKED = 200


def ask_if_unusual(
    household: Household,
    planting: int,
    grade: str,
    mass_mg: int | None,
    count: int | None,
    plants: int | None,
) -> None:
    """Raise `AskedError` for a line that is far from what this pot, crop and grade usually give off
    as many plants; None for all that stand.
    """
    if not mass_mg and not count:
        return
    usual = _usual(household, planting, grade, plants)
    far = far_from_usual(mass_mg, count, usual, household.sure_fold)
    if far is not None:
        raise AskedError(_question(far, mass_mg, count, household.system))


def ask_if_too_much(
    household: Household, plantings: Sequence[Planting], mass_mg: int | None
) -> None:
    """Raise `AskedError` for more than some plantings may give in all:
    remembered, or of a basket.
    """
    most = [_most_mg(planting) for planting in plantings]
    if not mass_mg or not all(most):
        return
    far = far_from_usual(
        mass_mg, None, Usual(most_mg=sum(one or 0.0 for one in most)), household.sure_fold
    )
    if far is not None:
        raise AskedError(_question(far, mass_mg, None, household.system))


def _usual(household: Household, planting: int, grade: str, plants: int | None) -> Usual:
    key = f"usual-{household.pk}-{planting}-{grade}-{plants or 'all'}"
    known: Usual | None = cache.get(key)
    if known is None:
        found = Planting.objects.of(household).select_related("crop", "place").get(pk=planting)
        known, lines = _learn(household, found, grade, plants)
        if lines >= KNOWN_FROM_LINES:
            cache.set(key, known, KNOWN_FOR_SECONDS)
    return known


def _learn(
    household: Household, planting: Planting, grade: str, plants: int | None
) -> tuple[Usual, int]:
    """What is usual off as many plants, and how many lines there are to say it.

    From this pot's own lines, else those of its crop in pots or beds alike, else from the handbook.
    """
    of_crop = WeighIn.objects.of(household).filter(planting__crop=planting.crop_id)
    lines = of_crop.filter(grade=grade, is_thinning=False, pm_mg=None).select_related(
        "planting__place"
    )
    latest = list(lines.order_by("-pk")[:LINES_ASKED])
    said = plants_by_visit(of_crop.filter(plants__isnull=False).order_by("pk"))
    known = [
        line
        for line in latest
        if said.get((line.planting_id, line.weighed_on, line.visit or FIRST)) == plants
    ]
    own = usual_of([(one.mass_mg, one.count) for one in known if one.planting_id == planting.pk])
    is_bed = planting.place.is_bed
    alike = usual_of(
        [(one.mass_mg, one.count) for one in known if one.planting.place.is_bed == is_bed],
        _most_mg(planting, plants),
    )
    mixed = Usual(
        own.mass_mg or alike.mass_mg,
        own.count or alike.count,
        own.piece_mg or alike.piece_mg,
        alike.most_mg,
    )
    return mixed, len(known)


def _most_mg(planting: Planting, plants: int | None = None) -> float | None:
    """What so many of its plants may give by the handbook; without a number all of them."""
    book = planting.crop.in_handbook
    each = book.kg_per_plant if book else None
    return each * (plants or planting.units or 1) * 1e6 if each else None


def _question(far: Unusual, mass_mg: int | None, count: int | None, system: str) -> str:
    usual = (
        f"{half_up(far.usual, 0)} pieces" if far.what == "count" else format_mass(far.usual, system)
    )
    if far.what == "count":
        typed = f"{count} pieces"
    elif far.what == "piece":
        typed = f"{format_mass((mass_mg or 0) / (count or 1), system)} a piece"
    else:
        typed = format_mass(mass_mg or 0, system)
    if far.what == "whole":
        return (
            f"{typed} is {half_up(far.times, 0):,} times what the handbook gives for the whole "
            f"({usual}). Right?"
        )
    times = far.times if far.times > 1 else 1 / far.times
    more = "times as much as" if far.times > 1 else "times less than"
    return f"{typed} is {half_up(times, 0):,} {more} usual here ({usual}). Right?"
