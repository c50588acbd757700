"""The sheets of a plan: calendar by week, shopping list, seed trays;
as pages, CSV and iCalendar.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from icalendar import Calendar, Event

from kilter.core.amounts.units import half_up
from kilter.core.trade.units import noun
from kilter.next_year.dates import DatedJob, by_week, jobs_of, told_where, where_planned
from kilter.next_year.rows import CropRow
from kilter.plans.models import Plan, Shelf
from kilter.set_out.models import Crop
from kilter.tables.cells import guarded

WEEK = timedelta(weeks=1)


@dataclass(frozen=True, kw_only=True)
class BuyLine:
    """One thing of the shopping list."""

    crop: Crop
    what: str
    wanted: int
    in_stock: int
    to_get: int
    packs: str
    price_minor: int | None

    @property
    def is_had(self) -> bool:
        return self.to_get == 0


@dataclass(frozen=True)
class TrayWeek:
    """How many cells stand under lights in a week, against what the shelves hold."""

    week: date
    cells: int
    crops: tuple[tuple[Crop, int], ...]
    room: int | None

    @property
    def is_over(self) -> bool:
        return self.room is not None and self.cells > self.room


@dataclass(frozen=True)
class Tray:
    """One crop under lights."""

    crop: Crop
    begins: date
    ends: date
    plants: int
    seeds: int

    @property
    def days(self) -> int:
        return (self.ends - self.begins).days


def jobs(rows: Iterable[CropRow], plan: Plan) -> list[DatedJob]:
    """All jobs of a plan in the order of their days, with the places it has;
    what is not planted asks for none.
    """
    found = [job for row in rows if row.plants for job in jobs_of(row.crop, row.dates)]
    return told_where(
        sorted(found, key=lambda job: (job.begins, job.crop.name, job.what)), where_planned(plan)
    )


def weeks(rows: Iterable[CropRow], plan: Plan) -> list[tuple[date, list[DatedJob]]]:
    """The same by week."""
    return by_week(jobs(rows, plan))


def shopping(rows: Iterable[CropRow]) -> list[BuyLine]:
    """What is sown or set, less what is in stock and not past its last sowing."""
    found = []
    for row in rows:
        takes = row.takes
        if takes is None or not takes.pieces:
            continue
        stock = sum(one.left for one in takes.stock if not one.is_past)
        buy = takes.buy
        packs = f"{buy.packs} × {buy.pack_of}" if buy and buy.packs else ""
        found.append(
            BuyLine(
                crop=row.crop,
                what=noun(takes.pieces, takes.piece),
                wanted=takes.pieces,
                in_stock=min(stock, takes.pieces),
                to_get=buy.pieces if buy else 0,
                packs=packs,
                price_minor=buy.price_minor if buy else None,
            )
        )
    return found


def medium_l(rows: Iterable[CropRow], owned_l: float) -> float:
    """Litres of medium if all that may stand in containers did, those left out that are too many;
    never more than the containers hold.
    """
    takes = (row.takes for row in rows if row.takes and not row.takes.is_too_many)
    return min(sum(one.medium_l or 0 for one in takes), owned_l)


def trays(rows: Iterable[CropRow]) -> list[Tray]:
    """What is raised under lights, in the order of its days."""
    found = []
    for row in rows:
        if not row.plants or row.takes is None:
            continue
        goes = len(row.dates.sowings)
        pieces = row.takes.pieces if row.takes.piece == "seed" else row.plants
        for sowing in row.dates.sowings:
            begins, ends = row.dates.on(sowing.lights_from), row.dates.on(sowing.ground_from)
            if begins is not None and ends is not None:
                found.append(
                    Tray(row.crop, begins, ends, -(-row.plants // goes), -(-pieces // goes))
                )
    return sorted(found, key=lambda one: (one.begins, one.crop.name))


def tray_weeks(found: Sequence[Tray], shelves: Sequence[Shelf]) -> list[TrayWeek]:
    """Who stands under lights when, week by week."""
    if not found:
        return []
    room = sum(shelf.cells for shelf in shelves) if shelves else None
    week = min(tray.begins for tray in found)
    week -= timedelta(days=week.weekday())
    last = max(tray.ends for tray in found)
    listed = []
    while week < last:
        there = [tray for tray in found if tray.begins < week + WEEK and tray.ends > week]
        if there:
            crops = tuple((one.crop, one.seeds) for one in there)
            listed.append(TrayWeek(week, sum(one.seeds for one in there), crops, room))
        week += WEEK
    return listed


def as_ics(plan: Plan, found: Sequence[DatedJob], made: datetime) -> bytes:
    """Jobs as all-day events (RFC 5545); the same job keeps its id,
    so that a calendar brought in again changes it.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Kilter//plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"Garden {plan.season}, {plan.name}")
    seen: dict[tuple[int, str], int] = {}
    for job in found:
        number = seen[job.crop.pk, job.what] = seen.get((job.crop.pk, job.what), 0) + 1
        event = Event()
        event.add("uid", f"{plan.ref}-{job.crop.ref}-{job.what.replace(' ', '-')}-{number}@kilter")
        event.add("dtstamp", made.astimezone(UTC))
        event.add("dtstart", job.begins)
        event.add(
            "dtend",
            max(job.begins, min(job.ends, job.begins + timedelta(days=6))) + timedelta(days=1),
        )
        event.add("summary", f"{job.crop.name}: {job.what}")
        words = [f"Until {job.ends:%-d %B %Y}."] if job.ends > job.begins else []
        event.add("description", " ".join([*words, job.note]).strip())
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def jobs_csv(found: Sequence[DatedJob]) -> str:
    """Jobs as CSV."""
    return _csv(
        ["crop", "job", "from", "to", "note"],
        ([guarded(j.crop.name), guarded(j.what), j.begins, j.ends, guarded(j.note)] for j in found),
    )


def shopping_csv(found: Sequence[BuyLine]) -> str:
    """The shopping list as CSV."""
    return _csv(
        ["crop", "what", "wanted", "in_stock", "to_get", "packs", "price"],
        (
            [
                guarded(line.crop.name),
                line.what,
                line.wanted,
                line.in_stock,
                line.to_get,
                line.packs,
                "" if line.price_minor is None else str(half_up(line.price_minor / 100, 2)),
            ]
            for line in found
        ),
    )


def trays_csv(found: Sequence[Tray]) -> str:
    """Seed trays as CSV."""
    return _csv(
        ["crop", "sow", "plant_out", "days", "plants", "seeds"],
        (
            [guarded(tray.crop.name), tray.begins, tray.ends, tray.days, tray.plants, tray.seeds]
            for tray in found
        ),
    )


def _csv(head: Sequence[str], lines: Iterable[Sequence[object]]) -> str:
    stream = io.StringIO(newline="")
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(head)
    writer.writerows(lines)
    return stream.getvalue()
