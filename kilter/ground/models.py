"""Where things grow: sites, the beds and containers in them and their parts, moves,
and what they are filled with.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Self

from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from kilter.core.errors import RecordError
from kilter.core.growing.medium import EVENTS, FillEvent, parse_recipe
from kilter.core.growing.places import ground_area_m2
from kilter.core.growing.position import EDGE, MIDDLE, third
from kilter.core.growing.whereabouts import Departure, Situation, Stay, stays
from kilter.core.trade.places import place_kind
from kilter.people.models import DAY, Dated, Household, Owned, OwnedQuerySet

POSITIVE = [MinValueValidator(0.01), MaxValueValidator(10_000)]
ON_MAP = [MinValueValidator(-10_000), MaxValueValidator(10_000)]
SHARE = [MinValueValidator(0.0), MaxValueValidator(1.0)]
PRICE = [MaxValueValidator(100_000_000)]
COVERED = ("under glass", "under film")
SHELTERS = ("open", "fence", "wall", "under a tree", *COVERED)
#: How wide the edge of a bed is where nobody says otherwise, metres (rule).
RIM_M = 0.3


class Light(models.TextChoices):
    FULL_SUN = "full sun", "full sun"
    PART_SHADE = "part shade", "part shade"
    SHADE = "shade", "shade"


class Moisture(models.TextChoices):
    DRY = "dry", "dry"
    EVEN = "even", "even"
    WET = "wet", "wet"


class Compass(models.TextChoices):
    N = "N", "north"
    NE = "NE", "north-east"
    E = "E", "east"
    SE = "SE", "south-east"
    S = "S", "south"
    SW = "SW", "south-west"
    W = "W", "west"
    NW = "NW", "north-west"


class Site(Owned):
    """A piece of land some way from the others."""

    name = models.CharField(max_length=80)
    length_m = models.FloatField("length, m", null=True, blank=True, validators=POSITIVE)
    width_m = models.FloatField("width, m", null=True, blank=True, validators=POSITIVE)
    light = models.CharField(max_length=12, blank=True, choices=Light)
    light_when = models.CharField(
        "light comes when", max_length=80, blank=True, help_text="from noon; until four …"
    )
    shelter = models.CharField(
        max_length=40, blank=True, help_text="open, fence, under a tree, under glass …"
    )
    away_min = models.PositiveIntegerField(
        "minutes to get there", null=True, blank=True, validators=[MaxValueValidator(10_000)]
    )
    path_m = models.FloatField(
        "paths between beds, m wide",
        null=True,
        blank=True,
        validators=POSITIVE,
        help_text="For yields with paths: a bed is charged half of those beside it.",
    )
    latitude = models.FloatField(
        "latitude, °",
        null=True,
        blank=True,
        validators=[MinValueValidator(-66), MaxValueValidator(66)],
        help_text="South is below zero. For the simulated weather station and for day length.",
    )
    last_frost_on = models.DateField(
        "average day of the last frost in spring",
        null=True,
        blank=True,
        validators=DAY,
        help_text="The year does not matter. Used until eight years of weather are on record.",
    )
    first_frost_on = models.DateField(
        "average day of the first frost in autumn",
        null=True,
        blank=True,
        validators=DAY,
        help_text="The year does not matter.",
    )
    north_deg = models.FloatField(
        "north lies, ° clockwise from the top of the map",
        default=0,
        validators=[MinValueValidator(-360), MaxValueValidator(360)],
    )
    notes = models.TextField(max_length=2000, blank=True)

    class Meta(Owned.Meta):
        ordering = ("pk",)

    def __str__(self) -> str:
        return self.name

    @property
    def is_southern(self) -> bool:
        return (self.latitude or 0) < 0

    def check_can_be_struck(self) -> None:
        if Place.objects.of(self.household).filter(site=self).exists():
            raise ValidationError(f"{self} still has places; strike those first.")


def place_label(name: str, number: int | None) -> str:
    """How a place is called: ``Crate 5``."""
    return name if number is None else f"{name} {number}"


class PlaceQuerySet(OwnedQuerySet):
    def as_choices(self) -> Self:
        return self.in_order()

    def in_order(self) -> Self:
        """As they stand: by site, set and number."""
        return self.select_related("site").order_by(
            "site_id", "name", F("number").asc(nulls_first=True), "pk"
        )


class Place(Owned):
    """A bed or a container; containers of a set share a name and are numbered."""

    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="places")
    kind = models.CharField(
        max_length=40, help_text="bed, raised bed, pot, crate, crock, pail, tray …"
    )
    name = models.CharField(max_length=80)
    number = models.PositiveIntegerField(null=True, blank=True)
    length_m = models.FloatField("length, m", null=True, blank=True, validators=POSITIVE)
    width_m = models.FloatField("width, m", null=True, blank=True, validators=POSITIVE)
    diameter_m = models.FloatField(
        "diameter, m", null=True, blank=True, validators=POSITIVE, help_text="Of what is round."
    )
    depth_m = models.FloatField("depth, m", null=True, blank=True, validators=POSITIVE)
    volume_l = models.FloatField(
        "volume on the label, L", null=True, blank=True, validators=POSITIVE
    )
    material = models.CharField(max_length=40, blank=True)
    x_m = models.FloatField("east, m", null=True, blank=True, validators=ON_MAP)
    y_m = models.FloatField("north, m", null=True, blank=True, validators=ON_MAP)
    light = models.CharField(
        max_length=12, blank=True, choices=Light, help_text="Empty: as the site's."
    )
    moisture = models.CharField(max_length=8, blank=True, choices=Moisture)
    height_m = models.FloatField(
        "height of what stands on it, m",
        null=True,
        blank=True,
        validators=POSITIVE,
        help_text="A trellis, climbers.",
    )
    shade_side = models.CharField("it shades to the", max_length=2, blank=True, choices=Compass)
    empty_kg = models.FloatField(
        "weight when empty, kg", null=True, blank=True, validators=POSITIVE
    )
    is_above_waist = models.BooleanField("is lifted above the waist", default=False)
    is_rooted_through = models.BooleanField("roots grow out of the bottom", default=False)
    notes = models.TextField(max_length=2000, blank=True)

    objects = PlaceQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(
                name="place_sizes_positive",
                condition=(Q(length_m=None) | Q(length_m__gt=0))
                & (Q(width_m=None) | Q(width_m__gt=0))
                & (Q(volume_l=None) | Q(volume_l__gt=0)),
            ),
        )

    def __str__(self) -> str:
        return place_label(self.name, self.number)

    @property
    def is_bed(self) -> bool:
        return place_kind(self.kind).is_bed

    @property
    def is_covered(self) -> bool:
        """Whether it stands under glass or film, where the first frost does not reach."""
        return place_kind(self.kind).is_covered or self.site.shelter in COVERED

    @property
    def area_m2(self) -> float | None:
        return ground_area_m2(self.length_m, self.width_m, self.diameter_m)

    @property
    def spot(self) -> Situation:
        return Situation(self.site.name, self.light or self.site.light, self.x_m, self.y_m)


class Part(Owned):
    """A stretch along a bed, its edge or its middle, with light and dryness of its own."""

    class Kind(models.TextChoices):
        STRETCH = "stretch", "a stretch along it"
        EDGE = "edge", "the edge all round"
        MIDDLE = "middle", "the middle"

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="parts")
    name = models.CharField(max_length=40)
    kind = models.CharField(max_length=8, choices=Kind, default=Kind.STRETCH)
    start = models.FloatField("from, share of its length", default=0, validators=SHARE)
    end = models.FloatField("to", default=1, validators=SHARE)
    light = models.CharField(
        max_length=12, blank=True, choices=Light, help_text="Empty: as the place's."
    )
    moisture = models.CharField(max_length=8, blank=True, choices=Moisture)
    notes = models.CharField(max_length=400, blank=True)

    class Meta(Owned.Meta):
        ordering = ("place_id", "start", "pk")
        constraints = (
            *Owned.Meta.constraints,
            models.CheckConstraint(name="part_has_length", condition=Q(start__lt=F("end"))),
        )

    def __str__(self) -> str:
        return self.name

    @property
    def edge(self) -> str | None:
        """At the edge of its place or in the middle; None for a stretch, which is of both."""
        return {self.Kind.EDGE: EDGE, self.Kind.MIDDLE: MIDDLE}.get(self.Kind(self.kind))

    @property
    def along(self) -> str | None:
        """In which third of its place a stretch lies."""
        return third((self.start + self.end) / 2) if self.kind == self.Kind.STRETCH else None

    def share_of(self, place: Place) -> float:
        """The share of the place's area that lies in this part."""
        if self.kind == self.Kind.STRETCH:
            return self.end - self.start
        if place.length_m is None or place.width_m is None:
            return 0.5
        inner = (
            max(place.length_m - 2 * RIM_M, 0)
            * max(place.width_m - 2 * RIM_M, 0)
            / (place.length_m * place.width_m)
        )
        return inner if self.kind == self.Kind.MIDDLE else 1 - inner


