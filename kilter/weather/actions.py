"""Writes of the weather: a station read, a file brought in."""

from __future__ import annotations

import zlib
from datetime import date, timedelta

from kilter.core.growing.almanac import WeatherDay
from kilter.devices.station import SimulatedStation, StationLine, read_ahead, read_days
from kilter.ground.models import Site
from kilter.people.history import Actor, changing
from kilter.people.models import Change
from kilter.weather.models import SIMULATED, Day, weather_ref

FIRST_READ_DAYS = 3 * 365
AHEAD_DAYS = 5
STATION = SIMULATED


def station_of(site: Site, today: date) -> StationLine:
    """The station that ships with Kilter, for a site's latitude;
    a real one would speak through the same line.
    """
    latitude = 50.0 if site.latitude is None else site.latitude
    return SimulatedStation(latitude, zlib.crc32(site.ref.encode()), today)


def read_station(actor: Actor, site: Site, line: StationLine, today: date) -> Change:
    """Read what the station measured since it was last read, and what it expects."""
    known = Day.objects.of(actor.household).seen(site).filter(source=STATION)
    last = known.values_list("day", flat=True).last()
    start = last + timedelta(days=1) if last else today - timedelta(days=FIRST_READ_DAYS)
    yesterday = today - timedelta(days=1)
    seen = read_days(line, start, yesterday) if start <= yesterday else []
    ahead = read_ahead(line, AHEAD_DAYS)
    says = f"{len(seen)} days were read from the station of {site}, and {len(ahead)} ahead."
    return keep_days(actor, site, seen, STATION, says, ahead)


def keep_days(
    actor: Actor,
    site: Site,
    seen: list[WeatherDay],
    source: str,
    says: str,
    ahead: list[WeatherDay] | None = None,
) -> Change:
    """Keep measured days, replacing what was known of them, and what is expected."""
    with changing(actor, says) as recorder:
        for entries, is_ahead in ((seen, False), (ahead or [], True)):
            known = {
                d.day: d
                for d in Day.objects.ever_of(actor.household).filter(site=site, is_ahead=is_ahead)
            }
            if is_ahead and ahead is not None:
                expected = {entry.day for entry in ahead}
                recorder.strike(
                    *(d for d in known.values() if d.struck_at is None and d.day not in expected)
                )
            fresh = []
            for entry in entries:
                record = known.get(entry.day) or Day(
                    household=actor.household, site=site, day=entry.day
                )
                record.min_c, record.max_c, record.rain_mm = entry.min_c, entry.max_c, entry.rain_mm
                record.soil_c = entry.soil_c
                record.source, record.is_ahead, record.struck_at = source, is_ahead, None
                record.ref = weather_ref(site, entry.day) + ("-ahead" if is_ahead else "")
                if record.pk:
                    recorder.save(record)
                else:
                    fresh.append(record)
            recorder.make(Day, fresh)
    return recorder.change
