"""What may be called found when many questions were asked at once."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

import numpy as np
import scipy

from kilter.core.compare.answer import Comparison, PairResult
from kilter.core.errors import ComparisonError

#: Of what is called found, the share that may be chance (rule).
FALSE_SHARE: Final = 0.05


def two_sided_p(pair: PairResult, levels: int) -> float:
    """Reckon how far a pair's interval would have to be narrowed until it touched no difference.

    Parameters
    ----------
    pair : PairResult
        Two levels of a comparison.
    levels : int
        Levels of that comparison, two or more.

    Returns
    -------
    float
        The two-sided p that belongs to its simultaneous interval; below 0.05 where that leaves out
        no difference.

    Raises
    ------
    ComparisonError
        Fewer than two levels.

    Notes
    -----
    Student's t for two levels; for more, the studentized range of √2·|gap|/s (Tukey–Kramer), as for
    the interval.

    Examples
    --------
    >>> from kilter.core.compare import Unit, compare
    >>> rows = [
    ...     Unit(ref=f"{level}{i}", amount=kg, exposure=1, level=level, plants=1)
    ...     for level, kgs in (("a", (0.9, 1.0, 1.1)), ("b", (0.4, 0.5, 0.6)))
    ...     for i, kg in enumerate(kgs)
    ... ]
    >>> found = compare(rows)
    >>> (two_sided_p(found.pairs[0], 2) < 0.05) == (found.pairs[0].gap_low > 0)
    True
    """
    if levels < 2:
        raise ComparisonError("A pair belongs to a comparison of two levels or more.")
    doubt = pair.doubt
    if not doubt.sd:
        return 0.0 if pair.gap else 1.0
    far = abs(pair.gap) / doubt.sd
    if levels == 2:
        return float(2 * scipy.special.stdtr(doubt.df, -far))
    from scipy.stats import studentized_range  # imported where it is used: it is slow to load

    return float(np.clip(studentized_range.sf(math.sqrt(2) * far, levels, doubt.df), 0.0, 1.0))


def discoveries(ps: Sequence[float], false_share: float = FALSE_SHARE) -> tuple[bool, ...]:
    """Tell which of many answers may be called found.

    Parameters
    ----------
    ps : sequence of float
        The two-sided p of every answer that was looked at, in any order.
    false_share : float
        Of those called found, the share that may be chance on average.

    Returns
    -------
    tuple of bool
        One for each.

    Raises
    ------
    ComparisonError
        A p that is no probability.

    Notes
    -----
    Benjamini & Hochberg (1995), *J. R. Stat. Soc. B* 57:289–300: with the p in order, all up to the
    largest k with p₍ₖ₎ ≤ k/m · q. Where nothing at all differs, the chance of any is at most q.

    Examples
    --------
    >>> discoveries([0.01, 0.30, 0.02, 0.04])
    (True, False, True, False)
    """
    if any(not 0 <= p <= 1 for p in ps):
        raise ComparisonError("A p lies between 0 and 1.")
    order = sorted(range(len(ps)), key=lambda i: ps[i])
    last = max((k for k, i in enumerate(order, 1) if ps[i] <= k / len(ps) * false_share), default=0)
    found = set(order[:last])
    return tuple(i in found for i in range(len(ps)))


def found_among(comparisons: Sequence[Comparison]) -> tuple[float | None, ...]:
    """Tell which of many comparisons may be called found, by the pair of its two best.

    Parameters
    ----------
    comparisons : sequence of Comparison
        All that were looked at.

    Returns
    -------
    tuple of float or None
        For each the two-sided p of its two best where that may be called found, else None.

    Notes
    -----
    Every pair of every comparison counts among what was looked at; what is not clear by itself is
    never found, so its p is taken as 1, which calls no more found. `discoveries` on all of them.

    Examples
    --------
    >>> found_among([])
    ()
    """
    ps: list[float] = []
    firsts: list[int | None] = []
    for comparison in comparisons:
        levels = sum(level.low is not None for level in comparison.levels)
        firsts.append(len(ps) if comparison.pairs else None)
        ps += [
            two_sided_p(pair, levels) if pair.verdict == "clear" else 1.0
            for pair in comparison.pairs
        ]
    is_found = discoveries(ps)
    return tuple(None if at is None or not is_found[at] else ps[at] for at in firsts)
