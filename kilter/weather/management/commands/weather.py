"""``manage.py weather``: a site's record in figures;
reads the station or brings a file in when told to.
"""

from __future__ import annotations

from dataclasses import asdict
from datetime import date
from pathlib import Path
from typing import Any

from django.core.management.base import CommandError, CommandParser

from kilter.core.growing.almanac import FrostYear
from kilter.ground.models import Site
from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.history import Actor
from kilter.people.models import Household
from kilter.weather import actions
from kilter.weather.queries import record_of
from kilter.weather.reading import read_record


class Command(HouseholdCommand):
    help = "Say the frosts, dry spells, hot days and degree days of a site."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--site", required=True, help="name of the site")
        parser.add_argument("--year", type=int, help="the year in figures; today's if not given")
        parser.add_argument("--read", action="store_true", help="read the station first")
        parser.add_argument("--bring", type=Path, help="bring this CSV file in first")

    def run(self, household: Household, options: dict[str, Any]) -> None:
        site = Site.objects.of(household).filter(name=options["site"]).first()
        if site is None:
            raise CommandError(f"There is no site named “{options['site']}”.")
        actor, today = Actor(household), clock.today(household)
        if options["read"]:
            actions.read_station(actor, site, actions.station_of(site, today), today)
        if options["bring"]:
            if not options["bring"].is_file():
                raise CommandError(f"There is no file {options['bring']}.")
            days = read_record(options["bring"].read_bytes())
            actions.keep_days(
                actor,
                site,
                days,
                "file",
                f"{len(days)} days of weather were brought in for {site}.",
            )
        record = record_of(household, site, options["year"] or today.year, today)
        values = {
            "site": site.name,
            "year": record.year,
            "days": record.days,
            "rain_mm": round(record.rain_mm, 1),
            "hot_days": record.hot_days,
            "degree_days": round(record.gdd, 1),
            "dry_spells": [{"start": str(s.start), "end": str(s.end)} for s in record.spells],
            "frosts": [_plain(frost) for frost in record.frosts],
        }
        if options["json"]:
            self.print_json(values)
            return
        plain = [
            [name, str(value)] for name, value in values.items() if not isinstance(value, list)
        ]
        self.print_table(["figure", str(record.year)], plain)
        rows = [
            [str(f.year), str(f.last_spring or "-"), str(f.first_autumn or "-")]
            for f in record.frosts
        ]
        self.print_table(["year", "last frost", "first frost"], rows)


def _plain(frost: FrostYear) -> dict[str, Any]:
    return {
        name: str(value) if isinstance(value, date) else value
        for name, value in asdict(frost).items()
    }
