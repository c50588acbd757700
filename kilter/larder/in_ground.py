"""What stands in the ground until it is wanted: as good as a store, but for the frost."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date

from kilter.core.growing.ready import expected_left_kg
from kilter.core.yields.harvest import Harvest
from kilter.people.models import Household
from kilter.records.harvest import harvests
from kilter.set_out.models import Planting
from kilter.set_out.queries import may_stand, standing_of, window_of, with_all_names
from kilter.set_out.wording import name_places
from kilter.weather.queries import SiteSky

#: Nights colder than this threaten what stands in the ground (rule).
HARD_FROST_C = -3.0


@dataclass(frozen=True)
class StandingCrop:
    """What stands in the ground until it is wanted: as good as a store, but for the frost."""

    label: str
    first: Planting
    places: str
    plants: int | None
    kg: float | None  #: about what is still to be lifted
    threat: str


def frost_on(site: int | None, sky: dict[int, SiteSky]) -> str:
    """The frost to come that threatens what stands in the ground of a site, in words;
    empty where none does.
    """
    coldest = sky[site].coldest_ahead_c if site in sky else None
    return f"{coldest:.0f} °C expected" if coldest is not None and coldest <= HARD_FROST_C else ""


def standing_in_ground(
    household: Household, sky: dict[int, SiteSky], today: date
) -> tuple[StandingCrop, ...]:
    """Plantings that may stand until they are wanted and are ready,
    together where they are called alike.
    """
    planted = with_all_names(
        Planting.objects.of(household).filter(finished_on=None, is_perennial=False)
    )
    ready = [
        planting
        for planting in planted
        if may_stand(planting) and (due := window_of(planting, today)) and due.first <= today
    ]
    if not ready:
        return ()
    lifted = harvests(
        household, Planting.objects.of(household).filter(pk__in=[one.pk for one in ready])
    )
    groups: dict[tuple[str, int], list[Planting]] = defaultdict(list)
    for one in ready:
        groups[one.label, one.place.site_id].append(one)
    return tuple(_stands(label, of_label, lifted, sky) for (label, _), of_label in groups.items())


def _stands(
    label: str, plantings: list[Planting], lifted: dict[int, Harvest], sky: dict[int, SiteSky]
) -> StandingCrop:
    first, book = plantings[0], plantings[0].crop.in_handbook
    plants: int | None = 0
    kg: float | None = 0.0
    for planting in plantings:
        so_far = lifted.get(planting.pk)
        stood = standing_of(planting).now
        out = (so_far.plants_lifted or 0) if so_far else 0
        plants = None if plants is None or stood is None else plants + max(stood - out, 0)
        left = expected_left_kg(
            stood, book.kg_per_plant if book else None, so_far.likely_mg / 1e6 if so_far else 0.0
        )
        kg = None if kg is None or left is None else kg + left
    return StandingCrop(
        label, first, name_places(plantings), plants, kg or None, frost_on(first.place.site_id, sky)
    )
