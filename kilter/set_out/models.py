"""What was planted: crops, varieties, seed lots, plantings with their counts, costs and methods."""

from __future__ import annotations

from datetime import date
from typing import Self

from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator, RegexValidator
from django.db import models
from django.db.models import F, Q

from kilter.core.amounts.vague import PRECISIONS, VagueDate
from kilter.core.growing.growth import KINDS, CountEvent
from kilter.core.handbook import HandbookCrop, crop_called
from kilter.core.handbook.own import OWN_VALUES, with_own
from kilter.core.trade import grades
from kilter.core.trade.units import USUAL, noun, unit_kind
from kilter.ground.models import PRICE, SHARE, Part, Place
from kilter.people.models import DAY, Dated, Household, Owned, OwnedQuerySet

SEASON = [MinValueValidator(1900), MaxValueValidator(2200)]
SPACING = [MinValueValidator(0.005), MaxValueValidator(50)]
#: Families whose harvest is ears or pods.
EARED = frozenset({"Poaceae", "Fabaceae"})
WHOLE = [MinValueValidator(0), MaxValueValidator(1_000_000)]
DAYS = [MinValueValidator(1), MaxValueValidator(2000)]


def amount_words(units: int | None, doubt: int | None, kind: str) -> str:
    """How many of what, with the doubt: ``about 13 ± 2 seeds``."""
    if units is None:
        return f"unknown number of {noun('', kind)}"
    count = f"{units} ± {doubt}" if doubt else units
    return f"{count} {noun(count, kind)}"


def _own(name: str) -> models.Field:
    """A household's own value in place of the handbook's; empty where the handbook speaks."""
    said = OWN_VALUES[name]
    kind = models.PositiveIntegerField if said.is_whole else models.FloatField
    limits = [MinValueValidator(said.least), MaxValueValidator(said.most)]
    return kind(said.label, null=True, blank=True, validators=limits)


class CropQuerySet(OwnedQuerySet):
    def as_choices(self) -> Self:
        return self.order_by("name")


class Crop(Owned):
    """A kind of plant; linked to the handbook by its name."""

    name = models.CharField(max_length=60)
    like = models.CharField(
        "is like", max_length=60, blank=True, help_text="The handbook's crop it is most like."
    )
    is_small_food = models.BooleanField(
        "Small counts as food", null=True, blank=True, help_text="Unset: as the household says."
    )

    is_counted = models.BooleanField(
        "is counted, weighed only now and then",
        null=True,
        blank=True,
        help_text="Unset: as the handbook says.",
    )

    own_days_min = _own("days_min")
    own_days_max = _own("days_max")
    own_autumn_days_min = _own("autumn_days_min")
    own_autumn_days_max = _own("autumn_days_max")
    own_pick_every_days = _own("pick_every_days")
    own_in_row_cm = _own("in_row_cm")
    own_row_gap_cm = _own("row_gap_cm")
    own_kg_per_plant = _own("kg_per_plant")
    own_germination_percent = _own("germination_percent")
    own_servings_per_week = _own("servings_per_week")
    own_serving_g = _own("serving_g")
    own_keep_weeks = _own("keep_weeks")
    own_fresh_days = _own("fresh_days")

    objects = CropQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        ordering = ("name",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household", "name", condition=Q(struck_at=None), name="crop_name"
            ),
        )

    def __str__(self) -> str:
        return self.name

    is_made_in_passing = True

    def check_can_be_struck(self) -> None:
        if Planting.objects.of(self.household).filter(crop=self).exists():
            raise ValidationError(f"{self} was planted; it stays.")

    def is_small_eaten(self, household: Household) -> bool:
        """Whether Small counts as food: as the crop says, else as the household does."""
        return household.is_small_food if self.is_small_food is None else self.is_small_food

    @property
    def counts_alone(self) -> bool:
        """Whether a count without a weight is a whole line, as of cobs and heads."""
        if self.is_counted is not None:
            return self.is_counted
        return bool(self.in_handbook and self.in_handbook.is_counted)

    @property
    def has_ears(self) -> bool:
        """Whether ears or pods can be more or less full;
        of a crop unknown to the handbook nobody can tell.
        """
        return self.in_handbook is None or self.in_handbook.family in EARED

    @property
    def in_handbook(self) -> HandbookCrop | None:
        """What the handbook says of it, with the household's own values in place."""
        book = crop_called(self.like or self.name)
        own = {
            name: value
            for name in OWN_VALUES
            if (value := getattr(self, f"own_{name}")) is not None
        }
        return with_own(book, own) if book and own else book


