"""Writes on plantings: set out, change, finish, reopen."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.core.exceptions import ValidationError

from kilter.people.models import Household
from kilter.people.writing import writing
from kilter.set_out.models import Crop, MethodTag, Planting, Variety


def crop_named(household: Household, name: str) -> Crop:
    """Find a crop by its name in any case, or make it."""
    name = " ".join(name.split())
    found = Crop.objects.of(household).filter(name__iexact=name).first()
    return found or Crop.objects.create(household=household, name=name)


def variety_named(crop: Crop, name: str) -> Variety | None:
    """Find a crop's variety by its name in any case, or make it; an empty name is unknown."""
    name = " ".join(name.split())
    if not name:
        return None
    found = Variety.objects.of(crop.household).filter(crop=crop, name__iexact=name).first()
    return found or Variety.objects.create(household=crop.household, crop=crop, name=name)


def set_out(household: Household, planting: Planting, cleaned: dict[str, Any]) -> list[Planting]:
    """Plant the same in each of the places picked; they are separate plantings afterwards."""
    with writing():
        planted = []
        for place in cleaned["places"]:
            one = Planting(
                household=household,
                place=place,
                **{
                    name: getattr(planting, name)
                    for name in ("units", "unit_kind", "lot", "planted_on", "season", "in_row_m", "row_gap_m")
                },
            )
            planted.append(_save(one, household, cleaned))
    return planted


def change_planting(planting: Planting, cleaned: dict[str, Any]) -> Planting:
    """Save a changed planting with its crop, variety and methods."""
    with writing():
        planting.methods.all().delete()
        return _save(planting, planting.household, cleaned)


def finish(planting: Planting, on: date) -> Planting:
    """Say that all has been lifted; from then on the planting can be compared."""
    if planting.planted_on and on < planting.planted_on:
        raise ValidationError(f"It cannot be done on {on} when it was planted on {planting.planted_on}.")
    return _finished(planting, on)


def reopen(planting: Planting) -> Planting:
    """Take back that all has been lifted."""
    return _finished(planting, None)


def _finished(planting: Planting, on: date | None) -> Planting:
    with writing():
        planting.finished_on = on
        planting.save(update_fields=["finished_on"])
    return planting


def _save(planting: Planting, household: Household, cleaned: dict[str, Any]) -> Planting:
    planting.crop = crop_named(household, cleaned["crop_name"])
    planting.variety = variety_named(planting.crop, cleaned["variety_name"])
    planting.save()
    MethodTag.objects.bulk_create(
        MethodTag(planting=planting, name=name, value=value) for name, value in cleaned["methods_text"].items()
    )
    return planting
