"""Measuring a yield: weight or number per plant, square metre, litre …, size,
share spoilt, days; or why not.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Final

from kilter.core.errors import ComparisonError
from kilter.core.trade.grades import SPOILT, food_grades, grade_of
from kilter.core.yields import lacks
from kilter.core.yields.harvest import BasketPart, GradeTotal
from kilter.core.yields.lacks import Lack, LeftOut
from kilter.core.yields.record import KnownBy, PlantingRecord, area_m2, lifted_share

WORDS: Final = {
    "piece_size": "size: weight of a piece",
    "share_spoilt": "share hurt or lost",
    "share_lost": "share lost in store",
    "days_to_first": "days to the first lift",
    "days_bearing": "days from first to last lift",
}


@dataclass(frozen=True)
class Measure:
    """A way of measuring a yield: what is divided by what."""

    key: str
    #: of what is divided: ``kg`` or ``count``; ``share`` and ``days`` of what stands for itself
    unit: str
    per: str  #: the exposure in words
    exposure: Callable[[PlantingRecord], float | Lack]  #: the divisor, or why there is none
    vague_by: str = (
        ""  #: what makes the divisor vague: ``plants``, ``units``, ``area``, ``days`` or nothing
    )
    kind: str = "yield"  #: ``yield``, ``size``, ``share`` or ``days``

    @property
    def words(self) -> str:
        """What is measured, as a gardener would say it."""
        return WORDS.get(self.key) or f"{'number' if self.is_count else 'weight'} per {self.per}"

    @property
    def is_count(self) -> bool:
        return self.unit == "count"

    @property
    def is_mass(self) -> bool:
        return self.unit == "kg"

    @property
    def is_per_plant(self) -> bool:
        """Whether its divisor is a number of plants."""
        return self.vague_by == "plants"

    @property
    def has_grades(self) -> bool:
        """Whether it can be asked for other grades than food."""
        return self.kind != "days" and self.key != "share_lost"


@dataclass(frozen=True, kw_only=True)
class MeasuredYield:
    """Numerator and divisor of one planting under one measure."""

    ref: str
    amount: float  #: kg or count
    exposure: float
    plants: float | None
    vague_sd: float = 0.0  #: relative standard deviation of what is vague in either
    is_estimated: bool = False  #: part of the amount was reckoned from counts
    is_so_far: bool = False  #: it may still give more
    measure: str = ""  #: key of the measure
    pieces: float | None = None  #: of a share, how many pieces were looked at
    plants_known_by: KnownBy = ""  #: of a yield per plant, how their number is known
    baskets: tuple[
        BasketPart, ...
    ] = ()  #: what of the amount came in baskets shared with other plantings

    @property
    def rate(self) -> float:
        return self.amount / self.exposure

    @property
    def rate_sd(self) -> float:
        return self.rate * self.vague_sd


def measure_yield(
    record: PlantingRecord,
    measure_key: str,
    *,
    grades: tuple[str, ...] = (),
    with_estimates: bool = False,
    so_far: date | None = None,
) -> MeasuredYield | LeftOut:
    """Measure one planting, or say why it cannot be measured.

    Parameters
    ----------
    record : PlantingRecord
        The planting; masses in milligrams.
    measure_key : str
        A key of `MEASURES`.
    grades : tuple of str
        Which grades count, or sizes by `size_key`; without any the grades that are food, or of a
        share `SPOILT`. A size is part of its grade, so that beside it adds nothing.
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
    >>> done = PlantingRecord(
    ...     ref="a",
    ...     plants=3,
    ...     finished_on=date(2026, 8, 1),
    ...     grades={"table": GradeTotal(lines=1, mass_mg=1_500_000)},
    ... )
    >>> measure_yield(done, "kg_per_plant").rate
    0.5
    >>> from kilter.core.yields.harvest import BasketLine
    >>> shared = replace(done, baskets=(BasketLine("k", "table", 750_000, 0, 2),))
    >>> measure_yield(shared, "kg_per_plant").baskets
    (BasketPart(basket='k', share=0.5, parts=2),)
    """
    measure = measure_named(measure_key)
    if record.finished_on is None:
        if so_far is None:
            return LeftOut(record.ref, lacks.NOT_FINISHED)
        record = replace(record, finished_on=so_far, is_so_far=True)
    if record.unknown is not None and not record.grades:
        return LeftOut(record.ref, record.unknown)
    if record.is_so_far and not record.grades:
        return LeftOut(record.ref, lacks.NOT_LIFTED)
    if measure.kind == "days":
        return _in_days(record, measure)
    if measure.key == "share_lost":
        return _in_store(record, measure)
    if measure.kind in ("share", "size"):
        found = _of_grades(record, measure, grades)
    else:
        found = _as_yield(record, measure, _totals(record, grades), with_estimates=with_estimates)
    if isinstance(found, LeftOut) or not record.baskets:
        return found
    return replace(found, baskets=_baskets(record, measure, grades))


def _as_yield(
    record: PlantingRecord, measure: Measure, totals: list[GradeTotal], *, with_estimates: bool
) -> MeasuredYield | LeftOut:
    """Weight or number, over the measure's divisor."""
    exposure = measure.exposure(record)
    if isinstance(exposure, Lack):
        return LeftOut(record.ref, exposure)
    amount, sd = (
        _counted(totals) if measure.is_count else _weighed(totals, with_estimates=with_estimates)
    )
    if amount is None:
        return LeftOut(record.ref, lacks.NOT_COUNTED if measure.is_count else lacks.NOT_WEIGHED)
    doubt = sd / amount if amount else 0.0
    is_estimated = not measure.is_count and any(total.unweighed for total in totals)
    return MeasuredYield(
        ref=record.ref,
        amount=amount,
        exposure=exposure,
        plants=record.plants,
        vague_sd=math.hypot(_vague_sd(record, measure), doubt),
        is_estimated=is_estimated,
        is_so_far=record.is_so_far,
        measure=measure.key,
        plants_known_by=_known_by(record) if measure.is_per_plant else "",
    )


