"""One line of a draft, with its number, what it rests on and what may have caused it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from kilter.core.amounts.units import half_up
from kilter.look_back.models import Remark
from kilter.people.templatetags.amounts import kg, shortly

WELL, BADLY, NOTE = Remark.Side.WELL, Remark.Side.BADLY, Remark.Side.NOTE
#: So many names stand in a sentence; more are counted.
MOST_NAMED = 4


@dataclass(frozen=True, kw_only=True)
class DraftLine:
    """What Kilter says of a season of its own accord."""

    key: str  #: what it was drafted from, the same as long as that is the same
    side: Remark.Side
    words: str
    address: str  #: of what it rests on
    rests: str  #: that in a few words
    telling: float  #: the more telling, the earlier it stands: about 0 to 100 (rule)
    crop: int | None = None
    causes: tuple[str, ...] = ()  #: what may have caused it


def named(names: Iterable[str]) -> str:
    """Several names as one reads them; very many are counted."""
    each = list(dict.fromkeys(names))
    if len(each) > MOST_NAMED:
        each = [*each[: MOST_NAMED - 1], f"{len(each) - MOST_NAMED + 1} more"]
    return each[0] if len(each) == 1 else f"{', '.join(each[:-1])} and {each[-1]}" if each else ""


def counted(number: int, one: str, many: str = "") -> str:
    """``1 place``, ``3 places``."""
    return f"{number} {one if number == 1 else many or f'{one}s'}"


def on(day: date) -> str:
    """A day as one says it: ``12 January``."""
    return f"{day.day} {day:%B}"


def each_of(amount: float, by: str, system: str) -> str:
    """What one plant gave: ``0.42 kg a plant``, ``3.1 a plant``."""
    if by.startswith("count"):
        return f"{half_up(amount, 1)} a plant"
    words = shortly(round(amount * 1e6), system) if amount < 1 else kg(amount, system)
    return f"{words} a plant"


def in_hundred(share: float) -> str:
    """A share of a hundred: ``7 in 100``."""
    return f"{half_up(share * 100, 0)} in 100"
