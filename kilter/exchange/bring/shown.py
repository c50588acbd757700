"""Rows of a table as its page shows them: what each says, in words."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Final

from kilter.core.amounts.units import format_mass
from kilter.core.larder.amount import much_words
from kilter.core.trade.grades import GRADES
from kilter.exchange.bring.known import KnownPlanting
from kilter.exchange.bring.names import TO_MAKE
from kilter.exchange.bring.reading import Reading
from kilter.exchange.bring.rows import ReadRow

STATES: Final = {
    "ready": "ready",
    "asked": "asked",
    "problem": "cannot be read",
    "known": "on record already",
    "out": "left out",
}


@dataclass(frozen=True, kw_only=True)
class ShownRow:
    """One row: where it stands, what it says, what is asked or wrong, its cells."""

    number: int
    state: str
    state_words: str
    words: str
    trouble: str
    cells: tuple[tuple[str, bool], ...]  #: and whether the trouble stands in it


def shown_rows(reading: Reading, rows: Iterable[ReadRow], system: str) -> list[ShownRow]:
    """Rows in words, by the kind of their table."""
    words = _WORDS[reading.kind.key]
    return [
        ShownRow(
            number=row.line.number,
            state=row.state,
            state_words=STATES[row.state],
            words=words(row.said, system),
            trouble=row.problem or " ".join(q.says for q in row.asks if q.is_open),
            cells=tuple((cell, at == row.column) for at, cell in enumerate(row.line.cells)),
        )
        for row in rows
    ]


def _what(said: Mapping[str, Any]) -> str:
    variety = said.get("variety")
    return f"{said.get('crop', '')} ‘{variety}’" if variety else str(said.get("crop", ""))


def _much(said: Mapping[str, Any], system: str) -> str:
    mass, count = said.get("mass"), said.get("count")
    parts = [format_mass(mass.mass_mg, system)] if mass else []
    parts += [much_words(None, count)] if count is not None else []
    return ", ".join(parts)


def _where(said: Mapping[str, Any]) -> str:
    place = said.get("place")
    return str(getattr(place, "label", place) or "")


def _joined(*parts: object) -> str:
    return " · ".join(str(part) for part in parts if part)


def _line(said: Mapping[str, Any], system: str) -> str:
    of = said.get("planting")
    where = _where(said)
    new = of.season if isinstance(of, KnownPlanting) else "a planting is added" if of else ""
    grade = GRADES[said["grade"]].words if said.get("grade") else ""
    return _joined(_what(said), where, said.get("day"), _much(said, system), grade, new)


def _planting(said: Mapping[str, Any], _: str) -> str:
    units = said.get("units")
    many = f"{units} {said.get('unit_kind') or 'plants'}" if units else ""
    day = said.get("day")
    season = said.get("season")
    return _joined(_what(said), _where(said), day, many, season and f"season {season}")


def _place(said: Mapping[str, Any], _: str) -> str:
    site = said.get("site")
    sizes = [f"{said[key]:g} m" for key in ("length_m", "width_m") if said.get(key)]
    across = f"{said['diameter_m']:g} m across" if said.get("diameter_m") else ""
    litres = f"{said['volume_l']:g} L" if said.get("volume_l") else ""
    where = site[1] if isinstance(site, tuple) else ""
    return _joined(_where(said), said.get("kind"), " × ".join(sizes), across, litres, where)


def _price(said: Mapping[str, Any], _: str) -> str:
    if "price_minor" not in said:
        return _joined(_what(said))
    price = f"{said['price_minor'] // 100}.{said['price_minor'] % 100:02}"
    return _joined(_what(said), f"{price} a {said['per']}", f"from {said['day']}")


def _stored(said: Mapping[str, Any], system: str) -> str:
    store = said.get("store")
    where = store[1] if isinstance(store, tuple) else ""
    day = said.get("day")
    return _joined(_what(said), where, _much(said, system), day and f"since {day}")


_WORDS: Final[Mapping[str, Callable[[Mapping[str, Any], str], str]]] = {
    "lines": _line,
    "plantings": _planting,
    "places": _place,
    "prices": _price,
    "store": _stored,
}


def made_words(reading: Reading) -> str:
    """What is added besides the rows: plantings and places, as a sentence; empty where nothing."""
    plantings = {
        row.said["planting"] for row in reading.ready if isinstance(row.said.get("planting"), str)
    }
    spots = {
        row.said["place"].place
        for row in reading.ready
        if reading.kind.key != "places"
        and getattr(row.said.get("place"), "place", "").startswith(TO_MAKE)
    }
    parts = [
        f"{len(found)} {word}{'s' * (len(found) != 1)}"
        for found, word in ((spots, "place"), (plantings, "planting"))
        if found
    ]
    return f"{' and '.join(parts)} will be added for them." if parts else ""
