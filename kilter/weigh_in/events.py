"""Events of the bench: read and checked as they come, stored each exactly once."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any, Literal, TypeVar

from django.db import IntegrityError
from django.utils import timezone

from kilter.core.amounts.texts import is_text
from kilter.core.amounts.units import BenchLine, format_mass, parse_bench_line, parse_mass
from kilter.core.amounts.weighing import net_mass_mg, pile_on
from kilter.core.errors import KilterError, WeighingError
from kilter.core.yields.costs import split_whole
from kilter.people import clock
from kilter.people.history import Actor, changing
from kilter.people.models import Household, User
from kilter.people.writing import writing
from kilter.set_out.models import Crop, Planting
from kilter.weigh_in.guests import check_own
from kilter.weigh_in.models import (
    MAX_COUNT,
    Bowl,
    OwnMeasure,
    Scale,
    SplitBy,
    Striking,
    WeighIn,
)
from kilter.weigh_in.said import EventError, LineSaid, read_said
from kilter.weigh_in.usual import UnusualError, ask_if_too_much, ask_if_unusual

_Kept = TypeVar("_Kept", Scale, Bowl)
_ID = re.compile(r"[0-9a-f]{32}")
MAX_EVENTS = 500
FIRST_YEAR, LAST_YEAR = 1900, 2200


@dataclass(frozen=True, kw_only=True)
class Event:
    """One event as the device made it."""

    client_id: str
    kind: Literal["write", "strike", "unstrike"]
    at: datetime | None = None
    device: str = ""
    pile: str = ""  #: empty where the scale is set to zero each time
    number: int = 0  #: its place within the pile
    target: str = ""  #: for a strike, the client_id of the line struck
    line: LineSaid | None = None  #: what a line that is written says
    is_clock_sure: bool = False  #: the device's clock was asked about, and is right


@dataclass(frozen=True)
class Refusal:
    """An event that was not stored, and why."""

    client_id: str
    reason: str
    is_fall: bool = False  #: the reading fell: was the scale emptied?
    is_unusual: bool = False  #: far from the usual: sent again as sure it is stored
    meant: str = ""  #: the device's clock is off: when it was by the server's clock


#: A device may be a day ahead, as where its zone is another.
A_DAY = timedelta(days=1)


class ClockError(EventError):
    """The device's clock is far from the server's: which of them is right is the gardener's to say."""

    def __init__(self, at: datetime, meant: datetime) -> None:
        self.meant = meant.isoformat(timespec="seconds")
        shown = [f"{one.day} {one:%B %Y}" for one in (at, meant)]
        super().__init__(f"This device's clock says {shown[0]}; by the server's it was {shown[1]}. Which is right?")


def read_event(raw: object) -> Event:
    """Read one event from JSON; anything but the contract's shape is refused with a sentence."""
    if not isinstance(raw, Mapping) or not _ID.fullmatch(str(raw.get("client_id", ""))):
        raise EventError("An event is an object with a client_id of 32 hexadecimal digits.")
    if not is_text(raw):
        raise EventError("This line holds half of a character, which cannot be kept; type it anew.")
    kind = raw.get("kind", "write")
    if kind not in ("write", "strike", "unstrike"):
        raise EventError(f"“{kind}” is no kind of event.")
    at = raw.get("at")
    try:
        when = datetime.fromisoformat(str(at)) if at else None
    except ValueError:
        when = None
    if at and (when is None or when.tzinfo is None or not FIRST_YEAR <= when.year <= LAST_YEAR):
        raise EventError("The time of an event is written with its zone, as 2026-08-04T18:30:00+01:00.")
    ids: dict[str, Any] = {name: str(raw.get(name) or "")[:32] for name in ("device", "pile", "target")}
    ids["is_clock_sure"] = raw.get("is_clock_sure") is True
    if kind != "write":
        return Event(client_id=str(raw["client_id"]), kind=kind, at=when, **ids)
    number = raw.get("number", 0)
    if not _is_number(number):
        raise EventError("The place of a line within its pile is a number.")
    return Event(client_id=str(raw["client_id"]), kind=kind, at=when, **ids, number=number, line=read_said(raw))


