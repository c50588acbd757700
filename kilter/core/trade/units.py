"""Kinds of unit: what a planting is set out as,
and what follows for counting, sowing and buying.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal


@dataclass(frozen=True, kw_only=True)
class UnitKind:
    """One kind of unit, with all that depends on it."""

    key: str  #: as it is stored, shown, and written in the handbook and the open format
    plural: str = ""  #: where an s is not enough
    #: Bought as seed and sown in its place, or raised from seed under cover first; else it is no
    #: seed.
    from_seed: Literal["sown", "raised", ""] = ""
    is_started: bool = False  #: begun under lights, weeks before it is set out
    is_in_handbook: bool = False  #: the handbook may name it as the way in which a crop is planted


#: Every kind by its key, in the order in which forms offer them; a household may write others.
UNIT_KINDS: Final[Mapping[str, UnitKind]] = {
    kind.key: kind
    for kind in (
        UnitKind(key="plant"),
        UnitKind(key="seed", from_seed="sown", is_in_handbook=True),
        UnitKind(key="seed potato", plural="seed potatoes", is_in_handbook=True),
        UnitKind(key="cut piece"),
        UnitKind(key="set", is_in_handbook=True),
        UnitKind(key="clove", is_in_handbook=True),
        UnitKind(key="tuber", is_in_handbook=True),
        UnitKind(key="rhizome piece"),
        UnitKind(key="slip", is_started=True, is_in_handbook=True),
        UnitKind(key="module", from_seed="raised", is_started=True, is_in_handbook=True),
        UnitKind(key="transplant", from_seed="raised", is_started=True, is_in_handbook=True),
        UnitKind(key="runner"),
        UnitKind(key="runner plant", is_in_handbook=True),
        UnitKind(key="crown", is_in_handbook=True),
        UnitKind(key="cane", is_in_handbook=True),
        UnitKind(key="bush", plural="bushes", is_in_handbook=True),
        UnitKind(key="mound"),
    )
}
#: What a planting is set out as where nothing is known.
USUAL: Final = UNIT_KINDS["plant"]
IN_HANDBOOK: Final = tuple(key for key, kind in UNIT_KINDS.items() if kind.is_in_handbook)


def unit_kind(key: str) -> UnitKind:
    """Find a kind of unit; one that the household wrote is of no seed, and is counted in an s.

    Parameters
    ----------
    key : str
        Such as ``seed potato``.

    Returns
    -------
    UnitKind
        The entry of `UNIT_KINDS`, or one made for the word.


    Examples
    --------
    >>> unit_kind("module").from_seed, unit_kind("bulbil").from_seed
    ('raised', '')
    """
    return UNIT_KINDS.get(key) or UnitKind(key=key)


def kinds_planted(planted_as: str) -> tuple[UnitKind, ...]:
    """Read in which ways the handbook plants a crop.

    Parameters
    ----------
    planted_as : str
        Kinds joined by "or", the usual one first.

    Returns
    -------
    tuple of UnitKind
        One or more.


    Examples
    --------
    >>> [kind.key for kind in kinds_planted("seed or module")]
    ['seed', 'module']
    """
    return tuple(unit_kind(word) for word in planted_as.split(" or "))


def noun(count: float | str, key: str) -> str:
    """Name a kind of unit as it is said of so many.

    Parameters
    ----------
    count : float or str
        How many; text, such as one with a doubt beside it, is never single.
    key : str
        The kind of unit.

    Returns
    -------
    str
        Such as ``clove`` for one or ``seed potatoes`` for more.


    Examples
    --------
    >>> noun(1, "bush"), noun(28, "seed potato"), noun("13 ± 2", "seed")
    ('bush', 'seed potatoes', 'seeds')
    """
    return key if count == 1 else unit_kind(key).plural or f"{key}s"
