"""The sites as maps, painted by what one asks for."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.units import half_up
from kilter.core.growing.medium import fill_of
from kilter.core.growing.succession import Tenancy, years_since_family
from kilter.core.handbook.families import family_words
from kilter.core.yields.record import food_so_far, place_rate
from kilter.drawing.ground_map import GroundMap, MapPlace, Patch, ground_map
from kilter.ground.maps import map_spot
from kilter.ground.models import Fill, Move, Part, Place, Site, sites_of, stood_on
from kilter.people.models import Household
from kilter.records.facts import facts
from kilter.set_out.blinding import blinded_of
from kilter.set_out.clearing import standing_on, tenancies
from kilter.set_out.models import Planting
from kilter.set_out.queries import plantings_of

FIT_PX = 1060.0
SERIES = 6
TEXTURES = 3
MOST_NAMES = 3
#: A pot is drawn filled to here where nobody said how full it is (drawing).
FILLED_SHARE = 0.85
#: A season that is over is drawn as it stood in its middle.
AT_MONTH, AT_MONTH_NAME = 7, "July"
#: Years since a family was in the soil, from which it is a long time (common practice, no source).
LONG_YEARS = 4


@dataclass(frozen=True)
class Legend:
    """One entry of the legend."""

    label: str
    series: int
    texture: int = 0
    strength: float = 1.0


@dataclass(frozen=True)
class SiteSheet:
    """A site, its map, its places, those not on the map yet,
    and what is painted in each in words.
    """

    site: Site
    map: GroundMap
    rows: tuple[tuple[Place, str], ...]
    unplaced: tuple[Place, ...]


@dataclass(frozen=True)
class Atlas:
    """All sites with one legend."""

    sheets: tuple[SiteSheet, ...]
    legend: tuple[Legend, ...]
    about: str
    is_past: bool  #: drawn as it stood, so nothing can be moved on it


Paint = dict[
    int, tuple[tuple[Patch, ...], str]
]  # by place: what is painted, and the note printed with it


def atlas(household: Household, colour: str, season: int, today: date) -> Atlas:
    """Every site, painted by what stands there, by years since a family, or by yield;
    a fixed number of queries.
    """
    sites = sites_of(household)
    paint, legend, about = _painter(colour)(household, colour, season, today)
    fills: dict[int, list[Fill]] = defaultdict(list)
    for entry in Fill.objects.of(household):
        fills[entry.place_id].append(entry)
    parts: dict[int, list[Part]] = defaultdict(list)
    for part in Part.objects.of(household):
        parts[part.place_id].append(part)
    rows = _rows(household, season, today)
    stood = _as_they_stood(household, sites, season, today)
    sheets = []
    for site in sites:
        places = stood[site.pk]
        spots = [
            _spot(p, paint.get(p.pk), parts[p.pk], fills[p.pk], rows.get(p.pk, 0))
            for p in places
            if p.x_m is not None and p.y_m is not None
        ]
        drawn = ground_map(spots, site.length_m, site.width_m, FIT_PX)
        unplaced = tuple(p for p in places if p.x_m is None or p.y_m is None)
        sheets.append(
            SiteSheet(site, drawn, tuple((p, _words(paint.get(p.pk))) for p in places), unplaced)
        )
    is_past = season < today.year
    return Atlas(
        tuple(sheets),
        legend,
        f"{about} As it stood in {AT_MONTH_NAME} {season}." if is_past else about,
        is_past,
    )


def _as_they_stood(
    household: Household, sites: list[Site], season: int, today: date
) -> dict[int, list[Place]]:
    """The places of each site where they stand, or stood in the middle of a season that is over."""
    found: dict[int, list[Place]] = {site.pk: [] for site in sites}
    moves: dict[int, list[Move]] = defaultdict(list)
    for move in Move.objects.of(household):
        moves[move.place_id].append(move)
    for site in sites:
        for place in site.standing_places:  # type: ignore[attr-defined]
            site_id = place.site_id
            if season < today.year and moves[place.pk]:
                site_id, place.x_m, place.y_m = stood_on(
                    place, moves[place.pk], date(season, AT_MONTH, 1)
                )
            found.setdefault(site_id, []).append(place)
    return found


def _painter(
    colour: str,
) -> Callable[[Household, str, int, date], tuple[Paint, tuple[Legend, ...], str]]:
    if colour.startswith("family:"):
        return _by_family
    return {"yield": _by_yield, "plain": _plain}.get(colour, _by_crop)


def families_of(household: Household) -> list[str]:
    """The botanical families grown here."""
    return sorted({t.family for t in tenancies(household)})


def _spot(
    place: Place,
    paint: tuple[tuple[Patch, ...], str] | None,
    parts: list[Part],
    fills: list[Fill],
    rows: int,
) -> MapPlace:
    patches, note = paint or ((), "")
    real_l = fill_of([entry.event for entry in fills]).litres if fills else None
    share = (
        min(real_l / place.volume_l, 1.0) if real_l is not None and place.volume_l else FILLED_SHARE
    )
    return map_spot(
        place,
        rows=rows,
        parts=tuple((p.end, p.name) for p in parts if p.kind == Part.Kind.STRETCH),
        fill_share=share,
        patches=patches,
        height_m=place.height_m,
        shade_side=place.shade_side,
        note=note,
    )


def _words(paint: tuple[tuple[Patch, ...], str] | None) -> str:
    return "; ".join(dict.fromkeys(p.label for p in paint[0] if p.label)) if paint else ""


def _standing(household: Household, season: int, today: date) -> list[Planting]:
    """What stands today, of whatever season, or stood in a season that is over."""
    if season != today.year:
        return list(plantings_of(household, season))
    return standing_on(household, today)


def _rows(household: Household, season: int, today: date) -> dict[int, int]:
    """Rows drawn in a bed: as planted, else as many as its width has of the gap between them."""
    found: dict[int, int] = {}
    for planting in _standing(household, season, today):
        place = planting.place
        if not place.is_bed:
            continue
        by_gap = (
            int(place.width_m / planting.row_gap_m) if place.width_m and planting.row_gap_m else 0
        )
        found[place.pk] = max(found.get(place.pk, 0), planting.rows or by_gap)
    return found


def _spread(plantings: list[Planting]) -> list[tuple[float, float]]:
    """Where along its place each planting lies: its stretch, else the shares side by side."""
    rest = [p for p in plantings if not (p.part and p.part.kind == Part.Kind.STRETCH)]
    stated = sum(p.share or 0.0 for p in rest)
    free = [p for p in rest if p.share is None]
    each = max(1.0 - stated, 0.0) / len(free) if free else 0.0
    scale = 1.0 / max(stated + each * len(free), 1.0)
    found, at = [], 0.0
    for planting in plantings:
        if planting.part and planting.part.kind == Part.Kind.STRETCH:
            found.append((planting.part.start, planting.part.end))
            continue
        width = (each if planting.share is None else planting.share) * scale
        found.append((at, min(at + width, 1.0)))
        at += width
    return found


def _by_crop(
    household: Household, _: str, season: int, today: date
) -> tuple[Paint, tuple[Legend, ...], str]:
    by_place: dict[int, list[Planting]] = defaultdict(list)
    for planting in _standing(household, season, today):
        by_place[planting.place_id].append(planting)
    crops = sorted({p.crop.name for group in by_place.values() for p in group})
    marks = {
        name: Legend(name, i % SERIES + 1, i // SERIES % TEXTURES) for i, name in enumerate(crops)
    }
    paint: Paint = {}
    for place, group in by_place.items():
        patches = []
        for planting, (start, end) in zip(group, _spread(group), strict=True):
            mark = marks[planting.crop.name]
            patches.append(Patch(start, end, mark.series, mark.texture, label=planting.label))
        # A vessel keeps its number; a bed has room for the names of its crops.
        names = list(dict.fromkeys(p.crop.name for p in group)) if group[0].place.is_bed else []
        paint[place] = (
            tuple(patches),
            ", ".join(names[:MOST_NAMES]) + (" …" if len(names) > MOST_NAMES else ""),
        )
    when = "today" if season == today.year else f"in {season}"
    return paint, tuple(marks.values()), f"Painted by what stands there {when}."


def _by_family(
    household: Household, colour: str, season: int, _: date
) -> tuple[Paint, tuple[Legend, ...], str]:
    family = colour.removeprefix("family:")
    called = family_words(family)
    spans: list[Tenancy] = tenancies(household)
    years = years_since_family(spans, family, season)
    paint: Paint = {}
    for place, since in years.items():
        strength = max(1.0 - since / LONG_YEARS, 0.15)
        label = (
            f"{called} this year"
            if since == 0
            else f"{called} {since} year{'s' * (since != 1)} ago"
        )
        paint[place] = ((Patch(0, 1, 3, 0, strength, label),), str(since))
    legend = tuple(
        Legend(
            f"{n} year{'s' * (n != 1)} ago" if n else "this year",
            3,
            0,
            max(1.0 - n / LONG_YEARS, 0.15),
        )
        for n in range(LONG_YEARS)
    )
    return (
        paint,
        legend,
        (
            f"Painted and numbered by the years since the {called} last stood there, counted from "
            f"{season}."
        ),
    )


def _by_yield(
    household: Household, _: str, season: int, __: date
) -> tuple[Paint, tuple[Legend, ...], str]:
    """Kilograms of food a square metre of bed, and ten litres of container;
    each shaded within its own kind.
    """
    mine = Planting.objects.of(household).filter(
        pk__in=[p.pk for p in plantings_of(household, season)]
    )
    grown: dict[int, float] = defaultdict(float)
    kept_back = blinded_of(household)
    of_place = dict(mine.values_list("pk", "place_id"))
    for fact in facts(household, mine.as_they_stand()):
        food = food_so_far(fact.record)
        if fact.season == season and food.mass_mg is not None and fact.pk not in kept_back:
            grown[of_place[fact.pk]] += food.mass_mg
    rates: dict[int, tuple[float, str]] = {}
    for place in Place.objects.of(household).filter(pk__in=grown):
        rate = place_rate(grown[place.pk], place.area_m2 if place.is_bed else None, place.volume_l)
        if rate is not None:
            rates[place.pk] = rate
    most = {
        unit: max(r for r, u in rates.values() if u == unit)
        for unit in {u for _, u in rates.values()}
    }
    paint: Paint = {
        pk: (
            (
                Patch(
                    0,
                    1,
                    4,
                    0,
                    0.15 + 0.85 * rate / (most[unit] or 1.0),
                    f"{half_up(rate, 2)} {unit}",
                ),
            ),
            str(half_up(rate, 2)),
        )
        for pk, (rate, unit) in rates.items()
    }
    legend = tuple(
        Legend(f"up to {half_up(value, 2)} {unit}", 4, 0, 1.0)
        for unit, value in sorted(most.items())
    )
    return (
        paint,
        legend,
        f"Painted by the food lifted in {season}: a square metre of bed, ten litres of container.",
    )


def _plain(_: Household, __: str, ___: int, ____: date) -> tuple[Paint, tuple[Legend, ...], str]:
    return {}, (), ""
