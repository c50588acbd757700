"""Where the mass of a harvest went, to the milligram: what was lifted is eaten, given, in store, or not accounted for.

Crates hold shares of lines, not amounts of their own. A line that is struck, corrected or tared later moves through;
what then no longer adds up stands under "not accounted for", with its reason, and blocks nothing.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from kilter.core.errors import RecordError
from kilter.core.yields.costs import split_whole

#: Grades that are lifted; what was lost never entered the larder.
LIFTED_GRADES = ("table", "small", "hurt", "seed", "unripe")
USES = ("eaten", "given", "fed", "kept_to_plant", "composted", "spoiled", "dried_away")
Use = Literal["eaten", "given", "fed", "kept_to_plant", "composted", "spoiled", "dried_away"]
#: Why something is not accounted for.
NOWHERE, SHORT = "lifted, and never said where it went", "more was taken than there was"
Key = tuple[str, int]  #: a crop and a season


@dataclass(frozen=True)
class LiftedLine:
    """A line of the tape as it stands now; one that was struck is not among them."""

    ref: str
    crop: str
    season: int
    grade: str
    mass_mg: int
    is_estimated: bool = False


@dataclass(frozen=True)
class PutBy:
    """A share of a line goes into a crate."""

    crate: str
    line: str
    share: Fraction


@dataclass(frozen=True)
class Moved:
    """Milligrams go from one crate into another: split, merged, or into another store."""

    crate: str
    into: str
    mass_mg: int


@dataclass(frozen=True)
class Used:
    """Milligrams leave a crate; or, with no crate, leave what was lifted and put nowhere."""

    crate: str | None
    use: Use
    mass_mg: int
    of: Key | None = None  #: where there is no crate: whose
    is_assumed: bool = False  #: by the household's rule, not seen: it fills the line and says nothing of appetite


Entry = PutBy | Moved | Used


@dataclass(frozen=True)
class Whereabouts:
    """Of one crop and season; every figure in milligrams, and they add up to what was lifted."""

    lifted_mg: int
    used_mg: Mapping[str, int]  #: by use
    in_store_mg: int
    #: What is not accounted for, by why; below zero where more went than there was.
    reasons: Mapping[str, int]
    assumed_mg: int  #: of what was used, what is assumed
    estimated_mg: int  #: of what was lifted, what was counted and not weighed

    @property
    def not_accounted_mg(self) -> int:
        return sum(self.reasons.values())


#: What lies in a crate, by season; below zero where more was taken than there was.
Lying = dict[int, int]
#: What is summed beside the uses.
LIFTED, ESTIMATED, ASSUMED, IN_STORE = "lifted", "estimated", "assumed", "in store"
Sums = dict[Key, Counter[str]]


def whereabouts(
    lines: Sequence[LiftedLine], crates: Mapping[str, Key], entries: Sequence[Entry]
) -> dict[Key, Whereabouts]:
    """Say where everything lifted went.

    Parameters
    ----------
    lines : sequence of LiftedLine
        As they stand now, all grades but Lost.
    crates : mapping of str to (str, int)
        Every crate with the crop and season that it was made for.
    entries : sequence of PutBy, Moved or Used
        What was entered and not struck, in order. Those that name a line that is gone carry nothing.

    Returns
    -------
    dict
        By crop and season. lifted = Σ used + in store + not accounted for, to the milligram, whatever was entered.

    Raises
    ------
    RecordError
        A crop put into a crate of another, a crate that is not known, a negative amount, a share that is none, or a
        line twice.

    Notes
    -----
    A share of a line is rounded so that all its shares and the rest add up to it (largest remainder). What a crate of
    several seasons gives is taken from each by what lies there (largest remainder). A line whose shares come to more
    than the whole gives each its part of the whole: the scale is not made to show more than it showed.

    Examples
    --------
    >>> shallots = LiftedLine("a", "shallot", 2026, "table", 3_000_000)
    >>> put, ate = PutBy("crate", "a", Fraction(1)), Used("crate", "eaten", 1_000_000)
    >>> found = whereabouts([shallots], {"crate": ("shallot", 2026)}, [put, ate])["shallot", 2026]
    >>> (found.used_mg["eaten"], found.in_store_mg, found.not_accounted_mg)
    (1000000, 2000000, 0)
    """
    _check(lines, crates, entries)
    sums: Sums = defaultdict(Counter)
    nowhere: dict[Key, int] = defaultdict(int)
    by_ref = {line.ref: line for line in lines}
    for line in lines:
        key = (line.crop, line.season)
        sums[key][LIFTED] += line.mass_mg
        sums[key][ESTIMATED] += line.mass_mg if line.is_estimated else 0
        nowhere[key] += line.mass_mg
    masses = _put_by(by_ref, entries)
    lying: dict[str, Lying] = {name: {} for name in crates}
    for i, entry in enumerate(entries):
        if isinstance(entry, PutBy):
            if (put := by_ref.get(entry.line)) is not None:
                _one_crop(crates[entry.crate][0], put.crop)
                nowhere[put.crop, put.season] -= masses.get(i, 0)
                _lay(lying[entry.crate], put.season, masses.get(i, 0))
        elif isinstance(entry, Moved):
            _one_crop(crates[entry.into][0], crates[entry.crate][0])
            for season, mass_mg in _take(lying[entry.crate], crates[entry.crate][1], entry.mass_mg).items():
                _lay(lying[entry.into], season, mass_mg)
        elif entry.crate is None:
            assert entry.of is not None
            nowhere[entry.of] -= entry.mass_mg
            _count(sums[entry.of], entry, entry.mass_mg)
        else:
            crop, made = crates[entry.crate]
            for season, mass_mg in _take(lying[entry.crate], made, entry.mass_mg).items():
                _count(sums[crop, season], entry, mass_mg)
    return _settled(sums, nowhere, crates, lying)


def _settled(
    sums: Sums, nowhere: Mapping[Key, int], crates: Mapping[str, Key], lying: Mapping[str, Lying]
) -> dict[Key, Whereabouts]:
    """What lies in a crate at the end is in store; what is below zero was taken and never put in."""
    reasons: Sums = defaultdict(Counter)
    for key, mass_mg in nowhere.items():
        reasons[key][NOWHERE if mass_mg > 0 else SHORT] += mass_mg
    for name, by_season in lying.items():
        for season, mass_mg in by_season.items():
            sums[crates[name][0], season][IN_STORE] += max(mass_mg, 0)
            reasons[crates[name][0], season][SHORT] += min(mass_mg, 0)
    return {
        key: Whereabouts(
            one[LIFTED],
            {use: one[use] for use in USES},
            one[IN_STORE],
            {why: mass_mg for why, mass_mg in reasons[key].items() if mass_mg},
            one[ASSUMED],
            one[ESTIMATED],
        )
        for key, one in sums.items()
    }


def _check(lines: Sequence[LiftedLine], crates: Mapping[str, Key], entries: Sequence[Entry]) -> None:
    if len({line.ref for line in lines}) != len(lines):
        raise RecordError("A line of the tape stands here twice.")
    if any(line.mass_mg < 0 or line.grade not in LIFTED_GRADES for line in lines):
        raise RecordError("What was lifted has a mass of zero or more, and a grade that enters the larder.")
    for entry in entries:
        named = {entry.crate, entry.into} if isinstance(entry, Moved) else {entry.crate} - {None}
        if not named <= crates.keys():
            raise RecordError("There is no such crate.")
        if isinstance(entry, PutBy):
            if not 0 <= entry.share <= 1:
                raise RecordError("What goes into a crate is a share of its line, from none to all of it.")
        elif entry.mass_mg < 0:
            raise RecordError("An amount is not below zero.")
        elif isinstance(entry, Used) and entry.crate is None and entry.of is None:
            raise RecordError("What leaves no crate is of a crop and season.")


def _put_by(lines: Mapping[str, LiftedLine], entries: Sequence[Entry]) -> dict[int, int]:
    """The milligrams of each putting by, so that those of a line come to no more than it weighs."""
    of_line: dict[str, list[int]] = defaultdict(list)
    for i, entry in enumerate(entries):
        if isinstance(entry, PutBy) and entry.line in lines and entry.share:
            of_line[entry.line].append(i)
    masses: dict[int, int] = {}
    for ref, places in of_line.items():
        shares = [entry.share for i in places if isinstance(entry := entries[i], PutBy)]
        left = max(Fraction(1) - sum(shares, Fraction(0)), Fraction(0))
        *parts, _ = split_whole(lines[ref].mass_mg, [float(share) for share in (*shares, left)])
        masses |= dict(zip(places, parts, strict=True))
    return masses


def _one_crop(crop: str, other: str) -> None:
    if crop != other:
        raise RecordError(f"There is {crop} in that crate; {other} goes into one of its own.")


def _lay(by_season: Lying, season: int, mass_mg: int) -> None:
    by_season[season] = by_season.get(season, 0) + mass_mg


def _take(by_season: Lying, made: int, mass_mg: int) -> Lying:
    """Take milligrams out of a crate, from each season by what lies there; more than there is, from the latest.

    An empty crate is short of what it was made for.
    """
    seasons = sorted(by_season) or [made]
    there = [max(by_season.get(season, 0), 0) for season in seasons]
    enough = min(mass_mg, sum(there))
    parts = list(split_whole(enough, there)) if enough else [0] * len(seasons)
    parts[-1] += mass_mg - enough
    for season, part in zip(seasons, parts, strict=True):
        _lay(by_season, season, -part)
    return {season: part for season, part in zip(seasons, parts, strict=True) if part}


def _count(one: Counter[str], entry: Used, mass_mg: int) -> None:
    one[entry.use] += mass_mg
    one[ASSUMED] += mass_mg if entry.is_assumed else 0
