"""How much was taken from a crate, as a gardener says it: a weight, a count,
half, the rest, or some.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kilter.core.amounts.units import parse_bench_line
from kilter.core.errors import RecordError

#: Parts of what lies there, as said.
PARTS = {"half": 0.5, "a half": 0.5, "a third": 1 / 3, "a quarter": 0.25, "two thirds": 2 / 3}
THE_REST = frozenset({"rest", "the rest", "all", "all of it", "the lot"})
#: “Some” is a quarter of what lies there, give or take half of that (rule).
SOME_SHARE, SOME_DOUBT = 0.25, 0.5


@dataclass(frozen=True)
class Taken:
    """An amount, in milligrams."""

    mass_mg: int
    pm_mg: int | None = None  #: give or take
    count: int | None = None
    is_rest: bool = False  #: the crate is empty after it


def taken(
    typed: str,
    lying_mg: int,
    unit: str,
    piece_mg: float | None,
    measures: Mapping[str, float | None],
) -> Taken:
    """Read how much was taken.

    Parameters
    ----------
    typed : str
        ``1.2 kg``, ``800 6``, ``c6``, ``2 tub``, ``half``, ``the rest``, ``some``, ``some 2 kg``.
    lying_mg : int
        What lies there.
    unit : str
        What a bare number is in, as in :func:`kilter.core.amounts.units.parse_bench_line`.
    piece_mg : float or None
        What one piece of the crop weighs here, if that is known.
    measures : mapping of str to float or None
        What the household's own measures hold of the crop, in milligrams, as far as it is known.

    Returns
    -------
    Taken
        Whole milligrams.

    Raises
    ------
    RecordError
        Nothing was said, or a count of a crop of which no piece was weighed.
    UnitError
        A text that is no amount.

    Notes
    -----
    Kilter's own words (rule).

    Examples
    --------
    >>> (
    ...     taken("half", 3_000_000, "scale", None, {}).mass_mg,
    ...     taken("800 6", 3_000_000, "scale", None, {}).count,
    ... )
    (1500000, 6)
    """
    words = " ".join(typed.lower().split())
    if words in THE_REST:
        return Taken(max(lying_mg, 0), is_rest=True)
    if words in PARTS:
        return Taken(round(max(lying_mg, 0) * PARTS[words]))
    is_some = words.startswith("some")
    words = words.removeprefix("some").removeprefix(" of it").strip() if is_some else words
    if is_some and not words:
        part = round(max(lying_mg, 0) * SOME_SHARE)
        return Taken(part, round(part * SOME_DOUBT))
    line = parse_bench_line(words, unit, list(measures))
    each, many = (
        (measures.get(line.measure), line.measures) if line.measures else (piece_mg, line.count)
    )
    if line.mass is not None:
        mass_mg: float = line.mass.mass_mg
    elif many is None:
        raise RecordError(
            "Say how much: a weight such as 800 g, a count such as c6, half, or the rest."
        )
    elif each is None:
        raise RecordError("What one of them weighs is not known here yet; give a weight.")
    else:
        mass_mg = many * each
    pm_mg = line.pm_mg if line.pm_mg is not None else mass_mg * SOME_DOUBT if is_some else None
    return Taken(round(mass_mg), None if pm_mg is None else round(pm_mg), line.count)


def resolved(typed: str, mass_mg: int) -> Taken:
    """An amount that a device resolved already, from what lay there as it saw it.

    Parameters
    ----------
    typed : str
        As :func:`taken` reads it.
    mass_mg : int
        What it came to.

    Returns
    -------
    Taken
        With the doubt of "some", and whether it was the rest.

    Notes
    -----
    Kilter's own words (rule).

    Examples
    --------
    >>> resolved("the rest", 700_000).is_rest
    True
    """
    words = " ".join(typed.lower().split())
    pm_mg = round(mass_mg * SOME_DOUBT) if words.startswith("some") else None
    return Taken(mass_mg, pm_mg, is_rest=words in THE_REST)
