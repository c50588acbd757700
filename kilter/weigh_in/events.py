"""Events of the bench: read and checked as they come, stored each exactly once."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from kilter.core.errors import KilterError
from kilter.core.units import BenchLine, parse_bench_line, parse_mass
from kilter.core.weighing import net_mass_mg, pile_on
from kilter.people import clock
from kilter.people.models import Household, User
from kilter.people.writing import writing
from kilter.set_out.models import Planting
from kilter.weigh_in.models import Grade, Striking, WeighIn

_ID = re.compile(r"[0-9a-f]{32}")
MAX_EVENTS = 500
MAX_COUNT = 100_000
FIRST_YEAR, LAST_YEAR = 1900, 2200


class EventError(KilterError):
    """An event that cannot be stored; the line goes back to the gardener with the reason."""


@dataclass(frozen=True)
class Event:
    """One event as the device made it."""

    client_id: str
    kind: Literal["write", "strike", "unstrike"]
    planting: int | None = None
    grade: str = "table"
    typed: str = ""
    tare: str = ""
    device: str = ""
    pile: str = ""  #: empty where each load is zeroed
    number: int = 0  #: its place within the pile
    target: str = ""  #: for a strike, the client_id of the line struck
    at: datetime | None = None


@dataclass(frozen=True)
class Refusal:
    """An event that was not stored, and why."""

    client_id: str
    reason: str


def read_event(raw: object) -> Event:
    """Read one event from JSON; anything but the contract's shape is refused with a sentence."""
    if not isinstance(raw, Mapping) or not _ID.fullmatch(str(raw.get("client_id", ""))):
        raise EventError("An event is an object with a client_id of 32 hexadecimal digits.")
    kind = raw.get("kind", "write")
    if kind not in ("write", "strike", "unstrike"):
        raise EventError(f"“{kind}” is no kind of event.")
    if kind == "write" and raw.get("grade") not in Grade.values:
        raise EventError(f"“{raw.get('grade')}” is no grade; use one of {', '.join(Grade.values)}.")
    planting, number, at = raw.get("planting"), raw.get("number", 0), raw.get("at")
    if kind == "write" and (not isinstance(planting, int) or not isinstance(number, int) or not 0 <= number < 10**6):
        raise EventError("A line names its planting by number.")
    try:
        when = datetime.fromisoformat(str(at)) if at else None
    except ValueError:
        when = None
    if at and (when is None or when.tzinfo is None or not FIRST_YEAR <= when.year <= LAST_YEAR):
        raise EventError("The time of an event is written with its zone, as 2026-08-04T18:30:00+01:00.")
    texts = {name: str(raw.get(name) or "")[:60] for name in ("typed", "tare", "grade")}
    ids = {name: str(raw.get(name) or "")[:32] for name in ("device", "pile", "target")}
    return Event(str(raw["client_id"]), kind, planting, number=number, at=when, **texts, **ids)


def store(household: Household, user: User, events: list[Event]) -> tuple[list[str], list[Refusal]]:
    """Store events in order; one refused does not hold up the others.

    Returns the ids that are stored, among them those that were before, and the refusals.
    """
    stored, refused = [], []
    with writing():
        known = _known(household, events)
        for event in events:
            try:
                if event.client_id not in known:
                    _apply(household, user, event)
                    known.add(event.client_id)
                stored.append(event.client_id)
            except KilterError as error:
                refused.append(Refusal(event.client_id, str(error)))
    return stored, refused


def _known(household: Household, events: list[Event]) -> set[str]:
    """The ids of those events that are stored already, lines and strikings each in their own table."""
    writes = [event.client_id for event in events if event.kind == "write"]
    strikings = [event.client_id for event in events if event.kind != "write"]
    known: set[str] = set()
    if writes:
        lines = WeighIn.objects.ever_of(household).filter(client_id__in=writes)
        known.update(lines.values_list("client_id", flat=True))
    if strikings:
        stored = Striking.objects.filter(household=household, client_id__in=strikings)
        known.update(stored.values_list("client_id", flat=True))
    return known


def _apply(household: Household, user: User, event: Event) -> None:
    if event.kind == "write":
        _write(household, user, event)
        return
    line = WeighIn.objects.ever_of(household).filter(client_id=event.target).only("pk").first()
    if line is None:
        raise EventError("The line to strike is not here.")
    at, is_struck = event.at or clock.now(household), event.kind == "strike"
    WeighIn.objects.ever_of(household).filter(pk=line.pk).update(struck_at=at if is_struck else None)
    Striking.objects.create(
        household=household, client_id=event.client_id, line=line, is_struck=is_struck, at=at, by=user
    )


def _write(household: Household, user: User, event: Event) -> WeighIn:
    planting = Planting.objects.of(household).filter(pk=event.planting).only("pk").first()
    if planting is None:
        raise EventError("What was planted there has been removed; choose another pot for this line.")
    line = parse_bench_line(event.typed, household.default_unit)
    if line.count is not None and line.count > MAX_COUNT:
        raise EventError(f"{line.count} is too many for one line; check the count.")
    when = event.at or clock.now(household)
    return WeighIn.objects.create(
        household=household,
        ref=event.client_id,
        client_id=event.client_id,
        planting=planting,
        weighed_on=when.date(),
        grade=event.grade,
        count=line.count,
        device=event.device,
        pile=event.pile,
        number_in_pile=event.number if event.pile else None,
        typed=event.typed,
        written_at=when,
        written_by=user,
        **_masses(household, event, line),
    )


def _masses(household: Household, event: Event, line: BenchLine) -> dict[str, Any]:
    """Net mass from what the scale showed: less the tare, or less the pile before it."""
    if line.mass is None:
        return {}
    shown_mg = line.mass.mass_mg
    if event.pile:
        before = _last_reading_mg(household, event)
        return {"reading_mg": shown_mg, "mass_mg": pile_on([shown_mg], before).nets_mg[0]}
    tare_mg = parse_mass(event.tare, household.default_unit).mass_mg if event.tare.strip() else 0
    return {"reading_mg": shown_mg, "tare_mg": tare_mg, "mass_mg": net_mass_mg(shown_mg, tare_mg)}


def _last_reading_mg(household: Household, event: Event) -> int:
    """The last standing reading before this one, in its pile on its device."""
    before = WeighIn.objects.of(household).filter(
        device=event.device, pile=event.pile, number_in_pile__lt=event.number, reading_mg__isnull=False
    )
    return before.order_by("-number_in_pile").values_list("reading_mg", flat=True).first() or 0
