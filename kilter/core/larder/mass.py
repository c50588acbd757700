"""Where the mass of a harvest went, to the milligram: what was lifted is eaten, given, in store, or
not accounted for.

Crates hold shares of lines, not amounts of their own. A line that is struck, corrected or tared
later moves through; what then no longer adds up stands under "not accounted for", with its reason,
and blocks nothing.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from kilter.core.errors import RecordError
from kilter.core.trade import grades
from kilter.core.trade.uses import EATEN, USES
from kilter.core.yields.costs import split_whole

#: Why something is not accounted for.
NOWHERE, SHORT = "lifted, and never said where it went", "more was taken than there was"
FRESH, EMPTIED = "just lifted, and not put by yet", "still in a crate that was said to be empty"
Key = tuple[str, int]  #: a crop and a season


@dataclass(frozen=True, kw_only=True)
class LiftedLine:
    """A line of the tape as it stands now; one that was struck is not among them."""

    ref: str
    crop: str
    season: int
    grade: str
    mass_mg: int
    is_estimated: bool = False
    #: By the household's rule what was not put by of it is eaten by now; None where there is no
    #: such rule.
    is_eaten: bool | None = None
    is_on_shelf: bool = False  #: what is left of it lies on the ripening shelf


@dataclass(frozen=True)
class PutByShare:
    """A share of a line goes into a crate; or is used at once, as what is hurt or kept for seed."""

    crate: str | None
    line: str
    share: Fraction
    use: str | None = None  #: a key of `USES`, where there is no crate


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
    use: str  #: a key of `USES`
    mass_mg: int
    of: Key | None = None  #: where there is no crate: whose


Entry = PutByShare | Moved | Used


@dataclass(frozen=True)
class Whereabouts:
    """Of one crop and season; every figure in milligrams, and they add up to what was lifted."""

    lifted_mg: int
    used_mg: Mapping[str, int]  #: by use
    in_store_mg: int
    #: What is not accounted for, by why; below zero where more went than there was.
    reasons: Mapping[str, int]
    assumed_mg: int  #: of what was eaten, what is assumed: it says nothing of appetite
    estimated_mg: int  #: of what was lifted, what was counted and not weighed

    @property
    def not_accounted_mg(self) -> int:
        return sum(self.reasons.values())


@dataclass(frozen=True)
class Ledger:
    """Where everything lifted went."""

    of: Mapping[Key, Whereabouts] = field(default_factory=dict)
    lying_mg: Mapping[str, int] = field(
        default_factory=dict
    )  #: by crate; below zero where more was taken than lay there
    put_mg: Mapping[int, int] = field(
        default_factory=dict
    )  #: of each putting by, by its place among the entries
    rest_mg: Mapping[str, int] = field(default_factory=dict)  #: by line: what of it was not put by
    loose_mg: Mapping[str, int] = field(
        default_factory=dict
    )  #: by line: what of that was used without a crate


#: What lies in a crate, by crop and season; below zero where more was taken than there was.
Lying = dict[Key, int]
#: What is summed beside the uses.
LIFTED, ESTIMATED, ASSUMED, IN_STORE = "lifted", "estimated", "assumed", "in store"
#: What is used without a crate comes off these, in turn.
TAKEN_FIRST = (ASSUMED, NOWHERE, FRESH, IN_STORE)
Sums = dict[Key, Counter[str]]


def whereabouts(
    lines: Sequence[LiftedLine],
    crates: Mapping[str, Key],
    entries: Sequence[Entry],
    emptied: Collection[str] = (),
) -> Ledger:
    """Say where everything lifted went.

    Parameters
    ----------
    lines : sequence of LiftedLine
        As they stand now, in the order they were lifted, all grades but Lost.
    crates : mapping of str to (str, int)
        Every crate with the crop and season that it was made for.
    entries : sequence of PutBy, Moved or Used
        What was entered and not struck, in order. Those that name a line that is gone carry
        nothing.
    emptied : collection of str
        Crates that were said to be empty: what should still lie there is not accounted for.

    Returns
    -------
    Ledger
        By crop and season lifted = Σ used + in store + not accounted for, to the milligram,
        whatever was entered.

    Raises
    ------
    RecordError
        A crate or a use that is not known, a negative amount, a share that is none, a putting by
        that says neither or both of crate and use, or a line twice.

    Notes
    -----
    A share of a line is rounded so that all its shares and the rest add up to it (largest
    remainder). What a crate of several seasons gives is taken from each by what lies there (largest
    remainder). A line whose shares come to more than the whole gives each its part of the whole:
    the scale is not made to show more than it showed. A line that turned out to be of another crop
    carries its crate's content there.

    Examples
    --------
    >>> shallots = LiftedLine(
    ...     ref="a", crop="shallot", season=2026, grade="table", mass_mg=3_000_000
    ... )
    >>> put, ate = PutByShare("crate", "a", Fraction(1)), Used("crate", "eaten", 1_000_000)
    >>> found = whereabouts([shallots], {"crate": ("shallot", 2026)}, [put, ate]).of[
    ...     "shallot", 2026
    ... ]
    >>> (found.used_mg["eaten"], found.in_store_mg, found.not_accounted_mg)
    (1000000, 2000000, 0)
    """
    _check(lines, crates, entries)
    sums: Sums = defaultdict(Counter)
    by_ref = {line.ref: line for line in lines}
    rest = {line.ref: line.mass_mg for line in lines}
    for line in lines:
        sums[line.crop, line.season][LIFTED] += line.mass_mg
        sums[line.crop, line.season][ESTIMATED] += line.mass_mg if line.is_estimated else 0
    masses = _put_by(by_ref, entries)
    lying: dict[str, Lying] = {name: {} for name in crates}
    loose: Counter[Key] = Counter()
    for i, entry in enumerate(entries):
        if isinstance(entry, PutByShare):
            if (put := by_ref.get(entry.line)) is not None:
                key, mass_mg = (put.crop, put.season), masses.get(i, 0)
                rest[entry.line] -= mass_mg
                if entry.crate is None:
                    sums[key][str(entry.use)] += mass_mg
                else:
                    _lay(lying[entry.crate], key, mass_mg)
        elif isinstance(entry, Moved):
            for key, mass_mg in _take(
                lying[entry.crate], crates[entry.crate], entry.mass_mg
            ).items():
                _lay(lying[entry.into], key, mass_mg)
        elif entry.crate is None:
            assert entry.of is not None
            loose[entry.of] += entry.mass_mg
            sums[entry.of][entry.use] += entry.mass_mg
        else:
            for key, mass_mg in _take(
                lying[entry.crate], crates[entry.crate], entry.mass_mg
            ).items():
                sums[key][entry.use] += mass_mg
    used_loose = _off_the_oldest(by_ref, rest, loose)
    reasons = _at_hand(by_ref, rest, used_loose, loose, sums)
    _settle(lying, emptied, sums, reasons)
    lies = {
        name: 0 if name in emptied else sum(content.values()) for name, content in lying.items()
    }
    return Ledger(
        {key: _whereabouts(one, reasons[key]) for key, one in sums.items()},
        lies,
        masses,
        rest,
        used_loose,
    )


def _off_the_oldest(
    lines: Mapping[str, LiftedLine], rest: Mapping[str, int], loose: Counter[Key]
) -> dict[str, int]:
    """What of each line was used without a crate:
    off what the rule would have eaten first, and off the oldest.
    """
    left = Counter(loose)
    gone: dict[str, int] = {}
    for line in (
        sorted(lines.values(), key=lambda one: TAKEN_FIRST.index(_where(one))) if loose else ()
    ):
        key = line.crop, line.season
        gone[line.ref] = min(left[key], rest[line.ref])
        left[key] -= gone[line.ref]
    return gone


def _where(line: LiftedLine) -> str:
    """Where the part of a line is that was put into no crate."""
    return (
        IN_STORE
        if line.is_on_shelf
        else {None: NOWHERE, True: ASSUMED, False: FRESH}[line.is_eaten]
    )


def _at_hand(
    lines: Mapping[str, LiftedLine],
    rest: Mapping[str, int],
    used_loose: Mapping[str, int],
    loose: Counter[Key],
    sums: Sums,
) -> Sums:
    """What was put into no crate: on the ripening shelf, eaten by the household's rule,
    just lifted, or nowhere.
    """
    reasons: Sums = defaultdict(Counter)
    left: dict[Key, Counter[str]] = defaultdict(Counter)
    short = Counter(loose)
    for ref, mass_mg in rest.items():
        key, gone = (lines[ref].crop, lines[ref].season), used_loose.get(ref, 0)
        left[key][_where(lines[ref])] += mass_mg - gone
        short[key] -= gone
    for key in {*left, *loose}:
        sums[key][EATEN] += left[key][ASSUMED]
        sums[key][ASSUMED] += left[key][ASSUMED]
        sums[key][IN_STORE] += left[key][IN_STORE]
        reasons[key].update(
            {NOWHERE: left[key][NOWHERE], FRESH: left[key][FRESH], SHORT: -short[key]}
        )
    return reasons


def _settle(
    lying: Mapping[str, Lying], emptied: Collection[str], sums: Sums, reasons: Sums
) -> None:
    """What lies in a crate at the end is in store;
    what is below zero was taken and never put in.
    """
    for name, content in lying.items():
        for key, mass_mg in content.items():
            reasons[key][SHORT] += min(mass_mg, 0)
            if name in emptied:
                reasons[key][EMPTIED] += max(mass_mg, 0)
                sums[key][IN_STORE] += 0
            else:
                sums[key][IN_STORE] += max(mass_mg, 0)


def _whereabouts(one: Counter[str], reasons: Counter[str]) -> Whereabouts:
    return Whereabouts(
        one[LIFTED],
        {use: one[use] for use in USES},
        one[IN_STORE],
        {why: mass_mg for why, mass_mg in reasons.items() if mass_mg},
        one[ASSUMED],
        one[ESTIMATED],
    )


def _check(
    lines: Sequence[LiftedLine], crates: Mapping[str, Key], entries: Sequence[Entry]
) -> None:
    if len({line.ref for line in lines}) != len(lines):
        raise RecordError("A line of the tape stands here twice.")
    if any(line.mass_mg < 0 or line.grade not in grades.LIFTED for line in lines):
        raise RecordError(
            "What was lifted has a mass of zero or more, and a grade that enters the larder."
        )
    for entry in entries:
        named = {entry.crate, entry.into} if isinstance(entry, Moved) else {entry.crate} - {None}
        if not named <= crates.keys():
            raise RecordError("There is no such crate.")
        if isinstance(entry, PutByShare):
            if not 0 <= entry.share <= 1 or (entry.crate is None) == (entry.use is None):
                raise RecordError(
                    "A share of a line, from none to all of it, goes into a crate or is used."
                )
        elif entry.mass_mg < 0:
            raise RecordError("An amount is not below zero.")
        elif isinstance(entry, Used) and entry.crate is None and entry.of is None:
            raise RecordError("What leaves no crate is of a crop and season.")
        if isinstance(entry, PutByShare | Used) and entry.use is not None and entry.use not in USES:
            raise RecordError(f"“{entry.use}” is no use of what lies in the larder.")


def _put_by(lines: Mapping[str, LiftedLine], entries: Sequence[Entry]) -> dict[int, int]:
    """The milligrams of each putting by, so that those of a line come to no more than it weighs."""
    of_line: dict[str, list[int]] = defaultdict(list)
    for i, entry in enumerate(entries):
        if isinstance(entry, PutByShare) and entry.line in lines and entry.share:
            of_line[entry.line].append(i)
    masses: dict[int, int] = {}
    for ref, places in of_line.items():
        shares = [entry.share for i in places if isinstance(entry := entries[i], PutByShare)]
        left = max(Fraction(1) - sum(shares, Fraction(0)), Fraction(0))
        *parts, _ = split_whole(lines[ref].mass_mg, [float(share) for share in (*shares, left)])
        masses |= dict(zip(places, parts, strict=True))
    return masses


def _lay(content: Lying, key: Key, mass_mg: int) -> None:
    content[key] = content.get(key, 0) + mass_mg


def _take(content: Lying, made: Key, mass_mg: int) -> Lying:
    """Take milligrams out of a crate, from each season by what lies there; more than there is, from
    the latest.

    An empty crate is short of what it was made for.
    """
    keys = sorted(content) or [made]
    there = [max(content.get(key, 0), 0) for key in keys]
    enough = min(mass_mg, sum(there))
    parts = list(split_whole(enough, there)) if enough else [0] * len(keys)
    parts[-1] += mass_mg - enough
    for key, part in zip(keys, parts, strict=True):
        _lay(content, key, -part)
    return {key: part for key, part in zip(keys, parts, strict=True) if part}
