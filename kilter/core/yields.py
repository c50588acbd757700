"""What a planting gave, per plant, square metre, litre, metre or place, and why it cannot say."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Final

from kilter.core.errors import ComparisonError

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


@dataclass(frozen=True)
class Measure:
    """A way of measuring a yield: what is divided by what."""

    key: str
    unit: str  #: unit of the numerator, ``kg`` or ``count``
    per: str  #: the exposure in words
    exposure: Callable[[PlantingRecord], float | str]  #: the divisor, or why there is none
    vague_by: str = "units"  #: what makes the divisor vague: ``units``, ``area``, ``days`` or nothing

    @property
    def is_count(self) -> bool:
        return self.unit == "count"


@dataclass(frozen=True)
class MeasuredYield:
    """Numerator and divisor of one planting under one measure."""

    ref: str
    amount: float  #: kg or count
    exposure: float
    plants: int | None
    vague_sd: float = 0.0  #: relative standard deviation of what is vague in either
    is_estimated: bool = False  #: part of the amount was reckoned from counts
    is_so_far: bool = False  #: it may still give more
    measure: str = ""  #: key of the measure

    @property
    def rate(self) -> float:
        return self.amount / self.exposure

    @property
    def rate_sd(self) -> float:
        return self.rate * self.vague_sd


@dataclass(frozen=True)
class LeftOut:
    """A planting that a figure could not use, and why."""

    ref: str
    reason: str


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


def measure_yield(
    record: PlantingRecord, measure_key: str, *, with_estimates: bool = False, so_far: date | None = None
) -> MeasuredYield | LeftOut:
    """Measure one planting, or say why it cannot be measured.

    Parameters
    ----------
    record : PlantingRecord
        The planting; masses in milligrams.
    measure_key : str
        A key of `MEASURES`.
    with_estimates : bool
        Whether what was counted and not weighed enters with its reckoned mass and that one's doubt.
    so_far : date, optional
        Measure up to this day also what is not finished; such a figure is for the planting alone.

    Returns
    -------
    MeasuredYield or LeftOut
        kg (or a count) and its exposure; a finished planting that gave nothing measures zero.

    Raises
    ------
    ComparisonError
        An unknown measure.

    Notes
    -----
    One still bearing is never held against one that is done. Relative variances of a vague amount
    and a vague exposure add up (delta method).

    Examples
    --------
    >>> done = PlantingRecord("a", units=3, finished_on=date(2026, 8, 1),
    ...                       grades={"table": GradeTotal(1, 1_500_000)})
    >>> measure_yield(done, "kg_per_plant").rate
    0.5
    """
    measure = measure_named(measure_key)
    if record.finished_on is None:
        if so_far is None:
            return LeftOut(record.ref, "is not finished, so it may still give more")
        record = replace(record, finished_on=so_far, is_so_far=True)
    exposure = measure.exposure(record)
    if isinstance(exposure, str):
        return LeftOut(record.ref, exposure)
    totals = _food_totals(record)
    reckoned = 0 if measure.is_count or not with_estimates else sum(total.estimated for total in totals)
    lacking = sum(total.uncounted if measure.is_count else total.unweighed for total in totals) - reckoned
    if lacking > 0:
        lack = "was not counted" if measure.is_count else "was not weighed, or still waits for the scale"
        return LeftOut(record.ref, f"part of its harvest {lack}")
    amount, variance = float(sum(t.count for t in totals)), 0.0
    if not measure.is_count:
        amount = (food_mass_mg(record) + sum(t.estimated_mg for t in totals if reckoned)) / 1e6
        variance = sum(t.vague_mg2 + (t.estimated_mg2 if reckoned else 0.0) for t in totals) / 1e12
    vague = math.hypot(_vague_sd(record, measure), math.sqrt(variance) / amount if amount else 0.0)
    plants = record.plants or record.units
    return MeasuredYield(record.ref, amount, exposure, plants, vague, reckoned > 0, record.is_so_far, measure_key)


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


def measure_named(key: str) -> Measure:
    """Find a measure by its key.

    Parameters
    ----------
    key : str
        Such as ``kg_per_plant``.

    Returns
    -------
    Measure
        The entry of `MEASURES`.

    Raises
    ------
    ComparisonError
        An unknown key; the message lists those there are.

    Notes
    -----
    None.

    Examples
    --------
    >>> measure_named("kg_per_l").per
    'litre'
    """
    try:
        return MEASURES[key]
    except KeyError:
        raise ComparisonError(f"“{key}” is no measure; use one of {', '.join(MEASURES)}.") from None


def _food_totals(record: PlantingRecord) -> list[GradeTotal]:
    names = food_grades(is_small_food=record.is_small_food)
    return [record.grades[name] for name in names if name in record.grades]


def _vague_sd(record: PlantingRecord, measure: Measure) -> float:
    """An exposure is as vague as what went into it."""
    by_place = bool(record.place_area_m2 and (record.space_share or record.is_alone))
    if measure.vague_by == "days" and (days := _days(record)) and not isinstance(days, str):
        return record.days_sd / days
    return record.units_sd if measure.vague_by == "units" or (measure.vague_by == "area" and not by_place) else 0.0


def _plants(record: PlantingRecord) -> float | str:
    if record.is_so_far and record.plants_lifted:
        return record.plants_lifted  # of a part lift the others have given nothing yet
    return record.plants or record.units or "the number of plants was not written down"


def _pieces(record: PlantingRecord) -> float | str:
    if record.is_so_far and record.plants_lifted:
        return record.plants_lifted
    return record.units or "the number set out was not written down"


def _lifted(record: PlantingRecord) -> float | str:
    if record.plants_lifted:
        return record.plants_lifted
    if record.is_so_far:
        return "nobody wrote down how many plants were lifted so far"
    return _plants(record)


def _planted_kg(record: PlantingRecord) -> float | str:
    return record.seed_mass_mg / 1e6 if record.seed_mass_mg else "what was sown or set was not weighed"


def _square_metres(record: PlantingRecord) -> float | str:
    if area := area_m2(record):
        return area
    if record.place_area_m2:
        return "shares its place with others and its spacing was not written down"
    return "its place has no length and width, and its spacing was not written down"


def _with_paths(record: PlantingRecord) -> float | str:
    area = _square_metres(record)
    if isinstance(area, str):
        return area
    if not record.path_area_m2 or not record.place_area_m2:
        return "the path beside its place was not written down"
    return area * record.path_area_m2 / record.place_area_m2


def _litres(record: PlantingRecord) -> float | str:
    if not record.place_volume_l:
        return "its place has no volume"
    if record.space_share or record.is_alone:
        return record.place_volume_l * (record.space_share or 1.0)
    return "shares its container with others, and no share was stated"


def _row_metres(record: PlantingRecord) -> float | str:
    if record.units and record.in_row_m:
        return record.units * record.in_row_m
    return "its plants or their distance in the row were not written down"


def _days(record: PlantingRecord) -> float | str:
    if record.planted_on is None or record.finished_on is None:
        return "nobody wrote down when it was planted"
    days = (record.finished_on - record.planted_on).days
    return float(days) if days > 0 else "it was not in the ground for a day yet"


def _minutes(record: PlantingRecord) -> float | str:
    return record.minutes or "no minutes of work were noted"


def _water(record: PlantingRecord) -> float | str:
    return record.water_l or "no water was noted"


def _money(record: PlantingRecord) -> float | str:
    return record.cost_minor / 100 if record.cost_minor else "no cost was noted"


def _one_place(_: PlantingRecord) -> float | str:
    return 1.0


#: Every measure a comparison can be made by.
MEASURES: Final[dict[str, Measure]] = {
    measure.key: measure
    for measure in (
        Measure("kg_per_plant", "kg", "plant", _plants),
        Measure("kg_per_lifted", "kg", "plant lifted", _lifted),
        Measure("kg_per_piece", "kg", "piece set out", _pieces),
        Measure("kg_per_kg", "kg", "kilogram set out", _planted_kg, ""),
        Measure("kg_per_m2", "kg", "square metre", _square_metres, "area"),
        Measure("kg_per_m2_paths", "kg", "square metre with paths", _with_paths, "area"),
        Measure("kg_per_m", "kg", "metre of row", _row_metres),
        Measure("kg_per_l", "kg", "litre", _litres, ""),
        Measure("kg_per_day", "kg", "day in the ground", _days, "days"),
        Measure("kg_per_minute", "kg", "minute of work", _minutes, ""),
        Measure("kg_per_water_l", "kg", "litre of water", _water, ""),
        Measure("kg_per_money", "kg", "unit of money", _money, ""),
        Measure("kg_per_place", "kg", "place", _one_place, ""),
        Measure("count_per_plant", "count", "plant", _plants),
        Measure("count_per_place", "count", "place", _one_place, ""),
    )
}
