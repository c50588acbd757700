"""What a planting gave, per plant, square metre, litre, metre or place, and why it cannot say."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Final

from kilter.core.errors import ComparisonError

GRADES: Final = ("table", "small", "seed", "hurt", "unripe", "lost")


@dataclass(frozen=True)
class GradeTotal:
    """All standing lines of one grade of one planting."""

    lines: int = 0
    mass_mg: int = 0  #: sum of those weighed
    count: int = 0  #: sum of those counted
    unweighed: int = 0  #: lines that still wait for the scale
    uncounted: int = 0  #: lines without a count

    def plus(self, mass_mg: int | None, count: int | None) -> GradeTotal:
        """With one line more."""
        return GradeTotal(
            self.lines + 1,
            self.mass_mg + (mass_mg or 0),
            self.count + (count or 0),
            self.unweighed + (mass_mg is None),
            self.uncounted + (count is None),
        )


@dataclass(frozen=True)
class PlantingRecord:
    """One planting in its place, with all that its yield is measured by."""

    ref: str
    units: int | None = None  #: plants (seed potatoes, sets …) set out
    units_sd: float = 0.0  #: relative standard deviation of ``units``, where they are vague
    planted_on: date | None = None
    finished_on: date | None = None  #: None while it may still give
    place_area_m2: float | None = None
    place_volume_l: float | None = None  #: real fill where it is known, else nominal
    space_share: float | None = None  #: of the place, where its part or a share was stated
    in_row_m: float | None = None  #: spacing along the row
    row_gap_m: float | None = None  #: spacing between rows
    is_alone: bool = True  #: nothing else grew in the place at the same time
    is_small_food: bool = False  #: the household eats the Small grade of this crop
    grades: Mapping[str, GradeTotal] = field(default_factory=dict)


@dataclass(frozen=True)
class Measure:
    """A way of measuring a yield: what is divided by what."""

    key: str
    unit: str  #: unit of the numerator, ``kg`` or ``count``
    per: str  #: the exposure in words
    exposure: Callable[[PlantingRecord], float | str]  #: the divisor, or why there is none

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
    vague_sd: float = 0.0  #: relative standard deviation of a vague exposure

    @property
    def rate(self) -> float:
        return self.amount / self.exposure


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


def measure_yield(record: PlantingRecord, measure_key: str) -> MeasuredYield | LeftOut:
    """Measure one finished planting, or say why it cannot be measured.

    Parameters
    ----------
    record : PlantingRecord
        The planting; masses in milligrams.
    measure_key : str
        A key of `MEASURES`.

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
    Only finished plantings are measured: one still bearing is never held against one that is done.

    Examples
    --------
    >>> done = PlantingRecord("a", units=3, finished_on=date(2026, 8, 1),
    ...                       grades={"table": GradeTotal(1, 1_500_000)})
    >>> measure_yield(done, "kg_per_plant").rate
    0.5
    """
    measure = measure_named(measure_key)
    if record.finished_on is None:
        return LeftOut(record.ref, "is not finished, so it may still give more")
    exposure = measure.exposure(record)
    if isinstance(exposure, str):
        return LeftOut(record.ref, exposure)
    totals = _food_totals(record)
    waiting = sum(total.uncounted if measure.is_count else total.unweighed for total in totals)
    if waiting:
        lack = "was not counted" if measure.is_count else "still waits for the scale"
        return LeftOut(record.ref, f"part of its harvest {lack}")
    amount = float(sum(t.count for t in totals)) if measure.is_count else food_mass_mg(record) / 1e6
    return MeasuredYield(record.ref, amount, exposure, record.units, _vague_sd(record, measure))


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
    """An exposure is as vague as the units that went into it."""
    by_place = measure.exposure is _square_metres and bool(
        record.place_area_m2 and (record.space_share or record.is_alone)
    )
    return 0.0 if by_place or measure.exposure in {_litres, _one_place} else record.units_sd


def _plants(record: PlantingRecord) -> float | str:
    return record.units or "the number of plants was not written down"


def _square_metres(record: PlantingRecord) -> float | str:
    if area := area_m2(record):
        return area
    if record.place_area_m2:
        return "shares its place with others and its spacing was not written down"
    return "its place has no length and width, and its spacing was not written down"


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


def _one_place(_: PlantingRecord) -> float | str:
    return 1.0


#: Every measure a comparison can be made by.
MEASURES: Final[dict[str, Measure]] = {
    measure.key: measure
    for measure in (
        Measure("kg_per_plant", "kg", "plant", _plants),
        Measure("kg_per_m2", "kg", "square metre", _square_metres),
        Measure("kg_per_l", "kg", "litre", _litres),
        Measure("kg_per_m", "kg", "metre of row", _row_metres),
        Measure("kg_per_place", "kg", "place", _one_place),
        Measure("count_per_plant", "count", "plant", _plants),
    )
}
