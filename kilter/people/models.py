"""Households, their members and who eats; and the base of every record that a household owns."""

from __future__ import annotations

import secrets
import zoneinfo
from datetime import date
from typing import Any, ClassVar, Self

from django.contrib.auth.models import AbstractUser
from django.contrib.auth.models import UserManager as DjangoUserManager
from django.core.exceptions import ValidationError
from django.core.serializers.json import DjangoJSONEncoder
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from django.utils.crypto import salted_hmac

from kilter.core.amounts.units import DEFAULT_UNITS
from kilter.core.amounts.usual import USUAL_FOLD
from kilter.core.amounts.vague import DATE_ORDERS, FIRST_YEAR, LAST_YEAR, PRECISIONS, VagueDate

INVITE_DAYS = 7
A_YEAR = 52  #: weeks
#: Days that records can be about.
DAY = [MinValueValidator(date(FIRST_YEAR, 1, 1)), MaxValueValidator(date(LAST_YEAR, 12, 31))]


class UserManager(DjangoUserManager["User"]):
    """Finds people by their name in any case: Ada is ada."""

    def get_by_natural_key(self, username: str | None) -> User:
        exact = self.filter(username=username).first()
        alike = list(self.filter(username__iexact=username)[:2]) if exact is None else [exact]
        if (
            len(alike) != 1
        ):  # two of before names were the same in any case: each signs in as written
            raise self.model.DoesNotExist
        return alike[0]


class User(AbstractUser):
    """A person who signs in, or came to the bench by a link and is called by the name they gave."""

    #: Counted up to sign a person out everywhere: sessions of an earlier count are no longer
    #: theirs.
    epoch = models.PositiveIntegerField(default=0, editable=False)
    #: Asked to be deleted; until then it can be undone.
    goes_at = models.DateTimeField(null=True, editable=False)

    objects: ClassVar[UserManager] = UserManager()

    def _get_session_auth_hash(self, secret: Any = None) -> str:
        """Django's own, with the epoch; without one it is unchanged,
        so that nobody is signed out by an upgrade.
        """
        if not self.epoch:
            return super()._get_session_auth_hash(secret=secret)  # type: ignore[misc]
        return salted_hmac(
            "kilter.people.epoch", f"{self.password}{self.epoch}", secret=secret
        ).hexdigest()

    def __str__(self) -> str:
        return self.first_name or self.username


def check_time_zone(name: str) -> None:
    if name not in zoneinfo.available_timezones():
        raise ValidationError(f"“{name}” is no time zone; use one such as Europe/London.")