def _is_number(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 <= value < 2**53


def clock_off(sent_at: object) -> timedelta:
    """How far the clock of a device is from the server's, by when it says that it sends; nothing where within a day."""
    try:
        off = datetime.fromisoformat(str(sent_at)) - timezone.now()
    except (ValueError, TypeError):
        return timedelta(0)
    return off if abs(off) > A_DAY else timedelta(0)


def store(
    household: Household, user: User, events: list[Event], off: timedelta = timedelta(0)
) -> tuple[list[str], list[Refusal]]:
    """Store events in order; one refused does not hold up the others.

    Of a device whose clock is off by more than a day each line is asked about first. Returns the ids that are stored,
    among them those that were before, and the refusals.
    """
    if len(events) == 1 and not off and _is_new(household, user, events[0]):
        return [events[0].client_id], []
    stored, refused = [], []
    with writing():
        known = _known(household, events)
        for event in events:
            try:
                if event.client_id not in known:
                    if off and event.at and event.line and not event.is_clock_sure:
                        raise ClockError(event.at, event.at - off)
                    _apply(household, user, event)
                    known.add(event.client_id)
                stored.append(event.client_id)
            except KilterError as error:
                is_fall = isinstance(error, WeighingError) and error.is_fall
                meant = error.meant if isinstance(error, ClockError) else ""
                refused.append(Refusal(event.client_id, str(error), is_fall, isinstance(error, UnusualError), meant))
    return stored, refused


def _is_new(household: Household, user: User, event: Event) -> bool:
    """Store the one event of the usual request without asking first whether it is known.

    Where it could not be stored nothing of it is, and it goes the longer way, which says why.
    """
    try:
        with writing():
            _apply(household, user, event)
    except (KilterError, IntegrityError):
        return False
    return True


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
    if event.line is not None:
        _write(household, user, event, event.line)
        return
    line = WeighIn.objects.ever_of(household).filter(client_id=event.target).select_related("planting__place").first()
    if line is None:
        raise EventError("The line to strike is not here.")
    check_own(household, user, line)
    is_struck = event.kind == "strike"
    strike_line(Actor(household, user), line, event.at or clock.now(household), event.client_id, is_struck=is_struck)


def strike_line(actor: Actor, line: WeighIn, at: datetime, client_id: str, *, is_struck: bool) -> None:
    """Strike a line or put it back, with all lines of its basket; who and when are kept."""
    basket = WeighIn.objects.ever_of(actor.household).filter(basket=line.basket) if line.basket else None
    says = f"{'Struck' if is_struck else 'Put back'}: {_shown(line)} of {line.planting.place}."
    with changing(actor, says) as recorder:
        for one in basket or [line]:
            one.struck_at = at if is_struck else None
            recorder.save(one)
        Striking.objects.create(
            household=actor.household, client_id=client_id, line=line, is_struck=is_struck, at=at, by=actor.user
        )


def _shown(line: WeighIn) -> str:
    amount = format_mass(line.mass_mg) if line.mass_mg is not None else f"{line.count or ''}".strip()
    return f"{line.get_grade_display()} {amount}".strip()


def _write(household: Household, user: User, event: Event, said: LineSaid) -> None:
    when = event.at or clock.now(household)
    keys = _plantings(household, said, when.date())
    names = _own_measures(household, said.typed)
    line = parse_bench_line(said.typed, household.default_unit, list(names))
    if line.count is not None and line.count > MAX_COUNT:
        raise EventError(f"{line.count} is too many for one line; check the count.")
    scale = _owned(household, Scale, said.scale)
    if scale and scale.limit_mg and line.heaviest_mg > scale.limit_mg:
        limit = format_mass(scale.limit_mg)
        raise EventError(f"The {scale} bears {limit}; take it in several loads, such as 5000+3120, or choose another.")
    masses = _masses(household, event, said, line)
    basket = _of_basket(household, keys) if len(keys) > 1 else []
    if not basket and not (said.is_sure or said.is_thinning or line.pm_mg is not None):
        ask_if_unusual(household, keys[0], said.grade, masses.get("mass_mg"), line.count)
    elif basket and not said.is_sure:
        ask_if_too_much(household, basket, masses.get("mass_mg"))
    made = WeighIn(
        ref=event.client_id,
        client_id=event.client_id,
        household=household,
        planting_id=keys[0],
        weighed_on=when.date(),
        count=line.count,
        pm_mg=line.pm_mg,
        is_remembered=line.pm_mg is not None,
        waits=_waits(line, said, keys[0]),
        loads=line.loads,
        scale=scale,
        measure=names.get(line.measure),
        measures=line.measures,
        device=event.device,
        pile=event.pile,
        number_in_pile=event.number if event.pile else None,
        written_at=when,
        written_by=user,
        **said.columns,
        **masses,
    )
    if basket:
        WeighIn.objects.bulk_create(_split(made, basket, event.client_id, said))
    else:
        made.save(force_insert=True)


def _waits(line: BenchLine, said: LineSaid, planting: int) -> bool:
    """Whether a line is still to be weighed."""
    if line.mass is not None or line.measures is not None or said.is_never_weighed:
        return False
    return not Crop.objects.get(plantings=planting).counts_alone


def _plantings(household: Household, said: LineSaid, day: date) -> list[int]:
    """The planting of a line, or those of a basket in the order named: all of them must be the household's and stand.

    A line is written every few seconds, so no more is read than their keys.
    """
    wanted = [pk for pk in said.plantings or (said.planting,) if pk is not None]
    which = {"pk": wanted[0]} if len(wanted) == 1 else {"pk__in": wanted}
    seasons = dict(Planting.objects.of(household, **which).values_list("pk", "season"))
    if not wanted or not seasons.keys() >= set(wanted):
        raise EventError("What was planted there has been removed; choose another pot for this line.")
    if day > clock.today(household) + A_DAY or day.year < min(seasons.values()) - 1:
        shown = f"{day.day} {day:%B %Y}"
        raise EventError(f"{shown} is not a day on which this can have been lifted; set the date of this device right.")
    return wanted


def _of_basket(household: Household, keys: list[int]) -> list[Planting]:
    """The plantings of a basket, in the order named."""
    found = Planting.objects.of(household).select_related("crop", "place", "part").in_bulk(keys)
    return [found[pk] for pk in keys]


def _own_measures(household: Household, typed: str) -> dict[str, OwnMeasure]:
    """The own measures by name; none are asked for where the line ends in no word."""
    if not typed or not typed[-1].isalpha():
        return {}
    return {measure.name: measure for measure in OwnMeasure.objects.of(household)}


def _owned(household: Household, model: type[_Kept], pk: int | None) -> _Kept | None:
    """A scale or bowl if it is this household's; one that is gone is left out."""
    return None if pk is None else model.objects.ever_of(household).filter(pk=pk).first()


def _split(whole: WeighIn, plantings: list[Planting], client_id: str, said: LineSaid) -> list[WeighIn]:
    """One line for each planting of a basket; their masses and counts sum to the whole exactly."""
    weights = split_weights(plantings, said.split_by or SplitBy.PLANTS, said.counts)
    parts: dict[str, Sequence[int | None]] = {}
    for name in ("mass_mg", "reading_mg", "count", "tare_mg", "pm_mg", "plants"):
        total = getattr(whole, name)
        parts[name] = split_whole(total, weights) if total is not None else [None] * len(plantings)
    if said.split_by == SplitBy.COUNT and whole.count in (None, sum(said.counts)):
        parts["count"] = said.counts
    lines = []
    for i, planting in enumerate(plantings):
        # The first keeps the event's own id, by which it is known; the others' follow from it.
        own = client_id if i == 0 else hashlib.sha256(f"{client_id}/{i}".encode()).hexdigest()[:32]
        values = {f.attname: getattr(whole, f.attname) for f in whole._meta.concrete_fields if f.attname != "id"}
        values |= {name: shares[i] for name, shares in parts.items()}
        values |= {"ref": own, "client_id": own, "planting_id": planting.pk}
        values |= {"basket": client_id, "split_by": said.split_by or SplitBy.PLANTS}
        lines.append(WeighIn(**values))
    return lines


def split_weights(plantings: Sequence[Planting], split_by: str, counts: Sequence[int]) -> list[float]:
    """By what a basket is split over its plantings."""
    if split_by == SplitBy.COUNT:
        if len(counts) != len(plantings) or not sum(counts):
            raise EventError("To split by count, say how many of each there are.")
        return [float(count) for count in counts]
    found = []
    for planting in plantings:
        if split_by == SplitBy.AREA:
            area = planting.place.area_m2
            size = area * (planting.soil_share or 1.0) if area else None
            lack = "has no length and width"
        else:
            size, lack = planting.units, "has no number of plants"
        if not size:
            raise EventError(f"{planting.place} {lack}; split the basket another way.")
        found.append(float(size))
    return found


def _masses(household: Household, event: Event, said: LineSaid, line: BenchLine) -> dict[str, Any]:
    """Net mass from what the scale showed: less the tare of each load, or less the pile before it."""
    if line.mass is None:
        if event.pile:
            _last_reading_mg(household, event)
        return {}
    shown_mg = line.mass.mass_mg
    if event.pile:
        before = _last_reading_mg(household, event)
        return {"reading_mg": shown_mg, "mass_mg": pile_on([shown_mg], before).nets_mg[0]}
    if line.pm_mg is not None:
        return {"mass_mg": shown_mg}
    bowl = _owned(household, Bowl, said.bowl)
    tare_mg = bowl.mass_mg if bowl else 0
    if said.tare:
        tare_mg += parse_mass(said.tare, household.default_unit).mass_mg
    tare_mg *= line.loads
    return {"reading_mg": shown_mg, "tare_mg": tare_mg, "bowl": bowl, "mass_mg": net_mass_mg(shown_mg, tare_mg)}


def _last_reading_mg(household: Household, event: Event) -> int:
    """The last standing reading before this one, in its pile, on its device.

    A pile is taken in its own order: where the line before is missing, as one that was refused,
    no difference can be taken.
    """
    pile = WeighIn.objects.ever_of(household).filter(device=event.device, pile=event.pile)
    earlier = list(
        pile.filter(number_in_pile__lt=event.number)
        .order_by("-number_in_pile", "pk")
        .values_list("number_in_pile", "reading_mg", "struck_at")
    )
    if event.number > 1 and (not earlier or earlier[0][0] != event.number - 1):
        raise EventError("Fix the earlier line first.")
    by_number: dict[int, int] = {}
    for number, reading_mg, struck_at in earlier:
        if reading_mg is not None and struck_at is None:
            by_number[number] = by_number.get(number, 0) + reading_mg
    return by_number[max(by_number)] if by_number else 0
