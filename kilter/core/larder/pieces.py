"""What was counted, followed through the larder beside its mass: each taking in both, as far as
either is known.

A taking that was said in pieces takes the same share of the known mass, and one that was weighed
the same share of the known pieces. Pieces are reckoned in thousandths, so that half of five is 2.5.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Final

from kilter.core.errors import RecordError
from kilter.core.larder.mass import (
    Entry,
    Key,
    Ledger,
    LiftedLine,
    Moved,
    PutByShare,
    Used,
    whereabouts,
)
from kilter.core.trade.uses import USES

#: So many parts a piece is followed in.
PARTS: Final = 1000


@dataclass(frozen=True, kw_only=True)
class InPieces:
    """Of one crop and season; every figure in pieces, and they add up to what was counted."""

    lifted: float
    used: Mapping[str, float]  #: by use
    in_store: float
    preserved: float  #: frozen, dried or bottled: there the balance in pieces ends
    not_accounted: float
    uncounted: int  #: lines that have no count, and so are left out
    is_estimated: bool  #: part of it was taken by weight, or as a share


@dataclass(frozen=True)
class Counted:
    """What is followed in pieces."""

    of: Mapping[Key, InPieces]
    lying: Mapping[str, float]  #: by crate
    put: Mapping[str, float]  #: by crate: what went in
    rest: Mapping[str, float]  #: by line: what of it was put nowhere and not used
    masses: tuple[Entry, ...]  #: the entries with the mass of those said in pieces only


def followed(
    lines: Sequence[LiftedLine],
    counts: Mapping[str, float],
    crates: Mapping[str, Key],
    entries: Sequence[Entry],
    said: Mapping[int, float],
    ends: Collection[str] = (),
    emptied: Collection[str] = (),
) -> Counted:
    """Follow what was counted through the larder.

    Parameters
    ----------
    lines : sequence of LiftedLine
        As for `whereabouts`; the mass 0 where none is known.
    counts : mapping of str to float
        Pieces of each line that was counted; the others are left out of the balance in pieces.
    crates, entries, emptied
        As for `whereabouts`; a taking whose mass is not known has the mass 0.
    said : mapping of int to float
        By the place of an entry the pieces that were said with it.
    ends : collection of str
        Crates of what is frozen, dried or bottled.

    Returns
    -------
    Counted
        By crop and season lifted = used + in store + preserved + not accounted for, in thousandths
        of a piece exactly; and the entries with a mass for those that were said in pieces alone.

    Raises
    ------
    RecordError
        As `whereabouts`, and for a count below zero.

    Notes
    -----
    Kilter's own (rule). What was said holds; else a taking takes of the pieces what it takes of the
    mass, and of the mass what it takes of the pieces. Out of what is preserved no piece is taken.

    Examples
    --------
    >>> cobs = LiftedLine(ref="a", crop="corn", season=2026, grade="table", mass_mg=0)
    >>> put, gave = PutByShare("crate", "a", Fraction(1)), Used("crate", "given", 0)
    >>> found = followed([cobs], {"a": 104}, {"crate": ("corn", 2026)}, [put, gave], {1: 50})
    >>> found.of["corn", 2026].used["given"], found.lying["crate"]
    (50.0, 54.0)
    """
    if any(count < 0 for count in (*counts.values(), *said.values())):
        raise RecordError("A count is not below zero.")
    in_parts = [
        replace(line, mass_mg=round(counts[line.ref] * PARTS), is_estimated=False)
        for line in lines
        if line.ref in counts
    ]
    walk = _Walk(lines, counts, crates)
    masses, pieces = [], []
    for i, entry in enumerate(entries):
        mass, parts = walk.step(entry, said.get(i))
        masses.append(mass)
        pieces.append(_none_of(parts) if _crate_of(entry) in ends else parts)
    ledger = whereabouts(in_parts, crates, pieces, emptied)
    by_key: dict[Key, InPieces] = {}
    ended: Counter[Key] = Counter()
    for name in ends:
        ended[crates[name]] += max(ledger.lying_mg[name], 0)
    for key, one in ledger.of.items():
        by_key[key] = InPieces(
            lifted=one.lifted_mg / PARTS,
            used={use: one.used_mg[use] / PARTS for use in USES},
            in_store=(one.in_store_mg - ended[key]) / PARTS,
            preserved=ended[key] / PARTS,
            not_accounted=one.not_accounted_mg / PARTS,
            uncounted=sum(
                (line.crop, line.season) == key and line.ref not in counts for line in lines
            ),
            is_estimated=key in walk.estimated,
        )
    return Counted(
        of=by_key,
        lying={name: parts / PARTS for name, parts in ledger.lying_mg.items()},
        put={name: parts / PARTS for name, parts in walk.put.items()},
        rest=_rest(ledger),
        masses=tuple(masses),
    )


def _rest(ledger: Ledger) -> dict[str, float]:
    return {
        ref: (parts - ledger.loose_mg.get(ref, 0)) / PARTS for ref, parts in ledger.rest_mg.items()
    }


def _crate_of(entry: Entry) -> str | None:
    """Out of which crate an entry takes; None for what goes in."""
    return None if isinstance(entry, PutByShare) else entry.crate


def _none_of(entry: Entry) -> Entry:
    assert not isinstance(entry, PutByShare)
    return replace(entry, mass_mg=0)


@dataclass(frozen=True)
class _Lying:
    """What lies in a crate, as far as it is known."""

    mass: int = 0
    counted: int = 0  #: of that mass what was counted too
    parts: int = 0

    def less(self, mass: int, counted: int, parts: int) -> _Lying:
        """What is left of it."""
        return _Lying(self.mass - mass, self.counted - counted, self.parts - parts)

    def plus(self, mass: int, counted: int, parts: int) -> _Lying:
        """With what came in."""
        return self.less(-mass, -counted, -parts)


class _Walk:
    """What lies in each crate in mass and in parts of pieces, entry by entry."""

    def __init__(
        self, lines: Sequence[LiftedLine], counts: Mapping[str, float], crates: Mapping[str, Key]
    ) -> None:
        self.lines = {line.ref: line for line in lines}
        self.counts, self.crates = counts, crates
        self.lying: dict[str, _Lying] = defaultdict(_Lying)
        self.put: Counter[str] = Counter()
        self.estimated: set[Key] = set()
        #: By crop and season all that was lifted, for what is taken without a crate.
        self.lifted: dict[Key, _Lying] = defaultdict(_Lying)
        for line in lines:
            key = line.crop, line.season
            self.lifted[key] = self.lifted[key].plus(*self._part(line, Fraction(1)))

    def _part(self, line: LiftedLine, share: Fraction) -> tuple[int, int, int]:
        mass, parts = round(share * line.mass_mg), 0
        if line.ref in self.counts:
            parts = round(float(share) * self.counts[line.ref] * PARTS)
        return mass, mass if line.ref in self.counts else 0, parts

    def step(self, entry: Entry, said: float | None) -> tuple[Entry, Entry]:
        """An entry in mass, and the same in parts of pieces."""
        if isinstance(entry, PutByShare):
            line = self.lines.get(entry.line)
            if line is not None and entry.crate is not None:
                part = self._part(line, entry.share)
                self.lying[entry.crate] = self.lying[entry.crate].plus(*part)
                self.put[entry.crate] += part[2]
            return entry, entry
        if entry.crate is None:
            assert isinstance(entry, Used)
            assert entry.of is not None
            key, there = entry.of, self.lifted[entry.of]
        else:
            key, there = self.crates[entry.crate], self.lying[entry.crate]
        mass, counted, parts = _taken(entry.mass_mg, said, there)
        if parts and said is None:
            self.estimated.add(key)
        if entry.crate is not None:
            self.lying[entry.crate] = there.less(mass, counted, parts)
        if isinstance(entry, Moved):
            self.lying[entry.into] = self.lying[entry.into].plus(mass, counted, parts)
            self.put[entry.into] += parts
        return replace(entry, mass_mg=mass), replace(entry, mass_mg=parts)


def _taken(mass_mg: int, said: float | None, there: _Lying) -> tuple[int, int, int]:
    """A taking in mass, in mass of what was counted, and in parts, from what lies there."""
    lay, counted, parts = max(there.mass, 0), max(there.counted, 0), max(there.parts, 0)
    if said is None:
        share = min(Fraction(mass_mg, lay), Fraction(1)) if lay else Fraction(0)
        return mass_mg, round(counted * share), round(parts * share)
    share = min(Fraction(round(said * PARTS), parts), Fraction(1)) if parts else Fraction(0)
    of_counted = round(counted * share)
    return mass_mg or of_counted, of_counted, round(said * PARTS)
