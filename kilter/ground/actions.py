"""Writes on the ground: sets of containers in one step, and refusing to strike what is in use."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ValidationError

from kilter.ground.models import Place, Site
from kilter.people.actions import strike
from kilter.people.models import Household
from kilter.people.writing import writing


def make_set(household: Household, cleaned: dict[str, Any]) -> list[Place]:
    """Make a numbered set of containers, laid out in rows from its first spot."""
    with writing():
        return Place.objects.bulk_create(
            Place(
                household=household,
                site=cleaned["site"],
                kind=cleaned["kind"],
                name=cleaned["name"],
                number=cleaned["first_number"] + i,
                volume_l=cleaned["volume_l"],
                material=cleaned["material"],
                **_spot(cleaned, i),
            )
            for i in range(cleaned["how_many"])
        )


def strike_site(site: Site) -> Site:
    """Strike a site that has no places left."""
    if Place.objects.of(site.household).filter(site=site).exists():
        raise ValidationError(f"{site} still has places; strike those first.")
    return strike(site)


def _spot(cleaned: dict[str, Any], i: int) -> dict[str, float | None]:
    if cleaned["x_m"] is None or cleaned["y_m"] is None:
        return {"x_m": None, "y_m": None}
    row, column = divmod(i, cleaned["per_row"])
    gap_m = cleaned["gap_m"]
    # To the centimetre, as floats would otherwise show their last digits in the form.
    return {"x_m": round(cleaned["x_m"] + column * gap_m, 2), "y_m": round(cleaned["y_m"] + row * gap_m, 2)}
