"""What stands in the ground until it is wanted: as good as a store, but for the frost."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.units import half_up
from kilter.core.growing.clearing import Clears
from kilter.core.yields.left import Left
from kilter.people.models import Household
from kilter.records.left import left_together, lefts_of
from kilter.set_out.clearing import clearing_of
from kilter.set_out.models import Planting
from kilter.set_out.queries import may_stand, window_of, with_all_names
from kilter.set_out.wording import name_places
from kilter.weather.queries import SiteSky
from kilter.weigh_in.lifts import lifts_of

#: Nights colder than this threaten what stands in the ground (rule).
HARD_FROST_C = -3.0


@dataclass(frozen=True)
class StandingCrop:
    """What stands in the ground until it is wanted: as good as a store, but for the frost."""

    label: str
    first: Planting
    places: str
    left: Left
    until: str  #: in words
    threat: str


def frost_on(site: int | None, sky: dict[int, SiteSky]) -> str:
    """The frost to come that threatens what stands in the ground of a site, in words;
    empty where none does.
    """
    coldest = sky[site].coldest_ahead_c if site in sky else None
    return (
        f"{half_up(coldest, 0)} °C expected"
        if coldest is not None and coldest <= HARD_FROST_C
        else ""
    )


def standing_in_ground(
    household: Household, sky: dict[int, SiteSky], today: date
) -> tuple[StandingCrop, ...]:
    """Plantings that may stand until they are wanted and are ready,
    together where they are called alike.
    """
    planted = with_all_names(
        Planting.objects.of(household).filter(finished_on=None, is_perennial=False)
    )
    clearing = clearing_of(household)
    ready = [
        planting
        for planting in planted
        if may_stand(planting) and (due := window_of(planting, today)) and due.first <= today
    ]
    if not ready:
        return ()
    of_ready = Planting.objects.of(household).filter(pk__in=[one.pk for one in ready])
    lifts = lifts_of(household, of_ready, is_by_day=True)
    groups: dict[tuple[str, int, Clears], list[Planting]] = defaultdict(list)
    for one in ready:
        groups[one.label, one.place.site_id, clearing[one.pk]].append(one)
    lefts = lefts_of(household, ready, lifts)
    return tuple(
        _stands(clears.words(today), of_label, lefts, sky)
        for (_, _, clears), of_label in groups.items()
    )


def _stands(
    until: str,
    plantings: list[Planting],
    lefts: dict[int, Left],
    sky: dict[int, SiteSky],
) -> StandingCrop:
    first = plantings[0]
    left = left_together(lefts[one.pk] for one in plantings)
    return StandingCrop(
        first.label, first, name_places(plantings), left, until, frost_on(first.place.site_id, sky)
    )
