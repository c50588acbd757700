"""One weight shared out over several plantings: what that does to a comparison."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from kilter.core.compare.kinds import Unit
from kilter.core.yields.lacks import MOSTLY_SHARED, LeftOut

#: Above such a share of its harvest a unit whose basket was shared with something else is left out
#: (rule).
MOST_SHARED: Final = 0.25
#: A part of a shared-out weight is known to so much of itself (rule).
PART_SD: Final = 0.6


@dataclass(frozen=True)
class Settled:
    """Units whose baskets are settled."""

    units: tuple[Unit, ...]
    joined: Mapping[
        str, tuple[str, ...]
    ]  #: of a unit that stands for several, the refs of all of them
    left_out: tuple[LeftOut, ...]


def settle_baskets(units: Sequence[Unit], most_shared: float = MOST_SHARED) -> Settled:
    """Sum what one basket holds within a level and block, and doubt or leave out what is shared
    across.

    Parameters
    ----------
    units : sequence of Unit
        As measured, each by itself, with its baskets.
    most_shared : float
        Above such a share of its amount a unit that shares a basket with others is left out.

    Returns
    -------
    Settled
        Units of one level and block that a whole basket joins are one unit, under the first one's
        ref. Of a basket that reaches across, a part above a quarter of a unit's amount leaves it
        out; below, it adds 0.6 of that share to the relative doubt.

    Notes
    -----
    Kilter's own (rule): by how many went into the basket a weight is shared out, not by what each
    gave, so that a difference between its parts is no observation.

    Examples
    --------
    >>> from kilter.core.yields.harvest import BasketPart
    >>> both = (BasketPart("k", 1.0, 2),)
    >>> pots = [
    ...     Unit(ref="1", amount=2.0, exposure=1, level="a", baskets=both),
    ...     Unit(ref="2", amount=2.0, exposure=1, level="a", baskets=both),
    ...     Unit(ref="3", amount=1.0, exposure=1, level="b"),
    ... ]
    >>> found = settle_baskets(pots)
    >>> [(one.ref, one.amount, one.exposure) for one in found.units], found.joined
    ([('1', 4.0, 2), ('3', 1.0, 1)], {'1': ('1', '2')})
    """
    if not any(unit.baskets for unit in units):
        return Settled(tuple(units), {}, ())
    inside = _inside(units)
    kept: list[Unit] = []
    left_out: list[LeftOut] = []
    joined: dict[str, tuple[str, ...]] = {}
    for together in _groups(units, inside):
        amount = sum(one.amount for one in together)
        across = sum(
            part.share * one.amount
            for one in together
            for part in one.baskets
            if part.basket not in inside
        )
        share = across / amount if amount else 0.0
        if share > most_shared:
            left_out += [LeftOut(one.ref, MOSTLY_SHARED) for one in together]
            continue
        kept.append(_as_one(together, amount, share))
        if len(together) > 1:
            joined[together[0].ref] = tuple(one.ref for one in together)
    return Settled(tuple(kept), joined, tuple(left_out))


def _inside(units: Sequence[Unit]) -> dict[str, list[str]]:
    """The refs of each basket of which all that it was shared out over is here,
    and alike in level and blocks.
    """
    members: dict[str, list[Unit]] = defaultdict(list)
    parts: dict[str, int] = {}
    for unit in units:
        for part in unit.baskets:
            members[part.basket].append(unit)
            parts[part.basket] = part.parts
    return {
        basket: [one.ref for one in found]
        for basket, found in members.items()
        if len(found) == parts[basket] and len({(one.level, one.blocks) for one in found}) == 1
    }


def _groups(units: Sequence[Unit], inside: Mapping[str, Sequence[str]]) -> list[list[Unit]]:
    """The units that such baskets join, in the order of the first of each."""
    group = {unit.ref: {unit.ref} for unit in units}
    for refs in inside.values():
        whole = set().union(*(group[ref] for ref in refs))
        for ref in whole:
            group[ref] = whole
    first: dict[int, list[Unit]] = {}
    for unit in units:
        first.setdefault(id(group[unit.ref]), []).append(unit)
    return list(first.values())


def _as_one(units: Sequence[Unit], amount: float, across: float) -> Unit:
    """Their sums, with the doubt of what was shared across."""
    first = units[0]
    if len(units) == 1 and not across:
        return first
    own = (
        math.sqrt(sum((unit.vague_sd * unit.amount) ** 2 for unit in units)) / amount
        if amount
        else first.vague_sd
    )
    vague = math.hypot(own, PART_SD * across)
    if len(units) == 1:
        return replace(first, vague_sd=vague)
    plants, pieces = [unit.plants for unit in units], [unit.pieces for unit in units]
    return replace(
        first,
        amount=amount,
        exposure=sum(unit.exposure for unit in units),
        plants=None if None in plants else sum(one or 0.0 for one in plants),
        pieces=None if None in pieces else sum(piece or 0.0 for piece in pieces),
        vague_sd=vague,
    )
