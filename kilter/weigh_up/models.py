"""What Weigh up keeps: questions, trials with their units, and what people say of varieties."""

from __future__ import annotations

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kilter.ground.models import Part, Place
from kilter.people.models import Household, Owned
from kilter.set_out.models import SEASON, Crop, Planting, Variety

ADDRESS_LENGTH = 2000


class KeptQuestion(Owned):
    """A question with a name, kept by its address; pinned, it stands on Weigh up's front."""

    name = models.CharField(max_length=80)
    address = models.CharField(max_length=ADDRESS_LENGTH)
    is_pinned = models.BooleanField("stands on the front of Weigh up", default=False)

    class Meta(Owned.Meta):
        ordering = ("-is_pinned", "name", "pk")

    def __str__(self) -> str:
        return self.name


class Criterion(Owned):
    """Something varieties are judged by, from 1 to 5, and how much it counts."""

    name = models.CharField("called", max_length=40, help_text="flavour, texture, vigour, evenness, picking, keeping …")
    weight = models.FloatField("counts", default=1, validators=[MinValueValidator(0), MaxValueValidator(100)])

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint("household", "name", condition=Q(struck_at=None), name="criterion_name"),
        )

    def __str__(self) -> str:
        return self.name


class Score(Owned):
    """One person's score of a variety on a criterion, in a season, for a use or in general."""

    variety = models.ForeignKey(Variety, on_delete=models.PROTECT, related_name="scores")
    criterion = models.ForeignKey(Criterion, on_delete=models.PROTECT, related_name="scores")
    season = models.PositiveIntegerField(validators=SEASON)
    value = models.PositiveIntegerField("score", validators=[MinValueValidator(1), MaxValueValidator(5)])
    judge = models.CharField("who says so", max_length=40, blank=True)
    use = models.CharField("for", max_length=20, blank=True, help_text="bake, fresh, soup, dry; empty: in general.")
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(name="score_one_to_five", condition=Q(value__gte=1, value__lte=5)),
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
            models.UniqueConstraint("variety", "season", condition=Q(struck_at=None), name="one_verdict_a_season"),
        )

    def __str__(self) -> str:
        return f"{self.variety}, {self.season}: {self.get_kind_display()}"


class Trial(Owned):
    """A question asked before planting: what is compared, what is held alike, in which places."""

    name = models.CharField("the question", max_length=80, help_text="Do they give more when set in autumn?")
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="trials")
    season = models.PositiveIntegerField(validators=SEASON)
    first = models.CharField("what is compared", max_length=40)
    first_levels = models.JSONField(default=list)
    second = models.CharField("and", max_length=40, blank=True)
    second_levels = models.JSONField(default=list)
    alike = models.CharField("what must stay alike", max_length=400, blank=True)
    seed = models.PositiveIntegerField()
    is_hidden = models.BooleanField("hide the results until all are in", default=False)

    class Meta(Owned.Meta):
        ordering = ("-season", "-pk")

    def __str__(self) -> str:
        return self.name

    @property
    def things(self) -> list[tuple[str, list[str]]]:
        """What is compared, with its levels."""
        pairs = [(self.first, self.first_levels), (self.second, self.second_levels)]
        return [(name, list(levels)) for name, levels in pairs if name]


class TrialUnit(Owned):
    """One place of a trial with what chance gave it."""

    trial = models.ForeignKey(Trial, on_delete=models.PROTECT, related_name="units")
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="trial_units")
    part = models.ForeignKey(Part, on_delete=models.PROTECT, null=True, blank=True, related_name="trial_units")
    number = models.PositiveIntegerField()  # in the order one walks past them
    block = models.PositiveIntegerField()
    first = models.CharField(max_length=80)
    second = models.CharField(max_length=80, blank=True)
    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="trial_units")

    class Meta(Owned.Meta):
        ordering = ("trial_id", "number")

    def __str__(self) -> str:
        return f"{self.trial}, {self.where}: {self.treatment}"

    @classmethod
    def veiled(cls, household: Household) -> frozenset[int]:
        """Keys of the plantings whose results a hidden trial keeps back, as not all of it is in."""
        mine = cls.objects.of(household).filter(trial__is_hidden=True, trial__struck_at=None, planting__isnull=False)
        running = mine.filter(planting__finished_on=None).order_by().values("trial")
        return frozenset(mine.filter(trial__in=running).order_by().values_list("planting_id", flat=True))

    @property
    def where(self) -> str:
        return f"{self.place}, {self.part}" if self.part else str(self.place)

    @property
    def treatment(self) -> str:
        return " × ".join(filter(None, (self.first, self.second)))