class Move(Dated):
    """A place was moved: the spot it left. Where it stands now is on the place itself."""

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="moves")
    left_site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="departures")
    left_x_m = models.FloatField(null=True, blank=True, validators=ON_MAP)
    left_y_m = models.FloatField(null=True, blank=True, validators=ON_MAP)
    left_light = models.CharField(max_length=12, blank=True, choices=Light)
    note = models.CharField(max_length=200, blank=True)

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        return f"{self.place} moved, {self.when}"

    @property
    def departure(self) -> Departure:
        light = self.left_light or self.left_site.light
        return Departure(
            self.day, Situation(self.left_site.name, light, self.left_x_m, self.left_y_m)
        )


def stays_of(place: Place, moves: Iterable[Move]) -> tuple[Stay, ...]:
    """Where a place stood when, oldest first; its site and those of the moves must be at hand."""
    return stays(place.spot, [move.departure for move in moves])


def stood_on(
    place: Place, moves: Iterable[Move], day: date
) -> tuple[int, float | None, float | None]:
    """The site and spot of a place on a day: what the first move after it left,
    else where it stands.
    """
    later = sorted((move for move in moves if move.day > day), key=lambda move: move.day)
    if later:
        return later[0].left_site_id, later[0].left_x_m, later[0].left_y_m
    return place.site_id, place.x_m, place.y_m


