"""What hit the garden, and its weather."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from statistics import mean

from django.urls import reverse

from kilter.core.amounts.units import half_up
from kilter.core.growing.almanac import WeatherDay, degree_days, dry_spells, frost_years
from kilter.look_back.draft.line import BADLY, NOTE, WELL, DraftLine, counted, in_hundred, named, on
from kilter.look_back.season import Season
from kilter.look_back.setbacks import Setback, setbacks_of
from kilter.tending.models import Happening

#: Of a season's days at a site, so many must be known to speak of its warmth (rule).
DAYS_KNOWN = 200


def lines(season: Season) -> Iterator[DraftLine]:
    """All of it."""
    for setback in setbacks_of(season):
        yield _of_setback(season, setback)
    for site, days in season.weather.items():
        yield from _of_weather(season, site, days)


def _of_setback(season: Season, one: Setback) -> DraftLine:
    where = named(
        f"{target} ({in_hundred(lost)} lost)" if lost is not None else target
        for target, lost in one.where
    )
    done = (
        f" {one.done[:1].upper()}{one.done[1:]}{f': {one.helped}' if one.helped else ''}."
        if one.done
        else ""
    )
    worst = max((lost for _, lost in one.where if lost is not None), default=0.1)
    helped = one.entries[0].helped == Happening.Helped.YES
    side = (WELL if helped else NOTE) if one.is_harmless else BADLY
    telling = 20.0 if one.is_harmless else 34 + worst * 30 + min(len(one.where), 6)
    crops = one.crops
    return DraftLine(
        key=f"hit:{one.key}",
        side=side,
        words=f"{one.words[:1].upper()}{one.words[1:]} in {where}, {one.when}.{done}",
        address=f"{reverse('look_back:setbacks')}?season={season.year}",
        rests=counted(len(one.where), "place"),
        telling=telling,
        crop=next(iter(crops)) if len(crops) == 1 else None,
    )


def _of_weather(season: Season, site: int, days: list[WeatherDay]) -> Iterator[DraftLine]:
    """One sentence: frosts, warmth and dry spells against the site's other seasons."""
    by_year: dict[int, list[WeatherDay]] = {}
    for day in days:
        by_year.setdefault(day.day.year, []).append(day)
    own = by_year.pop(season.year, [])
    if not own:
        return
    place = season.sites[site]
    frosts = {year.year: year for year in frost_years(days, is_southern=place.is_southern)}
    this = frosts.pop(season.year, None)
    parts = []
    if this and this.last_spring:
        parts.append(
            "last frost on "
            f"{on(this.last_spring)}{_against([f.last_spring for f in frosts.values()])}"
        )
    if this and this.first_autumn:
        parts.append(
            "first frost on "
            f"{on(this.first_autumn)}{_against([f.first_autumn for f in frosts.values()])}"
        )
    others = [degree_days(of, 10.0) for of in by_year.values() if len(of) >= DAYS_KNOWN]
    if len(own) >= DAYS_KNOWN:
        warmth = degree_days(own, 10.0)
        usual = f" against {half_up(mean(others), 0)} in other years" if others else ""
        parts.append(f"warmth of {half_up(warmth, 0)} degree days over 10 °C{usual}")
    spells = sorted((spell.days for spell in dry_spells(own)), reverse=True)
    parts.append(
        f"longest dry spell {counted(spells[0], 'day')}" if spells else "no dry spell of a week"
    )
    yield DraftLine(
        key=f"sky:{place.ref}",
        side=NOTE,
        words=(
            f"Weather at {place}{' (by the simulated station)' * (site in season.simulated)}: "
            f"{'; '.join(parts)}."
        ),
        address=f"{reverse('weather:site', args=[site])}?year={season.year}",
        rests=f"{counted(len(own), 'day')} on record",
        telling=39.0,
    )


def _against(known: list[date | None]) -> str:
    """The day of another year, or the mean day of several, in words; empty where there are none."""
    days = [day for day in known if day is not None]
    if not days:
        return ""
    if len(days) == 1:
        return f" ({on(days[0])} in {days[0].year})"
    middle = date(2025, 1, 1) + timedelta(round(mean(day.timetuple().tm_yday for day in days)) - 1)
    return f" (in other years about {on(middle)})"
