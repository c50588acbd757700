"""What a container is filled with: recipes, litres to fill, sinking,
and how heavy it is when wet.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.errors import RecordError

#: Kilograms a litre of wet medium weighs: light, usual, heavy (common practice, no source).
WET_KG_PER_L: Final = (0.7, 0.9, 1.0)
#: From here a word, from here two people: guideline figures of the UK HSE for lifting at waist
#: height (memory).
A_WORD_KG, TWO_PEOPLE_KG = 16.0, 25.0
#: Above the waist both come a fifth sooner (rule).
ABOVE_WAIST: Final = 0.8
EVENTS: Final = ("filled", "topped up", "reused", "measured", "emptied")
#: Of a piece whose blanks are single: two of them beside each other could be shared out in many
#: ways.
_PART = re.compile(r"(?P<name>[^:;=0-9][^:;=]*?) ?[:= ] ?(?P<parts>\d+(?:[.,]\d+)?)")


@dataclass(frozen=True)
class FillEvent:
    """One thing done to the medium of a place; ``litres`` is added,
    or seen where it was measured.
    """

    day: date
    kind: str
    litres: float | None = None


@dataclass(frozen=True)
class FillLevel:
    """How full a place is."""

    litres: float | None  #: real fill; None if it was never written down
    sunk_share: float | None  #: of all that was put in, what has gone since; None if never measured
    since: date | None  #: when this medium came in
    uses: int  #: times it was reused


@dataclass(frozen=True)
class Wet:
    """A wet container's weight, and what to say of it."""

    kg: float
    low_kg: float
    high_kg: float
    advice: str  #: empty, ``heavy`` or ``two people``


def parse_recipe(text: str) -> dict[str, float]:
    """Read a mix: ``compost 2; sand 1; own loam 0,5``.

    Parameters
    ----------
    text : str
        Names and parts, with ``;`` or ``,`` and a blank between several.

    Returns
    -------
    dict of str to float
        Parts by name, each above zero.

    Raises
    ------
    RecordError
        A piece that is not a name and its parts, or a name said twice.

    Notes
    -----
    Parts are by volume.

    Examples
    --------
    >>> parse_recipe("compost 2; sharp sand: 1")
    {'compost': 2.0, 'sharp sand': 1.0}
    """
    found: dict[str, float] = {}
    for piece in filter(str.strip, re.split(r";|,\s", text)):
        match = _PART.fullmatch(" ".join(piece.split()))
        parts = float(match["parts"].replace(",", ".")) if match else 0.0
        if match is None or not 0 < parts <= 1000:
            raise RecordError(
                f"“{piece.strip()[:40]}” is no part of a mix; write compost 2; sand 1."
            )
        if match["name"] in found:
            raise RecordError(f"“{match['name']}” is said twice in the mix.")
        found[match["name"]] = parts
    return found


def shopping(recipe: dict[str, float], litres: float) -> dict[str, float]:
    """Say how many litres of each part make up so many of a mix.

    Parameters
    ----------
    recipe : dict of str to float
        From `parse_recipe`.
    litres : float
        Wanted, zero or more.

    Returns
    -------
    dict of str to float
        Litres of each; their sum is what was wanted. Mixing loses some volume, which is not
        reckoned.

    Notes
    -----
    litres × part / Σ parts.

    Examples
    --------
    >>> shopping({"compost": 2.0, "sand": 1.0}, 90)
    {'compost': 60.0, 'sand': 30.0}
    """
    whole = sum(recipe.values())
    return {name: litres * parts / whole for name, parts in recipe.items()}


def fill_of(events: Sequence[FillEvent], until: date | None = None) -> FillLevel:
    """Fold what was done to a place's medium into how full it is.

    Parameters
    ----------
    events : sequence of FillEvent
        In any order; on one day in the order given.
    until : date, optional
        Leave out what came later.

    Returns
    -------
    Fill
        Real litres, how far it sank, since when, how often reused.

    Raises
    ------
    RecordError
        An unknown kind of event.

    Notes
    -----
    Filling sets the litres, topping up adds, measuring replaces what was reckoned, emptying ends
    it. Sinking is 1 − measured / put in since the filling, at the last measuring.

    Examples
    --------
    >>> f = fill_of(
    ...     [
    ...         FillEvent(date(2026, 3, 1), "filled", 30.0),
    ...         FillEvent(date(2026, 9, 1), "measured", 24.0),
    ...     ]
    ... )
    >>> f.litres, round(f.sunk_share, 2)
    (24.0, 0.2)
    """
    litres: float | None = None
    put_in, sunk, since, uses = 0.0, None, None, 0
    for event in sorted(
        (e for e in events if until is None or e.day <= until), key=lambda e: e.day
    ):
        if event.kind not in EVENTS:
            raise RecordError(
                f"“{event.kind}” is nothing that is done to a medium; use {', '.join(EVENTS)}."
            )
        if event.kind == "emptied":
            litres, put_in, sunk, since, uses = 0.0, 0.0, None, None, 0
        elif event.kind == "measured":
            litres = event.litres
            sunk = max(1 - litres / put_in, 0.0) if put_in and litres is not None else None
        elif event.kind == "topped up":
            litres = (litres or 0.0) + (event.litres or 0.0)
            put_in += event.litres or 0.0
        else:
            litres = event.litres if event.litres is not None else litres
            put_in, sunk = litres or 0.0, None
            since = event.day
            uses = uses + 1 if event.kind == "reused" else 0
    return FillLevel(litres, sunk, since, uses)


def wet_weight(fill_l: float, pot_kg: float = 0.0, *, is_above_waist: bool = False) -> Wet:
    """Reckon a container's weight after rain, and whether to lift it alone.

    Parameters
    ----------
    fill_l : float
        Real fill, litres, zero or more.
    pot_kg : float
        The empty container.
    is_above_waist : bool
        Whether it has to be lifted above the waist.

    Returns
    -------
    Wet
        Usual, least and most kilograms, and a graded note by the usual one.

    Raises
    ------
    RecordError
        A negative fill or weight.

    Notes
    -----
    fill × 0.9 kg/L (0.7–1.0) + pot; a word from 16 kg, two people from 25 kg, a fifth sooner above
    the waist.

    Examples
    --------
    >>> wet_weight(30, 1.5).advice, round(wet_weight(30, 1.5).kg, 1)
    ('two people', 28.5)
    """
    if fill_l < 0 or pot_kg < 0:
        raise RecordError("A fill and a pot's weight are zero or more.")
    low, usual, high = (fill_l * each + pot_kg for each in WET_KG_PER_L)
    sooner = ABOVE_WAIST if is_above_waist else 1.0
    advice = (
        "two people"
        if usual >= TWO_PEOPLE_KG * sooner
        else "heavy"
        if usual >= A_WORD_KG * sooner
        else ""
    )
    return Wet(usual, low, high, advice)
