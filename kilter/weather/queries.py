"""A site's record with what follows from it; and the weather of all sites,
for the rooms that ask.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date, timedelta

from kilter.core.growing.almanac import (
    GDD_BASE_C,
    FrostYear,
    Spell,
    WeatherDay,
    degree_days,
    dry_spells,
    frost_years,
    heat_days,
)
from kilter.core.growing.ready import frost_threat
from kilter.drawing.weather import WeatherPicture, weather_picture
from kilter.ground.models import Site
from kilter.people.models import Household
from kilter.weather.models import SIMULATED, Day

#: How far back Today looks for dry days.
LOOK_BACK_DAYS = 60
#: How warm it has been is told over so many days.
LATELY_DAYS = 7


@dataclass(frozen=True, kw_only=True)
class Record:
    """One site's weather, a year of it drawn."""

    site: Site
    year: int
    years: tuple[int, ...]
    picture: WeatherPicture
    days: int
    frosts: tuple[FrostYear, ...]
    spells: tuple[Spell, ...]
    hot_days: int
    gdd: float
    base_c: float
    rain_mm: float
    ahead: tuple[WeatherDay, ...]


@dataclass(frozen=True)
class SiteSky:
    """What Today asks of a site's weather."""

    recent: tuple[WeatherDay, ...]
    threat: str  #: of frost to the tender, in words
    is_simulated: bool = False  #: part of it is invented by the station that ships with Kilter
    ahead: tuple[WeatherDay, ...] = ()

    @property
    def coldest_ahead_c(self) -> float | None:
        """The coldest night that is expected."""
        return min((day.min_c for day in self.ahead if day.min_c is not None), default=None)

    @property
    def mean_lately_c(self) -> float | None:
        """How warm it was over the last days on record, in the mean of night and day."""
        days = [(day.min_c, day.max_c) for day in self.recent[-LATELY_DAYS:]]
        known = [(low + high) / 2 for low, high in days if low is not None and high is not None]
        return sum(known) / len(known) if known else None


def record_of(
    household: Household, site: Site, year: int, today: date, base_c: float = GDD_BASE_C
) -> Record:
    """A site's whole record, and one year of it in figures."""
    everything = [day.plain for day in Day.objects.of(household).seen(site)]
    of_year = [entry for entry in everything if entry.day.year == year]
    ahead = Day.objects.of(household).ahead(today).filter(site=site)
    return Record(
        site=site,
        year=year,
        years=tuple(sorted({entry.day.year for entry in everything} | {today.year}, reverse=True)),
        picture=weather_picture(of_year, year),
        days=len(of_year),
        frosts=frost_years(everything, is_southern=site.is_southern),
        spells=dry_spells(of_year),
        hot_days=heat_days(of_year),
        gdd=degree_days(of_year, base_c),
        base_c=base_c,
        rain_mm=sum(entry.rain_mm or 0.0 for entry in of_year),
        ahead=tuple(day.plain for day in ahead),
    )


def skies(household: Household, today: date) -> dict[int, SiteSky]:
    """The last weeks and what threatens, for every site with a record; three queries."""
    recent: dict[int, list[WeatherDay]] = defaultdict(list)
    since = Day.objects.of(household).filter(
        is_ahead=False, day__gte=today - timedelta(days=LOOK_BACK_DAYS)
    )
    simulated: set[int] = set()
    for day in since:
        recent[day.site_id].append(day.plain)
        if day.source == SIMULATED:
            simulated.add(day.site_id)
    ahead: dict[int, list[WeatherDay]] = defaultdict(list)
    for day in Day.objects.of(household).ahead(today):
        ahead[day.site_id].append(day.plain)
        if day.source == SIMULATED:
            simulated.add(day.site_id)
    frosts = _frosts(household)
    found = {}
    for pk in recent.keys() | ahead.keys() | frosts.keys():
        earliest, last = frosts.get(pk, (None, None))
        threat = frost_threat(ahead[pk], earliest, today, last)
        found[pk] = SiteSky(tuple(recent[pk]), threat, pk in simulated, tuple(ahead[pk]))
    return found


def _frosts(household: Household) -> dict[int, tuple[date, date]]:
    """On each site's record the earliest first frost of autumn, by its day in the year,
    and the latest frost.
    """
    frosty = Day.objects.of(household).filter(is_ahead=False, min_c__lte=0).select_related("site")
    by_site: dict[int, list[WeatherDay]] = defaultdict(list)
    southern: dict[int, bool] = {}
    for day in frosty:
        by_site[day.site_id].append(day.plain)
        southern[day.site_id] = day.site.is_southern
    found = {}
    for pk, days in by_site.items():
        autumns = [
            y.first_autumn for y in frost_years(days, is_southern=southern[pk]) if y.first_autumn
        ]
        if autumns:
            found[pk] = (
                min(autumns, key=lambda d: d.timetuple().tm_yday),
                max(day.day for day in days),
            )
    return found
