"""Stores and crates, what went into them and out of them, when it ran out, and what things cost."""

from __future__ import annotations

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from kilter.core.handbook.storing import STORES, Keeps, keeps
from kilter.core.larder.amount import much_words
from kilter.core.trade import uses
from kilter.core.trade.uses import MOVED
from kilter.ground.models import PRICE, Site
from kilter.people.models import DAY, Change, Dated, Owned
from kilter.set_out.models import SEASON, Crop, SeedLot, Variety
from kilter.weigh_in.models import MASS, MAX_COUNT, WeighIn, new_client_id

SHARE = [MinValueValidator(1), MaxValueValidator(2**53)]
YEARS = [MinValueValidator(1), MaxValueValidator(50)]


class Store(Owned):
    """Where crates stand: a cellar, a shelf, the ground itself."""

    name = models.CharField("called", max_length=60)
    kind = models.CharField("what it is", max_length=16, choices=[(kind, kind) for kind in STORES])
    site = models.ForeignKey(
        Site,
        on_delete=models.PROTECT,
        null=True,
        blank=True,
        related_name="stores",
        help_text="If it is outdoors or unheated: whose weather it has.",
    )
    celsius = models.FloatField(
        "how warm, °C",
        null=True,
        blank=True,
        validators=[MinValueValidator(-40), MaxValueValidator(50)],
    )
    damp_percent = models.PositiveIntegerField(
        "how damp, %", null=True, blank=True, validators=[MaxValueValidator(100)]
    )
    room_mg = models.PositiveBigIntegerField("holds about", null=True, blank=True, validators=MASS)
    room_l = models.FloatField(
        "its room, litres",
        null=True,
        blank=True,
        validators=[MinValueValidator(0.1), MaxValueValidator(100_000)],
    )
    look_every_days = models.PositiveIntegerField(
        "looked through every … days",
        null=True,
        blank=True,
        validators=[MinValueValidator(1), MaxValueValidator(365)],
    )

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name

    is_made_in_passing = True

    def check_can_be_struck(self) -> None:
        if Crate.objects.of(self.household).filter(store=self, emptied_on=None).exists():
            raise ValidationError(f"Crates stand in {self}; move or empty them first.")


class State(models.TextChoices):
    FRESH = "fresh", "fresh"
    CURING = "curing", "curing"
    CURED = "cured", "cured"
    FROZEN = "frozen", "frozen"
    DRIED = "dried", "dried"
    BOTTLED = "bottled", "bottled"


#: Of what is kept so the pieces are no longer counted.
PRESERVED = (State.FROZEN, State.DRIED, State.BOTTLED)


class Crate(Dated):
    """What lies together: of one crop, in one store, in one state.

    What is in it is reckoned from its entries.
    """

    store = models.ForeignKey(Store, on_delete=models.PROTECT, related_name="crates")
    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="crates")
    variety = models.ForeignKey(
        Variety, on_delete=models.PROTECT, null=True, blank=True, related_name="crates"
    )
    season = models.PositiveIntegerField(validators=SEASON)
    state = models.CharField(max_length=8, choices=State, default=State.FRESH)
    cure_until = models.DateField("cures until", null=True, blank=True, validators=DAY)
    keep_until = models.DateField("keeps until", null=True, blank=True, validators=DAY)
    eat_first = models.BooleanField("to be eaten first", default=False)
    jars = models.PositiveIntegerField(
        "jars, bags or tubs", null=True, blank=True, validators=[MaxValueValidator(MAX_COUNT)]
    )
    added_mg = models.PositiveBigIntegerField(
        "water, sugar or salt added", null=True, blank=True, validators=MASS
    )
    emptied_on = models.DateField("empty since", null=True, blank=True, validators=DAY)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")
        indexes = (models.Index(fields=("household", "season"), name="crate_by_season"),)

    def __str__(self) -> str:
        return f"{self.label} in {self.store}"

    def check_can_be_struck(self) -> None:
        if PutBy.objects.of(self.household).filter(crate=self).exists():
            raise ValidationError(f"Something was put into {self}; strike that first.")

    @property
    def label(self) -> str:
        name = f"{self.crop} ‘{self.variety}’" if self.variety else str(self.crop)
        return f"{name}, {self.state}" if self.state not in {State.FRESH, State.CURED} else name

    @property
    def keeps(self) -> Keeps:
        """How long such a thing keeps in such a store, by the handbook."""
        return keeps(self.crop.in_handbook, self.store.kind, self.state)


#: What an entry says: a use, or that it was moved.
ENTRIES = [*uses.CHOICES, (MOVED, "moved")]


class PutBy(Dated):
    """A share of a line of the tape goes into a crate, or is used at once."""

    line = models.ForeignKey(WeighIn, on_delete=models.PROTECT, related_name="put_by")
    crate = models.ForeignKey(
        Crate, on_delete=models.PROTECT, null=True, blank=True, related_name="put_by"
    )
    use = models.CharField("used at once", max_length=13, blank=True, choices=uses.CHOICES)
    lot = models.ForeignKey(
        SeedLot, on_delete=models.PROTECT, null=True, blank=True, related_name="put_by"
    )
    share_part = models.PositiveBigIntegerField("part of the line", default=1, validators=SHARE)
    share_whole = models.PositiveBigIntegerField("of so many parts", default=1, validators=SHARE)

    class Meta(Owned.Meta):
        ordering = ("pk",)
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="put_by_crate_or_use",
                condition=Q(crate=None) & ~Q(use="") | Q(crate__isnull=False, use=""),
            ),
            models.CheckConstraint(
                name="put_by_a_share",
                condition=Q(share_part__gte=1, share_part__lte=F("share_whole")),
            ),
        )

    def __str__(self) -> str:
        return f"{self.line} put by"


