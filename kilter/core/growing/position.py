"""Where in its row or block a place stands: at the edge or in the middle, at which end."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from typing import Final

EDGE: Final = "edge"
MIDDLE: Final = "middle"
#: How far two places may be out of line and still stand in one row, metres, and as a share of their
#: usual distance (rules).
OUT_OF_LINE_M: Final = 0.05
OUT_OF_LINE: Final = 0.35


def edges(spots: Mapping[int, tuple[float, float]]) -> dict[int, str]:
    """Say of each place of a set whether it stands at the edge of it or in the middle.

    Parameters
    ----------
    spots : mapping of int to (float, float)
        Metres east and north of each place.

    Returns
    -------
    dict of int to str
        ``edge`` or ``middle``; empty for fewer than three places.

    Notes
    -----
    In a single or double row the two ends are the edge; from three rows on also the outer rows.
    Common practice, no source: an outer pot dries sooner and has light from a side.

    Examples
    --------
    >>> edges({1: (0, 0), 2: (1, 0), 3: (2, 0)})
    {1: 'edge', 2: 'middle', 3: 'edge'}
    """
    if len(spots) < 3:
        return {}
    columns, rows = (
        _lines({k: x for k, (x, _) in spots.items()}),
        _lines({k: y for k, (_, y) in spots.items()}),
    )
    found = {}
    for key in spots:
        is_edge = any(
            line[key] in (0, max(line.values()))
            for line in (columns, rows)
            if max(line.values()) >= 2
        )
        found[key] = EDGE if is_edge else MIDDLE
    return found if len(set(found.values())) > 1 else {}


def along(spots: Mapping[int, tuple[float, float]]) -> dict[int, str]:
    """Say of each place of a set in which third of it it stands, along its longer side.

    Parameters
    ----------
    spots : mapping of int to (float, float)
        Metres east and north of each place.

    Returns
    -------
    dict of int to str
        ``west end``, ``middle`` or ``east end``; of a set that runs north, ``south end`` and
        ``north end``. Empty for fewer than three places or no length.

    Notes
    -----
    Thirds of the distance between the outermost (rule).

    Examples
    --------
    >>> along({1: (0, 0), 2: (1, 0), 3: (2, 0)})
    {1: 'west end', 2: 'middle', 3: 'east end'}
    """
    if len(spots) < 3:
        return {}
    wide, deep = (
        max(p[i] for p in spots.values()) - min(p[i] for p in spots.values()) for i in (0, 1)
    )
    axis, names = (
        (0, ("west end", MIDDLE, "east end"))
        if wide >= deep
        else (1, ("south end", MIDDLE, "north end"))
    )
    length = max(wide, deep)
    if length <= 0:
        return {}
    start = min(p[axis] for p in spots.values())
    return {key: third((p[axis] - start) / length, names) for key, p in spots.items()}


def third(share: float, names: tuple[str, str, str] = ("west end", MIDDLE, "east end")) -> str:
    """Name the third of a length that a share of it lies in.

    Parameters
    ----------
    share : float
        From 0 to 1.
    names : tuple of str
        Of the first, middle and last third.

    Returns
    -------
    str
        One of the names.

    Notes
    -----
    Kilter's own (rule).

    Examples
    --------
    >>> third(0.5)
    'middle'
    """
    return names[min(int(share * 3), 2)]


def _lines(at: Mapping[int, float]) -> dict[int, int]:
    """The number of the line each lies in, where those nearly level are one line."""
    order = sorted(at, key=lambda key: at[key])
    gaps = sorted(gap for a, b in pairwise(order) if (gap := at[b] - at[a]) > OUT_OF_LINE_M)
    loose = gaps[len(gaps) // 2] * OUT_OF_LINE if gaps else OUT_OF_LINE_M
    found, line = {}, 0
    for before, key in zip([order[0], *order], order, strict=False):
        line += at[key] - at[before] > max(loose, OUT_OF_LINE_M)
        found[key] = line
    return found
