"""The lines of the tape: what was weighed and counted, with which scale and bowl;
and notes of single plants.
"""

from __future__ import annotations

import secrets
from datetime import datetime
from typing import Self

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator, RegexValidator
from django.db import models
from django.db.models import Q

from kilter.core.amounts.units import MAX_MASS_MG, MG_PER_UNIT, format_mass, in_unit
from kilter.core.amounts.vague import PRECISIONS, VagueDate
from kilter.core.trade import grades
from kilter.people.models import DAY, BenchLink, Dated, Household, Owned, OwnedQuerySet
from kilter.set_out.models import CropSize, Planting, Variety
from kilter.tending.models import Photo

#: Why something was hurt or lost; the list grows by what a household writes.
CAUSES = (
    "nibbled",
    "split",
    "forked",
    "broken skin",
    "no stem",
    "slugs",
    "birds",
    "mice",
    "maggots",
    "blight",
    "rot",
    "frost",
    "cut in lifting",
    "too old",
    "scorched",
)
#: How the change of a corrected line begins in words.
CORRECTED = "Corrected: "
MAX_COUNT = 100_000
MANY = [MinValueValidator(1), MaxValueValidator(MAX_COUNT)]
MEASURES = [MinValueValidator(0.001), MaxValueValidator(1000)]
MASS = [MinValueValidator(1), MaxValueValidator(MAX_MASS_MG)]
ONE_WORD = RegexValidator(r"^[^\W\d_]{2,20}$", "One word of letters, such as tub or bunch.")
NOT_NAMES = frozenset(MG_PER_UNIT) | {"gram", "kilo", "pound", "ounce", "c"}


def not_a_unit(name: str) -> None:
    """The bench would read it as a unit of weight."""
    if name.lower() in NOT_NAMES or name.lower().removesuffix("s") in NOT_NAMES:
        raise ValidationError(f"“{name}” is a unit of weight already; find another word.")


def new_client_id() -> str:
    """128 random bits, as the devices make them."""
    return secrets.token_hex(16)


class Cleaned(models.TextChoices):
    AS_LIFTED = "as lifted", "as lifted"
    WASHED = "washed", "washed"


class Topped(models.TextChoices):
    TOPPED = "topped", "topped"
    WITH_LEAVES = "with leaves", "with leaves"


class Fullness(models.TextChoices):
    FULL = "full", "full"
    GAPPY = "gappy", "gappy"


class SplitBy(models.TextChoices):
    COUNT = "count", "by count"
    PLANTS = "plants", "by plants"
    AREA = "area", "by area"


class Scale(Owned):
    """A scale of the household: how fine it reads, and how much it bears."""

    name = models.CharField(max_length=40)
    step_mg = models.PositiveBigIntegerField("reads in steps of", validators=MASS)
    limit_mg = models.PositiveBigIntegerField("bears up to", null=True, blank=True, validators=MASS)
    unit = models.CharField(
        "shows",
        max_length=2,
        blank=True,
        choices=[(unit, unit) for unit in MG_PER_UNIT],
        help_text="The unit of a bare number where it is chosen; empty: as the household types.",
    )

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name

    @property
    def step_words(self) -> str:
        """Its steps as it shows them: ``0.01 lb``."""
        return self.in_words(self.step_mg)

    @property
    def limit_words(self) -> str:
        return "" if self.limit_mg is None else self.in_words(self.limit_mg)

    def in_words(self, mass_mg: int) -> str:
        """A mass in the unit that it shows, else as the household's pages have it."""
        if self.unit:
            return in_unit(mass_mg, self.unit)
        return format_mass(mass_mg, self.household.system)


class Bowl(Owned):
    """A bag, bowl or crate that is weighed with the harvest: what it weighs empty."""

    name = models.CharField(max_length=40)
    mass_mg = models.PositiveBigIntegerField("weighs empty", validators=MASS)

    class Meta(Owned.Meta):
        ordering = ("name", "pk")

    def __str__(self) -> str:
        return self.name


class OwnMeasure(Owned):
    """The household's own measure: a tub, a bunch, a meal;
    what it weighs is learnt crop by crop.
    """

    name = models.CharField("called", max_length=20, validators=[ONE_WORD, not_a_unit])

    class Meta(Owned.Meta):
        ordering = ("name",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household", "name", condition=Q(struck_at=None), name="own_measure_name"
            ),
        )

    def __str__(self) -> str:
        return self.name


class WeighInQuerySet(OwnedQuerySet):
    def waiting(self) -> Self:
        """Counted, and still to be weighed."""
        return self.filter(waits=True, planting__struck_at=None)


#: What lines are summed by, and told apart by, in `records` and `lifts`.
SUMMED_BY = ("grade", "mass_mg", "count", "pm_mg", "plants", "turned_from", "cleaned", "topped")


