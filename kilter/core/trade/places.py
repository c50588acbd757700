"""Kinds of place: what a household calls a place, and whether that is ground or a vessel."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Final


@dataclass(frozen=True, kw_only=True)
class PlaceKind:
    """One kind of place, with all that depends on it."""

    word: str  #: how it is called; others may stand before it: "raised bed"
    is_bed: bool = False  #: ground, measured by its area; else a vessel, measured by its volume
    is_covered: bool = False  #: under glass or film, where the first frost does not reach
    taper: float = (
        0.1  #: of a vessel, by how much of its width the foot is narrower on each side (drawing)
    )
    offered: tuple[str, ...] = ()  #: under these names forms offer it


#: Every kind by its word.
PLACE_KINDS: Final[Mapping[str, PlaceKind]] = {
    kind.word: kind
    for kind in (
        PlaceKind(word="bed", is_bed=True, offered=("bed", "raised bed", "narrow bed")),
        PlaceKind(word="pot", taper=0.2, offered=("pot", "fabric pot")),
        PlaceKind(word="crock", taper=0.12, offered=("crock",)),
        PlaceKind(word="crate", taper=0.0, offered=("crate",)),
        PlaceKind(word="pail", taper=0.14, offered=("pail",)),
        PlaceKind(word="tray", taper=0.0, offered=("tray",)),
        PlaceKind(word="trough", taper=0.06, offered=("trough",)),
        PlaceKind(word="border", is_bed=True, offered=("border",)),
        PlaceKind(word="polytunnel", is_bed=True, is_covered=True, offered=("polytunnel",)),
        PlaceKind(word="hanging basket", taper=0.25, offered=("hanging basket",)),
        PlaceKind(word="plot", is_bed=True),
        PlaceKind(word="row", is_bed=True),
        PlaceKind(word="strip", is_bed=True),
        PlaceKind(word="mound", is_bed=True),
        PlaceKind(word="ground", is_bed=True),
        PlaceKind(word="patch", is_bed=True),
        PlaceKind(word="greenhouse", is_bed=True, is_covered=True),
        PlaceKind(word="glasshouse", is_bed=True, is_covered=True),
        PlaceKind(word="tunnel", is_bed=True, is_covered=True),
        PlaceKind(word="cold frame", is_bed=True, is_covered=True),
        PlaceKind(word="bank", is_bed=True),
        PlaceKind(word="box", taper=0.0),
        PlaceKind(word="bag", taper=0.04),
        PlaceKind(word="sack", taper=0.04),
        PlaceKind(word="tub", taper=0.14),
        PlaceKind(word="barrel", taper=0.06),
        PlaceKind(word="bucket", taper=0.14),
        PlaceKind(word="basket", taper=0.2),
        PlaceKind(word="planter", taper=0.08),
        PlaceKind(word="tower", taper=0.0),
        PlaceKind(word="gutter", taper=0.0),
    )
}
#: A word that is not known is a vessel: what is planted in is made, and ground mostly goes by a
#: word above.
UNKNOWN: Final = PlaceKind(word="")
OFFERED: Final = tuple(name for kind in PLACE_KINDS.values() for name in kind.offered)
_NAMED: Final = re.compile(
    rf"(?<![a-z])({'|'.join(sorted(PLACE_KINDS, key=len, reverse=True))})(?:e?s)?(?![a-z])",
    re.IGNORECASE,
)


@lru_cache(maxsize=4096)
def place_kind(called: str) -> PlaceKind:
    """Tell the kind of a place by what it is called: the last word known in it decides.

    Parameters
    ----------
    called : str
        What the household wrote: ``raised bed``, ``Window boxes``.

    Returns
    -------
    PlaceKind
        The entry of `PLACE_KINDS`, or `UNKNOWN`, which is a vessel.

    Notes
    -----
    In English the last noun says what a thing is: a "polytunnel bed" is a bed, a "bed crate" a
    crate.

    Examples
    --------
    >>> (
    ...     place_kind("raised bed").is_bed,
    ...     place_kind("Fabric pots").word,
    ...     place_kind("amphora").is_bed,
    ... )
    (True, 'pot', False)
    """
    found = _NAMED.findall(called)
    return PLACE_KINDS[found[-1].lower()] if found else UNKNOWN