#: A size of a crop is called by one to three words.
SIZE_WORD = RegexValidator(
    r"^[^\W\d_]+(?: [^\W\d_]+){0,2}$", "One to three words of letters, such as Large."
)
MILLIMETRES = [MinValueValidator(1), MaxValueValidator(2000)]


class CropSize(Owned):
    """A crop's own word for a size, with the grade that it is: Large, Table, from 60 mm."""

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="sizes")
    word = models.CharField("called", max_length=20, validators=[SIZE_WORD])
    grade = models.CharField("is graded", max_length=10, choices=grades.CHOICES)
    from_mm = models.PositiveIntegerField(
        "from, in mm", null=True, blank=True, validators=MILLIMETRES
    )

    class Meta(Owned.Meta):
        ordering = (F("from_mm").desc(nulls_last=True), "word")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="crop_size_grade", condition=Q(grade__in=tuple(grades.GRADES))
            ),
            models.UniqueConstraint(
                "crop", "word", condition=Q(struck_at=None), name="size_word_in_crop"
            ),
        )

    def __str__(self) -> str:
        return self.word

    def check_can_be_struck(self) -> None:
        if self.weigh_ins.filter(struck_at=None).exists():
            raise ValidationError(f"Lines were written of {self}; it stays.")

    @property
    def key(self) -> str:
        """How what is of this size is called beside the grades."""
        return grades.size_key(self.grade, self.word)


class VarietyQuerySet(OwnedQuerySet):
    def as_choices(self) -> Self:
        return self.select_related("crop").order_by("crop__name", "name")


class Variety(Owned):
    """A named kind of a crop."""

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="varieties")
    name = models.CharField(max_length=80)
    days_min = models.PositiveIntegerField(
        "days to the first lift, from",
        null=True,
        blank=True,
        validators=DAYS,
        help_text="Empty: as the handbook's.",
    )
    days_max = models.PositiveIntegerField("to", null=True, blank=True, validators=DAYS)

    objects = VarietyQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        ordering = ("name",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "crop", "name", condition=Q(struck_at=None), name="variety_name_in_crop"
            ),
        )

    def __str__(self) -> str:
        return self.name

    is_made_in_passing = True

    def check_can_be_struck(self) -> None:
        if Planting.objects.of(self.household).filter(variety=self).exists():
            raise ValidationError(f"{self} was planted; it stays.")


class SeedLot(Owned):
    """A packet of seed, a bag of tubers, or what was kept:
    where it came from and how much there was.
    """

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="lots")
    variety = models.ForeignKey(
        Variety, on_delete=models.PROTECT, related_name="lots", null=True, blank=True
    )
    name = models.CharField(max_length=80)
    source = models.CharField(max_length=80, blank=True, help_text="Shop, neighbour, swap …")
    kept_from = models.ForeignKey(
        "Planting",
        on_delete=models.PROTECT,
        null=True,
        blank=True,
        related_name="kept_lots",
        verbose_name="own, kept from",
    )
    packed_year = models.PositiveIntegerField(null=True, blank=True, validators=SEASON)
    sow_by = models.DateField("last sowing date", null=True, blank=True, validators=DAY)
    bought_count = models.PositiveIntegerField("how many", null=True, blank=True, validators=WHOLE)
    bought_mg = models.PositiveBigIntegerField("weight", null=True, blank=True)
    price_minor = models.PositiveIntegerField(null=True, blank=True, validators=PRICE)
    notes = models.CharField(max_length=400, blank=True)

    class Meta(Owned.Meta):
        ordering = ("crop__name", "name", "pk")

    def __str__(self) -> str:
        return self.name

    is_made_in_passing = True

    def check_can_be_struck(self) -> None:
        if Planting.objects.of(self.household).filter(lot=self).exists():
            raise ValidationError(f"{self} was planted; it stays.")


class PlantingQuerySet(OwnedQuerySet):
    def as_choices(self) -> Self:
        return self.with_names().order_by("-season", "pk")

    def with_names(self) -> Self:
        return self.select_related("place__site", "part", "crop", "variety", "lot")

    def in_reach(self, day: date) -> Self:
        """Not finished before a day, of whatever season: leeks stand into the new year."""
        return self.filter(Q(finished_on=None) | Q(finished_on__gte=day))

    def not_cleared(self) -> Self:
        """Not finished, or finished while some of it stays in the ground."""
        return self.filter(Q(finished_on=None) | Q(rest=Planting.Rest.LEFT))

    def as_they_stand(self) -> Self:
        """In the order of their places: by set and number, as one walks past them."""
        return self.order_by(
            "place__site_id", "place__name", F("place__number").asc(nulls_first=True), "pk"
        )


