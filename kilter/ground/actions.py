"""Writes on the ground: sets in one step, parts, moves, fills."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kilter.ground.forms import DIVISIONS
from kilter.ground.models import Fill, Mix, Move, Part, Place, Site
from kilter.people import clock
from kilter.people.actions import save_owned
from kilter.people.history import Actor, changing
from kilter.people.models import Change

#: What the containers of a set have in common.
ALIKE = ("site", "kind", "name", "volume_l", "diameter_m", "material", "light", "empty_kg")


def save_place(actor: Actor, place: Place) -> Change:
    """Save a new or changed place."""
    return save_owned(actor, place, f"{place} is saved.")


def change_place(
    actor: Actor, place: Place, changed: Sequence[str] = (), *, is_for_set: bool = False
) -> Change:
    """Save a changed place, and what was changed in every other one of its set."""
    if not is_for_set:
        return save_place(actor, place)
    # By the set it was in: its name may be among what is changed.
    known = Place.objects.of(actor.household).get(pk=place.pk)
    others = (
        Place.objects.of(actor.household)
        .filter(site=known.site, name=known.name)
        .exclude(pk=place.pk)
    )
    others = others.exclude(number=None)
    with changing(actor, f"{place} and {len(others)} more of {known.name} are saved.") as recorder:
        recorder.save(place)
        if changed:
            recorder.update(others, **{name: getattr(place, name) for name in changed})
    return recorder.change


def make_set(actor: Actor, cleaned: dict[str, Any]) -> Change:
    """Make a numbered set of containers, laid out from its first spot."""
    first = cleaned["first_number"]
    says = (
        f"{cleaned['name']} {first} to {first + cleaned['how_many'] - 1} are in {cleaned['site']}."
    )
    with changing(actor, says) as recorder:
        recorder.make(
            Place,
            [
                Place(
                    household=actor.household,
                    number=first + i,
                    **{name: cleaned[name] for name in ALIKE},
                    **_spot(cleaned, i),
                )
                for i in range(cleaned["how_many"])
            ],
        )
    return recorder.change


def _spot(cleaned: dict[str, Any], i: int) -> dict[str, float | None]:
    layout = cleaned["layout"] or "block"
    if layout == "hand" or cleaned["x_m"] is None or cleaned["y_m"] is None:
        return {"x_m": None, "y_m": None}
    row, column = (0, i) if layout == "line" else divmod(i, cleaned["per_row"])
    gap_m = cleaned["gap_m"]
    # To the centimetre, as floats would otherwise show their last digits in the form.
    return {
        "x_m": round(cleaned["x_m"] + column * gap_m, 2),
        "y_m": round(cleaned["y_m"] + row * gap_m, 2),
    }


def put(actor: Actor, place: Place, x_m: float, y_m: float, *, is_move: bool) -> Change:
    """Put a place elsewhere on its map: setting the map right, or moved today."""
    if is_move:
        move = Move(day=clock.today(actor.household))
        return move_place(
            actor, place, move, {"site": place.site, "x_m": x_m, "y_m": y_m, "light": place.light}
        )
    place.x_m, place.y_m = round(x_m, 2), round(y_m, 2)
    return save_owned(actor, place, f"{place} is at {place.x_m:g} m east, {place.y_m:g} m north.")


def move_place(actor: Actor, place: Place, move: Move, to: dict[str, Any]) -> Change:
    """Log a move with the spot that was left, and put the place at the new one."""
    move.household, move.place = actor.household, place
    move.left_site, move.left_x_m, move.left_y_m, move.left_light = (
        place.site,
        place.x_m,
        place.y_m,
        place.light,
    )
    place.site, place.light = to["site"], to["light"]
    place.x_m, place.y_m = (
        None if to[name] is None else round(to[name], 2) for name in ("x_m", "y_m")
    )
    with changing(actor, f"{place} was moved, {move.when}.") as recorder:
        recorder.save(move, place)
    return recorder.change


def save_part(actor: Actor, part: Part) -> Change:
    """Save a part of a bed."""
    return save_owned(actor, part, f"{part} of {part.place} is saved.")


def divide(actor: Actor, place: Place, into: str) -> Change:
    """Make the parts of a division that are not there yet."""
    known = set(Part.objects.of(actor.household).filter(place=place).values_list("name", flat=True))
    with changing(actor, f"{place} has {into}.") as recorder:
        recorder.make(
            Part,
            [
                Part(
                    household=actor.household,
                    place=place,
                    name=name,
                    kind=kind,
                    start=start,
                    end=end,
                )
                for name, kind, start, end in DIVISIONS[into]
                if name not in known
            ],
        )
    return recorder.change


def save_mix(actor: Actor, mix: Mix) -> Change:
    """Save a mix."""
    return save_owned(actor, mix, f"The mix {mix} is saved.")


def fill(actor: Actor, places: Sequence[Place], entry: Fill) -> Change:
    """Write down what was done to the medium of each of some places."""
    label = (
        str(places[0]) if len(places) == 1 else f"{places[0]} to {places[-1]}, {len(places)} places"
    )
    names = (
        "day",
        "precision",
        "kind",
        "litres",
        "mix_id",
        "came_from_id",
        "price_minor",
        "over_uses",
        "note",
    )
    with changing(actor, f"{label}: {entry}, {entry.when}.") as recorder:
        made = [
            Fill(
                household=actor.household,
                place=each,
                **{name: getattr(entry, name) for name in names},
            )
            for each in places
        ]
        recorder.make(Fill, made)
    return recorder.change


def save_site(actor: Actor, site: Site) -> Change:
    """Save a site."""
    return save_owned(actor, site, f"{site} is saved.")
