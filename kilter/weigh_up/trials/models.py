"""Trials with their units."""

from __future__ import annotations

from django.db import models

from kilter.ground.models import Part, Place
from kilter.people.models import Owned
from kilter.set_out.models import SEASON, Crop, Planting
from kilter.weigh_up.trials.factors import place_factor


class Trial(Owned):
    """A question asked before planting: what is compared, what is held alike, in which places."""

    name = models.CharField(
        "the question", max_length=80, help_text="Do they give more when set in autumn?"
    )
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="trials")
    season = models.PositiveIntegerField(validators=SEASON)
    first = models.CharField("what is compared", max_length=40)
    first_levels = models.JSONField(default=list)
    second = models.CharField("and", max_length=40, blank=True)
    second_levels = models.JSONField(default=list)
    alike = models.CharField("what must stay alike", max_length=400, blank=True)
    seed = models.PositiveIntegerField()
    is_afterwards = models.BooleanField("set up from what stood already", default=False)
    is_blinded = models.BooleanField("keep the results back until all are in", default=False)

    class Meta(Owned.Meta):
        ordering = ("-season", "-pk")

    def __str__(self) -> str:
        return self.name

    @property
    def drawn(self) -> list[list[str]]:
        """The kinds of each thing that chance allots; what comes with a place is read from it."""
        return (
            []
            if self.is_afterwards
            else [levels for name, levels in self.things if not place_factor(name)]
        )

    @property
    def things(self) -> list[tuple[str, list[str]]]:
        """What is compared, with its levels."""
        pairs = [(self.first, self.first_levels), (self.second, self.second_levels)]
        return [(name, list(levels)) for name, levels in pairs if name]


class TrialUnit(Owned):
    """One place of a trial with what chance gave it."""

    trial = models.ForeignKey(Trial, on_delete=models.PROTECT, related_name="units")
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="trial_units")
    part = models.ForeignKey(
        Part, on_delete=models.PROTECT, null=True, blank=True, related_name="trial_units"
    )
    number = models.PositiveIntegerField()  # in the order one walks past them
    block = models.PositiveIntegerField()
    first = models.CharField(max_length=80)
    second = models.CharField(max_length=80, blank=True)
    planting = models.ForeignKey(
        Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="trial_units"
    )

    class Meta(Owned.Meta):
        ordering = ("trial_id", "number")

    def __str__(self) -> str:
        return f"{self.trial}, {self.where}: {self.treatment}"

    @property
    def where(self) -> str:
        return f"{self.place}, {self.part}" if self.part else str(self.place)

    @property
    def treatment(self) -> str:
        return " × ".join(filter(None, (self.first, self.second)))
