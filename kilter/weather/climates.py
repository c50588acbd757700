"""What is known of each site's year, from its record and by the gardener's word."""

from __future__ import annotations

from collections import defaultdict
from datetime import date

from kilter.core.growing.almanac import WeatherDay, frost_years
from kilter.core.growing.climate import Climate
from kilter.core.growing.season import HALF_YEAR, day_in, years_on_record
from kilter.ground.models import Site
from kilter.people.models import Household
from kilter.people.unchanged import while_unchanged
from kilter.weather.models import Day


def climates_of(household: Household) -> dict[str, Climate]:
    """By the name of the site, the first site first; read once while nothing is written."""
    return while_unchanged(("climates", household.pk), lambda: _climates(household))


def _climates(household: Household) -> dict[str, Climate]:
    days: dict[int, list[WeatherDay]] = defaultdict(list)
    columns = "site_id", "day", "min_c", "max_c", "rain_mm", "soil_c"
    seen = Day.objects.of(household).filter(is_ahead=False).order_by()
    for site, *rest in seen.values_list(*columns):
        days[site].append(WeatherDay(*rest))
    return {site.name: _climate(site, days.get(site.pk, [])) for site in Site.objects.of(household)}


def _climate(site: Site, record: list[WeatherDay]) -> Climate:
    frosts = frost_years(record, is_southern=site.is_southern)
    return Climate(
        years_on_record(record, is_southern=site.is_southern),
        site.latitude,
        _stated(site, site.last_frost_on),
        _stated(site, site.first_frost_on),
        tuple(year.first_autumn for year in frosts if year.first_autumn is not None),
    )


def _stated(site: Site, day: date | None) -> int | None:
    if day is None:
        return None
    found = day_in(day.year, day)
    return found - 365 if site.is_southern and found > HALF_YEAR else found
