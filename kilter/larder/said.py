"""What is said of a crate: so much of it was eaten, given, found spoiled.

Read from a form or an event of a device.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kilter.core.amounts.units import MAX_MASS_MG
from kilter.core.trade.uses import MOVED, SAYINGS, USES
from kilter.people.events import EventError

#: What can be said of a crate; of a use its key too, as devices have it from before.
SAYABLE = frozenset({*USES, *(one.word for one in SAYINGS), MOVED})
MAX_KEY = 2**53


@dataclass(frozen=True, kw_only=True)
class Said:
    """What became of so much of a crate, or of what lies in none."""

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
    meal: str = ""
    note: str = ""
    when: str = ""  #: the day in words, where it is not that of the event


def read_said(raw: Mapping[str, Any]) -> Said:
    """Read what an entry says; anything but its shape is refused with a sentence."""
    texts = {name: str(raw.get(name) or "") for name in ("use", "typed", "meal", "note", "when")}
    if max(len(texts["typed"]), len(texts["when"])) > 60 or len(texts["note"]) > 200:
        raise EventError("That is too long; shorten it.")
    if texts["use"] not in SAYABLE:
        raise EventError(f"“{texts['use']}” cannot be said of a crate.")
    return Said(
        **{name: _whole(raw, name, 1, MAX_KEY) for name in ("crate", "crop", "season", "to")},
        mass_mg=_whole(raw, "mass_mg", 0, MAX_MASS_MG),
        balance_mg=_whole(raw, "balance_mg", 0, MAX_MASS_MG),
        is_look=raw.get("is_look") is True,
        is_sure=raw.get("is_sure") is True,
        use=texts["use"],
        typed=texts["typed"],
        meal=texts["meal"][:32],
        note=texts["note"],
        when=texts["when"],
    )


def _whole(raw: Mapping[str, Any], name: str, least: int, most: int) -> int | None:
    value = raw.get(name)
    if value is None or value == "":
        return None
    if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
        raise EventError("Crates, crops and amounts are given by whole numbers.")
    return value
