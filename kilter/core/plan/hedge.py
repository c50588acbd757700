"""What splitting a crop over varieties or places is worth: fewer plants for the same certainty."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from kilter.core.errors import PlanError
from kilter.core.plan.effects import Grown, Planned, believe
from kilter.core.plan.scenarios import SiteRisk, draw_years, enough_for

#: So many ways of splitting are told at most.
MOST: Final = 4


@dataclass(frozen=True)
class Split:
    """One way of planting a crop."""

    varieties: int
    places: int
    plants: int | None  #: to be as sure as asked; None where that cannot be had


def splits(
    grown: Sequence[Grown],
    spots: Sequence[Planned],
    handbook_kg: float | None,
    need_kg: float,
    certainty: float,
    *,
    failed: int = 0,
    setbacks: Sequence[SiteRisk] = (),
) -> tuple[Split, ...]:
    """Reckon how many plants it takes in one variety and place, in two varieties, in two places,
    and in two of both.

    Parameters
    ----------
    grown : sequence of Grown
        The record of the crop.
    spots : sequence of Planned
        Varieties in places, the best known first.
    handbook_kg : float or None
        The handbook's kilograms a plant.
    need_kg : float
        To be lifted.
    certainty : float
        0 to 1.
    failed : int
        Plantings that gave nothing.
    setbacks : sequence of Setback
        Of the sites.

    Returns
    -------
    tuple of Split
        Those that the spots allow, the plain one first.

    Raises
    ------
    PlanError
        No spot, or as `believe` and `enough_for`.

    Notes
    -----
    Each split in equal parts; the same draws for all (common random numbers). Varieties and places
    that differ by themselves even out; what all share, the season, does not (Markowitz 1952, *The
    Journal of Finance* 7:77; memory).

    Examples
    --------
    >>> spots = [Planned(v, "", place, 10) for v in "ab" for place in ("bed", "crate")]
    >>> found = splits((), spots, 0.5, 10, 0.8, failed=0)
    >>> [(one.varieties, one.places) for one in found]
    [(1, 1), (2, 1), (1, 2), (2, 2)]
    >>> found[3].plants < found[0].plants
    True
    """
    if not spots:
        raise PlanError("Say where it may stand first.")
    first = spots[0]
    second = next((spot.variety for spot in spots if spot.variety != first.variety), None)
    place = next(((spot.place, spot.site) for spot in spots if spot.place != first.place), None)
    ways: list[tuple[tuple[str, ...], tuple[tuple[str, str], ...]]] = [
        ((first.variety,), ((first.place, first.site),)),
    ]
    if second is not None:
        ways.append(((first.variety, second), ways[0][1]))
    if place is not None:
        ways += [(varieties, (*ways[0][1], place)) for varieties, _ in list(ways)]
    found = []
    for varieties, places in ways[:MOST]:
        plan = [
            Planned(variety, first.method, where, first.plants, site)
            for variety in varieties
            for where, site in places
        ]
        believed = believe(grown, plan, handbook_kg)
        drawn = draw_years(believed, plan, failed=failed, came=len(grown), setbacks=setbacks)
        enough = enough_for(drawn, need_kg, certainty)
        found.append(Split(len(varieties), len(places), enough.plants if enough else None))
    return tuple(found)
