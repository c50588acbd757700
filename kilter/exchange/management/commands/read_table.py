"""``manage.py read_table``: how each row of any table would be read; with ``--write`` written."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import CommandError, CommandParser

from kilter.core.sheets.kinds import TABLE_KINDS
from kilter.exchange.bring.finishing import FINISH
from kilter.exchange.bring.known import KnownPlanting, known_of
from kilter.exchange.bring.reading import Manner, Reading, read
from kilter.exchange.bring.rows import ReadRow
from kilter.exchange.bring.writing import package_of
from kilter.exchange.loading import load
from kilter.people import clock
from kilter.people.headless import HouseholdCommand
from kilter.people.models import Household
from kilter.tables.brought import sheets_in

COLUMNS = (
    "row",
    "kind",
    "day",
    "crop",
    "variety",
    "place",
    "planting",
    "mass_mg",
    "count",
    "grade",
    "problem",
    "offers",
)


class Command(HouseholdCommand):
    help = "Say how each row of a table (CSV, TSV, ODS, XLSX) would be read."
    makes_household = True

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("path", type=Path)
        parser.add_argument("--kind", choices=[*TABLE_KINDS], default="")
        parser.add_argument("--sheet", default="", help="of a workbook")
        parser.add_argument("--write", action="store_true", help="write what has no problem")
        super().add_arguments(parser)

    def run(self, household: Household, options: dict[str, Any]) -> None:
        path: Path = options["path"]
        if not path.is_file():
            raise CommandError(f"“{path}” is no file.")
        if household.pk is None:
            household.save()
        sheets = sheets_in(path.read_bytes())
        manner = Manner(kind=options["kind"], sheet=options["sheet"])
        reading = read(sheets, manner, known_of(household), FINISH)
        if lacks := reading.lacks:
            raise CommandError(f"{path.name} has no column that says: {', '.join(lacks)}.")
        if options["json"]:
            self.print_json([told(row, reading.kind.key) for row in reading.rows])
        else:
            self._print(reading)
        if options["write"]:
            self._write(reading, household, path.name)

    def _print(self, reading: Reading) -> None:
        rows = [told(row, reading.kind.key) for row in reading.rows]
        self.print_table(
            list(COLUMNS[:-1]), [[_plain(row[name]) for name in COLUMNS[:-1]] for row in rows]
        )
        for note in reading.notes:
            self.stderr.write(note)

    def _write(self, reading: Reading, household: Household, name: str) -> None:
        counts = reading.counts
        if counts["ready"]:
            source = package_of(reading, household, clock.today(household))
            try:
                loaded = load(source, household, says=f"A table was brought: {name}")
            finally:
                source.unlink(missing_ok=True)
            for problem in loaded.problems:
                self.stderr.write(str(problem))
            if not loaded.is_done:
                raise CommandError("Nothing was written.")
        self.stderr.write(
            f"{counts['ready']} rows written; left out: {counts['known']} on record already, "
            f"{counts['asked']} asked about, {counts['problem']} with a problem, {counts['out']} "
            "that say nothing."
        )


def told(row: ReadRow, kind: str) -> dict[str, Any]:
    """A row as scripts read it."""
    said = row.said
    place, planting, mass = said.get("place"), said.get("planting"), said.get("mass")
    return {
        "row": row.line.number,
        "kind": kind,
        "day": said["day"].day.isoformat() if said.get("day") else None,
        "crop": said.get("crop"),
        "variety": said.get("variety") or None,
        "place": getattr(place, "label", place),
        "planting": planting.label if isinstance(planting, KnownPlanting) else planting,
        "mass_mg": mass.mass_mg if mass else None,
        "count": said.get("count"),
        "grade": said.get("grade"),
        "problem": row.problem or ("on record already" if row.is_known else None),
        "offers": [
            offer.words for question in row.asks if question.is_open for offer in question.offers
        ],
    }


def _plain(value: object) -> str:
    return "" if value is None else str(value)
