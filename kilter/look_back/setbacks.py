"""What hit where: a season's setbacks put together, how often over the years,
on which varieties least, on the map.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from kilter.core.growing.ready import CUT_BACK_DAYS
from kilter.drawing.ground_map import GroundMap, Patch, ground_map
from kilter.ground.maps import map_spot
from kilter.ground.models import Part, Site, sites_of
from kilter.look_back.season import Season
from kilter.tending.memory import NO_SETBACKS, Memory, memories
from kilter.tending.models import Happening

MAP_PX = 620.0
#: Where nobody said how bad it was, it is painted as this (rule).
UNSAID_STRENGTH = 0.35
BLIGHT = "blight"
BLIGHT_CAUTION = (
    "Blight lives on in tubers and foliage: dispose of foliage as local rules say, and save no "
    f"tubers for seed. Cut the foliage and lift about {CUT_BACK_DAYS // 7} weeks later."
)


@dataclass(frozen=True, kw_only=True)
class Setback:
    """One thing that happened, in one place or in many."""

    key: str
    kind: str
    words: str
    when: str
    where: tuple[tuple[str, float | None], ...]  #: each with the share lost, where that was said
    done: str
    helped: str
    crops: frozenset[int]
    entries: tuple[Happening, ...]

    @property
    def is_harmless(self) -> bool:
        return self.kind in NO_SETBACKS

    @property
    def note(self) -> str:
        return next((entry.note for entry in self.entries if entry.note), "")


def setbacks_of(season: Season) -> list[Setback]:
    """What happened in the season; what was written down at once for many places is one."""
    groups: dict[tuple[object, ...], list[Happening]] = defaultdict(list)
    for happening in season.happenings:
        if happening.day.year == season.year and happening.planting_id not in season.kept_back:
            groups[
                happening.kind,
                happening.what.lower().strip(),
                happening.day,
                happening.precision,
                happening.until,
            ].append(happening)
    return [_setback(season, group) for group in groups.values()]


def _setback(season: Season, group: list[Happening]) -> Setback:
    first = group[0]
    until = f" to {first.until.day} {first.until:%B}" if first.until else ""
    hit = {season.keys[pk].crop for pk, hits in season.hits.items() if set(hits) & set(group)}
    helped = first.get_helped_display() if first.helped else ""
    return Setback(
        key=min(happening.ref for happening in group),
        kind=first.kind,
        words=first.words,
        when=f"{first.when}{until}",
        where=tuple((happening.target, happening.lost_share) for happening in group),
        done=next((happening.done for happening in group if happening.done), ""),
        helped=helped,
        crops=frozenset(hit),
        entries=tuple(group),
    )


@dataclass(frozen=True)
class Least:
    """What of a kind of setback did to a variety."""

    label: str
    lost: float  #: mean share lost over its plantings that were hit
    plantings: int


@dataclass(frozen=True)
class OfKind:
    """One kind of setback over all the years: what it did to each variety, least first."""

    words: str
    years: tuple[int, ...]
    varieties: tuple[Least, ...]


def over_the_years(season: Season) -> list[OfKind]:
    """Each kind that hit anything, with its years and the varieties that lost least to it."""
    years: dict[str, set[int]] = defaultdict(set)
    said: dict[str, str] = {}
    for happening in season.happenings:
        if happening.kind not in NO_SETBACKS and happening.planting_id not in season.kept_back:
            years[happening.words.lower()].add(happening.day.year)
            said.setdefault(happening.words.lower(), happening.words)
    lost: dict[str, dict[str, list[float]]] = defaultdict(lambda: defaultdict(list))
    labels = {row.pk: row.label for row in season.rows}
    for pk, hits in season.hits.items():
        for one in hits:
            if one.lost_share is not None and one.kind not in NO_SETBACKS and pk in labels:
                lost[one.words.lower()][labels[pk]].append(one.lost_share)
    found = []
    for key, of_kind in years.items():
        by_variety = [
            Least(label, sum(all_) / len(all_), len(all_)) for label, all_ in lost[key].items()
        ]
        by_variety.sort(key=lambda one: (one.lost, one.label))
        found.append(OfKind(said[key], tuple(sorted(of_kind)), tuple(by_variety)))
    return sorted(found, key=lambda one: (-len(one.years), one.words))


@dataclass(frozen=True)
class SiteMap:
    """A site with what hit where."""

    site: Site
    map: GroundMap


def with_series(setbacks: Iterable[Setback]) -> list[tuple[Setback, int]]:
    """Each with the colour it is painted in; 0 for what is done to a crop and hits nothing."""
    found, number = [], 0
    for setback in setbacks:
        number += not setback.is_harmless
        found.append((setback, 0 if setback.is_harmless else (number - 1) % 6 + 1))
    return found


def maps_of(season: Season, setbacks: Iterable[tuple[Setback, int]]) -> list[SiteMap]:
    """A small map of each site that something of a place,
    part or planting of it was hit; two queries.
    """
    patches: dict[int, list[Patch]] = defaultdict(list)
    sites: set[int] = set()
    parts = {part.pk: part for part in Part.objects.of(season.household)}
    for setback, series in setbacks:
        for entry in setback.entries:
            place, part = _spot_of(season, entry, parts)
            if place is None or not series:
                continue
            start, end = (
                (part.start, part.end) if part and part.kind == Part.Kind.STRETCH else (0.0, 1.0)
            )
            strength = (
                UNSAID_STRENGTH if entry.lost_share is None else 0.2 + 0.75 * entry.lost_share
            )
            patches[place].append(Patch(start, end, series, 0, strength, entry.words))
            sites.add(season.places[place].site_id)
    drawn = []
    for site in sites_of(season.household):
        if site.pk in sites:
            spots = [
                map_spot(place, patches=tuple(patches.get(place.pk, ())), fill_share=0.85)
                for place in site.standing_places  # type: ignore[attr-defined]
                if place.x_m is not None and place.y_m is not None
            ]
            drawn.append(SiteMap(site, ground_map(spots, site.length_m, site.width_m, MAP_PX)))
    return drawn


def _spot_of(
    season: Season, one: Happening, parts: dict[int, Part]
) -> tuple[int | None, Part | None]:
    """The place that something happened in, and the part of it; none for a whole site."""
    if one.planting_id and one.planting_id in season.keys:
        keys = season.keys[one.planting_id]
        return keys.place, parts.get(keys.part or 0)
    if one.part_id:
        part = parts.get(one.part_id)
        return (part.place_id if part else None), part
    return one.place_id, None


def memory_of_places(season: Season) -> list[tuple[str, tuple[Memory, ...]]]:
    """What each place and site remembers, those that remember most first."""
    found = memories(season.household, season.today)
    rows = [
        (str(season.places[pk]), of)
        for pk, of in found.of_place.items()
        if of and pk in season.places
    ]
    rows += [
        (str(season.sites[pk]), of) for pk, of in found.of_site.items() if of and pk in season.sites
    ]
    return sorted(rows, key=lambda row: (-max(one.hits for one in row[1]), row[0]))
