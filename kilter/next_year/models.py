"""What the gardener says of each crop for next year."""

from __future__ import annotations

from decimal import Decimal

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kilter.people.models import Owned
from kilter.set_out.models import Crop

CERTAINTIES = (50, 60, 70, 80, 90, 95)


class CropPlan(Owned):
    """How much of a crop is wanted, how sure, and by which way of saying it."""

    class Way(models.TextChoices):
        PLATE = "plate", "from servings"
        OWN = "own", "by what was eaten here"
        RULE = "rule", "rule of thumb"

    crop = models.OneToOneField(Crop, on_delete=models.CASCADE, related_name="plan")
    way = models.CharField(max_length=5, choices=Way, default=Way.PLATE)
    servings_per_week = models.DecimalField(
        max_digits=5,
        decimal_places=2,
        default=2,
        validators=[MinValueValidator(0), MaxValueValidator(100)],
    )
    serving_g = models.PositiveIntegerField(
        "grams a serving", default=100, validators=[MinValueValidator(1), MaxValueValidator(5000)]
    )
    weeks = models.PositiveIntegerField(
        "weeks at the table", default=10, validators=[MinValueValidator(0), MaxValueValidator(104)]
    )
    is_kept = models.BooleanField("kept through winter", default=False)
    store_loss_percent = models.DecimalField(
        "loss a week in store, %",
        max_digits=4,
        decimal_places=1,
        default=Decimal("1.0"),
        validators=[MinValueValidator(0), MaxValueValidator(50)],
    )
    is_out = models.BooleanField("left out of the plan", default=False)
    germination_percent = models.PositiveIntegerField(
        "out of 100 seeds, how many come up", default=80, validators=[MinValueValidator(1), MaxValueValidator(100)]
    )
    certainty = models.PositiveIntegerField("how sure, %", default=50, choices=[(c, f"{c} %") for c in CERTAINTIES])

    class Meta(Owned.Meta):
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(name="plan_certainty", condition=Q(certainty__in=CERTAINTIES)),
        )

    def __str__(self) -> str:
        return f"plan for {self.crop}"
