"""Laying out a trial: blocks of neighbours, and in each the things compared in an order of chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kilter.core.errors import ComparisonError


@dataclass(frozen=True)
class TrialSpot:
    """A place that may take part, and where it stands."""

    key: str
    group: str  #: its site and set: neighbours are sought inside it first
    x_m: float | None = None
    y_m: float | None = None


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
        raise ComparisonError("A trial compares one thing or two; with more, nobody can keep the rest alike.")
    for of_one in levels:
        if len(of_one) < 2:
            raise ComparisonError("A trial needs two or more to compare; write them with commas between.")
        if len(set(of_one)) < len(of_one):
            raise ComparisonError("One of those compared is named twice.")
    if len(levels) == 1:
        return tuple((one,) for one in levels[0])
    return tuple((a, b) for a in levels[0] for b in levels[1])


def random_layout(spots: Sequence[TrialSpot], treatments: Sequence[tuple[str, ...]], seed: int) -> tuple[Allotted, ...]:
    """Allot treatments to places by chance, each once in every block of neighbours.

    Parameters
    ----------
    spots : sequence of TrialSpot
        As many as a whole number of blocks takes, two blocks or more.
    treatments : sequence of tuple of str
        Those of `treatments_of`.
    seed : int
        The same seed gives the same layout.

    Returns
    -------
    tuple of Allotted
        In the order that one walks past them.

    Raises
    ------
    ComparisonError
        A number of places that is no multiple of the treatments, or only one block.

    Notes
    -----
    Randomised complete blocks (Fisher 1935, *The Design of Experiments*; memory). Blocks are runs of neighbours along
    the longer side of their set, so that what changes along the bed is the same for all in a block.

    Examples
    --------
    >>> spots = [TrialSpot(str(i), "yard", float(i), 0.0) for i in range(4)]
    >>> [(one.key, one.block) for one in random_layout(spots, [("a",), ("b",)], 3)]
    [('0', 1), ('1', 1), ('2', 2), ('3', 2)]
    """
    size = len(treatments)
    blocks, over = divmod(len(spots), size)
    if over or blocks < 2:
        nearest = sorted({max(blocks, 2) * size, max(blocks + 1, 2) * size})
        raise ComparisonError(
            f"{len(spots)} place{'s' * (len(spots) != 1)} cannot hold {size} kinds equally often, twice or more; "
            f"take {' or '.join(map(str, nearest))}."
        )
    rng = np.random.default_rng(seed)
    found = []
    walk = _walk(spots)
    for block in range(blocks):
        order = rng.permutation(size)
        for spot, at in zip(walk[block * size : (block + 1) * size], order, strict=True):
            found.append(Allotted(spot.key, block + 1, treatments[at]))
    return tuple(found)


def _walk(spots: Sequence[TrialSpot]) -> list[TrialSpot]:
    """Along the longer side of each group in turn; what is not on the map keeps its order at the end."""
    groups: dict[str, list[TrialSpot]] = {}
    for spot in spots:
        groups.setdefault(spot.group, []).append(spot)
    walk: list[TrialSpot] = []
    for group in groups.values():
        placed = [(spot.x_m, spot.y_m) for spot in group if spot.x_m is not None and spot.y_m is not None]
        if len(placed) < len(group):
            walk += group
            continue
        wide, deep = (max(p[i] for p in placed) - min(p[i] for p in placed) for i in (0, 1))
        is_wide = wide >= deep
        walk += sorted(group, key=lambda s, w=is_wide: (s.x_m, s.y_m) if w else (s.y_m, s.x_m))  # type: ignore[misc]
    return walk
