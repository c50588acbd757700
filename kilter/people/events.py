"""Events of a device: the envelope they come in, whatever the room, and how each is stored exactly
once.

A room says by a `Desk` what its events say and how one is written. Ids, clocks, refusals,
transactions and the answer are the same for all.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any, Generic, Literal, TypeVar, cast

from django.db import IntegrityError, transaction
from django.http import HttpResponse, JsonResponse, RawPostDataException
from django.utils import timezone

from kilter.core.amounts.texts import is_text
from kilter.core.errors import KilterError, WeighingError
from kilter.people.history import Actor
from kilter.people.middleware import HouseholdRequest
from kilter.people.writing import writing

MAX_EVENTS = 500
FIRST_YEAR, LAST_YEAR = 1900, 2200
#: A device may be a day ahead, as where its zone is another.
A_DAY = timedelta(days=1)
_ID = re.compile(r"[0-9a-f]{32}")
_Said = TypeVar("_Said")


class EventError(KilterError):
    """An event that cannot be stored; it goes back to the gardener with the reason."""


class AskedError(EventError):
    """Something that is asked about first: sent again as sure it is stored."""


class ClockError(EventError):
    """The device's clock is far from the server's:
    which of them is right is the gardener's to say.
    """

    def __init__(self, at: datetime, meant: datetime) -> None:
        self.meant = meant.isoformat(timespec="seconds")
        shown = [f"{one.day} {one:%B %Y}" for one in (at, meant)]
        super().__init__(
            f"This device's clock says {shown[0]}; by the server's it was {shown[1]}. Which is "
            "right?"
        )


@dataclass(frozen=True, kw_only=True)
class Event(Generic[_Said]):
    """One event as the device made it."""

    client_id: str
    kind: Literal["write", "strike", "unstrike"] = "write"
    at: datetime | None = None
    device: str = ""
    pile: str = ""  #: what its place is counted in; empty where the order does not matter
    number: int = 0  #: its place there
    target: str = ""  #: for a strike, the client_id of what is struck
    said: _Said | None = None  #: what is written, as the room reads it
    is_clock_sure: bool = False  #: the device's clock was asked about, and is right


@dataclass(frozen=True, kw_only=True)
class Refusal:
    """An event that was not stored, and why."""

    client_id: str
    reason: str
    is_fall: bool = False  #: the reading fell: was the scale emptied?
    is_unusual: bool = False  #: asked about: sent again as sure it is stored
    meant: str = ""  #: the device's clock is off: when it was by the server's clock

    @classmethod
    def of(cls, client_id: str, error: KilterError) -> Refusal:
        """What an error says of an event."""
        return cls(
            client_id=client_id,
            reason=str(error),
            is_fall=isinstance(error, WeighingError) and error.is_fall,
            is_unusual=isinstance(error, AskedError),
            meant=error.meant if isinstance(error, ClockError) else "",
        )


@dataclass(frozen=True, kw_only=True)
class Desk(Generic[_Said]):
    """Where a room takes events: what they say, which it knows, and how one is written."""

    writes: str  #: the kind that writes, as its devices say it
    read: Callable[[Mapping[str, Any]], _Said]
    known: Callable[
        [Actor, Collection[Event[_Said]]], set[str]
    ]  #: the ids of those that are stored already
    apply: Callable[[Actor, Event[_Said]], None]

    def event(self, raw: object) -> Event[_Said]:
        """Read one event from JSON; anything but the contract's shape is refused with a
        sentence.
        """
        if not isinstance(raw, Mapping) or not _ID.fullmatch(str(raw.get("client_id", ""))):
            raise EventError("An event is an object with a client_id of 32 hexadecimal digits.")
        if not is_text(raw):
            raise EventError("This holds half of a character, which cannot be kept; type it anew.")
        kind = raw.get("kind", self.writes)
        if kind not in (self.writes, "strike", "unstrike"):
            raise EventError(f"“{kind}” is no kind of event.")
        is_written = kind == self.writes
        number = raw.get("number", 0) if is_written else 0
        if not isinstance(number, int) or isinstance(number, bool) or not 0 <= number < 2**53:
            raise EventError("The place of a line within its pile is a number.")
        return Event(
            client_id=str(raw["client_id"]),
            kind="write" if is_written else cast(Literal["strike", "unstrike"], kind),
            at=_when(raw.get("at")),
            device=_short(raw, "device"),
            pile=_short(raw, "pile"),
            number=number,
            target=_short(raw, "target"),
            said=self.read(raw) if is_written else None,
            is_clock_sure=raw.get("is_clock_sure") is True,
        )

    def take(
        self, actor: Actor, sent: Sequence[object], off: timedelta = timedelta(0)
    ) -> tuple[list[str], list[Refusal]]:
        """Read and store what was sent; gives the ids that are stored,
        known ones among them, and the refusals.
        """
        good, unread = [], []
        for raw in sent:
            try:
                good.append(self.event(raw))
            except KilterError as error:
                client_id = str(raw.get("client_id", "")) if isinstance(raw, Mapping) else ""
                unread.append(Refusal.of(client_id[:32], error))
        stored, refused = self.store(actor, good, off)
        return stored, unread + refused

    def store(
        self, actor: Actor, events: Sequence[Event[_Said]], off: timedelta = timedelta(0)
    ) -> tuple[list[str], list[Refusal]]:
        """Store events in order, in one transaction; of one that is refused nothing stays, and the
        others go on.

        Of a device whose clock is off by more than a day each that writes is asked about first.
        """
        if len(events) == 1 and not off and self._is_new(actor, events[0]):
            return [events[0].client_id], []
        stored, refused = [], []
        with writing():
            known = self.known(actor, events)
            for event in events:
                try:
                    if event.client_id not in known:
                        if off and event.at and event.said is not None and not event.is_clock_sure:
                            raise ClockError(event.at, event.at - off)
                        with transaction.atomic():
                            self.apply(actor, event)
                        known.add(event.client_id)
                    stored.append(event.client_id)
                except KilterError as error:
                    refused.append(Refusal.of(event.client_id, error))
        return stored, refused

    def _is_new(self, actor: Actor, event: Event[_Said]) -> bool:
        """Store the one event of the usual request without asking first whether it is known.

        Where it could not be stored nothing of it is, and it goes the longer way, which says why.
        """
        try:
            with writing():
                self.apply(actor, event)
        except (KilterError, IntegrityError):
            return False
        return True


def answer(request: HouseholdRequest, desk: Desk[Any]) -> HttpResponse:
    """Take the events of a request; the answer echoes the ids that are stored, after commit."""
    try:
        raw = json.loads(request.body)
        sent, off = raw["events"], clock_off(raw.get("now"))
        if not isinstance(sent, list) or len(sent) > MAX_EVENTS:
            raise ValueError
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError, RawPostDataException):
        return JsonResponse(
            {"problem": f'Send {{"events": […]}}, at most {MAX_EVENTS} at once.'}, status=400
        )
    stored, refused = desk.take(request.actor, sent, off)
    return JsonResponse({"stored": stored, "refused": [asdict(one) for one in refused]})


def clock_off(sent_at: object) -> timedelta:
    """How far the clock of a device is from the server's, by when it says that it sends;
    nothing where within a day.
    """
    try:
        off = datetime.fromisoformat(str(sent_at)) - timezone.now()
    except (ValueError, TypeError):
        return timedelta(0)
    return off if abs(off) > A_DAY else timedelta(0)


def _when(at: object) -> datetime | None:
    """When a device says that it was; nothing where it says nothing."""
    if not at:
        return None
    try:
        when = datetime.fromisoformat(str(at))
    except ValueError:
        when = None
    if when is None or when.tzinfo is None or not FIRST_YEAR <= when.year <= LAST_YEAR:
        raise EventError(
            "The time of an event is written with its zone, as 2026-08-04T18:30:00+01:00."
        )
    return when


def _short(raw: Mapping[str, Any], name: str) -> str:
    return str(raw.get(name) or "")[:32]
