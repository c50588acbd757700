"""From how many plants a visit lifted: a number said once for all the lines of one going there."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

#: A line that says no visit belongs to the first of its day.
FIRST: Final = 1


@dataclass(frozen=True, kw_only=True)
class PlantsSaid:
    """A line that says from how many plants it was lifted."""

    visit: int | None  #: the going there that it belongs to, from 1 each day; None of old lines
    grade: str
    plants: int


def plants_of_visits(said: Iterable[PlantsSaid]) -> dict[int, int]:
    """Say from how many plants each visit of a planting on one day lifted.

    Parameters
    ----------
    said : iterable of PlantsSaid
        Of one planting and one day, in the order written; only lines that say a number.

    Returns
    -------
    dict of int to int
        Plants by visit.

    Notes
    -----
    Kilter's own (rule): two grades off two plants are two plants, so the numbers of a visit do not
    add up; the last one said holds. Old lines know no visit. There each line had a number of its
    own: those of one grade add up, and the grade with most of them speaks for the day.

    Examples
    --------
    >>> two = PlantsSaid(visit=1, grade="table", plants=2)
    >>> plants_of_visits([two, PlantsSaid(visit=1, grade="small", plants=2)])
    {1: 2}
    >>> old = [
    ...     PlantsSaid(visit=None, grade=grade, plants=2) for grade in ("table", "table", "small")
    ... ]
    >>> plants_of_visits(old)
    {1: 4}
    """
    last: dict[int, int] = {}
    of_grade: dict[str, int] = defaultdict(int)
    for line in said:
        if line.visit is None:
            of_grade[line.grade] += line.plants
        else:
            last[line.visit] = line.plants
    old = {FIRST: max(of_grade.values())} if of_grade else {}
    return old | last
