"""A site's weather, day by day, and what the station expects."""

from __future__ import annotations

from datetime import date
from typing import Self

from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from kilter.core.growing.almanac import COLDEST_C, HOTTEST_C, WETTEST_MM, WeatherDay
from kilter.ground.models import Site
from kilter.people.models import DAY, Owned, OwnedQuerySet

DEGREES = [MinValueValidator(COLDEST_C), MaxValueValidator(HOTTEST_C)]


class DayQuerySet(OwnedQuerySet):
    def seen(self, site: Site) -> Self:
        """What was measured at a site, in order."""
        return self.filter(site=site, is_ahead=False).order_by("day")

    def ahead(self, today: date) -> Self:
        """What is expected from today on."""
        return self.filter(is_ahead=True, day__gte=today).order_by("day")


class Day(Owned):
    """One day at one site, measured or expected."""

    site = models.ForeignKey(Site, on_delete=models.PROTECT, related_name="weather")
    day = models.DateField(validators=DAY)
    min_c = models.FloatField("minimum, °C", null=True, blank=True, validators=DEGREES)
    max_c = models.FloatField("maximum, °C", null=True, blank=True, validators=DEGREES)
    rain_mm = models.FloatField(
        "rain, mm",
        null=True,
        blank=True,
        validators=[MinValueValidator(0), MaxValueValidator(WETTEST_MM)],
    )
    soil_c = models.FloatField("soil, °C", null=True, blank=True, validators=DEGREES)
    source = models.CharField(max_length=40, blank=True)
    is_ahead = models.BooleanField(default=False)

    objects = DayQuerySet.as_manager()  # type: ignore[misc]

    class Meta(Owned.Meta):
        ordering = ("day",)
        constraints = (
            *Owned.Meta.constraints,
            models.UniqueConstraint(fields=("site", "day", "is_ahead"), name="one_weather_a_day"),
        )

    def __str__(self) -> str:
        return f"{self.day} at {self.site}"

    @property
    def plain(self) -> WeatherDay:
        return WeatherDay(self.day, self.min_c, self.max_c, self.rain_mm, self.soil_c)


#: What the station that ships with Kilter is called; its days are invented.
SIMULATED = "simulated station"


def weather_ref(site: Site, day: date) -> str:
    """The id of a site's day in the open format."""
    return f"{site.ref[:52]}-{day}"
