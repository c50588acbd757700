"""Where things grow: sites, and the beds and containers in them."""

from __future__ import annotations

from typing import Self

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from kilter.people.models import Household, Owned, OwnedQuerySet

POSITIVE = [MinValueValidator(0.01), MaxValueValidator(10_000)]
ON_MAP = [MinValueValidator(-10_000), MaxValueValidator(10_000)]
#: Kinds that are ground rather than vessel, whatever stands before the word: a raised bed is a bed.
BED_WORDS = frozenset({"bed", "beds", "border", "plot", "row", "strip", "mound", "ground"})
KIND_SUGGESTIONS = ("bed", "raised bed", "narrow bed", "pot", "fabric pot", "crock", "crate", "pail", "tray", "trough")


class Site(Owned):
    """A piece of land some way from the others."""

    name = models.CharField(max_length=80)
    length_m = models.FloatField("length, m", null=True, blank=True, validators=POSITIVE)
    width_m = models.FloatField("width, m", null=True, blank=True, validators=POSITIVE)
    notes = models.TextField(max_length=2000, blank=True)

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


def is_bed_kind(kind: str) -> bool:
    """Whether a kind of place is ground rather than a vessel."""
    return bool(BED_WORDS & set(kind.lower().split()))


def place_label(name: str, number: int | None) -> str:
    """How a place is called: ``Crate 5``."""
    return name if number is None else f"{name} {number}"


class PlaceQuerySet(OwnedQuerySet):
    def in_order(self) -> Self:
        """As they stand: by site, set and number."""
        return self.select_related("site").order_by("site_id", "name", F("number").asc(nulls_first=True), "pk")


class Place(Owned):
    """A bed or a container; containers of a set share a name and are numbered."""

    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="places")
    kind = models.CharField(max_length=40, help_text="bed, raised bed, pot, crate, crock, pail, tray …")
    name = models.CharField(max_length=80)
    number = models.PositiveIntegerField(null=True, blank=True)
    length_m = models.FloatField("length, m", null=True, blank=True, validators=POSITIVE)
    width_m = models.FloatField("width, m", null=True, blank=True, validators=POSITIVE)
    volume_l = models.FloatField("volume, L", null=True, blank=True, validators=POSITIVE)
    material = models.CharField(max_length=40, blank=True)
    x_m = models.FloatField("east, m", null=True, blank=True, validators=ON_MAP)
    y_m = models.FloatField("north, m", null=True, blank=True, validators=ON_MAP)

    objects = PlaceQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="place_sizes_positive",
                condition=(Q(length_m=None) | Q(length_m__gt=0))
                & (Q(width_m=None) | Q(width_m__gt=0))
                & (Q(volume_l=None) | Q(volume_l__gt=0)),
            ),
        )

    def __str__(self) -> str:
        return place_label(self.name, self.number)

    @property
    def is_bed(self) -> bool:
        return is_bed_kind(self.kind)

    @property
    def area_m2(self) -> float | None:
        return self.length_m * self.width_m if self.length_m and self.width_m else None


def sites_of(household: Household) -> list[Site]:
    """A household's sites with their places, in the order they were made."""
    places = models.Prefetch("places", Place.objects.of(household).in_order(), to_attr="standing_places")
    return list(Site.objects.of(household).prefetch_related(places))
