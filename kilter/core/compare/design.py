"""Laying out levels and blocks as columns, and telling when the two cannot be told apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.errors import AliasedError

#: What is left of a column of ones and zeros when the others are taken out, below which it is
#: nothing.
RANK_TOLERANCE: Final = 1e-9


@dataclass(frozen=True)
class Layout:
    """Full-rank columns: one for each level, then what the blocks add to them."""

    columns: FloatArray  #: (n, k + q)
    levels: tuple[str, ...]  #: the k levels, in the order of their columns
    level_count: int


def lay_out(
    unit_levels: Sequence[str], unit_blocks: Sequence[tuple[str, ...]], block_names: tuple[str, ...]
) -> Layout:
    """Code levels as columns of their own and blocks as additive terms, one per attribute.

    Parameters
    ----------
    unit_levels : sequence of str, length n
        The level of each unit.
    unit_blocks : sequence of tuple of str, length n
        For each unit its label under every block attribute.
    block_names : tuple of str
        The block attributes.

    Returns
    -------
    Layout
        Columns of full rank; redundant block columns are dropped.

    Raises
    ------
    AliasedError
        A difference between levels lies wholly between blocks.

    Notes
    -----
    Level differences are estimable exactly when the levels add k − 1 to the rank of intercept and
    blocks (Searle 1971, *Linear Models*, ch. 5; memory).

    Examples
    --------
    >>> lay_out(["a", "b", "a", "b"], [("1",), ("1",), ("2",), ("2",)], ("row",)).columns.shape
    (4, 3)
    """
    levels = tuple(sorted(set(unit_levels)))
    level_columns = _dummies(list(unit_levels), levels)
    block_columns = [
        _dummies(labels, tuple(sorted(set(labels)))[1:])
        for labels in ([blocks[i] for blocks in unit_blocks] for i in range(len(block_names)))
    ]
    n = len(unit_levels)
    blocks = np.hstack([np.ones((n, 1)), *block_columns])
    everything = np.hstack([level_columns, *block_columns])
    kept = _independent(everything, len(levels))
    if len(kept) < len(_independent(blocks, 1)) + len(levels) - 1:
        raise _aliased(unit_levels, unit_blocks, block_names)
    return Layout(everything[:, kept], levels, len(levels))


def _dummies(labels: Sequence[str], kept: Sequence[str]) -> FloatArray:
    return np.array([[float(label == one) for one in kept] for label in labels]).reshape(
        len(labels), len(kept)
    )


def _independent(columns: FloatArray, first: int) -> list[int]:
    """Keep the first columns and every later one that adds to the rank,
    by Gram and Schmidt, twice for accuracy.
    """
    kept: list[int] = []
    basis = np.zeros((0, columns.shape[0]))
    for j in range(columns.shape[1]):
        rest = columns[:, j]
        for _ in range(2):
            rest = rest - (basis @ rest) @ basis
        size = float(np.sqrt(rest @ rest))
        if size > RANK_TOLERANCE * float(np.sqrt(columns[:, j] @ columns[:, j])):
            basis = np.vstack([basis, rest / size])
            kept.append(j)
        elif j < first:
            kept.append(j)
    return kept


def _aliased(
    unit_levels: Sequence[str], unit_blocks: Sequence[tuple[str, ...]], block_names: tuple[str, ...]
) -> AliasedError:
    """Name the block attribute, or all of them together, that the levels never meet in."""
    for i, name in enumerate(block_names):
        groups = _connected(unit_levels, [blocks[i] for blocks in unit_blocks])
        if len(groups) > 1:
            one, other = (f"‘{group[0]}’" for group in groups[:2])
            return AliasedError(
                f"{one} and {other} never grew in the same {name}, so what differs between them "
                f"cannot be told from what differs between one {name} and another. "
                f"Ask without like-with-like within {name}; the answer is then not a fair one.",
                block_names=(name,),
            )
    joined = " and ".join(block_names)
    return AliasedError(
        f"Within {joined} together, the things compared cannot be told apart. "
        f"Ask within fewer of these; the answer is then less fair.",
        block_names=block_names,
    )


def _connected(unit_levels: Sequence[str], labels: Sequence[str]) -> list[list[str]]:
    """Group the levels that are linked through blocks they share."""
    group_of = {level: {level} for level in unit_levels}
    first_in: dict[str, str] = {}
    for level, label in zip(unit_levels, labels, strict=True):
        one, other = group_of[level], group_of[first_in.setdefault(label, level)]
        if one is not other:
            one |= other
            for member in other:
                group_of[member] = one
    unique = {id(group): sorted(group) for group in group_of.values()}
    return sorted(unique.values())