class Household(models.Model):
    """Those who share a garden; every record belongs to one."""

    class Units(models.TextChoices):
        SCALE = "scale", "as a scale shows it: whole numbers are grams, with a point kilograms"
        G = "g", "grams"
        KG = "kg", "kilograms"
        LB = "lb", "pounds"
        OZ = "oz", "ounces"

    class DateOrder(models.TextChoices):
        DAY_FIRST = "dmy", "day first: 23/11"
        MONTH_FIRST = "mdy", "month first: 11/23"

    name = models.CharField(max_length=80)
    time_zone = models.CharField(
        max_length=60, default="Europe/London", validators=[check_time_zone]
    )
    default_unit = models.CharField(
        "a bare number is in", max_length=5, choices=Units, default=Units.SCALE
    )
    is_imperial = models.BooleanField("show pounds", default=False)
    is_decimal_pounds = models.BooleanField(
        "show pounds with decimals, 2.43 lb, not with ounces", default=False
    )
    asks_hand = models.BooleanField("ask at the bench who picked", default=False)
    is_small_food = models.BooleanField(
        "the Small grade is eaten, so it counts as food", default=False
    )
    kitchen_kg_per_week = models.FloatField(
        "what the kitchen can take in a week, kg",
        null=True,
        blank=True,
        validators=[MinValueValidator(0.1), MaxValueValidator(10_000)],
        help_text="Today puts what is to be lifted in an order that fits it. Empty: no limit.",
    )
    date_order = models.CharField(
        "dates are typed", max_length=3, choices=DateOrder, default=DateOrder.DAY_FIRST
    )
    sure_fold = models.PositiveSmallIntegerField(
        "ask about a weight or count this many times above or below the usual",
        default=USUAL_FOLD,
        validators=[MinValueValidator(2), MaxValueValidator(1000)],
    )
    is_moon_shown = models.BooleanField(
        "show the moon, and let it be compared like a method", default=False
    )
    currency = models.CharField("prices are in", max_length=6, default="€", blank=True)
    may_onlookers_take_out = models.BooleanField("onlookers may take the data out", default=False)
    #: Asked to be deleted; until then it can be undone.
    goes_at = models.DateTimeField(null=True, editable=False)
    #: A package is being loaded into it.
    loading_since = models.DateTimeField(null=True, editable=False)
    #: Nobody's: what a load has written so far.
    is_staging = models.BooleanField(default=False, editable=False)
    is_demo = models.BooleanField(default=False, editable=False)
    created_at = models.DateTimeField(auto_now_add=True)

    #: What undoing a change of the settings leaves as it is.
    kept_apart: ClassVar[frozenset[str]] = frozenset(
        {"goes_at", "loading_since", "is_staging", "is_demo", "created_at"}
    )

    class Meta:
        constraints = (
            models.CheckConstraint(
                name="household_unit", condition=Q(default_unit__in=DEFAULT_UNITS)
            ),
            models.CheckConstraint(
                name="household_date_order", condition=Q(date_order__in=DATE_ORDERS)
            ),
        )

    @property
    def system(self) -> str:
        """The unit system it shows masses in, where a browser does not say otherwise."""
        return self.pounds if self.is_imperial else "metric"

    @property
    def pounds(self) -> str:
        """How it shows pounds, where they are shown."""
        return "pounds" if self.is_decimal_pounds else "imperial"

    def __str__(self) -> str:
        return self.name


class Role(models.TextChoices):
    OWNER = "owner", "owner: may do everything"
    HELPER = "helper", "helper: may write harvests"
    BENCH = "bench", "at the bench: weighs in, and sees nothing else"
    ONLOOKER = "onlooker", "onlooker: may look"


class BenchLink(models.Model):
    """A link by which helpers come to the bench without a password, until an owner ends it."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="bench_links")
    token = models.CharField(
        max_length=64, unique=True, default=secrets.token_urlsafe, editable=False
    )
    label = models.CharField(
        "for", max_length=60, help_text="The children; the neighbours in August."
    )
    made_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True, editable=False)

    class Meta:
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.label


class Membership(models.Model):
    """A user's place in a household; a user has one."""

    user = models.OneToOneField(User, on_delete=models.CASCADE, related_name="membership")
    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role)
    link = models.ForeignKey(
        BenchLink, on_delete=models.CASCADE, null=True, related_name="memberships"
    )

    class Meta:
        constraints = (
            models.CheckConstraint(name="membership_role", condition=Q(role__in=Role.values)),
        )

    def __str__(self) -> str:
        return f"{self.user} ({self.role})"

    @property
    def may_write(self) -> bool:
        return self.role in {Role.OWNER, Role.HELPER, Role.BENCH}

    @property
    def is_owner(self) -> bool:
        return self.role == Role.OWNER

    @property
    def may_take_out(self) -> bool:
        """May take the household's data out: owners and helpers,
        and onlookers where an owner allows it.
        """
        if self.role == Role.ONLOOKER:
            return self.household.may_onlookers_take_out
        return self.role in {Role.OWNER, Role.HELPER}

    @property
    def is_guest(self) -> bool:
        """Came by a link to the bench: sees and changes what they wrote today."""
        return self.role == Role.BENCH


class SignIn(models.Model):
    """A session that somebody signed in by, so that it can be seen and ended."""

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="sign_ins")
    session_key = models.CharField(max_length=40, unique=True)
    agent = models.CharField(max_length=200, blank=True)
    began_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return f"{self.user} since {self.began_at:%Y-%m-%d}"


