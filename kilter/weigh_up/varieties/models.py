"""What people say of varieties."""

from __future__ import annotations

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kilter.people.models import Owned
from kilter.set_out.models import SEASON, Variety


class Criterion(Owned):
    """Something varieties are judged by, from 1 to 5, and how much it counts."""

    name = models.CharField(
        "called", max_length=40, help_text="flavour, texture, vigour, evenness, picking, keeping …"
    )
    weight = models.FloatField(
        "counts", default=1, validators=[MinValueValidator(0), MaxValueValidator(100)]
    )

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household", "name", condition=Q(struck_at=None), name="criterion_name"
            ),
        )

    def __str__(self) -> str:
        return self.name


class Score(Owned):
    """One person's score of a variety on a criterion, in a season, for a use or in general."""

    variety = models.ForeignKey(Variety, on_delete=models.PROTECT, related_name="scores")
    criterion = models.ForeignKey(Criterion, on_delete=models.PROTECT, related_name="scores")
    season = models.PositiveIntegerField(validators=SEASON)
    value = models.PositiveIntegerField(
        "score", validators=[MinValueValidator(1), MaxValueValidator(5)]
    )
    judge = models.CharField("who says so", max_length=40, blank=True)
    use = models.CharField(
        "for", max_length=20, blank=True, help_text="bake, fresh, soup, dry; empty: in general."
    )
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="score_one_to_five", condition=Q(value__gte=1, value__lte=5)
            ),
        )

    def __str__(self) -> str:
        return f"{self.variety}: {self.criterion} {self.value}"


class Verdict(Owned):
    """What the household makes of a variety after a season."""

    class Kind(models.TextChoices):
        STAPLE = "staple", "staple"
        AGAIN = "again", "again"
        ELSEWHERE = "no fair chance", "no fair chance: try elsewhere"
        NOT_AGAIN = "not again", "not again"

    variety = models.ForeignKey(Variety, on_delete=models.PROTECT, related_name="verdicts")
    season = models.PositiveIntegerField(validators=SEASON)
    kind = models.CharField("verdict", max_length=16, choices=Kind)
    reason = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("season", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "variety", "season", condition=Q(struck_at=None), name="one_verdict_a_season"
            ),
        )

    def __str__(self) -> str:
        return f"{self.variety}, {self.season}: {self.get_kind_display()}"
