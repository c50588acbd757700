"""What a planting can be compared by beside its yield: each attribute recorded,
not known, or in doubt.
"""

from __future__ import annotations

from datetime import date

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.almanac import moon_words
from kilter.core.growing.whereabouts import Situation, mostly, stays
from kilter.core.yields.bands import planting_time
from kilter.ground.models import place_label
from kilter.records.kept import Keeping
from kilter.records.rows import FactRow, GroundFacts


def attributes_of(
    row: FactRow,
    crop: str,
    ground: GroundFacts,
    handling: tuple[str, str] | None,
    kept: Keeping | None = None,
) -> dict[str, str | None]:
    """Every built-in attribute of a planting; None or empty where it was not recorded."""
    planted = VagueDate(row.planted_on, row.planted_precision) if row.planted_on else None
    now = Situation(row.site, row.light or row.site_light)
    moves = [move.departure for move in ground.moves.get(row.place_id, ())]
    first = row.year_began_on or row.planted_on or date(row.season, 1, 1)
    spot = (
        mostly(stays(now, moves), first, row.finished_on or date(row.season, 12, 31))[0]
        if moves
        else now
    )
    moon, phase = moon_words(planted) if ground.has_moon else (None, None)
    part, before = ground.parts.get(row.part_id or 0), ground.before.get(row.pk)
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
        "edge": part.edge if part else ground.edge.get(row.place_id),
        "along": part.along if part else ground.along.get(row.place_id),
        "planting_time": planting_time(planted),
        "cleaned": cleaned,
        "topped": topped,
        "kept_in": kept.kept_in if kept else None,
        "cured": ("cured" if kept.is_cured else "not cured") if kept else None,
        "light": (part.light if part else "") or spot.light,
        "lot": row.lot,
        "before": before.crop if before else None,
        "origin": "came up by itself" if row.is_volunteer else "set out",
        "year_of_life": str(row.season - row.first_season + 1) if row.is_perennial else None,
        "moon": moon,
        "moon_phase": phase,
    }