def _counted(totals: list[GradeTotal]) -> tuple[float | None, float]:
    """Pieces and no doubt; None where a line was not counted."""
    return (None if any(t.uncounted for t in totals) else float(sum(t.count for t in totals))), 0.0


def _weighed(totals: list[GradeTotal], *, with_estimates: bool) -> tuple[float | None, float]:
    """Kilograms and their standard deviation; None where a line was not weighed,
    nor may be reckoned.
    """
    unweighed, estimated = sum(t.unweighed for t in totals), sum(t.estimated for t in totals)
    if unweighed > (estimated if with_estimates else 0):
        return None, 0.0
    mass_mg, variance = float(sum(t.mass_mg for t in totals)), sum(t.vague_mg2 for t in totals)
    if unweighed:
        mass_mg += sum(t.estimated_mg for t in totals)
        variance += sum(t.estimated_mg2 for t in totals)
    return mass_mg / 1e6, math.sqrt(variance) / 1e6


def _totals(record: PlantingRecord, grades: tuple[str, ...]) -> list[GradeTotal]:
    names = grades or food_grades(is_small_food=record.is_small_food)
    found = [record.grades[name] for name in names if name in record.grades]
    return found + [
        total for key, total in record.sizes.items() if key in names and grade_of(key) not in names
    ]


def _of_grades(
    record: PlantingRecord, measure: Measure, grades: tuple[str, ...]
) -> MeasuredYield | LeftOut:
    """One grade's mass over all of it, or over its own count."""
    is_share = measure.kind == "share"
    totals = _totals(record, grades or (SPOILT if is_share else ()))
    whole = list(record.grades.values()) if is_share else totals
    if any(total.unweighed for total in whole):
        return LeftOut(record.ref, lacks.NOT_WEIGHED)
    if not is_share and any(total.uncounted for total in totals):
        return LeftOut(record.ref, lacks.NOT_COUNTED)
    exposure = (
        sum(t.mass_mg for t in whole) / 1e6 if is_share else float(sum(t.count for t in totals))
    )
    if not exposure:
        return LeftOut(record.ref, lacks.NOTHING_CAME)
    amount = sum(t.mass_mg for t in totals) / 1e6
    doubt = math.sqrt(sum(t.vague_mg2 for t in totals)) / 1e6 / amount if amount else 0.0
    pieces = (
        None
        if not is_share or any(t.uncounted for t in whole)
        else float(sum(t.count for t in whole))
    )
    return MeasuredYield(
        ref=record.ref,
        amount=amount,
        exposure=exposure,
        plants=record.plants,
        vague_sd=doubt,
        is_so_far=record.is_so_far,
        measure=measure.key,
        pieces=pieces,
    )


