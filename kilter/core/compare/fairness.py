"""How fair a comparison is: what else differed between the levels besides what is compared, worst
first.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

from kilter.core.errors import ComparisonError

#: From here on two levels differ in an attribute (rules).
CATEGORY_DISTANCE: Final = 0.25
STANDARD_DIFFERENCE: Final = 0.5
SHARE_OF_MEAN: Final = 0.1
FEW_UNITS: Final = 3
MANY_UNITS: Final = 10
YEAR_DAYS: Final = 365.25
NOT_RECORDED: Final = "not written down"
FULL_DIFFERENCE: Final = (
    2.0  #: a standardised difference that counts like categories wholly apart (rule)
)

Value = str | float | None
Column = Sequence[tuple[str, Value]]


@dataclass(frozen=True, kw_only=True)
class Imbalance:
    """One attribute that differs between two levels."""

    attribute: str
    score: float  #: 0 to 1, to put the worst first
    a: str
    b: str
    a_value: str | float  #: the category in question, or the mean
    b_value: str | float
    a_of: tuple[int, int]  #: units of a with that category, or with a number, out of all
    b_of: tuple[int, int]
    refs: tuple[str, ...]  #: units concerned
    is_number: bool


def unrolled(days: Sequence[float | None]) -> list[float | None]:
    """Put days of the year beside each other where they are close on the circle of the year.

    Parameters
    ----------
    days : sequence of float or None
        Days of the year, 1 to 366; None where unknown.

    Returns
    -------
    list of float or None
        The same days, each moved by whole years to lie within half a year of their circular mean:
        the end of December and the beginning of January lie side by side, some days may be below 1
        or above 366.

    Notes
    -----
    Circular mean: atan2(Σ sin, Σ cos) (Mardia & Jupp 2000, *Directional Statistics*, section 2.2,
    memory).

    Examples
    --------
    >>> [round(day) for day in unrolled([360, 10])]
    [-5, 10]
    """
    known = [day / YEAR_DAYS * math.tau for day in days if day is not None]
    middle = (
        math.atan2(sum(map(math.sin, known)), sum(map(math.cos, known))) / math.tau * YEAR_DAYS
        if known
        else 0.0
    )
    return [
        None if day is None else middle + math.remainder(day - middle, YEAR_DAYS) for day in days
    ]


def imbalances(
    units: Sequence[tuple[str, str]],
    attributes: Mapping[str, Sequence[Value]],
    names: Collection[str] = (),
    labels: Collection[str] = (),
) -> tuple[Imbalance, ...]:
    """Say in which attributes the levels differ, worst first.

    Parameters
    ----------
    units : sequence of (ref, level), length n
        Those that the comparison used, of two levels or more.
    attributes : mapping of str to sequence of length n
        What was recorded of them, None or an empty text where it was not: neither what is compared
        nor what is held alike.
    names : collection of str
        Those of them that matter even where every unit has a value of its own, as a variety does.
    labels : collection of str
        Those of them that only name a unit, as its place does.

    Returns
    -------
    tuple of Imbalance
        One for each attribute in which the two levels furthest apart differ; empty for a fair
        comparison.

    Raises
    ------
    ComparisonError
        Fewer than two levels.

    Notes
    -----
    Categories by total variation distance, ½ Σ|p − q| > 0.25, what was not recorded being a
    category of its own; numbers by the difference of means over the pooled SD > 0.5 and > 10 % of
    the overall mean (Austin 2009, *Statistics in Medicine* 28:3083 for the standardised difference,
    memory; limits: rules). An attribute with a value of its own for every unit is hardly more than
    its name and is passed over; from ten units on also one with more values than half of the units
    (rule). Of two or three units that differ in something that is no label, though, it may be all
    the difference.

    Examples
    --------
    >>> units = [("1", "a"), ("2", "b"), ("3", "a"), ("4", "b")]
    >>> [(one.attribute, one.score) for one in imbalances(units, {"light": ["sun", "shade"] * 2})]
    [('light', 1.0)]
    """
    levels = sorted({level for _, level in units})
    if len(levels) < 2:
        raise ComparisonError("Fairness is judged between two levels or more.")
    found = []
    for attribute, column in attributes.items():
        said = [
            None if value == "" else value for value in column
        ]  # an empty text was not written down
        values = set(said)
        columns: dict[str, list[tuple[str, Value]]] = {level: [] for level in levels}
        for (ref, level), value in zip(units, said, strict=True):
            columns[level].append((ref, value))
        known = values - {None}
        if len(values) < 2 or not known:
            continue
        is_number = all(isinstance(value, (int, float)) for value in known)
        is_label = attribute in labels
        if (
            not is_number
            and attribute not in names
            and _is_a_name(len(known), len(units), is_label=is_label)
        ):
            continue
        judge = _numbers if is_number else _categories
        pairs = [judge(attribute, a, columns[a], b, columns[b]) for a, b in combinations(levels, 2)]
        worst = max(
            (pair for pair in pairs if pair is not None), key=lambda one: one.score, default=None
        )
        if worst is not None:
            found.append(worst)
    return tuple(sorted(found, key=lambda one: -one.score))


def _is_a_name(values: int, units: int, *, is_label: bool) -> bool:
    """Whether an attribute hardly says more than which unit it is."""
    if values == units:
        return is_label or units > FEW_UNITS
    return units >= MANY_UNITS and values > units / 2


def _categories(attribute: str, a: str, of_a: Column, b: str, of_b: Column) -> Imbalance | None:
    counts = {
        level: Counter(_said(value) for _, value in of) for level, of in ((a, of_a), (b, of_b))
    }
    gaps = {v: counts[a][v] / len(of_a) - counts[b][v] / len(of_b) for v in counts[a] | counts[b]}
    distance = sum(map(abs, gaps.values())) / 2
    if distance <= CATEGORY_DISTANCE:
        return None
    # In each level the category that it has more of than the other.
    more_a, more_b = (
        max(sorted(gaps), key=lambda v: gaps[v]),
        min(sorted(gaps), key=lambda v: gaps[v]),
    )
    refs = [ref for ref, value in of_a if _said(value) == more_a]
    refs += [ref for ref, value in of_b if _said(value) == more_b]
    return Imbalance(
        attribute=attribute,
        score=distance,
        a=a,
        b=b,
        a_value=more_a,
        b_value=more_b,
        a_of=(counts[a][more_a], len(of_a)),
        b_of=(counts[b][more_b], len(of_b)),
        refs=tuple(refs),
        is_number=False,
    )


def _said(value: Value) -> str:
    return NOT_RECORDED if value is None else str(value)


def _numbers(attribute: str, a: str, of_a: Column, b: str, of_b: Column) -> Imbalance | None:
    known = {
        level: [(ref, float(value)) for ref, value in of if value is not None]
        for level, of in ((a, of_a), (b, of_b))
    }
    missing = {level: 1 - len(known[level]) / len(of) for level, of in ((a, of_a), (b, of_b))}
    if not known[a] or not known[b]:
        # Recorded for one level only: as far apart as categories can be.
        there_a: Column = [(ref, value if value is None else "written down") for ref, value in of_a]
        there_b: Column = [(ref, value if value is None else "written down") for ref, value in of_b]
        return _categories(attribute, a, there_a, b, there_b)
    means = {level: sum(v for _, v in known[level]) / len(known[level]) for level in (a, b)}
    everything = [v for level in (a, b) for _, v in known[level]]
    overall = sum(everything) / len(everything)
    squares = sum((v - means[level]) ** 2 for level in (a, b) for _, v in known[level])
    freedom = len(everything) - 2
    sd = math.sqrt(squares / freedom) if freedom > 0 else 0.0
    gap = abs(means[a] - means[b])
    standard = gap / sd if sd else math.inf if gap else 0.0
    score = max(min(standard / FULL_DIFFERENCE, 1.0), abs(missing[a] - missing[b]))
    if standard <= STANDARD_DIFFERENCE or gap <= SHARE_OF_MEAN * abs(overall):
        return None
    refs = tuple(ref for level in (a, b) for ref, _ in known[level])
    return Imbalance(
        attribute=attribute,
        score=score,
        a=a,
        b=b,
        a_value=means[a],
        b_value=means[b],
        a_of=(len(known[a]), len(of_a)),
        b_of=(len(known[b]), len(of_b)),
        refs=refs,
        is_number=True,
    )
