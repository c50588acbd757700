"""Places: by what one types, ``crock 3-9, 12; north bed``, and the ground they cover."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from kilter.core.errors import RecordError

_NUMBERS = re.compile(r"(?P<name>.*?) ?(?P<first>\d{1,6})(?: ?(?:-|–|to|\.\.) ?(?P<last>\d{1,6}))?")
_MOST_SHOWN = 6


def ground_area_m2(
    length_m: float | None, width_m: float | None, diameter_m: float | None = None
) -> float | None:
    """Square metres that a place covers: of what is round by its diameter, else length by width.

    Parameters
    ----------
    length_m, width_m, diameter_m : float or None
        Metres; None where not measured.

    Returns
    -------
    float or None
        None where too little is known.

    Notes
    -----
    The area of a circle, π d² / 4.

    Examples
    --------
    >>> round(ground_area_m2(None, None, 0.4), 4), ground_area_m2(2.5, 1.2)
    (0.1257, 3.0)
    """
    if diameter_m:
        return math.pi * diameter_m**2 / 4
    return length_m * width_m if length_m and width_m else None


def places_typed(text: str, known: Sequence[tuple[str, int | None]]) -> tuple[int, ...]:
    """Find the places that a text names.

    Parameters
    ----------
    text : str
        Pieces with commas or semicolons between: a place, a set, or a set with a number or a range
        of numbers. A number alone goes on with the set before it.
    known : sequence of (str, int or None)
        Of each place its name and, in a set, its number.

    Returns
    -------
    tuple of int
        Which of ``known``, each once, in their order.

    Raises
    ------
    RecordError
        A piece that names nothing, names several things, or runs beyond its set; it says which.

    Notes
    -----
    Capitals and a plural s do not matter, and the beginning of a name is enough where only one
    begins so. Numbers that are missing inside a range are passed over, as a pot was given away; its
    ends must be there.

    Examples
    --------
    >>> places_typed("crocks 2-3; bed", [("Crock", 1), ("Crock", 2), ("Crock", 3), ("Bed", None)])
    (1, 2, 3)
    """
    found: set[int] = set()
    name = ""
    for piece in filter(None, (" ".join(piece.split()) for piece in re.split(r"[,;]", text))):
        whole = [
            i
            for i, (called, number) in enumerate(known)
            if _label(called, number) == piece.casefold()
        ]
        match = None if whole else _NUMBERS.fullmatch(piece)
        if whole:
            name = known[whole[0]][0]
        if match is None:
            found.update(whole or _called(piece, known))
            continue
        name = match["name"] or name
        if not name:
            raise RecordError(f"“{piece}” needs the name of its set before it: crock {piece}.")
        found.update(
            _numbered(name, int(match["first"]), int(match["last"] or match["first"]), known)
        )
    return tuple(sorted(found))


def _label(name: str, number: int | None) -> str:
    return (name if number is None else f"{name} {number}").casefold()


def _called(name: str, known: Sequence[tuple[str, int | None]]) -> list[int]:
    """All places of one name: spelt out, in the plural,
    or by its beginning where only one begins so.
    """
    wanted = name.casefold().removeprefix("all ")
    names = sorted({called for called, _ in known}, key=str.casefold)
    same = [
        n
        for n in names
        if n.casefold() == wanted or wanted in (f"{n.casefold()}s", f"{n.casefold()}es")
    ]
    same = same or [n for n in names if n.casefold().startswith(wanted)]
    if len(same) != 1:
        listed = same or names
        more = " …" if len(listed) > _MOST_SHOWN else ""
        told = (
            f"There are {', '.join(listed[:_MOST_SHOWN])}{more}."
            if listed
            else "There are no places yet."
        )
        raise RecordError(f"“{name}” is {'several places' if same else 'no place here'}. {told}")
    return [i for i, (called, _) in enumerate(known) if called == same[0]]


def _numbered(
    name: str, first: int, last: int, known: Sequence[tuple[str, int | None]]
) -> list[int]:
    of_set = [i for i in _called(name, known) if known[i][1] is not None]
    called = known[of_set[0]][0] if of_set else name
    there = {known[i][1] for i in of_set}
    for number in (first, last):
        if number not in there:
            has = sorted(n for n in there if n is not None)
            told = f" It runs from {has[0]} to {has[-1]}." if has else ""
            raise RecordError(f"There is no {called} {number}.{told}")
    if last < first:
        raise RecordError(f"“{first}-{last}” runs backwards; write {last}-{first}.")
    return [i for i in of_set if first <= (known[i][1] or 0) <= last]
