"""Happenings, care jobs with their minutes and water, and photographs."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.storage import FileSystemStorage
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kilter.ground.models import SHARE, Part, Place, Site
from kilter.people.models import DAY, Dated, Owned, OwnedQuerySet
from kilter.set_out.models import Planting

#: A job that is done by sowing once more.
SOW_AGAIN = "sow again"
JOB_LIMIT = [MaxValueValidator(100_000_000)]


def one_of(*names: str) -> Q:
    """Exactly one of some foreign keys is set."""
    found = Q()
    for name in names:
        found |= Q(**{f"{other}__isnull": other != name for other in names})
    return found


class HappeningQuerySet(OwnedQuerySet):
    def with_names(self) -> HappeningQuerySet:
        """With what each happened to."""
        return self.select_related(
            "site",
            "place",
            "part__place",
            "planting__place",
            "planting__part",
            "planting__crop",
            "planting__variety",
        ).prefetch_related("photos")


class Happening(Dated):
    """Something that happened to a site, a place, a part or a planting."""

    class Kind(models.TextChoices):
        DROUGHT = "drought", "drought"
        HEAT = "heat", "heat"
        FROST = "frost", "frost"
        STORM = "storm", "storm or hail"
        SMOKE = "smoke", "smoke"
        PEST = "pest", "pest"
        DISEASE = "disease", "disease"
        DAMAGE = "damage", "damage: nibbled, broken"
        SHADED = "shaded", "shaded by a neighbour"
        LESS_WATER = "watered less", "watered less"
        WATERED = "watered", "watered more"
        FED = "fed", "fed"
        CUT_BACK = "cut back", "cut back"
        NATURAL = "natural", "natural sign"
        OTHER = "other", "something else"

    class Helped(models.TextChoices):
        YES = "yes", "it helped"
        PARTLY = "partly", "it helped partly"
        NO = "no", "it did not help"

    site = models.ForeignKey(
        Site, on_delete=models.PROTECT, null=True, blank=True, related_name="happenings"
    )
    place = models.ForeignKey(
        Place, on_delete=models.PROTECT, null=True, blank=True, related_name="happenings"
    )
    part = models.ForeignKey(
        Part, on_delete=models.PROTECT, null=True, blank=True, related_name="happenings"
    )
    planting = models.ForeignKey(
        Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="happenings"
    )
    kind = models.CharField("what kind", max_length=12, choices=Kind)
    what = models.CharField(
        max_length=80, blank=True, help_text="blight, blackfly, pigeons, a late frost …"
    )
    until = models.DateField("until, if it lasted", null=True, blank=True, validators=DAY)
    lost_share = models.FloatField(null=True, blank=True, validators=SHARE)
    done = models.CharField("what was done", max_length=200, blank=True)
    helped = models.CharField("did it help", max_length=8, blank=True, choices=Helped)
    note = models.CharField(max_length=400, blank=True)

    objects = HappeningQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        ordering = ("-day", "-pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="happened_to_one", condition=one_of("site", "place", "part", "planting")
            ),
        )

    def __str__(self) -> str:
        return f"{self.words}, {self.target}"

    @property
    def words(self) -> str:
        return f"{self.get_kind_display()}: {self.what}" if self.what else self.get_kind_display()

    @property
    def target(self) -> str:
        if self.part:
            return f"{self.part.place}, {self.part}"
        return str(self.site or self.place or self.planting)


class Job(Dated):
    """A care job done, or put aside, for a planting, a place or a site,
    with its minutes and water if wanted.
    """

    site = models.ForeignKey(
        Site, on_delete=models.PROTECT, null=True, blank=True, related_name="jobs"
    )
    planting = models.ForeignKey(
        Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="jobs"
    )
    place = models.ForeignKey(
        Place, on_delete=models.PROTECT, null=True, blank=True, related_name="jobs"
    )
    job = models.CharField(max_length=40)
    is_skipped = models.BooleanField(default=False)
    seconds = models.PositiveIntegerField(null=True, blank=True, validators=JOB_LIMIT)
    water_ml = models.PositiveIntegerField(null=True, blank=True, validators=JOB_LIMIT)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("-day", "-pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="job_for_one", condition=one_of("site", "place", "planting")
            ),
        )

    def __str__(self) -> str:
        return f"{self.job}{' put aside' if self.is_skipped else ''}"

    @property
    def target(self) -> Site | Place | Planting:
        """What it was done for."""
        found = self.planting or self.place or self.site
        assert found is not None
        return found

    @property
    def litres(self) -> float | None:
        return None if self.water_ml is None else self.water_ml / 1000

    @property
    def minutes(self) -> float | None:
        return None if self.seconds is None else self.seconds / 60


class Repeat(Owned):
    """A job that the household set itself: once on a day,
    or every so many days from it until another.
    """

    planting = models.ForeignKey(
        Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="repeats"
    )
    place = models.ForeignKey(
        Place, on_delete=models.PROTECT, null=True, blank=True, related_name="repeats"
    )
    job = models.CharField(max_length=40)
    first_on = models.DateField("first on", validators=DAY)
    every_days = models.PositiveIntegerField(
        "and then every … days",
        null=True,
        blank=True,
        validators=[MinValueValidator(1), MaxValueValidator(400)],
    )
    until = models.DateField("until", null=True, blank=True, validators=DAY)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("first_on", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(name="repeat_for_one", condition=one_of("place", "planting")),
        )

    def __str__(self) -> str:
        return f"{self.job}, {self.how_often}"

    @property
    def target(self) -> Place | Planting:
        """What it is for."""
        found = self.planting or self.place
        assert found is not None
        return found

    @property
    def how_often(self) -> str:
        """How often it comes, in words."""
        begins = f"{self.first_on.day} {self.first_on:%B %Y}"
        if self.every_days is None:
            return f"on {begins}"
        often = "every day" if self.every_days == 1 else f"every {self.every_days} days"
        return (
            f"{often} from "
            f"{begins}{f' until {self.until.day} {self.until:%B %Y}' if self.until else ''}"
        )


class WholeFiles(FileSystemStorage):
    """Keeps a file whole or not at all: where the disk is full, nothing half written is left."""

    def _save(self, name: str, content: Any) -> str:
        try:
            return super()._save(name, content)  # type: ignore[misc]
        except OSError:
            Path(self.path(name)).unlink(missing_ok=True)
            raise


def private_storage() -> FileSystemStorage:
    """Where photographs lie: not under any address; a view checks the household first."""
    return WholeFiles(location=settings.PHOTOS_DIR)


def photo_path(photo: Any, name: str) -> str:
    """A file's path: the household and a random name."""
    return str(Path(str(photo.household_id)) / Path(name).name)


class Photo(Owned):
    """A photograph, resized and without its location data."""

    day = models.DateField("taken on", validators=DAY)
    caption = models.CharField(max_length=200, blank=True)
    file = models.FileField(storage=private_storage, upload_to=photo_path)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    planting = models.ForeignKey(
        Planting, on_delete=models.PROTECT, null=True, blank=True, related_name="photos"
    )
    happening = models.ForeignKey(
        Happening, on_delete=models.PROTECT, null=True, blank=True, related_name="photos"
    )

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return self.caption or f"photograph of {self.day}"
