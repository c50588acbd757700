"""What a row of the handbook may say:
``python -m kilter.core.handbook.rows`` names each one that may not.
"""

from __future__ import annotations

import re
import sys
from calendar import monthrange
from collections.abc import Callable, Iterable, Iterator, Mapping

from kilter.core.handbook import rows_of
from kilter.core.handbook.families import FAMILIES
from kilter.core.trade.units import IN_HANDBOOK

#: What is wrong with the text of one cell; empty where nothing is.
Rule = Callable[[str], str]

STANDS_IN_AS = [
    "roots",
    "salad",
    "onion-like",
    "fruiting",
    "keeping squash",
    "legume",
    "leafy",
    "fruit",
]
BASES = r"memory|common practice, no source|rule|published: .+"


def _number(low: float, high: float) -> Rule:
    def check(text: str) -> str:
        try:
            value = float(text)
        except ValueError:
            return "is not a number"
        return "" if low <= value <= high else f"is not between {low:g} and {high:g}"

    return check


def _whole(low: int, high: int) -> Rule:
    in_range = _number(low, high)
    return lambda text: in_range(text) if re.fullmatch(r"-?\d+", text) else "is not a whole number"


def _span(low: float, high: float) -> Rule:
    in_range = _number(low, high)

    def check(text: str) -> str:
        first, dash, last = text.partition("-")
        problem = in_range(first) or (in_range(last) if dash else "")
        return problem or ("ends before it begins" if dash and float(last) < float(first) else "")

    return check


def _words(pattern: str, known: str) -> Rule:
    return lambda text: "" if re.fullmatch(pattern, text) else f"is not {known}"


def _one_of(words: list[str]) -> Rule:
    return _words("|".join(words), f"one of: {', '.join(words)}")


def _either(*rules: Rule) -> Rule:
    return lambda text: min((rule(text) for rule in rules), key=len)


def _or_empty(rule: Rule) -> Rule:
    return lambda text: rule(text) if text else ""


def _shares(text: str) -> str:
    return next((problem for one in text.split(" ") if (problem := _number(0, 1)(one))), "")


def _half_month(text: str) -> str:
    month, _, day = text.partition("-")
    is_month = re.fullmatch(r"0[1-9]|1[0-2]", month)
    if is_month and day in {"15", str(monthrange(2027, int(month))[1])}:
        return ""
    return "is not the last day of a half-month, as 03-15 or 03-31"


_name = _words(r"[a-z][a-z ']*[a-z]", "a name in small letters")
_prose = _words(r"\S(.*\S)?", "written out")
_basis = _words(
    BASES, "a known basis: memory, rule, common practice, no source, or published: and where"
)
_days = _whole(-400, 400)
_planted = _words(
    rf"({'|'.join(IN_HANDBOOK)})( or ({'|'.join(IN_HANDBOOK)}))?", f"of: {', '.join(IN_HANDBOOK)}"
)
_plants = _words(r"[\d.]+(-[\d.]+)?( .+)?", "plants a person, as 2, 2-3 or 2-3 fresh")

#: The columns of each table in their order, and what each may hold.
TABLES: Mapping[str, Mapping[str, Rule]] = {
    "crops": {
        "crop": _name,
        "family": _one_of(list(FAMILIES)),
        "stands_in_as": _one_of(STANDS_IN_AS),
        "planted_as": _planted,
        "in_row_cm": _number(1, 300),
        "row_gap_cm": _number(5, 400),
        "plants_per_30l": _or_empty(_number(0.1, 100)),
        "days_counted_from": _or_empty(_one_of(["planting", "sowing"])),
        "days_min": _or_empty(_whole(15, 400)),
        "days_max": _or_empty(_whole(15, 400)),
        "pick_every_days": _or_empty(_whole(1, 30)),
        "frost": _one_of(["tender", "half-hardy", "hardy"]),
        "indoors_weeks_before_last_frost": _or_empty(_whole(0, 20)),
        "out_weeks_from_last_frost": _or_empty(_either(_whole(-12, 12), _one_of(["autumn"]))),
        "yield_kg_per_10m_row": _or_empty(_number(0.5, 100)),
        "rule_row_m_per_person_fresh": _or_empty(_span(0.1, 50)),
        "rule_row_m_per_person_keep": _or_empty(_span(0.1, 50)),
        "rule_plants_per_person": _or_empty(_plants),
        "cure": _or_empty(_prose),
        "store_c": _or_empty(_either(_span(-2, 30), _one_of(["in ground"]))),
        "store_rh_pct": _or_empty(_whole(30, 100)),
        "keep_weeks": _or_empty(_number(0.1, 60)),
        "edible_share_pct": _whole(1, 100),
        "servings_per_week": _number(0.1, 21),
        "serving_g": _whole(1, 1000),
        "weeks_at_table": _whole(1, 52),
        "counted": _or_empty(_one_of(["yes"])),
        "piece_g": _or_empty(_number(1, 20_000)),
        "autumn_days_min": _or_empty(_whole(15, 400)),
        "autumn_days_max": _or_empty(_whole(15, 400)),
        "stands": _or_empty(_one_of(["yes"])),
        "good_until": _or_empty(_half_month),
        "lifted_from": _or_empty(_one_of(["soil"])),
        "bears": _or_empty(_shares),
        "full_until_year": _or_empty(_whole(1, 60)),
        "fades": _or_empty(_number(0.3, 1)),
        "set_in_spring": _or_empty(_number(0, 1)),
        "germination_pct": _or_empty(_whole(1, 100)),
        "seeds_per_g": _or_empty(_number(0.1, 20_000)),
        "sow_depth_cm": _or_empty(_number(0.1, 30)),
        "warm_c": _or_empty(_number(0, 30)),
        "basis": _basis,
    },
    "names": {"name": _name, "crop": _name},
    "care": {
        "crop": _name,
        "job": _prose,
        "from_day": _days,
        "to_day": _or_empty(_days),
        "every_days": _or_empty(_whole(1, 90)),
        "note": _or_empty(_prose),
        "basis": _basis,
    },
    "curing": {
        "crop": _name,
        "days_min": _whole(1, 60),
        "days_max": _whole(1, 60),
        "warm_min_c": _whole(0, 40),
        "warm_max_c": _whole(0, 40),
        "damp_min_pct": _whole(10, 100),
        "damp_max_pct": _whole(10, 100),
        "sign": _prose,
        "how": _prose,
        "basis": _basis,
    },
    "storing": {
        "crop": _name,
        "store": _one_of(
            ["cellar", "dry medium", "sand", "fridge", "airy shelf", "in the ground", "jars"]
        ),
        "weeks": _number(0.5, 60),
        "note": _or_empty(_prose),
        "basis": _basis,
    },
    "signs": {
        "crop": _name,
        "sign": _prose,
        "worth": _one_of(["strong", "fair", "weak"]),
        "not_to_be_taken_for": _or_empty(_prose),
        "basis": _basis,
    },
}
_NUMBER = r"-?\d+(\.\d+)?"


