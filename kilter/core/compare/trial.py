"""Laying out a trial: blocks of neighbours,
and in each the things compared in an order of chance.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kilter.core.errors import ComparisonError


@dataclass(frozen=True)
class TrialSpot:
    """A place that may take part, and where it stands."""

    key: str
    group: str  #: its site and set: neighbours are sought inside it first
    x_m: float | None = None
    y_m: float | None = None
    stratum: tuple[
        str, ...
    ] = ()  #: what the place brings with it and chance cannot allot: its material, its light


@dataclass(frozen=True)
class Allotted:
    """One place with what is to grow in it."""

    key: str
    block: int  #: from 1
    treatment: tuple[str, ...]


def treatments_of(levels: Sequence[Sequence[str]]) -> tuple[tuple[str, ...], ...]:
    """Combine the levels of one or two things.

    Parameters
    ----------
    levels : sequence of sequence of str
        Of each thing compared its levels, two or more.

    Returns
    -------
    tuple of tuple of str
        Every combination, the last thing changing fastest.

    Raises
    ------
    ComparisonError
        Neither one nor two things, or a thing with fewer than two levels, or a level named twice.

    Notes
    -----
    A full factorial.

    Examples
    --------
    >>> treatments_of([["a", "b"], ["x", "y"]])
    (('a', 'x'), ('a', 'y'), ('b', 'x'), ('b', 'y'))
    """
    if not 1 <= len(levels) <= 2:
        raise ComparisonError(
            "A trial compares one thing or two; with more, nobody can keep the rest alike."
        )
    for of_one in levels:
        if len(of_one) < 2:
            raise ComparisonError(
                "A trial needs two or more to compare; write them with commas between."
            )
        if len(set(of_one)) < len(of_one):
            raise ComparisonError("One of those compared is named twice.")
    if len(levels) == 1:
        return tuple((level,) for level in levels[0])
    return tuple((a, b) for a in levels[0] for b in levels[1])


def random_layout(
    spots: Sequence[TrialSpot], treatments: Sequence[tuple[str, ...]], seed: int
) -> tuple[Allotted, ...]:
    """Allot treatments to places by chance, as evenly as they go in every block of neighbours.

    Parameters
    ----------
    spots : sequence of TrialSpot
        Twice as many as treatments or more; where places bring something with them that is compared
        too, one for each treatment or more of every such kind.
    treatments : sequence of tuple of str
        Those of `treatments_of`; one empty tuple where all that is compared comes with the places.
    seed : int
        The same seed gives the same layout.

    Returns
    -------
    tuple of Allotted
        In the order that one walks past them; the treatment without what the place brings.

    Raises
    ------
    ComparisonError
        Too few places.

    Notes
    -----
    Randomised blocks (Fisher 1935, *The Design of Experiments*; memory). Blocks are runs of
    neighbours along the longer side of their set, so that what changes along the bed is the same
    for all in a block. There are as many as hold every treatment once in every stratum. Where the
    numbers do not go up, the last ones of a block repeat the treatments that the stratum has fewest
    of, by chance among equals (Kilter's own, rule).

    Examples
    --------
    >>> spots = [TrialSpot(str(i), "yard", float(i), 0.0) for i in range(5)]
    >>> [(one.key, one.block) for one in random_layout(spots, [("a",), ("b",)], 3)]
    [('0', 1), ('1', 1), ('2', 1), ('3', 2), ('4', 2)]
    """
    walk = _walk(spots)
    strata: dict[tuple[str, ...], list[TrialSpot]] = {}
    for spot in walk:
        strata.setdefault(spot.stratum, []).append(spot)
    blocks = _blocks(strata, len(treatments))
    rng = np.random.default_rng(seed)
    found: dict[str, Allotted] = {}
    for inside in strata.values():
        had = dict.fromkeys(treatments, 0)
        for block, chunk in enumerate(_chunks(inside, blocks), start=1):
            for spot, treatment in zip(chunk, _drawn(len(chunk), had, rng), strict=True):
                had[treatment] += 1
                found[spot.key] = Allotted(spot.key, block, treatment)
    return tuple(found[spot.key] for spot in walk)


def _blocks(strata: Mapping[tuple[str, ...], Sequence[TrialSpot]], size: int) -> int:
    """As many as hold every treatment once in every stratum;
    refuses what is too few for a trial.
    """
    if size == 1 and len(strata) < 2:
        raise ComparisonError(
            "All these places are alike in what is compared, so there is nothing to compare."
        )
    blocks = min((len(inside) // size for inside in strata.values()), default=0)
    if blocks >= 2 or (blocks == 1 and len(strata) > 1 and size > 1):
        return blocks
    total = sum(map(len, strata.values()))
    if len(strata) < 2:
        raise ComparisonError(
            f"{total} place{'s' * (total != 1)} cannot hold {size} kinds twice each; take "
            f"{2 * size} or more."
        )
    scarce, few = min(strata.items(), key=lambda item: len(item[1]))
    least = size if size > 1 else 2
    count = len(few)
    raise ComparisonError(
        f"Only {count} place{'s' * (count != 1)} here {'is' if count == 1 else 'are'} "
        f"{' and '.join(scarce)}; take {least} or more of each."
    )


def _chunks(inside: Sequence[TrialSpot], blocks: int) -> list[Sequence[TrialSpot]]:
    """Runs of neighbours, as equal as they go; the first ones take what is over."""
    each, over = divmod(len(inside), blocks)
    ends = [0]
    for block in range(blocks):
        ends.append(ends[-1] + each + (block < over))
    return [inside[a:b] for a, b in pairwise(ends)]


def _drawn(
    places: int, had: Mapping[tuple[str, ...], int], rng: np.random.Generator
) -> list[tuple[str, ...]]:
    """Treatments for a block: each as often as it goes,
    the rest those that there are fewest of; in order of chance.
    """
    treatments = list(had)
    each, over = divmod(places, len(treatments))
    bag = treatments * each
    if over:
        by_chance = [treatments[i] for i in rng.permutation(len(treatments))]
        bag += sorted(by_chance, key=lambda treatment: had[treatment])[:over]
    return [bag[i] for i in rng.permutation(len(bag))]


def _walk(spots: Sequence[TrialSpot]) -> list[TrialSpot]:
    """Along the longer side of each group in turn;
    what is not on the map keeps its order at the end.
    """
    groups: dict[str, list[TrialSpot]] = {}
    for spot in spots:
        groups.setdefault(spot.group, []).append(spot)
    walk: list[TrialSpot] = []
    for group in groups.values():
        placed = [
            (spot.x_m, spot.y_m) for spot in group if spot.x_m is not None and spot.y_m is not None
        ]
        if len(placed) < len(group):
            walk += group
            continue
        wide, deep = (max(p[i] for p in placed) - min(p[i] for p in placed) for i in (0, 1))
        is_wide = wide >= deep
        walk += sorted(group, key=lambda s, w=is_wide: (s.x_m, s.y_m) if w else (s.y_m, s.x_m))  # type: ignore[misc]
    return walk
