"""The sites as maps."""

from __future__ import annotations

from dataclasses import dataclass

from kilter.drawing.ground_map import GroundMap, Spot, ground_map
from kilter.ground.models import Place, Site, sites_of
from kilter.people.models import Household

ZOOMS = (1, 2, 4)
FIT_PX = 1060.0


@dataclass(frozen=True)
class SiteSheet:
    """A site, its map, its places by set, and those not on the map yet."""

    site: Site
    map: GroundMap
    places: list[Place]
    unplaced: list[Place]


def sheets(household: Household, zoom: int) -> list[SiteSheet]:
    """Every site, drawn."""
    return [_sheet(site, site.standing_places, zoom) for site in sites_of(household)]  # type: ignore[attr-defined]


def _sheet(site: Site, places: list[Place], zoom: int) -> SiteSheet:
    spots = [
        Spot(p.pk, str(p), p.kind, p.is_bed, p.x_m, p.y_m, p.length_m, p.width_m, p.volume_l)
        for p in places
        if p.x_m is not None and p.y_m is not None
    ]
    drawn = ground_map(spots, site.length_m, site.width_m, FIT_PX, zoom)
    return SiteSheet(site, drawn, places, [p for p in places if p.x_m is None or p.y_m is None])
