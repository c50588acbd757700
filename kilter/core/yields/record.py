"""What is known of a planting: its record, what of it is food, how much ground it had."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Final, Literal

from kilter.core.trade.grades import food_grades
from kilter.core.yields.harvest import BasketLine, GradeTotal
from kilter.core.yields.lacks import Lack

#: One plant against another of the same kind: the square root of the comparison's PLANT_VARIANCE
#: (rule).
PLANT_CV: Final = 0.4
#: How the number of plants is known: counted as they stood; reckoned from those set out by what of
#: like plantings came through; or as many as were set out, less those that died.
KnownBy = Literal["counted", "reckoned", "set out", ""]


@dataclass(frozen=True, kw_only=True)
class PlantingRecord:
    """One planting in its place, with all that its yield is measured by."""

    ref: str
    units: int | None = None  #: pieces (seed potatoes, sets, seeds …) set out or sown
    units_sd: float = 0.0  #: relative standard deviation of ``units``, where they are vague
    plants: float | None = None  #: that stood when the harvest began
    plants_known_by: KnownBy = ""
    plants_sd: float = 0.0  #: relative standard deviation of ``plants``
    plants_lifted: int | None = (
        None  #: where only so many of them were lifted, and the rest not yet
    )
    seed_mass_mg: int | None = None  #: what was sown or set
    planted_on: date | None = None
    year_began_on: date | None = None  #: of a later year of what stays over years
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
    #: why nobody knows what it gave, though it is finished; without it, no line means nothing
    unknown: Lack | None = None
    is_year_of_life: bool = False  #: a year of what stays over years, of which each day counts
    is_small_food: bool = False  #: the household eats the Small grade of this crop
    minutes: float | None = None  #: of work, where it was noted
    water_l: float | None = None  #: given, where it was noted
    cost_minor: float | None = None  #: in the smallest coin, where something was noted
    put_by_mg: float = 0.0  #: of its harvest, what went into a store
    lost_in_store_mg: float = 0.0  #: of that, what spoiled or was lost in weight
    grades: Mapping[str, GradeTotal] = field(default_factory=dict)
    #: by `size_key`: parts of the grades, where a crop is graded by size too
    sizes: Mapping[str, GradeTotal] = field(default_factory=dict)
    baskets: tuple[
        BasketLine, ...
    ] = ()  #: of its lines, those that are parts of a weight shared with others

    @property
    def began_on(self) -> date | None:
        """Its days count from here: its planting, or the beginning of a later year of its life."""
        return self.year_began_on or self.planted_on


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

    Notes
    -----
    Exact: masses are whole milligrams.

    Examples
    --------
    >>> food_mass_mg(
    ...     PlantingRecord(ref="a", grades={"table": GradeTotal(lines=1, mass_mg=900_000)})
    ... )
    900000
    """
    return sum(total.mass_mg for total in _food_totals(record))


@dataclass(frozen=True)
class FoodSoFar:
    """The food of a planting, as far as it is known."""

    mass_mg: (
        float | None
    )  #: None where nothing is known: not lifted yet, or not weighed nor to be reckoned
    count: int | None  #: None where nothing was counted
    is_lifted: bool  #: something came out, or all was lifted
    is_estimated: bool  #: part of the mass is reckoned from counts
    is_partly: bool  #: part of it has no weight, nor can be reckoned


