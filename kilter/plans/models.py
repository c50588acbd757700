"""Plans for a season: how much of each crop is wanted, how sure,
and what was promised when a plan was frozen.
"""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from kilter.core.amounts.vague import MONTHS
from kilter.ground.models import PRICE, Part, Place
from kilter.people.models import DAY, Eater, Owned
from kilter.set_out.models import SEASON, Crop, Planting, Variety

#: What the first plan of a season is called.
USUAL = "Usual"
LEAST_SURE, MOST_SURE = 50, 95
#: One year in ten, two, five, nine: how often the last frost may come later than what it is planned
#: by.
RISKS = (
    (10, "one year in ten"),
    (20, "two years in ten"),
    (50, "five years in ten"),
    (90, "nine years in ten"),
)
KG = [MinValueValidator(0), MaxValueValidator(100_000)]
CEILING = [MinValueValidator(1), MaxValueValidator(1_000_000)]
PERCENT = [MinValueValidator(1), MaxValueValidator(100)]
#: Half-months of a year, by which a plan says when something stands.
HALF_MONTH = [MinValueValidator(0), MaxValueValidator(23)]


class Plan(Owned):
    """A plan for one season; several may stand side by side, and one of them is the plan."""

    class First(models.TextChoices):
        SAID = "said", "as I say, crop by crop"
        STAPLES = "staples", "what we eat most of"
        DEAR = "dear", "what is dear to buy"

    class Rest(models.TextChoices):
        LITTLE = "little", "matters little"
        USUAL = "usual", "is better avoided"
        STRICT = "strict", "is to be avoided"

    season = models.PositiveIntegerField(validators=SEASON)
    name = models.CharField(max_length=60, default=USUAL)
    is_chosen = models.BooleanField("the plan for its season", default=False)
    first = models.CharField("what comes first", max_length=7, choices=First, default=First.SAID)
    frost_risk = models.PositiveIntegerField(
        "how often the last frost may come later", choices=RISKS, default=10
    )
    rest = models.CharField(
        "a family back too soon in the same soil", max_length=6, choices=Rest, default=Rest.USUAL
    )
    minutes_a_week = models.PositiveIntegerField(
        "work, minutes a week at most", null=True, blank=True, validators=CEILING
    )
    litres_a_day = models.PositiveIntegerField(
        "water, litres a day at most", null=True, blank=True, validators=CEILING
    )
    money_minor = models.PositiveIntegerField(
        "money at most", null=True, blank=True, validators=PRICE
    )
    note = models.CharField(max_length=400, blank=True)

    class Meta(Owned.Meta):
        ordering = ("season", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household", "season", "name", condition=Q(struck_at=None), name="one_plan_a_name"
            ),
        )

    def __str__(self) -> str:
        return f"{self.season}, {self.name}"

    is_made_in_passing = True

    def check_can_be_struck(self) -> None:
        if PlannedCrop.objects.of(self.household).filter(plan=self).exists():
            raise ValidationError(f"{self} has crops; it stays.")


