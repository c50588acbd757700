"""What is said of a crate: so much of it was eaten, given, found spoiled. Read from a form or an event of a device."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from kilter.core.amounts.texts import is_text
from kilter.core.amounts.units import MAX_MASS_MG
from kilter.core.errors import KilterError
from kilter.core.trade.uses import MOVED, SAYINGS, USES

#: What can be said of a crate; of a use its key too, as devices have it from before.
SAYABLE = frozenset({*USES, *(one.word for one in SAYINGS), MOVED})
_ID = re.compile(r"[0-9a-f]{32}")
MAX_KEY = 2**53


class SaidError(KilterError):
    """Something that cannot be written; it goes back to the gardener with the reason."""


class ShortError(SaidError):
    """More than lies there: sent again as sure it is written."""


@dataclass(frozen=True, kw_only=True)
class Said:
    """One entry as the device made it."""

    client_id: str
    kind: Literal["use", "strike", "unstrike"] = "use"
    at: datetime | None = None
    crate: int | None = None
    crop: int | None = None  #: of what lies in no crate
    season: int | None = None
    use: str = ""
    typed: str = ""
    mass_mg: int | None = None  #: as the device resolved "half" and "the rest"
    balance_mg: int | None = None  #: what lay there, as the device saw it
    to: int | None = None  #: of what is moved: the store
    is_look: bool = False
    is_sure: bool = False
    is_clock_sure: bool = False  #: the device's clock was asked about, and is right
    meal: str = ""
    note: str = ""
    when: str = ""  #: the day in words, where it is not that of the event
    target: str = ""  #: of a strike


def read_said(raw: object) -> Said:
    """Read one event from JSON; anything but its shape is refused with a sentence."""
    if not isinstance(raw, Mapping) or not _ID.fullmatch(str(raw.get("client_id", ""))):
        raise SaidError("An event is an object with a client_id of 32 hexadecimal digits.")
    if not is_text(raw):
        raise SaidError("This entry holds half of a character, which cannot be kept; type it anew.")
    kind = raw.get("kind", "use")
    if kind not in ("use", "strike", "unstrike"):
        raise SaidError(f"“{kind}” is no kind of event.")
    texts = {name: str(raw.get(name) or "") for name in ("use", "typed", "meal", "note", "when", "target")}
    if max(len(texts["typed"]), len(texts["when"])) > 60 or len(texts["note"]) > 200:
        raise SaidError("That is too long; shorten it.")
    if kind == "use" and texts["use"] not in SAYABLE:
        raise SaidError(f"“{texts['use']}” cannot be said of a crate.")
    keys = {name: _whole(raw, name, 1, MAX_KEY) for name in ("crate", "crop", "season", "to")}
    return Said(
        client_id=str(raw["client_id"]),
        kind=kind,
        at=_when(raw.get("at")),
        crate=keys["crate"],
        crop=keys["crop"],
        season=keys["season"],
        use=texts["use"],
        typed=texts["typed"],
        mass_mg=_whole(raw, "mass_mg", 0, MAX_MASS_MG),
        balance_mg=_whole(raw, "balance_mg", 0, MAX_MASS_MG),
        to=keys["to"],
        is_look=raw.get("is_look") is True,
        is_sure=raw.get("is_sure") is True,
        is_clock_sure=raw.get("is_clock_sure") is True,
        meal=texts["meal"][:32],
        note=texts["note"],
        when=texts["when"],
        target=texts["target"][:32],
    )


def _when(at: Any) -> datetime | None:
    if not at:
        return None
    try:
        when = datetime.fromisoformat(str(at))
    except ValueError:
        when = None
    if when is None or when.tzinfo is None or not 1900 <= when.year <= 2200:
        raise SaidError("The time of an event is written with its zone, as 2026-08-04T18:30:00+01:00.")
    return when


def _whole(raw: Mapping[str, Any], name: str, least: int, most: int) -> int | None:
    value = raw.get(name)
    if value is None or value == "":
        return None
    if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
        raise SaidError("Crates, crops and amounts are given by whole numbers.")
    return value
