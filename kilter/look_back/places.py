"""Each place's year in one row, what did badly after what, and what had better not be put where."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from kilter.core.amounts.units import half_up
from kilter.core.growing.succession import FAMILY_PAUSE_YEARS, Tenancy, years_since_family
from kilter.core.handbook.families import family_words
from kilter.core.review.usual import BADLY_BELOW, SEEN_OFTEN, Against, after_what, place_years
from kilter.core.yields.record import food_so_far
from kilter.look_back.season import Season
from kilter.people.templatetags.amounts import shortly
from kilter.records.facts import PlantingFacts
from kilter.set_out.clearing import tenancies
from kilter.set_out.queries import family_of
from kilter.tending.memory import Memory, memories

#: From so many hits in a place on, a crop that was hit there is better put elsewhere (rule).
HIT_OFTEN = 2


@dataclass(frozen=True, kw_only=True)
class PlaceYear:
    """One place in the season."""

    pk: int
    name: str
    site: str
    grown: tuple[tuple[PlantingFacts, str], ...]  #: each with what it gave, in words
    against: Against | None
    before: tuple[tuple[int, float], ...]  #: its earlier seasons against the usual
    memory: tuple[Memory, ...]


@dataclass(frozen=True)
class After:
    """A crop after another."""

    before: str
    crop: str
    found: Against

    @property
    def is_bad(self) -> bool:
        return self.found.ratio < BADLY_BELOW

    @property
    def is_seen_often(self) -> bool:
        return self.found.plantings >= SEEN_OFTEN


@dataclass(frozen=True)
class Better:
    """What had better not be put in a place, and why."""

    place: str
    pk: int
    what: str
    why: str


@dataclass(frozen=True)
class Places:
    """All of it."""

    rows: tuple[PlaceYear, ...]
    after: tuple[After, ...]
    better: tuple[Better, ...]


def places_of(season: Season) -> Places:
    """Read it off a season's records; a few queries."""
    found = memories(season.household, season.today)
    years = place_years(season.yields)
    by_place: dict[int, list[PlantingFacts]] = defaultdict(list)
    for row in season.own_rows:
        by_place[season.keys[row.pk].place].append(row)
    rows = []
    for pk, grown in by_place.items():
        place, of_years = season.places[pk], years.get(pk, {})
        before = tuple(
            (year, one.ratio) for year, one in sorted(of_years.items()) if year < season.year
        )
        said = tuple((row, _gave(row, season.system)) for row in grown)
        memory = found.of_place.get(pk, ())
        rows.append(
            PlaceYear(
                pk=pk,
                name=str(place),
                site=str(place.site),
                grown=said,
                against=of_years.get(season.year),
                before=before,
                memory=memory,
            )
        )
    rows.sort(
        key=lambda one: (one.site, season.places[one.pk].name, season.places[one.pk].number or 0)
    )
    after = _after(season)
    return Places(tuple(rows), tuple(after), tuple(_better(season, after)))


def _gave(row: PlantingFacts, system: str) -> str:
    found = food_so_far(row.record)
    if not found.is_lifted:
        return "not lifted yet"
    if found.mass_mg is None:
        return "not weighed" if found.count is None else f"{found.count} counted"
    return (
        f"{'~' * found.is_estimated}{shortly(round(found.mass_mg), system)}"
        if found.mass_mg
        else "nothing"
    )


def _better(season: Season, after: list[After]) -> list[Better]:
    """For the next season: a family back too soon, what did badly after what stood there,
    what was hit there often.
    """
    stood = tenancies(season.household, season__lte=season.year)
    families = sorted({family_of(crop.name) for crop in season.grown})
    last = _last(stood)
    whys: dict[tuple[int, str], list[str]] = defaultdict(list)
    for family in families:
        words = family_words(family)
        for place, since in years_since_family(stood, family, season.year + 1).items():
            if (
                since < FAMILY_PAUSE_YEARS
                and place in season.places
                and season.places[place].is_bed
            ):
                ago = "the season before" if since == 1 else f"{since} years before"
                whys[place, f"the {words}"].append(f"it stood there {ago}")
    for spot, crop_whys in _crops_better(season, after, last).items():
        whys[spot] += crop_whys
    live = {pk: place for pk, place in season.places.items() if place.struck_at is None}
    return [
        Better(str(live[place]), place, what, "; ".join(why))
        for (place, what), why in sorted(
            whys.items(), key=lambda item: (str(season.places[item[0][0]]), item[0][1])
        )
        if place in live
    ]


def _last(stood: Iterable[Tenancy]) -> dict[int, str]:
    """By place, the crop that left it last."""
    return {stay.place: stay.crop for stay in sorted(stood, key=lambda stay: stay.end)}


def _crops_better(
    season: Season, after: Iterable[After], last: Mapping[int, str]
) -> dict[tuple[int, str], list[str]]:
    """By place and crop: what did badly after what stood there last,
    and what was hit there often.
    """
    whys: dict[tuple[int, str], list[str]] = defaultdict(list)
    bad = {(one.before, one.crop): one for one in after if one.is_bad and one.is_seen_often}
    for place, crop in last.items():
        for (before, next_crop), one in bad.items():
            if before == crop and place in season.places:
                usual = f"{half_up(one.found.ratio * 100, 0)} in 100 of its usual"
                whys[place, next_crop].append(
                    f"after {before} it gave {usual}, {one.found.plantings} times"
                )
    for (place, crop), often in _hit_often(season).items():
        whys[place, crop].append(often)
    return whys


def crops_better_elsewhere(season: Season) -> dict[tuple[int, str], str]:
    """By place and crop, why it had better not be put there in the next season, its family
    apart.
    """
    stood = tenancies(season.household, season__lte=season.year)
    return {
        spot: "; ".join(whys)
        for spot, whys in _crops_better(season, _after(season), _last(stood)).items()
    }


def _after(season: Season) -> list[After]:
    """Every crop after every other, those seen often first, the worst of them first."""
    found = [
        After(before, season.crops[crop].name, one)  # type: ignore[index]
        for (before, crop), one in after_what(season.yields).items()
    ]
    return sorted(
        found, key=lambda one: (not one.is_seen_often, one.found.ratio, one.before, one.crop)
    )


def _hit_often(season: Season) -> dict[tuple[int, str], str]:
    """Crops that were hit by the same thing in the same place in two years or more."""
    years: dict[tuple[int, str, str], set[int]] = defaultdict(set)
    grown: dict[tuple[int, str], set[int]] = defaultdict(set)
    for row in season.rows:
        keys = season.keys[row.pk]
        crop = season.crops[keys.crop].name
        grown[keys.place, crop].add(row.season)
        for hit in season.hits.get(row.pk, ()):
            if hit.lost_share:
                years[keys.place, crop, hit.what.lower() or str(hit.get_kind_display())].add(
                    row.season
                )
    found = {}
    for (place, crop, what), hit_in in years.items():
        if len(hit_in) >= HIT_OFTEN:
            found[place, crop] = (
                f"{what} took some of it in {len(hit_in)} of its {len(grown[place, crop])} years "
                "there"
            )
    return found
