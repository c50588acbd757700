"""Work and water on a place or a site, shared among what stood there that day."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Final

from kilter.core.yields.costs import split_whole

#: Ground of a place without length and width, in square metres (rule): a large pot's.
UNKNOWN_AREA_M2: Final = 0.15


@dataclass(frozen=True, kw_only=True)
class Occupant:
    """A planting in its place, from its first day to its last."""

    key: int
    place: int
    season: int
    start: date
    end: date
    area_m2: float | None = None  #: of a bed, what it takes of it; None in a pot, or unknown
    is_open: bool = False  #: nobody said that it is finished, so it may stand beyond its last day


@dataclass(frozen=True, kw_only=True)
class Work:
    """One job, on a planting, a place or a site."""

    key: int
    day: date
    planting: int | None = None
    place: int | None = None
    site: int | None = None
    seconds: int | None = None  #: None where no time was noted
    water_ml: int | None = None


@dataclass(frozen=True)
class WorkShare:
    """What a planting bears of one job."""

    job: int
    planting: int
    year: int  #: in which it was done
    seconds: int | None
    water_ml: int | None

    @property
    def minutes(self) -> float | None:
        return None if self.seconds is None else self.seconds / 60

    @property
    def litres(self) -> float | None:
        return None if self.water_ml is None else self.water_ml / 1000


@dataclass(frozen=True)
class SharedWork:
    """All jobs, shared out."""

    shares: tuple[WorkShare, ...]
    unshared: tuple[Work, ...]  #: of places and sites, where nothing stood that could bear them


def share_work(
    jobs: Iterable[Work],
    occupants: Iterable[Occupant],
    area_m2: Mapping[int, float],
    site_of: Mapping[int, int],
) -> SharedWork:
    """Share work and water among what stood there, to the second and the millilitre.

    Parameters
    ----------
    jobs : iterable of Work
        In any order.
    occupants : iterable of Occupant
        Everything that stood in the places of those jobs.
    area_m2 : mapping of int to float
        By place; a place that is not in it counts `UNKNOWN_AREA_M2`.
    site_of : mapping of int to int
        By place, its site.

    Returns
    -------
    SharedWork
        Shares that add up to each job, and the jobs that nothing could bear.

    Notes
    -----
    Kilter's own definition (rule). A job on a place is shared by area, in a pot and where an area
    is unknown equally; where nothing stood, the next planting there bears it that comes in the
    same season. A job on a site goes by area to the places in which something stood. Largest
    remainder, as every split here.

    Examples
    --------
    >>> days = date(2026, 4, 1), date(2026, 9, 1)
    >>> two = [
    ...     Occupant(key=k, place=7, season=2026, start=days[0], end=days[1], area_m2=area)
    ...     for k, area in ((1, 2.0), (2, 1.0))
    ... ]
    >>> weeding = Work(key=9, day=date(2026, 5, 1), place=7, seconds=100)
    >>> [share.seconds for share in share_work([weeding], two, {}, {7: 1}).shares]
    [67, 33]
    """
    by_place: dict[int, list[Occupant]] = defaultdict(list)
    for one in sorted(occupants, key=lambda one: (one.start, one.key)):
        by_place[one.place].append(one)
    shares: list[WorkShare] = []
    unshared = []
    for job in jobs:
        borne = _borne_by(job, by_place, area_m2, site_of)
        if borne:
            shares += _split(job, borne)
        else:
            unshared.append(job)
    return SharedWork(tuple(shares), tuple(unshared))


def _borne_by(
    job: Work,
    by_place: Mapping[int, Sequence[Occupant]],
    area_m2: Mapping[int, float],
    site_of: Mapping[int, int],
) -> list[tuple[int, float]]:
    """The plantings that bear a job, each with its weight."""
    if job.planting is not None:
        return [(job.planting, 1.0)]
    if job.place is not None:
        there = by_place.get(job.place, ())
        return _by_area(_stood(there, job.day) or _next(there, job.day))
    found = []
    for place, there in sorted(by_place.items()):
        if site_of.get(place) == job.site and (stood := _stood(there, job.day)):
            of_place = area_m2.get(place, UNKNOWN_AREA_M2)
            weighed = _by_area(stood)
            whole = sum(weight for _, weight in weighed)
            found += [(key, of_place * weight / whole) for key, weight in weighed]
    return found


def _stood(there: Iterable[Occupant], day: date) -> list[Occupant]:
    """What stood there on a day; where all of it was past its day, what nobody finished."""
    begun = [one for one in there if one.start <= day]
    return [one for one in begun if day <= one.end] or [one for one in begun if one.is_open]


def _next(there: Iterable[Occupant], day: date) -> list[Occupant]:
    """What comes next in the season of the day, those that come on one day together."""
    later = [one for one in there if one.start > day and day.year in (one.season, one.start.year)]
    return [one for one in later if one.start == later[0].start]


def _by_area(stood: Sequence[Occupant]) -> list[tuple[int, float]]:
    is_known = all(one.area_m2 for one in stood)
    return [(one.key, (one.area_m2 or 1.0) if is_known else 1.0) for one in stood]


def _split(job: Work, borne: Sequence[tuple[int, float]]) -> list[WorkShare]:
    weights = [weight for _, weight in borne]
    seconds, water_ml = (
        [None] * len(borne) if amount is None else split_whole(amount, weights)
        for amount in (job.seconds, job.water_ml)
    )
    return [
        WorkShare(job.key, key, job.day.year, s, ml)
        for (key, _), s, ml in zip(borne, seconds, water_ml, strict=True)
    ]