class Mix(Owned):
    """A growing medium by its parts."""

    name = models.CharField(max_length=60)
    recipe = models.CharField(
        max_length=300, blank=True, help_text="Parts by volume: compost 2; sand 1."
    )

    class Meta(Owned.Meta):
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name

    def clean(self) -> None:
        try:
            parse_recipe(self.recipe)
        except RecordError as error:
            raise ValidationError({"recipe": str(error)}) from error

    @property
    def parts(self) -> dict[str, float]:
        """Its parts by volume; nothing where an old package brought in what cannot be read."""
        try:
            return parse_recipe(self.recipe)
        except RecordError:
            return {}


class Fill(Dated):
    """One thing done to the medium of a place."""

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="fills")
    kind = models.CharField(
        "what was done", max_length=10, choices=[(e, e) for e in EVENTS], default="filled"
    )
    litres = models.FloatField(
        null=True, blank=True, validators=[MinValueValidator(0), MaxValueValidator(100_000)]
    )
    mix = models.ForeignKey(
        Mix, on_delete=models.PROTECT, null=True, blank=True, related_name="fills"
    )
    came_from = models.ForeignKey(
        Place,
        on_delete=models.PROTECT,
        null=True,
        blank=True,
        related_name="passed_on",
        verbose_name="medium came from",
    )
    price_minor = models.PositiveIntegerField(null=True, blank=True, validators=PRICE)
    over_uses = models.PositiveIntegerField(
        "price shared over uses",
        default=1,
        validators=[MinValueValidator(1), MaxValueValidator(50)],
    )
    note = models.CharField(
        max_length=200, blank=True, help_text="How it feels: crumbly, sour, full of roots …"
    )

    class Meta(Owned.Meta):
        ordering = ("day", "pk")

    def __str__(self) -> str:
        litres = f", {self.litres:g} L" if self.litres is not None else ""
        return f"{self.kind}{litres}{f', {self.mix}' if self.mix else ''}"

    @property
    def event(self) -> FillEvent:
        return FillEvent(self.day, self.kind, self.litres)


def sites_of(household: Household) -> list[Site]:
    """A household's sites with their places, in the order they were made."""
    places = models.Prefetch(
        "places", Place.objects.of(household).in_order(), to_attr="standing_places"
    )
    return list(Site.objects.of(household).prefetch_related(places))
