"""What is known of a planting: its record, what of it is food, how much ground it had."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Final

#: One plant against another of the same kind: the square root of the comparison's PLANT_VARIANCE (rule).
PLANT_CV: Final = 0.4
GRADES: Final = ("table", "small", "seed", "hurt", "unripe", "lost")


@dataclass(frozen=True)
class GradeTotal:
    """All standing lines of one grade of one planting."""

    lines: int = 0
    mass_mg: int = 0  #: sum of those weighed
    count: int = 0  #: sum of those counted
    unweighed: int = 0  #: lines that were not weighed
    uncounted: int = 0  #: lines without a count
    vague_mg2: float = 0.0  #: variance of what was only remembered
    estimated: int = 0  #: of the lines not weighed, those whose mass can be reckoned
    estimated_mg: float = 0.0  #: what they come to
    estimated_mg2: float = 0.0  #: and its variance

    def plus(self, mass_mg: int | None, count: int | None) -> GradeTotal:
        """With one line more."""
        return replace(
            self,
            lines=self.lines + 1,
            mass_mg=self.mass_mg + (mass_mg or 0),
            count=self.count + (count or 0),
            unweighed=self.unweighed + (mass_mg is None),
            uncounted=self.uncounted + (count is None),
        )

    def less(self, mass_mg: int, count: int) -> GradeTotal:
        """Without what has left the grade since, as Unripe that turned."""
        return replace(self, mass_mg=max(self.mass_mg - mass_mg, 0), count=max(self.count - count, 0))

    def remembered(self, variance_mg2: float) -> GradeTotal:
        """With the doubt of what was only remembered."""
        return replace(self, vague_mg2=self.vague_mg2 + variance_mg2)

    def reckoned(self, mass_mg: float, sd_mg: float) -> GradeTotal:
        """With one of the lines not weighed reckoned from its count."""
        return replace(
            self,
            estimated=self.estimated + 1,
            estimated_mg=self.estimated_mg + mass_mg,
            estimated_mg2=self.estimated_mg2 + sd_mg**2,
        )


@dataclass(frozen=True)
class PlantingRecord:
    """One planting in its place, with all that its yield is measured by."""

    ref: str
    units: int | None = None  #: pieces (seed potatoes, sets, seeds …) set out or sown
    units_sd: float = 0.0  #: relative standard deviation of ``units``, where they are vague
    plants: int | None = None  #: that came of them, where it was counted; else as many as the units
    plants_lifted: int | None = None  #: of part lifts, where they were counted
    seed_mass_mg: int | None = None  #: what was sown or set
    planted_on: date | None = None
    days_sd: float = 0.0  #: standard deviation of the days in the ground, where a date is vague
    finished_on: date | None = None  #: None while it may still give
    first_lift: date | None = None  #: thinnings apart
    last_lift: date | None = None
    place_area_m2: float | None = None
    path_area_m2: float | None = None  #: the place with its half of the paths beside it
    place_volume_l: float | None = None  #: real fill where it is known, else nominal
    space_share: float | None = None  #: of the place, where its part or a share was stated
    in_row_m: float | None = None  #: spacing along the row
    row_gap_m: float | None = None  #: spacing between rows
    is_alone: bool = True  #: nothing else grew in the place at the same time
    is_so_far: bool = False  #: measured up to ``finished_on``, while it may give more
    is_small_food: bool = False  #: the household eats the Small grade of this crop
    minutes: float | None = None  #: of work, where it was noted
    water_l: float | None = None  #: given, where it was noted
    cost_minor: float | None = None  #: in the smallest coin, where something was noted
    grades: Mapping[str, GradeTotal] = field(default_factory=dict)


def food_grades(*, is_small_food: bool) -> tuple[str, ...]:
    """Name the grades that count as food: Table and Hurt, and Small where the household eats it.

    Parameters
    ----------
    is_small_food : bool
        What the crop or the household says of the Small grade.

    Returns
    -------
    tuple of str
        Grades out of `GRADES`. Unripe waits until it turns; Seed is kept; Lost is lost.

    Raises
    ------
    Nothing.

    Notes
    -----
    Kilter's own definition (rule).

    Examples
    --------
    >>> food_grades(is_small_food=False)
    ('table', 'hurt')
    """
    return ("table", "small", "hurt") if is_small_food else ("table", "hurt")


def food_mass_mg(record: PlantingRecord) -> int:
    """Sum the food weighed so far.

    Parameters
    ----------
    record : PlantingRecord
        Finished or not.

    Returns
    -------
    int
        Milligrams over the food grades; lines that wait for the scale add nothing yet.

    Raises
    ------
    Nothing.

    Notes
    -----
    Exact: masses are whole milligrams.

    Examples
    --------
    >>> food_mass_mg(PlantingRecord("a", grades={"table": GradeTotal(1, 900_000)}))
    900000
    """
    return sum(total.mass_mg for total in _food_totals(record))


def area_m2(record: PlantingRecord) -> float | None:
    """Give the square metres of soil a planting had.

    Parameters
    ----------
    record : PlantingRecord
        With the place's area, or units and spacing both ways.

    Returns
    -------
    float or None
        The stated share of the place's area, or all of it where it grew there alone; else
        units × in-row × row gap; None if unknown.

    Raises
    ------
    Nothing.

    Notes
    -----
    Common practice, no source: a plant's ground is its spacing both ways.

    Examples
    --------
    >>> area_m2(PlantingRecord("a", units=20, in_row_m=0.3, row_gap_m=0.5, is_alone=False))
    3.0
    """
    if record.place_area_m2 and (record.space_share or record.is_alone):
        return record.place_area_m2 * (record.space_share or 1.0)
    if record.units and record.in_row_m and record.row_gap_m:
        return record.units * record.in_row_m * record.row_gap_m
    return None


def density_per_m2(record: PlantingRecord) -> float | None:
    """Give the plants set out on a square metre.

    Parameters
    ----------
    record : PlantingRecord
        With units, and area or spacing.

    Returns
    -------
    float or None
        Plants per square metre; None if either is unknown.

    Raises
    ------
    Nothing.

    Notes
    -----
    units / `area_m2`.

    Examples
    --------
    >>> density_per_m2(PlantingRecord("a", units=20, in_row_m=0.25, row_gap_m=0.5))
    8.0
    """
    area = area_m2(record)
    return record.units / area if record.units and area else None


def expected_whole_mg(record: PlantingRecord) -> tuple[float, float] | None:
    """Reckon from a part lift what all the plants would give.

    Parameters
    ----------
    record : PlantingRecord
        With plants lifted and plants set out, and everything lifted weighed.

    Returns
    -------
    tuple of float, or None
        Milligrams of food and one standard deviation; None where nothing says how many were lifted,
        or all were.

    Raises
    ------
    Nothing.

    Notes
    -----
    n times the mean of the k lifted; the rest differs from them by `PLANT_CV` (rule) a plant, with the
    finite-population correction 1 − k/n (Cochran, *Sampling Techniques*, ch. 2; memory).

    Examples
    --------
    >>> half = PlantingRecord("a", units=10, plants_lifted=5, grades={"table": GradeTotal(1, 2_000_000)})
    >>> expected_whole_mg(half)[0]
    4000000.0
    """
    n, k = record.plants or record.units, record.plants_lifted
    if not n or not k or k >= n or any(total.unweighed for total in _food_totals(record)):
        return None
    whole = food_mass_mg(record) * n / k
    return whole, whole * PLANT_CV * math.sqrt((1 - k / n) / k)


def place_rate(food_mg: float, place_area_m2: float | None, place_volume_l: float | None) -> tuple[float, str] | None:
    """Give what a whole place gave in a season, by its size.

    Parameters
    ----------
    food_mg : float
        Food from all that grew there, milligrams.
    place_area_m2, place_volume_l : float or None
        Of a bed its area, of a container its volume.

    Returns
    -------
    tuple of float and str, or None
        The rate and its unit, ``kg/m²`` or ``kg/10 L``; None for a place without a size.

    Raises
    ------
    Nothing.

    Notes
    -----
    Kilter's own definition (rule); beds and containers are never held against each other.

    Examples
    --------
    >>> place_rate(9_000_000, 4.5, None), place_rate(900_000, None, 45)
    ((2.0, 'kg/m²'), (0.2, 'kg/10 L'))
    """
    if place_area_m2:
        return food_mg / 1e6 / place_area_m2, "kg/m²"
    return (food_mg / 1e5 / place_volume_l, "kg/10 L") if place_volume_l else None


def spoilt_share(record: PlantingRecord) -> float | None:
    """Give the share of what came out of the ground that was lost.

    Parameters
    ----------
    record : PlantingRecord
        With its grades.

    Returns
    -------
    float or None
        Lost mass over the mass of all grades; by count where nothing was weighed; None for nothing lifted.

    Raises
    ------
    Nothing.

    Notes
    -----
    Kilter's own definition (rule).

    Examples
    --------
    >>> spoilt_share(PlantingRecord("a", grades={"table": GradeTotal(1, 9), "lost": GradeTotal(1, 1)}))
    0.1
    """
    lost = record.grades.get("lost", GradeTotal())
    mass, count = sum(t.mass_mg for t in record.grades.values()), sum(t.count for t in record.grades.values())
    if mass:
        return lost.mass_mg / mass
    return lost.count / count if count else None


def _food_totals(record: PlantingRecord) -> list[GradeTotal]:
    names = food_grades(is_small_food=record.is_small_food)
    return [record.grades[name] for name in names if name in record.grades]
