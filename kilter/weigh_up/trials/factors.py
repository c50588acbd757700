"""What a trial compares: by chance, or what comes with a place, or what stands already."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Final

from kilter.ground.models import Part, Place
from kilter.set_out.models import Planting

VARIETY: Final = "variety"
#: Names under which the number of plants in each place is compared; its kinds are whole numbers.
DENSITY: Final = frozenset({"plants", "density", "number of plants", "plants in each"})


def _litres(place: Place, _: Part | None) -> str:
    return f"{place.volume_l:g} L" if place.volume_l else ""


def _light(place: Place, part: Part | None) -> str:
    return (part.light if part else "") or place.light or place.site.light


#: What belongs to a place: by the attribute of a question, how it is read.
OF_PLACES: Final[Mapping[str, Callable[[Place, Part | None], str]]] = {
    "material": lambda place, _: place.material,
    "volume": _litres,
    "light": _light,
    "place_kind": lambda place, _: place.kind,
    "place": lambda place, _: str(place),
    "site": lambda place, _: place.site.name,
    "part": lambda _, part: part.name if part else "",
}
#: Other names for the same.
CALLED: Final = {
    "kind of place": "place_kind",
    "kind": "place_kind",
    "bed": "place",
    "part of the bed": "part",
    "volume of the container": "volume",
    "size": "volume",
}


def place_factor(name: str) -> str | None:
    """The attribute of a place that a name means, None for what is given to a place."""
    plain = " ".join(name.lower().split())
    plain = CALLED.get(plain, plain)
    return plain if plain in OF_PLACES else None


def of_place(name: str, place: Place, part: Part | None) -> str:
    """What a place brings with it; empty where nobody wrote it down."""
    return OF_PLACES[place_factor(name) or ""](place, part)


def is_density(name: str) -> bool:
    """Whether the number of plants in each place is what is compared."""
    return name.lower() in DENSITY


def factor_key(name: str) -> str:
    """How a thing compared is called in a question: an attribute of its own, else a method."""
    return VARIETY if name.lower() == VARIETY else place_factor(name) or f"method:{name}"


def of_planting(name: str, planting: Planting) -> str:
    """What a planting that stands holds of a thing compared; empty where nobody wrote it down."""
    if name.lower() == VARIETY:
        return planting.variety.name if planting.variety else ""
    if place_factor(name):
        return of_place(name, planting.place, planting.part)
    if is_density(name):
        return str(planting.units or "")
    return next(
        (tag.value for tag in planting.methods.all() if tag.name.lower() == name.lower()), ""
    )