def _baskets(
    record: PlantingRecord, measure: Measure, grades: tuple[str, ...]
) -> tuple[BasketPart, ...]:
    """What of the amount came in baskets shared with other plantings: by mass,
    by number where pieces are measured.
    """
    names = (
        tuple(record.grades)
        if measure.kind == "share"
        else grades or food_grades(is_small_food=record.is_small_food)
    )
    whole = sum(t.count if measure.is_count else t.mass_mg for t in _totals(record, names))
    found: dict[str, BasketPart] = {}
    for line in record.baskets:
        if (line.grade in names or line.size in names) and whole:
            part = (line.count if measure.is_count else line.mass_mg) / whole
            before = found[line.basket].share if line.basket in found else 0.0
            found[line.basket] = BasketPart(line.basket, before + part, line.parts)
    return tuple(found.values())


def _in_store(record: PlantingRecord, measure: Measure) -> MeasuredYield | LeftOut:
    """What spoiled or was lost in weight so far, over what was put by."""
    if not record.put_by_mg:
        return LeftOut(record.ref, lacks.NOT_PUT_BY)
    return MeasuredYield(
        ref=record.ref,
        amount=record.lost_in_store_mg / 1e6,
        exposure=record.put_by_mg / 1e6,
        plants=record.plants,
        measure=measure.key,
    )


def _in_days(record: PlantingRecord, measure: Measure) -> MeasuredYield | LeftOut:
    """Days to the first lift, or from the first to the last."""
    if record.first_lift is None or record.last_lift is None:
        return LeftOut(record.ref, lacks.NOTHING_LIFTED)
    if measure.key == "days_bearing":
        days, doubt = (record.last_lift - record.first_lift).days + 1, 0.0
    elif record.began_on is None:
        return LeftOut(record.ref, lacks.NO_PLANTING_DAY)
    else:
        days, doubt = (record.first_lift - record.began_on).days, record.days_sd
    if days <= 0:
        return LeftOut(record.ref, lacks.LIFTED_TOO_SOON)
    return MeasuredYield(
        ref=record.ref,
        amount=float(days),
        exposure=1.0,
        plants=record.plants,
        vague_sd=doubt / days,
        is_so_far=record.is_so_far,
        measure=measure.key,
    )