def food_so_far(record: PlantingRecord) -> FoodSoFar:
    """Sum the food of a planting, with what was counted and not weighed by its estimate.

    Parameters
    ----------
    record : PlantingRecord
        Finished or not.

    Returns
    -------
    FoodSoFar
        Milligrams and pieces. A finished planting of which nothing came gave 0; one that is not
        lifted yet, or not weighed, has no mass.

    Notes
    -----
    Kilter's own definition (rule): not weighed is not zero.

    Examples
    --------
    >>> food_so_far(PlantingRecord(ref="a")).mass_mg is None
    True
    >>> food_so_far(PlantingRecord(ref="a", finished_on=date(2026, 8, 1))).mass_mg
    0.0
    """
    totals = _food_totals(record)
    likely = [t.likely_mg for t in totals if t.likely_mg is not None]
    counts = [t.known_count for t in totals if t.known_count is not None]
    is_lifted = bool(record.grades) or (record.finished_on is not None and record.unknown is None)
    is_nothing = is_lifted and not totals
    return FoodSoFar(
        float(sum(likely)) if likely or is_nothing else None,
        sum(counts) if counts else None,
        is_lifted,
        any(t.estimated for t in totals),
        any(t.is_part_weighed for t in totals),
    )


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

    Notes
    -----
    Common practice, no source: a plant's ground is its spacing both ways.

    Examples
    --------
    >>> area_m2(PlantingRecord(ref="a", units=20, in_row_m=0.3, row_gap_m=0.5, is_alone=False))
    3.0
    """
    if record.place_area_m2 and (record.space_share or record.is_alone):
        return record.place_area_m2 * (record.space_share or 1.0)
    if record.units and record.in_row_m and record.row_gap_m:
        return record.units * record.in_row_m * record.row_gap_m
    return None


def density_per_m2(record: PlantingRecord) -> float | None:
    """Give the plants on a square metre.

    Parameters
    ----------
    record : PlantingRecord
        With plants, and area or spacing.

    Returns
    -------
    float or None
        Plants per square metre; None if either is unknown.

    Notes
    -----
    Plants that stood when the harvest began / `area_m2`.

    Examples
    --------
    >>> density_per_m2(PlantingRecord(ref="a", units=20, plants=15, in_row_m=0.25, row_gap_m=0.5))
    6.0
    """
    area = area_m2(record)
    return record.plants / area if record.plants and area else None


def expected_whole_mg(record: PlantingRecord) -> tuple[float, float] | None:
    """Reckon from a part lift what all the plants would give.

    Parameters
    ----------
    record : PlantingRecord
        With the plants lifted and those that stood, and everything lifted weighed.

    Returns
    -------
    tuple of float, or None
        Milligrams of food and one standard deviation; None where nothing says how many were lifted,
        or all were.

    Notes
    -----
    n times the mean of the k lifted; the rest differs from them by `PLANT_CV` (rule) a plant, with
    the finite-population correction 1 − k/n (Cochran, *Sampling Techniques*, ch. 2; memory).

    Examples
    --------
    >>> half = PlantingRecord(
    ...     ref="a",
    ...     plants=10,
    ...     plants_lifted=5,
    ...     grades={"table": GradeTotal(lines=1, mass_mg=2_000_000)},
    ... )
    >>> expected_whole_mg(half)[0]
    4000000.0
    """
    n, k = record.plants, record.plants_lifted
    if not n or not k or k >= n or any(total.unweighed for total in _food_totals(record)):
        return None
    whole = food_mass_mg(record) * n / k
    return whole, whole * PLANT_CV * math.sqrt((1 - k / n) / k)


def lifted_share(record: PlantingRecord) -> float:
    """Give the share of a planting that its harvest is from.

    Parameters
    ----------
    record : PlantingRecord
        With the plants lifted where they are not all.

    Returns
    -------
    float
        k/n of a part lift of k of n plants, else 1.

    Notes
    -----
    The plants not lifted have given nothing yet, so neither they nor their ground, row, litres or
    seed count.

    Examples
    --------
    >>> lifted_share(PlantingRecord(ref="a", plants=10, plants_lifted=2))
    0.2
    """
    if not record.plants or not record.plants_lifted:
        return 1.0
    return min(record.plants_lifted / record.plants, 1.0)


def place_rate(
    food_mg: float, place_area_m2: float | None, place_volume_l: float | None
) -> tuple[float, str] | None:
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
        Lost mass over the mass of all grades; by count where nothing was weighed; None for nothing
        lifted.

    Notes
    -----
    Kilter's own definition (rule).

    Examples
    --------
    >>> spoilt_share(
    ...     PlantingRecord(
    ...         ref="a",
    ...         grades={
    ...             "table": GradeTotal(lines=1, mass_mg=9),
    ...             "lost": GradeTotal(lines=1, mass_mg=1),
    ...         },
    ...     )
    ... )
    0.1
    """
    lost = record.grades.get("lost", GradeTotal())
    mass, count = (
        sum(t.mass_mg for t in record.grades.values()),
        sum(t.count for t in record.grades.values()),
    )
    if mass:
        return lost.mass_mg / mass
    return lost.count / count if count else None


def _food_totals(record: PlantingRecord) -> list[GradeTotal]:
    names = food_grades(is_small_food=record.is_small_food)
    return [record.grades[name] for name in names if name in record.grades]
