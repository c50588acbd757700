"""What is usually taken of a crop at once: as last time, or a meal of it."""

from __future__ import annotations

from kilter.core.amounts.units import MG_PER_UNIT
from kilter.core.trade.uses import PACED
from kilter.larder.ledger import CrateNow, Larder
from kilter.larder.models import Crate
from kilter.people.models import Eater


def usual_of(found: Larder, crate: Crate) -> str:
    """What is usually taken of a crate at once, as it would be typed."""
    return as_usual(
        found.crates[crate.pk], meals_of(found), is_imperial=found.household.is_imperial
    )


def as_usual(one: CrateNow, usual: dict[int, int], *, is_imperial: bool) -> str:
    """What is usually taken at once, as it would be typed;
    all of it where there is no more than that.
    """
    grams = usual.get(one.crate.crop_id, 0)
    if not grams or not one.left:
        return ""
    if grams * 1000 >= one.left:
        return "the rest"
    ounces = round(grams * 1000 / MG_PER_UNIT["oz"]) if is_imperial else 0
    return f"{ounces} oz" if ounces else f"{grams} g"


def meals_of(found: Larder) -> dict[int, int]:
    """What is usually taken of each crop at once, in grams: as last time, else a meal of it."""
    return _meals(found) | _last_taken(found)


def _last_taken(found: Larder) -> dict[int, int]:
    """What was taken last of each crop, in grams."""
    usual: dict[int, int] = {}
    for using in found.usings:
        if using.crate_id in found.crates and using.use in PACED and using.took_mg:
            usual[found.crates[using.crate_id].crate.crop_id] = round(using.took_mg / 1000)
    return usual


def _meals(found: Larder) -> dict[int, int]:
    """What the household eats at a meal, in grams, by the handbook's serving and its appetites."""
    appetites = sum(Eater.objects.of(found.household).values_list("appetite", flat=True)) or 1.0
    books = {pk: crop.in_handbook for pk, crop in found.crops.items()}
    return {pk: round(book.serving_g * appetites) for pk, book in books.items() if book}
