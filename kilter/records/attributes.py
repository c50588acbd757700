"""What a planting can be compared by beside its yield: each attribute recorded, not known, or in doubt."""

from __future__ import annotations

from collections import defaultdict
from datetime import date

from django.db.models import QuerySet

from kilter.core.growing.almanac import moon_on
from kilter.core.growing.position import EDGE, MIDDLE, third
from kilter.core.growing.whereabouts import Spot, mostly, stays
from kilter.core.yields.bands import part_of_month
from kilter.ground.models import Part, place_label
from kilter.people.models import Household
from kilter.records.kept import Kept
from kilter.records.rows import FactRow, Ground
from kilter.set_out.models import MethodTag, Planting
from kilter.weigh_in.models import WeighIn

#: How exactly a planting's day must be known to say in which part of a month it lies.
TO_A_THIRD = frozenset({"day", "week", "third"})
NO_MOON: dict[str, str | None] = {"moon": None, "moon_phase": None}
#: Words of how a harvest was handled; more than one of them is "mixed".
HANDLING = ("cleaned", "topped")


def attributes_of(
    row: FactRow, crop: str, ground: Ground, handling: tuple[str, str] | None, kept: Kept | None = None
) -> dict[str, str | None]:
    """Every built-in attribute of a planting; None or empty where it was not recorded."""
    spot = _spot(row, ground)
    part = ground.parts.get(row.part_id or 0)
    before = ground.before.get(row.pk)
    cleaned, topped = handling or ("", "")
    return {
        "crop": crop,
        "variety": row.variety,
        "season": str(row.season),
        "site": spot.site,
        "place": place_label(row.name, row.number),
        "place_kind": row.kind,
        "material": row.material,
        "volume": f"{row.volume_l:g} L" if row.volume_l else None,
        "part": part.name if part else None,
        "edge": _edge(part) if part else ground.edge.get(row.place_id),
        "along": _along(part) if part else ground.along.get(row.place_id),
        "planting_time": _planting_time(row),
        "cleaned": cleaned,
        "topped": topped,
        "kept_in": kept.kept_in if kept else None,
        "cured": ("cured" if kept.is_cured else "not cured") if kept else None,
        "light": (part.light if part else "") or spot.light,
        "lot": row.lot,
        "before": before.crop if before else None,
        "origin": "came up by itself" if row.is_volunteer else "set out",
        "year_of_life": str(row.season - row.first_season + 1) if row.is_perennial else None,
        **(_moon(row) if ground.has_moon else NO_MOON),
    }


def _moon(row: FactRow) -> dict[str, str | None]:
    """The moon on the day of planting, where that day is known."""
    if row.planted_on is None or row.planted_precision != "day":
        return NO_MOON
    moon = moon_on(row.planted_on)
    return {"moon": moon.trend, "moon_phase": moon.phase}


def _spot(row: FactRow, ground: Ground) -> Spot:
    """Where it stood most of its days, with the light there."""
    now = Spot(row.site, row.light or row.site_light)
    moves = ground.moves.get(row.place_id)
    if not moves:
        return now
    first, last = (
        row.year_began_on or row.planted_on or date(row.season, 1, 1),
        row.finished_on or date(row.season, 12, 31),
    )
    return mostly(stays(now, [move.departure for move in moves]), first, last)[0]


def _planting_time(row: FactRow) -> str | None:
    known = row.planted_on is not None and row.planted_precision in TO_A_THIRD
    return part_of_month(row.planted_on) if known and row.planted_on else None


def _edge(part: Part) -> str | None:
    return {Part.Kind.EDGE: EDGE, Part.Kind.MIDDLE: MIDDLE}.get(Part.Kind(part.kind))


def _along(part: Part) -> str | None:
    return third((part.start + part.end) / 2) if part.kind == Part.Kind.STRETCH else None


def handling_of(household: Household, plantings: QuerySet[Planting]) -> dict[int, tuple[str, str]]:
    """Whether a harvest was washed and topped, where that was said; several answers are "mixed"."""
    lines = WeighIn.objects.of(household).filter(planting__in=plantings.order_by().values("pk"))
    said: dict[int, tuple[set[str], set[str]]] = defaultdict(lambda: (set(), set()))
    for pk, *words in lines.exclude(cleaned="", topped="").order_by().values_list("planting_id", *HANDLING).distinct():
        for one, word in zip(said[pk], words, strict=True):
            one.add(word)
    return {pk: (_one_word(cleaned), _one_word(topped)) for pk, (cleaned, topped) in said.items()}


def _one_word(words: set[str]) -> str:
    said = words - {""}
    return "mixed" if len(said) > 1 else next(iter(said), "")


def methods_of(plantings: QuerySet[Planting]) -> dict[int, dict[str, str]]:
    """The method tags of each planting."""
    methods: dict[int, dict[str, str]] = defaultdict(dict)
    tags = MethodTag.objects.filter(planting__in=plantings.order_by().values("pk"))
    for planting_id, name, value in tags.order_by().values_list("planting_id", "name", "value"):
        methods[planting_id][name] = value
    return methods