class PlannedCrop(Owned):
    """How much of a crop is wanted in a plan, by which way of saying it, how sure,
    and how often it is lifted.
    """

    class Way(models.TextChoices):
        PLATE = "plate", "from servings"
        OWN = "own", "by what was eaten here"
        RULE = "rule", "rule of thumb"
        MIX = "mix", "a mix of servings and what was eaten"

    class Goal(models.TextChoices):
        FRESH = "fresh", "fresh only"
        WINTER = "winter", "through winter"
        UNTIL = "until", "until a day"
        SELF = "self", "all that we eat in a year"
        TWO = "two", "two years at once"

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="crops")
    crop = models.ForeignKey(Crop, on_delete=models.CASCADE, related_name="planned")
    way = models.CharField("how it is reckoned", max_length=5, choices=Way, default=Way.PLATE)
    own_percent = models.PositiveIntegerField(
        "of a mix, the part of what was eaten here, %",
        default=50,
        validators=[MaxValueValidator(100)],
    )
    servings_per_week = models.DecimalField(
        "servings a week",
        max_digits=5,
        decimal_places=2,
        default=2,
        validators=[MinValueValidator(0), MaxValueValidator(100)],
    )
    serving_g = models.PositiveIntegerField(
        "grams a serving", default=100, validators=[MinValueValidator(1), MaxValueValidator(5000)]
    )
    goal = models.CharField("for how long", max_length=6, choices=Goal, default=Goal.FRESH)
    weeks = models.PositiveIntegerField(
        "weeks at the table", default=10, validators=[MinValueValidator(0), MaxValueValidator(104)]
    )
    until = models.DateField("until", null=True, blank=True, validators=DAY)
    store_loss_percent = models.DecimalField(
        "loss a week in store, %",
        max_digits=4,
        decimal_places=1,
        default=Decimal("1.0"),
        validators=[MinValueValidator(0), MaxValueValidator(50)],
    )
    given_kg = models.FloatField("to give away, kg lifted", default=0, validators=KG)
    animals_kg = models.FloatField("for animals, kg lifted", default=0, validators=KG)
    is_out = models.BooleanField("left out of the plan", default=False)
    germination_percent = models.PositiveIntegerField(
        "out of 100 seeds, how many come up",
        default=80,
        validators=[MinValueValidator(1), MaxValueValidator(100)],
    )
    certainty = models.PositiveIntegerField(
        "how sure, %",
        default=50,
        validators=[MinValueValidator(LEAST_SURE), MaxValueValidator(MOST_SURE)],
    )
    weight = models.PositiveIntegerField(
        "how much it matters, 1 to 5",
        default=3,
        validators=[MinValueValidator(1), MaxValueValidator(5)],
    )
    is_must = models.BooleanField("must be in the fit before others", default=False)
    own_plants = models.PositiveIntegerField(
        "plants, by your own word", null=True, blank=True, validators=[MaxValueValidator(100_000)]
    )
    lifts_per_week = models.DecimalField(
        "pulled so many times a week",
        max_digits=4,
        decimal_places=2,
        null=True,
        blank=True,
        validators=[MinValueValidator(Decimal("0.05")), MaxValueValidator(14)],
    )
    plants_per_lift = models.PositiveIntegerField(
        "plants each time",
        null=True,
        blank=True,
        validators=[MinValueValidator(1), MaxValueValidator(10_000)],
    )
    pull_from = models.DateField("pulled from", null=True, blank=True, validators=DAY)
    pull_until = models.DateField("pulled until", null=True, blank=True, validators=DAY)
    sowings = models.PositiveIntegerField(
        "sown in so many goes", default=1, validators=[MinValueValidator(1), MaxValueValidator(26)]
    )
    frost_risk = models.PositiveIntegerField(
        "how often the last frost may come later", choices=RISKS, null=True, blank=True
    )
    variety_share_percent = models.PositiveIntegerField(
        "of one variety, % of its plants at most", default=100, validators=PERCENT
    )
    site_share_percent = models.PositiveIntegerField(
        "on one site, % of its plants at most", default=100, validators=PERCENT
    )
    # The promise: what was said of this crop on the day it was frozen. Later changes leave it as it
    # is.
    frozen_on = models.DateField("frozen on", null=True, blank=True, validators=DAY, editable=False)
    promised_plants = models.PositiveIntegerField(null=True, blank=True, editable=False)
    promised_need_kg = models.FloatField(null=True, blank=True, editable=False, validators=KG)
    promised_tenth_kg = models.FloatField(null=True, blank=True, editable=False, validators=KG)
    promised_fifth_kg = models.FloatField(
        "80 % sure of", null=True, blank=True, editable=False, validators=KG
    )
    promised_half_kg = models.FloatField(
        "50 % sure of", null=True, blank=True, editable=False, validators=KG
    )
    promised_ninetieth_kg = models.FloatField(null=True, blank=True, editable=False, validators=KG)

    class Meta(Owned.Meta):
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "plan", "crop", condition=Q(struck_at=None), name="a_crop_once_in_a_plan"
            ),
            models.CheckConstraint(
                name="how_sure",
                condition=Q(certainty__gte=LEAST_SURE) & Q(certainty__lte=MOST_SURE),
            ),
            models.CheckConstraint(
                name="pulled_in_order",
                condition=Q(pull_from=None)
                | Q(pull_until=None)
                | Q(pull_from__lte=F("pull_until")),
            ),
        )

    def __str__(self) -> str:
        return f"plan for {self.crop}"

    @property
    def is_kept(self) -> bool:
        """It is to last beyond its own weeks, in store."""
        return self.goal != self.Goal.FRESH

    @property
    def is_frozen(self) -> bool:
        return self.frozen_on is not None


#: What of a planned crop was promised.
PROMISED = (
    "frozen_on",
    "promised_plants",
    "promised_need_kg",
    "promised_tenth_kg",
    "promised_fifth_kg",
    "promised_half_kg",
    "promised_ninetieth_kg",
)