class OwnedQuerySet(models.QuerySet[Any]):
    """The only way in: every query starts from a household."""

    def of(self, household: Household, **also: object) -> Self:
        """Everything of a household that has not been struck;
        ``also`` narrows it in the same go.
        """
        return self.filter(household_id=household.pk, struck_at=None, **also)

    def ever_of(self, household: Household) -> Self:
        """Everything of a household, struck or not."""
        return self.filter(household_id=household.pk)

    def as_choices(self) -> Self:
        """As a form offers them, with what they are called by."""
        return self


def new_ref() -> str:
    """An id for the open format, for records that were not imported."""
    return secrets.token_hex(6)


class Owned(models.Model):
    """A record of a household; struck rather than deleted, so that it can be put back."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE)
    ref = models.CharField("id", max_length=64, default=new_ref, editable=False)
    struck_at = models.DateTimeField(null=True, blank=True, editable=False)

    objects = OwnedQuerySet.as_manager()

    class Meta:
        abstract = True
        constraints: ClassVar[tuple[models.BaseConstraint, ...]] = (
            models.UniqueConstraint(fields=("household", "ref"), name="%(class)s_ref_in_household"),
        )

    #: Made along with something else, such as a crop with its first planting: undoing leaves it
    #: where it is needed.
    is_made_in_passing: ClassVar[bool] = False

    def check_can_be_struck(self) -> None:
        """Raise a `ValidationError` where others still need this record."""


class Dated(Owned):
    """A record of something on a day that may be known to the week, month or season only."""

    day = models.DateField("when", validators=DAY)
    precision = models.CharField(max_length=6, default="day", choices=[(p, p) for p in PRECISIONS])

    class Meta(Owned.Meta):
        abstract = True

    @property
    def when(self) -> VagueDate:
        return VagueDate(self.day, self.precision)


class Eater(Owned):
    """Somebody at the table."""

    name = models.CharField(max_length=60)
    appetite = models.FloatField(
        default=1,
        validators=[MinValueValidator(0), MaxValueValidator(20)],
        help_text="1 is a grown person; half of one is 0.5. Three guests are 3.",
    )
    weeks = models.PositiveIntegerField(
        "weeks of the year at the table", default=A_YEAR, validators=[MaxValueValidator(A_YEAR)]
    )
    is_guest = models.BooleanField(
        "a guest: comes while there is some of everything", default=False
    )

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name


class Invite(models.Model):
    """A link by which somebody joins a household, once."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE)
    role = models.CharField(max_length=10, choices=Role, default=Role.HELPER)
    token = models.CharField(max_length=64, unique=True, default=secrets.token_urlsafe)
    created_at = models.DateTimeField(auto_now_add=True)
    used_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"invite as {self.role}"


class Change(models.Model):
    """One write of a page, in words; `kilter.people.history` makes and undoes it."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE)
    by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    says = models.CharField(max_length=200)
    undone_at = models.DateTimeField(null=True)
    is_undoing = models.BooleanField(default=False)
    #: Who came in, by which link, in which role: told beside what was written, and nothing to undo.
    is_note = models.BooleanField(default=False)

    class Meta:
        ordering = ("-pk",)

    saved: tuple[Any, ...] = ()  # what was saved in this request; not stored

    def __str__(self) -> str:
        return self.says


class ChangedRecord(models.Model):
    """What one record was before a change; null where it was made by it."""

    change = models.ForeignKey(Change, on_delete=models.CASCADE, related_name="records")
    model = models.CharField(max_length=60)
    record_id = models.BigIntegerField()
    before = models.JSONField(null=True, encoder=DjangoJSONEncoder)

    class Meta:
        indexes = (models.Index(fields=("model", "record_id"), name="changed_record"),)

    def __str__(self) -> str:
        return f"{self.model} {self.record_id}"


class ServerState(models.Model):
    """One row: what the server remembers of itself between starts."""

    #: The last day on which nothing spoke against the machine's clock.
    seen_on = models.DateField()
    #: A day that is too far from it; until an owner says that it is right nothing is deleted.
    doubted_on = models.DateField(null=True)
    backed_up_at = models.DateTimeField(null=True)
    #: Why the last nightly backup failed; empty where it did not.
    backup_problem = models.CharField(max_length=300, blank=True)

    def __str__(self) -> str:
        return f"this server, last seen on {self.seen_on}"