def _ordered(columns: Iterable[str]) -> tuple[tuple[str, str], ...]:
    """Pairs of columns of which the first may not be above the second, told by their names."""
    names = list(columns)
    ends = [(name, name.replace("_min", "_max")) for name in names if "_min" in name] + [
        ("from_day", "to_day")
    ]
    return tuple((low, high) for low, high in ends if low in names and high in names)


_ORDERED: Mapping[str, tuple[tuple[str, str], ...]] = {
    table: _ordered(columns) for table, columns in TABLES.items()
}


def problems_of(table: str, rows: list[dict[str, str]], crops: set[str]) -> list[str]:
    """Name what is wrong with a table of the handbook.

    Parameters
    ----------
    table : str
        ``crops``, ``care``, ``curing``, ``storing``, ``signs`` or ``names``.
    rows : list of dict of str to str
        Each with the table's columns.
    crops : set of str
        The crops the handbook has; jobs and signs are of these.

    Returns
    -------
    list of str
        A sentence for each problem, with table, line (the first below the heads is 2) and column.

    Raises
    ------
    KeyError
        If there is no such table.

    Notes
    -----
    The ranges are Kilter's own (rule): wide enough for any crop of a garden, narrow enough for a
    slip of the unit.

    Examples
    --------
    >>> row = dict(
    ...     crop="pea", sign="pods fill", worth="great", not_to_be_taken_for="", basis="memory"
    ... )
    >>> problems_of("signs", [row], {"pea"})
    ["signs, line 2, worth: 'great' is not one of: strong, fair, weak"]
    """
    found, seen = [], set[str]()
    for line, row in enumerate(rows, 2):
        where = f"{table}, line {line}"
        if list(row) == list(TABLES[table]) and None not in row.values():
            found += [
                f"{where}{said}"
                for said in (*_in_cells(table, row), *_against_others(table, row, crops, seen))
            ]
            seen.add(row["crop"])
        else:
            found.append(f"{where}: the columns are not {', '.join(TABLES[table])}")
    return found


def problems() -> list[str]:
    """Name what is wrong with the handbook that ships.

    Returns
    -------
    list of str
        As :func:`problems_of`, of all tables.

    Notes
    -----
    ``make check`` runs it.

    Examples
    --------
    >>> problems()
    []
    """
    crops = {row["crop"] for row in rows_of("crops")}
    return [said for table in TABLES for said in problems_of(table, rows_of(table), crops)]


def _in_cells(table: str, row: dict[str, str]) -> Iterator[str]:
    for name, rule in TABLES[table].items():
        if said := rule(row[name]):
            yield f", {name}: {row[name]!r} {said}"


def _against_others(
    table: str, row: dict[str, str], crops: set[str], seen: set[str]
) -> Iterator[str]:
    if table == "crops" and row["crop"] in seen:
        yield f": {row['crop']} has a row already"
    if row["crop"] not in crops:
        yield f": {row['crop']} is not in the table of crops"
    for first, last in _ORDERED[table]:
        low, high = row[first], row[last]
        if re.fullmatch(_NUMBER, low) and re.fullmatch(_NUMBER, high) and float(low) > float(high):
            yield f", {first} and {last}: {low} to {high} ends before it begins"
    if table == "crops":
        yield from _lasting_or_standing(row)


def _lasting_or_standing(row: dict[str, str]) -> Iterator[str]:
    """What stands until it is wanted is good until a day or stays over years;
    what stays has all of its columns.
    """
    if row["stands"] and not (row["good_until"] or row["bears"]):
        yield ", stands: it says neither good_until nor bears"
    together = [row[name] for name in ("bears", "full_until_year", "fades")]
    if any(together) and not all(together):
        yield ", bears, full_until_year and fades: one of them is missing"


if __name__ == "__main__":
    sys.exit("\n".join(problems()) or 0)