def planting_label(crop: str, variety: str, *, is_doubtful: bool = False) -> str:
    """How a planting is called: ``shallot ‘Lantern Row’``,
    with a question mark where that is in doubt.
    """
    return (
        f"{crop} ‘{variety}’{'?' if is_doubtful else ''}" if variety else f"{crop}, variety unknown"
    )


class Planting(Owned):
    """One variety in one place or part from one date, in a counted number of units."""

    class Layout(models.TextChoices):
        ROWS = "rows", "rows"
        DOUBLE = "double rows", "double rows"
        BLOCK = "block", "a block"
        MOUNDS = "mounds", "mounds"
        CELLS = "cells", "cells"
        CONTAINER = "container", "as the container holds"
        SCATTERED = "scattered", "scattered"

    class Kinship(models.TextChoices):
        COHORT = "cohort", "was sown into the gaps of"
        REPLACES = "replaces", "replaces"

    class Rest(models.TextChoices):
        LIFTED = "lifted", "were lifted too, in the lines written"
        NOTHING = "nothing", "gave nothing"
        LEFT = "left", "stay in the ground"

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="plantings")
    part = models.ForeignKey(
        Part, on_delete=models.PROTECT, related_name="plantings", null=True, blank=True
    )
    share = models.FloatField("share of the space", null=True, blank=True, validators=SHARE)
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="plantings")
    variety = models.ForeignKey(
        Variety, on_delete=models.PROTECT, related_name="plantings", null=True, blank=True
    )
    is_variety_doubtful = models.BooleanField("the variety is in doubt", default=False)
    lot = models.ForeignKey(
        SeedLot, on_delete=models.PROTECT, related_name="plantings", null=True, blank=True
    )
    lot_mg = models.PositiveBigIntegerField("weight sown or set", null=True, blank=True)
    season = models.PositiveIntegerField(validators=SEASON)
    planted_on = models.DateField(null=True, blank=True, validators=DAY)
    planted_precision = models.CharField(
        max_length=6, default="day", choices=[(p, p) for p in PRECISIONS]
    )
    units = models.PositiveIntegerField(
        null=True, blank=True, validators=[MinValueValidator(1), MaxValueValidator(100_000)]
    )
    units_pm = models.PositiveIntegerField("give or take", null=True, blank=True, validators=WHOLE)
    unit_kind = models.CharField(max_length=40, default=USUAL.key)
    layout = models.CharField("laid out in", max_length=12, blank=True, choices=Layout)
    rows = models.PositiveIntegerField(
        "in rows", null=True, blank=True, validators=[MaxValueValidator(1000)]
    )
    in_row_m = models.FloatField(null=True, blank=True, validators=SPACING)
    row_gap_m = models.FloatField(null=True, blank=True, validators=SPACING)
    depth_m = models.FloatField(null=True, blank=True, validators=SPACING)
    spread_m = models.FloatField(null=True, blank=True, validators=SPACING)
    is_volunteer = models.BooleanField("came up by itself", default=False)
    is_perennial = models.BooleanField("stays over years", default=False)
    kin = models.ForeignKey(
        "self", on_delete=models.PROTECT, null=True, blank=True, related_name="followers"
    )
    kinship = models.CharField(max_length=8, blank=True, choices=Kinship)
    lift_from = models.DateField("not to be lifted before", null=True, blank=True, validators=DAY)
    finished_on = models.DateField(null=True, blank=True, validators=DAY)
    until = models.DateField("stands until", null=True, blank=True, validators=DAY)
    rest = models.CharField(
        "the plants not lifted by themselves", max_length=8, blank=True, choices=Rest
    )
    notes = models.TextField(max_length=2000, blank=True)

    objects = PlantingQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        indexes = (models.Index(fields=("household", "season"), name="planting_by_season"),)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="planting_ends_after_it_starts",
                condition=Q(finished_on=None)
                | Q(planted_on=None)
                | Q(finished_on__gte=F("planted_on"))
                | ~Q(planted_precision="day"),
            ),
        )

    def __str__(self) -> str:
        return f"{self.label} in {self.where}"

    def clean(self) -> None:
        if self.planted and self.finished_on and self.finished_on < self.planted.earliest:
            raise ValidationError(
                {
                    "finished_on": (
                        f"It cannot be done on {self.finished_on} when it was planted "
                        f"{self.planted}."
                    )
                }
            )

    @property
    def label(self) -> str:
        name = self.variety.name if self.variety else ""
        return planting_label(self.crop.name, name, is_doubtful=self.is_variety_doubtful)

    @property
    def where(self) -> str:
        return f"{self.place}, {self.part}" if self.part else str(self.place)

    @property
    def planted(self) -> VagueDate | None:
        return VagueDate(self.planted_on, self.planted_precision) if self.planted_on else None

    @property
    def amount(self) -> str:
        """How many of what, with the doubt: ``about 13 ± 2 seeds``."""
        return amount_words(self.units, self.units_pm, self.unit_kind)

    @property
    def is_sown(self) -> bool:
        return unit_kind(self.unit_kind).from_seed == "sown"

    def stands_on(self, day: date) -> bool:
        """Whether it is in the ground on a day: planted by then, and not finished yet."""
        begins = self.planted_on or date(self.season, 1, 1)
        return begins <= day and (self.finished_on is None or self.finished_on > day)

    @property
    def is_left_in_ground(self) -> bool:
        """Finished, while some of it stays in the ground."""
        return self.finished_on is not None and self.rest == self.Rest.LEFT

    @property
    def soil_share(self) -> float | None:
        """The share of the place it was given: as stated, else its part's."""
        part = self.part.share_of(self.place) if self.part else None
        return part if self.share is None else self.share * (1.0 if part is None else part)

    @property
    def ground_m2(self) -> float | None:
        """Square metres of a bed that it takes, as stated or by its spacing; None where nobody
        said.
        """
        area = self.place.area_m2 if self.place.is_bed else None
        if area is None:
            return None
        if self.soil_share is not None:
            return self.soil_share * area
        if self.units and self.in_row_m and self.row_gap_m:
            return min(self.units * self.in_row_m * self.row_gap_m, area)
        return None