def known_alike(measured: Sequence[MeasuredYield]) -> tuple[list[MeasuredYield], list[LeftOut]]:
    """Keep those whose number of plants is known in a way that can be compared.

    Parameters
    ----------
    measured : sequence of MeasuredYield
        All by one measure.

    Returns
    -------
    list of MeasuredYield, list of LeftOut
        Per plant, where any unit's plants were counted: without those of which only the number set
        out is known, and of which no like planting says how many came through; else all.

    Notes
    -----
    One kind of divisor in a comparison (rule): plants that stood are not held against plants set
    out.

    Examples
    --------
    >>> sown = MeasuredYield(ref="a", amount=1.0, exposure=30, plants=30, plants_known_by="counted")
    >>> set_out = MeasuredYield(
    ...     ref="b", amount=1.0, exposure=40, plants=40, plants_known_by="set out"
    ... )
    >>> [out.ref for out in known_alike([sown, set_out])[1]]
    ['b']
    """
    if not any(one.plants_known_by in ("counted", "reckoned") for one in measured):
        return list(measured), []
    return (
        [one for one in measured if one.plants_known_by != "set out"],
        [
            LeftOut(one.ref, lacks.ONLY_SET_OUT)
            for one in measured
            if one.plants_known_by == "set out"
        ],
    )


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

    Examples
    --------
    >>> measure_named("kg_per_l").per
    'litre'
    """
    try:
        return MEASURES[key]
    except KeyError:
        raise ComparisonError(f"“{key}” is no measure; use one of {', '.join(MEASURES)}.") from None


def _vague_sd(record: PlantingRecord, measure: Measure) -> float:
    """An exposure is as vague as what went into it."""
    by_place = bool(record.place_area_m2 and (record.space_share or record.is_alone))
    if measure.vague_by == "days" and not isinstance(days := _days(record), Lack):
        return record.days_sd / days
    if measure.vague_by == "plants":
        return 0.0 if record.plants_lifted else record.plants_sd
    return (
        record.units_sd
        if measure.vague_by == "units" or (measure.vague_by == "area" and not by_place)
        else 0.0
    )


def _known_by(record: PlantingRecord) -> KnownBy:
    """How the plants divided by are known; of a part lift its lines say them,
    whatever is known of the rest.
    """
    return "" if record.plants_lifted else record.plants_known_by


def _known(value: float | None, unknown: Lack, nothing: Lack) -> float | Lack:
    """A divisor; none at all and not known are two reasons."""
    return unknown if value is None else value or nothing


def _plants(record: PlantingRecord) -> float | Lack:
    plants = record.plants if record.plants_lifted is None else record.plants_lifted
    return _known(plants, lacks.NO_PLANTS, lacks.NONE_STOOD)


def _pieces(record: PlantingRecord) -> float | Lack:
    return record.units * lifted_share(record) if record.units else lacks.NO_UNITS


def _lifted(record: PlantingRecord) -> float | Lack:
    if record.is_so_far and record.plants_lifted is None:
        return lacks.NO_PLANTS_LIFTED
    return _plants(record)


def _planted_kg(record: PlantingRecord) -> float | Lack:
    return (
        record.seed_mass_mg / 1e6 * lifted_share(record)
        if record.seed_mass_mg
        else lacks.NO_SEED_MASS
    )


def _square_metres(record: PlantingRecord) -> float | Lack:
    if area := area_m2(record):
        return area * lifted_share(record)
    return lacks.NO_SPACING_THERE if record.place_area_m2 else lacks.NO_AREA


def _with_paths(record: PlantingRecord) -> float | Lack:
    area = _square_metres(record)
    if isinstance(area, Lack):
        return area
    if not record.path_area_m2 or not record.place_area_m2:
        return lacks.NO_PATH
    return area * record.path_area_m2 / record.place_area_m2


def _litres(record: PlantingRecord) -> float | Lack:
    if not record.place_volume_l:
        return lacks.NO_VOLUME
    if record.space_share or record.is_alone:
        return record.place_volume_l * (record.space_share or 1.0) * lifted_share(record)
    return lacks.NO_SHARE


def _row_metres(record: PlantingRecord) -> float | Lack:
    if record.units and record.in_row_m:
        return record.units * record.in_row_m * lifted_share(record)
    return lacks.NO_SPACING


def _days(record: PlantingRecord) -> float | Lack:
    if record.began_on is None or record.finished_on is None:
        return lacks.NO_PLANTING_DAY
    days = (record.finished_on - record.began_on).days + record.is_year_of_life
    return float(days) if days > 0 else lacks.NO_DAYS


def _minutes(record: PlantingRecord) -> float | Lack:
    return _known(record.minutes, lacks.NO_MINUTES, lacks.NO_WORK)


def _water(record: PlantingRecord) -> float | Lack:
    return _known(record.water_l, lacks.NO_WATER, lacks.NOT_WATERED)


def _money(record: PlantingRecord) -> float | Lack:
    cost = _known(record.cost_minor, lacks.NO_COST, lacks.COST_NOTHING)
    return cost if isinstance(cost, Lack) else cost / 100


def _one_place(_: PlantingRecord) -> float | Lack:
    return 1.0


_PER: Final[tuple[tuple[str, str, Callable[[PlantingRecord], float | Lack], str], ...]] = (
    ("plant", "plant", _plants, "plants"),
    ("lifted", "plant lifted", _lifted, "plants"),
    ("piece", "piece set out", _pieces, "units"),
    ("kg", "kilogram set out", _planted_kg, ""),
    ("m2", "square metre", _square_metres, "area"),
    ("m2_paths", "square metre with paths", _with_paths, "area"),
    ("m", "metre of row", _row_metres, "units"),
    ("l", "litre", _litres, ""),
    ("day", "day in the ground", _days, "days"),
    ("minute", "minute of work", _minutes, ""),
    ("water_l", "litre of water", _water, ""),
    ("money", "unit of money", _money, ""),
    ("place", "place", _one_place, ""),
)
_OTHER: Final = (
    Measure("piece_size", "kg", "piece", _one_place, "", "size"),
    Measure("share_spoilt", "share", "", _one_place, "", "share"),
    Measure("share_lost", "share", "", _one_place, "", "share"),
    Measure("days_to_first", "days", "", _one_place, "", "days"),
    Measure("days_bearing", "days", "", _one_place, "", "days"),
)
#: Every measure a comparison can be made by.
MEASURES: Final[dict[str, Measure]] = {
    measure.key: measure
    for measure in (
        *(
            Measure(f"{unit}_per_{key}", unit, per, exposure, vague)
            for unit in ("kg", "count")
            for key, per, exposure, vague in _PER
        ),
        *_OTHER,
    )
}
#: Those that a planting's own page shows.
FIGURES: Final = tuple(
    key
    for key, m in MEASURES.items()
    if m.unit == "kg"
    or key
    in (
        "count_per_plant",
        "count_per_place",
        "share_spoilt",
        "share_lost",
        "days_to_first",
        "days_bearing",
    )
)
