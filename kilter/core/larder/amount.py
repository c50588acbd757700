"""How much was taken from a crate, as a gardener says it: a weight, a count,
half, the rest, or some.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kilter.core.amounts.units import format_mass, half_up, parse_bench_line
from kilter.core.errors import RecordError

#: Parts of what lies there, as said.
PARTS = {"half": 0.5, "a half": 0.5, "a third": 1 / 3, "a quarter": 0.25, "two thirds": 2 / 3}
THE_REST = frozenset({"rest", "the rest", "all", "all of it", "the lot"})
#: “Some” is a quarter of what lies there, give or take half of that (rule).
SOME_SHARE, SOME_DOUBT = 0.25, 0.5


@dataclass(frozen=True)
class Taken:
    """An amount in milligrams, in pieces, or in both; None where it is not known."""

    mass_mg: int | None
    pm_mg: int | None = None  #: give or take
    count: float | None = None
    is_rest: bool = False  #: the crate is empty after it


def taken(
    typed: str,
    lying_mg: int,
    unit: str,
    piece_mg: float | None,
    measures: Mapping[str, float | None],
    lying: float | None = None,
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
    lying : float or None
        Pieces that lie there, where they were counted.

    Returns
    -------
    Taken
        Whole milligrams; of what was only counted, pieces, and no mass. A count of what was counted
        there too has no mass of its own: it takes the same share of the mass.

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
    >>> (
    ...     taken("half", 0, "scale", None, {}, lying=5),
    ...     taken("c2", 0, "scale", None, {}, lying=5).count,
    ... )
    (Taken(mass_mg=None, pm_mg=None, count=2.5, is_rest=False), 2)
    """
    words = " ".join(typed.lower().split())
    there = max(lying or 0.0, 0.0)
    is_counted = bool(there) and lying_mg <= 0
    is_some = words.startswith("some")
    words = words.removeprefix("some").removeprefix(" of it").strip() if is_some else words
    is_bare_some = is_some and not words
    if words in THE_REST or words in PARTS or is_bare_some:
        share = SOME_SHARE if is_bare_some else PARTS.get(words, 1.0)
        if is_counted:
            return Taken(None, None, there * share, is_rest=words in THE_REST)
        part = round(max(lying_mg, 0) * share)
        doubt = round(part * SOME_DOUBT) if is_bare_some else None
        return Taken(part, doubt, is_rest=words in THE_REST)
    if is_counted and words.isdecimal():
        return Taken(None, None, int(words))
    line = parse_bench_line(words, unit, list(measures))
    if line.mass is None and line.count is not None and there:
        return Taken(None, None, line.count)
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


def much_words(mass_mg: float | None, count: float | None, system: str = "metric") -> str:
    """Say an amount: ``800 g``, ``6 pieces``, ``2.5 pieces``.

    Parameters
    ----------
    mass_mg : float or None
        Milligrams, where they are known.
    count : float or None
        Pieces, where there is no mass.
    system : str
        As of `format_mass`.

    Returns
    -------
    str
        The mass; without one the pieces, to a tenth.

    Examples
    --------
    >>> much_words(800_000, 6), much_words(None, 2.5), much_words(None, 1)
    ('800 g', '2.5 pieces', '1 piece')
    """
    if mass_mg is not None:
        return format_mass(mass_mg, system)
    pieces = half_up(count or 0.0, 1)
    return f"{float(pieces):g} piece{'' if pieces == 1 else 's'}"
