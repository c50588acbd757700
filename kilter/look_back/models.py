"""Reviews of seasons: what is said of them, and what was decided for the next one."""

from __future__ import annotations

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kilter.core.review.aims import Aim
from kilter.ground.models import Place
from kilter.people.models import DAY, Owned
from kilter.set_out.models import SEASON, Crop, Variety

WORDS_LENGTH = 400
#: Said of a cause that nobody knows.
NOT_KNOWN = "not known"


class Review(Owned):
    """What a household says of a season as a whole; written once it is said to be."""

    season = models.PositiveIntegerField(validators=SEASON)
    note = models.TextField("the season in your own words", max_length=2000, blank=True)
    written_on = models.DateField("written on", null=True, blank=True, validators=DAY)

    class Meta(Owned.Meta):
        ordering = ("season",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household", "season", condition=Q(struck_at=None), name="one_review_a_season"
            ),
        )

    def __str__(self) -> str:
        return f"review of {self.season}"


class Remark(Owned):
    """One line of a review: drafted and kept, reworded or struck out, or the gardener's own."""

    class Side(models.TextChoices):
        WELL = "well", "went well"
        BADLY = "badly", "went badly"
        NOTE = "note", "to know"

    class State(models.TextChoices):
        KEPT = "kept", "kept as drafted"
        REWORDED = "reworded", "reworded"
        STRUCK = "struck out", "struck out"
        OWN = "own", "own words"

    season = models.PositiveIntegerField(validators=SEASON)
    key = models.CharField("what it was drafted from", max_length=200, blank=True)
    crop = models.ForeignKey(
        Crop, on_delete=models.PROTECT, null=True, blank=True, related_name="remarks"
    )
    side = models.CharField("what it says", max_length=5, choices=Side, default=Side.NOTE)
    state = models.CharField(
        "what became of the draft", max_length=10, choices=State, default=State.OWN
    )
    words = models.CharField(max_length=WORDS_LENGTH)
    drafted = models.CharField("as it was drafted", max_length=WORDS_LENGTH, blank=True)
    cause = models.CharField("why", max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household",
                "season",
                "key",
                condition=Q(struck_at=None) & ~Q(key=""),
                name="a_draft_decided_once",
            ),
        )

    def __str__(self) -> str:
        return self.words


#: Each aim in the gardener's words.
AIMS: dict[Aim, str] = {
    "more": "grow more",
    "less": "grow less",
    "drop": "do not grow it again",
    "elsewhere": "try it again elsewhere",
    "move": "move it",
    "earlier": "plant earlier",
    "later": "plant later",
    "split": "split it over varieties or places",
    "method": "grow it in another way",
    "store": "keep it in another place",
    "nothing": "change nothing",
}


class Decision(Owned):
    """What is to change after a season, of a crop, a variety,
    a place or the whole garden, and why.
    """

    season = models.PositiveIntegerField("after the season", validators=SEASON)
    aim = models.CharField("what changes", max_length=9, choices=list(AIMS.items()))
    crop = models.ForeignKey(
        Crop, on_delete=models.PROTECT, null=True, blank=True, related_name="decisions"
    )
    variety = models.ForeignKey(
        Variety, on_delete=models.PROTECT, null=True, blank=True, related_name="decisions"
    )
    place = models.ForeignKey(
        Place, on_delete=models.PROTECT, null=True, blank=True, related_name="decisions"
    )
    percent = models.PositiveIntegerField(
        "by how much, %",
        null=True,
        blank=True,
        validators=[MinValueValidator(1), MaxValueValidator(1000)],
    )
    number = models.PositiveIntegerField(
        "or to how many", null=True, blank=True, validators=[MaxValueValidator(10**6)]
    )
    detail = models.CharField(
        "how or where",
        max_length=120,
        blank=True,
        help_text="Such as cover=net, the cellar, bed 4.",
    )
    reason = models.CharField(max_length=200, blank=True)
    planned_on = models.DateField("met in the plan on", null=True, blank=True, validators=DAY)
    aside = models.CharField("why it was put aside", max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("season", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="per_cent_or_a_number", condition=Q(percent=None) | Q(number=None)
            ),
        )

    def __str__(self) -> str:
        return f"{self.about}: {self.what}"

    @property
    def about(self) -> str:
        """What it is about, in words."""
        names = []
        if self.crop:
            names.append(f"{self.crop} ‘{self.variety}’" if self.variety else str(self.crop))
        if self.place:
            names.append(str(self.place))
        return " in ".join(names) or "the whole garden"

    @property
    def what(self) -> str:
        """What changes, in words."""
        words = AIMS[self.aim]  # type: ignore[index]
        if self.percent is not None:
            words += f", by {self.percent} %"
        elif self.number is not None:
            words += f", to {self.number}"
        return f"{words} ({self.detail})" if self.detail else words
