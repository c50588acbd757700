"""The lines of the tape: what was weighed and counted."""

from __future__ import annotations

import secrets
from typing import Self

from django.conf import settings
from django.db import models
from django.db.models import Count, Q, Sum

from kilter.core.yields import GRADES
from kilter.people.models import Household, Owned, OwnedQuerySet
from kilter.set_out.models import Planting
from kilter.tending.models import Photo


def new_client_id() -> str:
    """128 random bits, as the devices make them."""
    return secrets.token_hex(16)


class Grade(models.TextChoices):
    TABLE = "table", "Table"
    SMALL = "small", "Small"
    SEED = "seed", "Seed"
    HURT = "hurt", "Hurt"
    UNRIPE = "unripe", "Unripe"
    LOST = "lost", "Lost"


class WeighInQuerySet(OwnedQuerySet):
    def graded_totals(self) -> models.QuerySet[WeighIn, tuple[int, str, int, int | None, int | None, int, int]]:
        """Planting, grade, lines, mass, count, lines that wait for the scale, lines not counted."""
        summed = self.order_by().values("planting_id", "grade")
        return summed.annotate(
            lines=Count("pk"),
            mass_sum=Sum("mass_mg"),
            count_sum=Sum("count"),
            unweighed=Count("pk", filter=Q(mass_mg=None)),
            uncounted=Count("pk", filter=Q(count=None)),
        ).values_list("planting_id", "grade", "lines", "mass_sum", "count_sum", "unweighed", "uncounted")

    def waiting(self) -> Self:
        """Counted, and still to be weighed."""
        return self.filter(mass_mg=None, planting__struck_at=None)


class WeighIn(Owned):
    """One line: so much of one grade from one planting."""

    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, related_name="weigh_ins")
    weighed_on = models.DateField()
    grade = models.CharField(max_length=10, choices=Grade)
    count = models.PositiveIntegerField(null=True, blank=True)
    mass_mg = models.PositiveBigIntegerField(null=True, blank=True)  # net
    tare_mg = models.PositiveBigIntegerField(default=0)
    note = models.CharField(max_length=400, blank=True)
    photos = models.ManyToManyField(Photo, blank=True, related_name="weigh_ins")

    #: The event that wrote it (see docs/format.md, "Events of the bench").
    client_id = models.CharField(max_length=32, default=new_client_id, editable=False)
    device = models.CharField(max_length=32, blank=True, editable=False)
    pile = models.CharField(max_length=32, blank=True, editable=False)
    number_in_pile = models.PositiveIntegerField(null=True, editable=False)
    reading_mg = models.PositiveBigIntegerField(null=True, editable=False)  # as the scale showed it
    typed = models.CharField(max_length=60, blank=True, editable=False)
    written_at = models.DateTimeField(null=True, editable=False)
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, editable=False)

    objects = WeighInQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        # Holds all that `graded_totals` sums, so that the lines themselves are not read for it.
        indexes = (
            models.Index(
                fields=("household", "planting", "struck_at", "grade", "mass_mg", "count"), name="weigh_in_totals"
            ),
        )
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(fields=("household", "client_id"), name="event_stored_once"),
            models.CheckConstraint(name="weigh_in_grade", condition=Q(grade__in=GRADES)),
            models.CheckConstraint(
                name="weigh_in_says_something", condition=Q(count__isnull=False) | Q(mass_mg__isnull=False)
            ),
        )

    def __str__(self) -> str:
        return f"{self.get_grade_display()} of {self.planting}"


class Striking(models.Model):
    """A line struck or put back: an event of its own, so that it too is applied once, with who and when kept."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE)
    client_id = models.CharField(max_length=32, editable=False)
    line = models.ForeignKey(WeighIn, on_delete=models.CASCADE, related_name="strikings")
    is_struck = models.BooleanField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("household", "client_id"), name="striking_stored_once"),)

    def __str__(self) -> str:
        return f"{'struck' if self.is_struck else 'put back'}: {self.line}"