class PlantCount(Dated):
    """What was counted of a planting on a day."""

    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, related_name="counts")
    kind = models.CharField("what was counted", max_length=12, choices=[(k, k) for k in KINDS])
    count = models.PositiveIntegerField("how many", validators=WHOLE)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return f"{self.count} {self.kind}"

    @property
    def event(self) -> CountEvent:
        return CountEvent(self.day, self.kind, self.count)


class YearSaid(Owned):
    """What was said of a year in which nothing of a lasting planting was written down."""

    class Came(models.TextChoices):
        NOTHING = "nothing", "gave nothing"
        UNWEIGHED = "unweighed", "was not weighed"
        UNPICKED = "unpicked", "was left unpicked"

    planting = models.ForeignKey(Planting, on_delete=models.PROTECT, related_name="years_said")
    year = models.PositiveIntegerField(
        validators=[MinValueValidator(1900), MaxValueValidator(2200)]
    )
    came = models.CharField("what came of it", max_length=9, choices=Came)

    class Meta(Owned.Meta):
        ordering = ("year", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                fields=("planting", "year"),
                condition=Q(struck_at=None),
                name="one_word_of_a_year",
            ),
        )

    def __str__(self) -> str:
        return f"{self.planting} {self.get_came_display()} in {self.year}"


class Cost(Owned):
    """A price of one planting, or of a place, shared over the years it lasts."""

    planting = models.ForeignKey(
        Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="costs"
    )
    place = models.ForeignKey(
        Place, on_delete=models.PROTECT, null=True, blank=True, related_name="costs"
    )
    what = models.CharField(max_length=80)
    price_minor = models.PositiveIntegerField(validators=PRICE)
    day = models.DateField("bought on", null=True, blank=True, validators=DAY)
    over_years = models.PositiveIntegerField(
        "lasts years", default=1, validators=[MinValueValidator(1), MaxValueValidator(50)]
    )

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="cost_of_one_thing",
                condition=Q(planting=None, place__isnull=False)
                | Q(planting__isnull=False, place=None),
            ),
        )

    def __str__(self) -> str:
        return self.what


class MethodTag(models.Model):
    """How a planting was grown, so that methods can be compared;
    what is not tagged is not known.
    """

    planting = models.ForeignKey(Planting, on_delete=models.CASCADE, related_name="methods")
    name = models.CharField(max_length=40)
    value = models.CharField(max_length=80)

    class Meta:
        ordering = ("name",)
        constraints = (
            models.UniqueConstraint(fields=("planting", "name"), name="one_value_of_a_method"),
        )

    def __str__(self) -> str:
        return f"{self.name}={self.value}"