class Using(Dated):
    """What left a crate, or what was lifted and put nowhere: eaten, given, spoiled,
    moved into another crate.
    """

    crate = models.ForeignKey(
        Crate, on_delete=models.PROTECT, null=True, blank=True, related_name="usings"
    )
    crop = models.ForeignKey(
        Crop, on_delete=models.PROTECT, null=True, blank=True, related_name="usings"
    )
    season = models.PositiveIntegerField(null=True, blank=True, validators=SEASON)
    use = models.CharField("what became of it", max_length=13, choices=ENTRIES)
    into = models.ForeignKey(
        Crate, on_delete=models.PROTECT, null=True, blank=True, related_name="filled_by"
    )
    #: Empty where only pieces are known; then it takes the same share of the mass that lies there.
    mass_mg = models.PositiveBigIntegerField(null=True, blank=True)
    pm_mg = models.PositiveBigIntegerField(null=True, blank=True)
    count = models.FloatField(
        null=True, blank=True, validators=[MinValueValidator(0), MaxValueValidator(MAX_COUNT)]
    )
    balance_mg = models.PositiveBigIntegerField(
        null=True, editable=False
    )  # what lay there before, as the device saw it
    is_look = models.BooleanField("the crate was looked through", default=False)
    meal = models.CharField(
        max_length=32, blank=True, editable=False
    )  # takings of one meal share it
    note = models.CharField(max_length=200, blank=True)

    #: The event that wrote it, as for a line of the bench.
    client_id = models.CharField(max_length=32, default=new_client_id, editable=False)
    typed = models.CharField(max_length=60, blank=True, editable=False)
    written_at = models.DateTimeField(null=True, editable=False)
    written_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, editable=False
    )

    took_mg = 0  # its mass, or what its pieces took of the mass, as the ledger reckons; not stored
    is_all = False  # nothing is left of the crate after it, as it was written; not stored
    change: Change | None = None  # that wrote it, in this request; not stored

    class Meta(Owned.Meta):
        ordering = ("day", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(fields=("household", "client_id"), name="using_stored_once"),
            models.CheckConstraint(
                name="using_says_how_much",
                condition=Q(mass_mg__isnull=False) | Q(count__isnull=False),
            ),
            models.CheckConstraint(
                name="using_of_crate_or_crop",
                condition=Q(crate__isnull=False, crop=None, season=None)
                | Q(crate=None, crop__isnull=False, season__isnull=False),
            ),
            models.CheckConstraint(
                name="using_moved_into_a_crate",
                condition=Q(use=MOVED, into__isnull=False, crate__isnull=False)
                | ~Q(use=MOVED) & Q(into=None),
            ),
        )

    def __str__(self) -> str:
        return f"{self.get_use_display()}, of {self.crate or self.crop}"

    def in_words(self, system: str = "metric") -> str:
        """How much it says: ``800 g``, ``6 pieces``."""
        return much_words(self.mass_mg, self.count, system)


class Supply(Dated):
    """Whether there was enough of a crop: when it ran out, or that there was too much."""

    class Said(models.TextChoices):
        RAN_OUT = "ran out", "ran out"
        TOO_MUCH = "too much", "too much"
        WANTED_MORE = "wanted more", "wanted more"

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="supplies")
    season = models.PositiveIntegerField("of the season", validators=SEASON)
    said = models.CharField("what is said", max_length=11, choices=Said, default=Said.RAN_OUT)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return f"{self.crop}: {self.said}"


class Trimming(Dated):
    """What was left for the table of what was weighed before trimming."""

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="trimmings")
    before_mg = models.PositiveBigIntegerField("weight before", validators=MASS)
    after_mg = models.PositiveBigIntegerField("weight after", validators=MASS)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="trimmed_is_less", condition=Q(after_mg__lte=F("before_mg"))
            ),
        )

    def __str__(self) -> str:
        return f"{self.crop} trimmed"


class Price(Owned):
    """What a crop costs in the shop, by the household's own word, from a day on."""

    class Per(models.TextChoices):
        KG = "kg", "a kilogram"
        PIECE = "piece", "a piece"

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="prices")
    price_minor = models.PositiveIntegerField(validators=PRICE)
    per = models.CharField(max_length=5, choices=Per, default=Per.KG)
    from_day = models.DateField("from", validators=DAY)

    class Meta(Owned.Meta):
        ordering = ("crop__name", "from_day", "pk")

    def __str__(self) -> str:
        return f"price of {self.crop}"


class Expense(Owned):
    """What was paid for the garden and is of no one place: a tool, netting, feed, water."""

    what = models.CharField(max_length=80)
    price_minor = models.PositiveIntegerField(validators=PRICE)
    day = models.DateField("bought on", validators=DAY)
    over_years = models.PositiveIntegerField("lasts years", default=1, validators=YEARS)
    crop = models.ForeignKey(
        Crop,
        on_delete=models.PROTECT,
        null=True,
        blank=True,
        related_name="expenses",
        help_text="Empty: of the whole garden, shared by area and by how long each crop stood.",
    )

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return self.what


class Bulk(Owned):
    """Whether what was lifted of a crop on a day is a bulk harvest or of the weekly basket,
    where that was said.
    """

    crop = models.ForeignKey(Crop, on_delete=models.PROTECT, related_name="bulks")
    day = models.DateField(validators=DAY)
    is_bulk = models.BooleanField("a bulk harvest", default=False)

    class Meta(Owned.Meta):
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(
                "household", "crop", "day", condition=Q(struck_at=None), name="bulk_said_once"
            ),
        )

    def __str__(self) -> str:
        return f"{self.crop} on {self.day}: {'in bulk' if self.is_bulk else 'of the weekly basket'}"
