"""What was planted: crops, varieties, lots, plantings and the methods they are tagged with."""

from __future__ import annotations

from datetime import date
from typing import Self

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from kilter.core.handbook import HandbookCrop, handbook
from kilter.ground.models import Place
from kilter.people.models import Household, Owned, OwnedQuerySet

SEASON = [MinValueValidator(1900), MaxValueValidator(2200)]
SPACING = [MinValueValidator(0.005), MaxValueValidator(50)]
UNIT_KINDS = (
    "plant", "seed", "seed potato", "set", "clove", "tuber", "slip", "module", "transplant", "runner", "mound",
)  # fmt: skip


class Crop(Owned):
    """A kind of plant; linked to the handbook by its name."""

    name = models.CharField(max_length=60)
    is_small_food = models.BooleanField(
        "Small counts as food", null=True, blank=True, help_text="Unset: as the household says."
    )

    class Meta(Owned.Meta):
        ordering = ("name",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint("household", "name", condition=Q(struck_at=None), name="crop_name"),
        )

    def __str__(self) -> str:
        return self.name

    def is_small_eaten(self, household: Household) -> bool:
        """Whether Small counts as food: as the crop says, else as the household does."""
        return household.is_small_food if self.is_small_food is None else self.is_small_food

    @property
    def in_handbook(self) -> HandbookCrop | None:
        return handbook().get(self.name.lower())


class Variety(Owned):
    """A named kind of a crop."""

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="varieties")
    name = models.CharField(max_length=80)

    class Meta(Owned.Meta):
        ordering = ("name",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint("crop", "name", condition=Q(struck_at=None), name="variety_name_in_crop"),
        )

    def __str__(self) -> str:
        return self.name


class PlantingQuerySet(OwnedQuerySet):
    def with_names(self) -> Self:
        return self.select_related("place__site", "crop", "variety")

    def in_reach(self, day: date) -> Self:
        """Not finished before a day, of whatever season: leeks stand into the new year."""
        return self.filter(Q(finished_on=None) | Q(finished_on__gte=day))

    def as_they_stand(self) -> Self:
        """In the order of their places: by set and number, as one walks past them."""
        return self.order_by("place__site_id", "place__name", F("place__number").asc(nulls_first=True), "pk")


def planting_label(crop: str, variety: str) -> str:
    """How a planting is called: ``shallot ‘Lantern Row’``."""
    return f"{crop} ‘{variety}’" if variety else f"{crop}, variety unknown"


class Planting(Owned):
    """One variety in one place from one date, in a counted number of units."""

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="plantings")
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="plantings")
    variety = models.ForeignKey(Variety, on_delete=models.PROTECT, related_name="plantings", null=True, blank=True)
    lot = models.CharField(max_length=80, blank=True)
    season = models.PositiveIntegerField(validators=SEASON)
    planted_on = models.DateField(null=True, blank=True)
    units = models.PositiveIntegerField(
        null=True, blank=True, validators=[MinValueValidator(1), MaxValueValidator(100_000)]
    )
    unit_kind = models.CharField(max_length=40, default="plant")
    in_row_m = models.FloatField(null=True, blank=True, validators=SPACING)
    row_gap_m = models.FloatField(null=True, blank=True, validators=SPACING)
    finished_on = models.DateField(null=True, blank=True)

    objects = PlantingQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        indexes = (models.Index(fields=("household", "season"), name="planting_by_season"),)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="planting_ends_after_it_starts",
                condition=Q(finished_on=None) | Q(planted_on=None) | Q(finished_on__gte=F("planted_on")),
            ),
        )

    def __str__(self) -> str:
        return f"{self.label} in {self.place}"

    @property
    def label(self) -> str:
        return planting_label(self.crop.name, self.variety.name if self.variety else "")


class MethodTag(models.Model):
    """How a planting was grown, so that methods can be compared; what is not tagged is not known."""

    planting = models.ForeignKey(Planting, on_delete=models.CASCADE, related_name="methods")
    name = models.CharField(max_length=40)
    value = models.CharField(max_length=80)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("planting", "name"), name="one_value_of_a_method"),)

    def __str__(self) -> str:
        return f"{self.name}={self.value}"