class Spot(Owned):
    """Where a crop of a plan is to stand only, or not at all, or beside whom;
    without a crop a place kept free.
    """

    class Says(models.TextChoices):
        ONLY = "only", "only here"
        NEVER = "never", "not here"
        ALONE = "alone", "alone in its bed"
        WITH = "with", "in one bed with"

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="spots")
    crop = models.ForeignKey(
        Crop, on_delete=models.CASCADE, related_name="spots", null=True, blank=True
    )
    place = models.ForeignKey(
        Place, on_delete=models.CASCADE, related_name="spots", null=True, blank=True
    )
    other = models.ForeignKey(
        Crop,
        on_delete=models.CASCADE,
        related_name="beside",
        null=True,
        blank=True,
        verbose_name="the other crop",
    )
    says = models.CharField("how", max_length=5, choices=Says, default=Says.NEVER)

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="free_of_all_or_of_one", condition=Q(says="never") | Q(crop__isnull=False)
            ),
            models.CheckConstraint(
                name="a_place_or_company",
                condition=Q(says__in=("only", "never"), place__isnull=False, other=None)
                | Q(says="alone", place=None, other=None)
                | Q(says="with", place=None, other__isnull=False),
            ),
        )

    def __str__(self) -> str:
        said = f"{self.crop or 'nothing'} {self.get_says_display()}"
        return (
            said
            if self.says == self.Says.ALONE
            else f"{said}{':' * bool(self.place)} {self.place or self.other}"
        )


class PlannedPlanting(Owned):
    """What of a plan stands where, and from which half-month to which; set out,
    it is linked to what came of it.
    """

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="plantings")
    crop = models.ForeignKey(Crop, on_delete=models.CASCADE, related_name="planned_plantings")
    variety = models.ForeignKey(
        Variety, on_delete=models.CASCADE, null=True, blank=True, related_name="planned_plantings"
    )
    place = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="planned_plantings")
    part = models.ForeignKey(
        Part, on_delete=models.CASCADE, null=True, blank=True, related_name="planned_plantings"
    )
    plants = models.PositiveIntegerField(
        validators=[MinValueValidator(1), MaxValueValidator(100_000)]
    )
    start = models.PositiveIntegerField("from half-month", validators=HALF_MONTH)
    end = models.PositiveIntegerField("to half-month", validators=HALF_MONTH)
    is_pinned = models.BooleanField("stays as it is", default=False)
    planting = models.ForeignKey(
        Planting,
        on_delete=models.SET_NULL,
        null=True,
        blank=True,
        related_name="planned_as",
        editable=False,
    )

    class Meta(Owned.Meta):
        ordering = ("start", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(name="planned_in_order", condition=Q(start__lte=F("end"))),
        )

    def __str__(self) -> str:
        return f"{self.plants} {self.crop} in {self.where}"

    @property
    def where(self) -> str:
        """The place, with its part."""
        return f"{self.place}, {self.part}" if self.part else str(self.place)

    @property
    def begins(self) -> date:
        """The first day of its first half-month."""
        return half_month(self.plan.season, self.start)

    @property
    def ends(self) -> date:
        """The first day after its last half-month."""
        return half_month(self.plan.season, self.end + 1)


#: Half-months as a gardener calls them.
HALVES = tuple(f"{'early' if slot % 2 == 0 else 'late'} {MONTHS[slot // 2]}" for slot in range(24))


def begins_words(slot: int) -> str:
    """When something begins: what stands when the year begins was set before it."""
    return HALVES[slot] if slot else f"by {HALVES[0]}"


def half_month(season: int, slot: int) -> date:
    """The day on which a half-month begins."""
    return date(season + slot // 24, slot % 24 // 2 + 1, 16 if slot % 2 else 1)


class FitState(models.Model):
    """The best fit that was found of a plan so far, so that a search can go on from it;
    reckoned, not written.
    """

    plan = models.OneToOneField(Plan, on_delete=models.CASCADE, related_name="fit_state")
    rests_on = models.CharField(
        max_length=64
    )  #: what it was found from; of anything else it says nothing
    plants = models.JSONField(default=dict)  #: by option
    worth = models.FloatField()
    ceiling = models.FloatField()
    tries = models.PositiveIntegerField()

    def __str__(self) -> str:
        return f"fit of {self.plan}"


class NotEaten(Owned):
    """Somebody who does not eat a crop, so that it is not planned for them."""

    eater = models.ForeignKey(Eater, on_delete=models.CASCADE, related_name="not_eaten")
    crop = models.ForeignKey(Crop, on_delete=models.CASCADE, related_name="not_eaten")

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "eater", "crop", condition=Q(struck_at=None), name="not_eaten_once"
            ),
        )

    def __str__(self) -> str:
        return f"{self.eater} eats no {self.crop}"


class Shelf(Owned):
    """A shelf under lights, and how many cells it holds."""

    name = models.CharField(max_length=60)
    cells = models.PositiveIntegerField(
        "cells that it holds", validators=[MinValueValidator(1), MaxValueValidator(100_000)]
    )

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


class Wish(Owned):
    """A crop that somebody of the household would like to grow."""

    crop_name = models.CharField("crop or variety", max_length=60)
    said_by = models.CharField("who wishes it", max_length=60, blank=True)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return f"wish for {self.crop_name}"
