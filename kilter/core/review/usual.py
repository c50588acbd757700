"""What a planting gave against the same crop elsewhere in its season,
and a place against its own years.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from typing import Final, TypeVar

_Outer = TypeVar("_Outer", bound=Hashable)
_Inner = TypeVar("_Inner", bound=Hashable)

#: A place that gave less than this share of what it gave in its other years did worse (rule).
WORSE_BELOW: Final = 0.75
#: A crop that gave less than this after another crop did badly there (rule), seen so often at
#: least.
BADLY_BELOW, SEEN_OFTEN = 0.75, 2


@dataclass(frozen=True, kw_only=True)
class Yielded:
    """What one planting gave."""

    ref: str
    place: int
    season: int
    crop: Hashable
    mass: float  #: any unit, the same for all
    plants: float
    before: str = ""  #: the crop that stood there before it; empty where that is not known


@dataclass(frozen=True)
class Against:
    """What came, and what as many plants of the same crops gave elsewhere in the same seasons."""

    came: float
    usual: float
    plantings: int

    @property
    def ratio(self) -> float:
        return self.came / self.usual


@dataclass(frozen=True)
class Worse:
    """A place that did worse than in its own other years."""

    place: int
    this: Against
    others: tuple[tuple[int, float], ...]  #: its other seasons, each with its ratio


def usual_of(yields: Sequence[Yielded]) -> dict[str, float]:
    """Reckon what each planting's plants would have given at the rate of the same crop elsewhere in
    its season.

    Parameters
    ----------
    yields : sequence of Yielded
        All plantings that were lifted, of any crop, place and season.

    Returns
    -------
    dict of str to float
        By ref, in the unit of the masses; a planting whose crop stood in no other place that
        season, or gave nothing there, is not in it.

    Notes
    -----
    plants × Σ mass / Σ plants over the crop's plantings of that season in other places: so a bad
    year is not held against a place, nor a place against itself. Kilter's own definition (rule).

    Examples
    --------
    >>> a, b = (
    ...     Yielded(ref="a", place=1, season=2026, crop="leek", mass=3.0, plants=10),
    ...     Yielded(ref="b", place=2, season=2026, crop="leek", mass=10.0, plants=20),
    ... )
    >>> usual_of([a, b])
    {'a': 5.0, 'b': 6.0}
    """
    sums: dict[Hashable, list[float]] = defaultdict(lambda: [0.0, 0.0])
    for one in yields:
        for key in ((one.crop, one.season), (one.crop, one.season, one.place)):
            sums[key][0] += one.mass
            sums[key][1] += one.plants
    found = {}
    for one in yields:
        whole, here = sums[one.crop, one.season], sums[one.crop, one.season, one.place]
        mass, plants = whole[0] - here[0], whole[1] - here[1]
        if plants > 1e-9 and mass > 1e-9:
            found[one.ref] = one.plants * mass / plants
    return found


def place_years(yields: Sequence[Yielded]) -> dict[int, dict[int, Against]]:
    """Hold what each place gave in each season against what such plants usually give.

    Parameters
    ----------
    yields : sequence of Yielded
        As for `usual_of`.

    Returns
    -------
    dict of int to dict of int to Against
        By place and season, of the plantings that have a usual.

    Notes
    -----
    Sums over the plantings of the place in the season.

    Examples
    --------
    >>> a, b = (
    ...     Yielded(ref="a", place=1, season=2026, crop="leek", mass=3.0, plants=10),
    ...     Yielded(ref="b", place=2, season=2026, crop="leek", mass=10.0, plants=20),
    ... )
    >>> place_years([a, b])[1][2026].ratio
    0.6
    """
    return _grouped(yields, lambda one: one.place, lambda one: one.season)


def worse_than_own_years(yields: Sequence[Yielded], season: int) -> tuple[Worse, ...]:
    """Find the places that did worse in a season than in their own other years.

    Parameters
    ----------
    yields : sequence of Yielded
        As for `usual_of`.
    season : int
        The season looked at.

    Returns
    -------
    tuple of Worse
        Worst first; a place with no other season on record is not in it.

    Notes
    -----
    Worse is less than the usual, and less than three quarters (rule) of its earlier seasons against
    theirs.

    Examples
    --------
    >>> rows = [
    ...     Yielded(ref="a", place=1, season=2025, crop="leek", mass=5.0, plants=10),
    ...     Yielded(ref="b", place=2, season=2025, crop="leek", mass=5.0, plants=10),
    ...     Yielded(ref="c", place=1, season=2026, crop="leek", mass=2.0, plants=10),
    ...     Yielded(ref="d", place=2, season=2026, crop="leek", mass=5.0, plants=10),
    ... ]
    >>> [(one.place, one.this.ratio) for one in worse_than_own_years(rows, 2026)]
    [(1, 0.4)]
    """
    found = []
    for place, seasons in place_years(yields).items():
        others = {year: one for year, one in seasons.items() if year < season}
        if season not in seasons or not others:
            continue
        own = sum(one.came for one in others.values()) / sum(one.usual for one in others.values())
        if seasons[season].ratio < min(WORSE_BELOW * own, 1.0):
            ratios = tuple((year, one.ratio) for year, one in sorted(others.items()))
            found.append(Worse(place, seasons[season], ratios))
    return tuple(sorted(found, key=lambda one: one.this.ratio))


def after_what(yields: Sequence[Yielded]) -> dict[tuple[str, Hashable], Against]:
    """Hold what each crop gave after each other crop against what it usually gives.

    Parameters
    ----------
    yields : sequence of Yielded
        As for `usual_of`, with what stood there before.

    Returns
    -------
    dict of (str, crop) to Against
        By the crop before and the crop.

    Notes
    -----
    Sums over the plantings of the pair; few of them say little, and other things differ too.

    Examples
    --------
    >>> a = Yielded(ref="a", place=1, season=2026, crop="leek", mass=3.0, plants=10, before="pea")
    >>> after_what([a, Yielded(ref="b", place=2, season=2026, crop="leek", mass=10.0, plants=20)])[
    ...     "pea", "leek"
    ... ].ratio
    0.6
    """
    pairs = _grouped(yields, lambda one: one.before, lambda one: one.crop)
    return {
        (before, crop): one
        for before, crops in pairs.items()
        if before
        for crop, one in crops.items()
    }


def _grouped(
    yields: Sequence[Yielded],
    outer: Callable[[Yielded], _Outer],
    inner: Callable[[Yielded], _Inner],
) -> dict[_Outer, dict[_Inner, Against]]:
    usual = usual_of(yields)
    groups: dict[_Outer, dict[_Inner, list[Yielded]]] = defaultdict(lambda: defaultdict(list))
    for one in yields:
        if one.ref in usual:
            groups[outer(one)][inner(one)].append(one)
    return {
        key: {
            within: Against(
                sum(one.mass for one in group), sum(usual[one.ref] for one in group), len(group)
            )
            for within, group in of_key.items()
        }
        for key, of_key in groups.items()
    }