class WeighIn(Owned):
    """One line: so much of one grade from one planting."""

    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, related_name="weigh_ins")
    weighed_on = models.DateField(validators=DAY)
    precision = models.CharField(max_length=6, default="day", choices=[(p, p) for p in PRECISIONS])
    grade = models.CharField(max_length=10, choices=grades.CHOICES)
    count = models.PositiveIntegerField(
        null=True, blank=True, validators=[MaxValueValidator(MAX_COUNT)]
    )
    mass_mg = models.PositiveBigIntegerField(null=True, blank=True)  # net
    tare_mg = models.PositiveBigIntegerField(default=0)
    pm_mg = models.PositiveBigIntegerField(
        null=True, blank=True
    )  # give or take, of what is remembered
    is_remembered = models.BooleanField(default=False)
    waits = models.BooleanField(default=False)  # counted, to be weighed later
    plants = models.PositiveIntegerField(
        null=True, blank=True, validators=MANY
    )  # from how many its visit lifted, where that was said with this line
    #: Which going there of that day, from 1; None of old lines, which had a number each.
    visit = models.PositiveSmallIntegerField(
        null=True, blank=True, validators=[MinValueValidator(1), MaxValueValidator(1000)]
    )
    hand = models.CharField("picked by", max_length=40, blank=True)
    size = models.ForeignKey(
        CropSize, on_delete=models.PROTECT, null=True, blank=True, related_name="weigh_ins"
    )
    loads = models.PositiveIntegerField(default=1, validators=MANY)
    scale = models.ForeignKey(
        Scale, on_delete=models.PROTECT, null=True, blank=True, related_name="weigh_ins"
    )
    bowl = models.ForeignKey(
        Bowl, on_delete=models.PROTECT, null=True, blank=True, related_name="weigh_ins"
    )
    measure = models.ForeignKey(
        OwnMeasure, on_delete=models.PROTECT, null=True, blank=True, related_name="weigh_ins"
    )
    measures = models.FloatField(
        null=True, blank=True, validators=MEASURES
    )  # how many of the own measure
    cause = models.CharField(max_length=40, blank=True)
    cleaned = models.CharField(max_length=10, blank=True, choices=Cleaned)
    topped = models.CharField(max_length=12, blank=True, choices=Topped)
    fullness = models.CharField(max_length=6, blank=True, choices=Fullness)
    is_thinning = models.BooleanField(default=False)
    basket = models.CharField(max_length=32, blank=True)  # lines of one basket share it
    split_by = models.CharField(max_length=6, blank=True, choices=SplitBy)
    turned_from = models.ForeignKey(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="turned"
    )
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
    written_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, editable=False
    )

    objects = WeighInQuerySet.as_manager()  # type: ignore[misc]
    corrections = 0  # set by the page's query; not stored

    class Meta(Owned.Meta):
        # Holds all that whole plantings are summed by, and what tells the few lines that are more
        # than a weight and a count, so that the lines themselves are not read for it.
        indexes = (
            models.Index(
                fields=("household", "planting", "struck_at", *SUMMED_BY), name="weigh_in_summed"
            ),
            # Few lines are parts of a basket; those are found without looking through the others.
            models.Index(
                fields=("household", "struck_at"),
                condition=Q(basket__gt=""),
                name="weigh_in_of_basket",
            ),
            models.Index(
                fields=("household", "struck_at"),
                condition=Q(size__isnull=False),
                name="weigh_in_of_size",
            ),
        )
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(fields=("household", "client_id"), name="event_stored_once"),
            models.CheckConstraint(
                name="weigh_in_grade", condition=Q(grade__in=tuple(grades.GRADES))
            ),
            models.CheckConstraint(
                name="weigh_in_says_something",
                condition=Q(count__isnull=False)
                | Q(mass_mg__isnull=False)
                | Q(measures__isnull=False),
            ),
        )

    def __str__(self) -> str:
        return f"{self.get_grade_display()} of {self.planting}"

    @property
    def when(self) -> VagueDate:
        return VagueDate(self.weighed_on, self.precision)

    @property
    def tag(self) -> str:
        """What stands on its label while it waits: short, and unlikely to be there twice."""
        return self.ref[:5].upper()


class Striking(models.Model):
    """A line struck or put back: an event of its own, so that it too is applied once,
    with who and when kept.
    """

    household = models.ForeignKey(Household, on_delete=models.CASCADE)
    client_id = models.CharField(max_length=32, editable=False)
    line = models.ForeignKey(WeighIn, on_delete=models.CASCADE, related_name="strikings")
    is_struck = models.BooleanField()
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("household", "client_id"), name="striking_stored_once"),
        )

    def __str__(self) -> str:
        return f"{'struck' if self.is_struck else 'put back'}: {self.line}"


class SinglePlant(Dated):
    """One plant that stood out, weighed by itself; a note beside the harvest,
    not part of its sum.
    """

    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, related_name="single_plants")
    mass_mg = models.PositiveBigIntegerField("weight", null=True, blank=True, validators=MASS)
    count = models.PositiveIntegerField("how many on it", null=True, blank=True)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return self.note or "a plant by itself"


class Renaming(Dated):
    """A planting turned out to be another variety: what it was taken for until then."""

    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, related_name="renamings")
    was = models.ForeignKey(
        Variety, on_delete=models.PROTECT, null=True, blank=True, related_name="+"
    )
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return f"taken for {f'‘{self.was}’' if self.was else 'a variety unknown'}"


class LateLine(models.Model):
    """What a guest wrote and could not send before their link was ended:
    it waits for an owner's yes or no.
    """

    household = models.ForeignKey(Household, on_delete=models.CASCADE)
    client_id = models.CharField(max_length=32, editable=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    link = models.ForeignKey(BenchLink, on_delete=models.CASCADE, related_name="late_lines")
    event = models.JSONField()
    words = models.CharField(max_length=200)
    sent_at = models.DateTimeField(auto_now_add=True)
    settled_at = models.DateTimeField(null=True, editable=False)

    class Meta:
        ordering = ("pk",)
        constraints = (
            models.UniqueConstraint(fields=("household", "client_id"), name="late_line_once"),
        )

    def __str__(self) -> str:
        return self.words

    @property
    def written_at(self) -> datetime | None:
        """When it was written, by the device."""
        try:
            return datetime.fromisoformat(str(self.event.get("at")))
        except ValueError:
            return None
