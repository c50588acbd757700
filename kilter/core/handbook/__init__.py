"""The handbook of crops: starting values, recalled from memory,
that a garden's own record overrules.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib import resources

from kilter.core.handbook.families import family_words
from kilter.core.trade.units import UnitKind, kinds_planted

#: Below this share of a full year what stays over years is too young to bear (rule).
TOO_YOUNG = 0.05


@dataclass(frozen=True)
class Span:
    """A range a handbook states; ``middle`` is what is reckoned with."""

    low: float
    high: float

    @property
    def middle(self) -> float:
        return (self.low + self.high) / 2


@dataclass(frozen=True, kw_only=True)
class HandbookCrop:
    """One crop; None where the handbook says nothing."""

    name: str
    family: str
    stands_in_as: str  #: what kind it is of, whose crops stand in for each other at the table
    planted_as: str
    in_row_m: float
    row_gap_m: float
    plants_per_30l: float | None
    days: Span | None  #: from planting or sowing to the first lift
    is_counted_from_sowing: bool  #: the days are; else from planting out
    pick_every_days: int | None  #: of repeat pickers; left longer they go tough
    frost: str  #: ``tender``, ``half-hardy`` or ``hardy``
    kg_per_m_row: float | None
    rule_row_m_fresh: Span | None  #: metres of row a person, eaten fresh
    rule_row_m_keep: Span | None  #: metres of row a person, through winter
    rule_plants: Span | None  #: plants a person
    keep_weeks: float | None
    fresh_days: (
        int | None
    )  #: what perishes is eaten within so many days, unless it is put by (rule)
    edible_share: float
    servings_per_week: float  #: first value for a plan (rule)
    serving_g: int
    weeks_at_table: int
    is_counted: bool  #: heads and cobs: a count is a whole record, a weight an extra
    piece_kg: float | None  #: about what one piece weighs, where nothing better is known
    autumn_days: Span | None  #: to the first lift of what is planted in autumn
    is_standing: bool  #: it may stay in the ground until it is wanted, and is never overdue
    good_until: tuple[int, int] | None  #: month and day (northern) until which what stands is good
    is_from_soil: bool  #: what is eaten grows in the soil, where the first frost does not reach it
    bears: tuple[
        float, ...
    ]  #: of what stays over years: share of the full yield in its first year, its second, …
    full_until_year: int | None  #: it bears so long and pays for itself over so many years
    fades: float | None  #: after that a year gives this share of the one before
    set_in_spring: float | None  #: of its first year's share, where it was set in that spring
    germination: float | None  #: share of seeds that come up
    seeds_per_g: float | None
    sow_depth_m: float | None
    indoors_weeks: int | None  #: sown under lights so many weeks before the last frost
    out_weeks: int | None  #: in the open so many weeks after it, before it where below 0
    is_for_autumn: bool  #: planted in autumn only
    warm_c: float | None  #: of the soil, before it goes out
    cure: str
    store_c: str  #: degrees, as a range; ``in ground``
    store_rh_pct: int | None
    basis: str
    own: frozenset[str] = (
        frozenset()
    )  #: what the household put in place of the handbook's, by the field's name

    @property
    def in_row_cm(self) -> float:
        return self.in_row_m * 100

    @property
    def row_gap_cm(self) -> float:
        return self.row_gap_m * 100

    @property
    def sow_depth_cm(self) -> float | None:
        return None if self.sow_depth_m is None else self.sow_depth_m * 100

    @property
    def germination_percent(self) -> float | None:
        return None if self.germination is None else self.germination * 100

    @property
    def family_words(self) -> str:
        """The family as a gardener calls it."""
        return family_words(self.family)

    @property
    def planted(self) -> tuple[UnitKind, ...]:
        """The ways in which it is planted, the usual one first."""
        return kinds_planted(self.planted_as)

    @property
    def is_lasting(self) -> bool:
        """It stays where it stands over years."""
        return bool(self.bears)

    @property
    def bears_from_year(self) -> int:
        """The first year of its life with `TOO_YOUNG` or more of a full one."""
        return next((i for i, share in enumerate(self.bears, 1) if share >= TOO_YOUNG), 1)

    @property
    def kg_per_plant(self) -> float | None:
        return self.kg_per_m_row * self.in_row_m if self.kg_per_m_row else None


@dataclass(frozen=True, kw_only=True)
class CareRow:
    """A job for a crop; days count from planting, those before it are negative."""

    crop: str
    job: str
    from_day: int
    to_day: int | None
    every_days: int | None
    note: str
    basis: str


@dataclass(frozen=True)
class Sign:
    """A sign of ripeness, what it is worth, and what it may be mistaken for."""

    crop: str
    sign: str
    worth: str  #: ``strong``, ``fair`` or ``weak``
    not_to_be_taken_for: str
    basis: str


@cache
def handbook() -> dict[str, HandbookCrop]:
    """Read the handbook once.

    Returns
    -------
    dict of str to HandbookCrop
        By crop name, in lower case.

    Raises
    ------
    Nothing: the table ships with the core, and its rows are checked
    (:mod:`kilter.core.handbook.rows`).

    Notes
    -----
    All values from memory; see the README beside the table.

    Examples
    --------
    >>> handbook()["shallot"].in_row_m
    0.15
    """
    return {row["crop"]: _crop(row) for row in rows_of("crops")}


@cache
def care_rows() -> dict[str, tuple[CareRow, ...]]:
    """Read the jobs of each crop once.

    Returns
    -------
    dict of str to tuple of CareRow
        By crop name, in lower case; a crop without jobs is not in it.

    Raises
    ------
    Nothing: the table ships with the core, and its rows are checked
    (:mod:`kilter.core.handbook.rows`).

    Notes
    -----
    Common practice, no source.

    Examples
    --------
    >>> [row.job for row in care_rows()["potato"]]
    ['chit', 'heal', 'earth up']
    """
    found: dict[str, list[CareRow]] = {}
    for row in rows_of("care"):
        to_day, every = (int(row[name]) if row[name] else None for name in ("to_day", "every_days"))
        made = CareRow(
            crop=row["crop"],
            job=row["job"],
            from_day=int(row["from_day"]),
            to_day=to_day,
            every_days=every,
            note=row["note"],
            basis=row["basis"],
        )
        found.setdefault(made.crop, []).append(made)
    return {crop: tuple(rows) for crop, rows in found.items()}


@cache
def ripe_signs() -> dict[str, tuple[Sign, ...]]:
    """Read the signs of ripeness of each crop once.

    Returns
    -------
    dict of str to tuple of Sign
        By crop name, in lower case.

    Raises
    ------
    Nothing: the table ships with the core, and its rows are checked
    (:mod:`kilter.core.handbook.rows`).

    Notes
    -----
    Common practice, no source.

    Examples
    --------
    >>> ripe_signs()["sweet potato"][0].worth
    'weak'
    """
    found: dict[str, list[Sign]] = {}
    for row in rows_of("signs"):
        found.setdefault(row["crop"], []).append(Sign(**row))
    return {crop: tuple(signs) for crop, signs in found.items()}


@cache
def other_names() -> dict[str, str]:
    """Read what else crops are called.

    Returns
    -------
    dict of str to str
        The handbook's name of a crop by every other one, both in lower case.

    Raises
    ------
    Nothing: the table ships with the core, and its rows are checked
    (:mod:`kilter.core.handbook.rows`).

    Notes
    -----
    Common practice, no source.

    Examples
    --------
    >>> other_names()["zucchini"]
    'courgette'
    """
    return {row["name"]: row["crop"] for row in rows_of("names")}


#: What keeps no longer than this perishes (rule).
PERISHABLE_WEEKS = 3.0


@lru_cache(maxsize=2048)
def crop_called(name: str) -> HandbookCrop | None:
    """Find a crop by its name or another it goes by.

    Parameters
    ----------
    name : str
        As people write it: ``Peas``, ``zucchini``, ``Runner beans``.

    Returns
    -------
    HandbookCrop or None
        None for a crop that the handbook does not know.

    Notes
    -----
    The handbook's own name first, then other names, then the same without a plural ending.

    Examples
    --------
    >>> crop_called("Runner beans").name, crop_called("Spuds").name, crop_called("moss")
    ('runner bean', 'potato', None)
    """
    plain = " ".join(name.lower().replace("’", "'").split())
    singular = (plain.removesuffix("es"), plain.removesuffix("s"))
    for one in (plain, *(s for s in singular if s != plain)):
        if found := handbook().get(one) or handbook().get(other_names().get(one, "")):
            return found
    return None


def rows_of(table: str) -> list[dict[str, str]]:
    """Read the rows of a table as they are written.

    Parameters
    ----------
    table : str
        ``crops``, ``care``, ``curing``, ``storing``, ``signs`` or ``names``.

    Returns
    -------
    list of dict of str to str
        By column.

    Raises
    ------
    FileNotFoundError
        If there is no such table.

    Notes
    -----
    What a row may say: :mod:`kilter.core.handbook.rows`.

    Examples
    --------
    >>> rows_of("signs")[0]["worth"]
    'strong'
    """
    with (resources.files(__name__) / f"{table}.csv").open(encoding="utf-8") as lines:
        return list(csv.DictReader(lines))


def _days(row: dict[str, str], name: str) -> Span | None:
    low, high = _number(row[f"{name}_min"]), _number(row[f"{name}_max"])
    return Span(low, high) if low and high else None


def _month_and_day(text: str) -> tuple[int, int] | None:
    month, _, day = text.partition("-")
    return (int(month), int(day)) if text else None


def _whole(text: str) -> int | None:
    return int(text) if text else None


def _crop(row: dict[str, str]) -> HandbookCrop:
    per_10m = _number(row["yield_kg_per_10m_row"])
    return HandbookCrop(
        name=row["crop"],
        family=row["family"],
        stands_in_as=row["stands_in_as"],
        planted_as=row["planted_as"],
        in_row_m=float(row["in_row_cm"]) / 100,
        row_gap_m=float(row["row_gap_cm"]) / 100,
        plants_per_30l=_number(row["plants_per_30l"]),
        days=_days(row, "days"),
        is_counted_from_sowing=row["days_counted_from"] == "sowing",
        pick_every_days=_whole(row["pick_every_days"]),
        frost=row["frost"],
        kg_per_m_row=per_10m / 10 if per_10m else None,
        rule_row_m_fresh=_span(row["rule_row_m_per_person_fresh"]),
        rule_row_m_keep=_span(row["rule_row_m_per_person_keep"]),
        rule_plants=_span(row["rule_plants_per_person"].split(" ")[0]),
        keep_weeks=(keep_weeks := _number(row["keep_weeks"])),
        fresh_days=round(7 * keep_weeks) if keep_weeks and keep_weeks <= PERISHABLE_WEEKS else None,
        edible_share=float(row["edible_share_pct"]) / 100,
        servings_per_week=float(row["servings_per_week"]),
        serving_g=int(row["serving_g"]),
        weeks_at_table=int(row["weeks_at_table"]),
        is_counted=row["counted"] == "yes",
        piece_kg=grams / 1000 if (grams := _number(row["piece_g"])) else None,
        autumn_days=_days(row, "autumn_days"),
        is_standing=row["stands"] == "yes",
        good_until=_month_and_day(row["good_until"]),
        is_from_soil=row["lifted_from"] == "soil",
        bears=tuple(float(share) for share in row["bears"].split()),
        full_until_year=_whole(row["full_until_year"]),
        fades=_number(row["fades"]),
        set_in_spring=_number(row["set_in_spring"]),
        germination=germination / 100 if (germination := _number(row["germination_pct"])) else None,
        seeds_per_g=_number(row["seeds_per_g"]),
        sow_depth_m=depth / 100 if (depth := _number(row["sow_depth_cm"])) else None,
        indoors_weeks=_whole(row["indoors_weeks_before_last_frost"]),
        out_weeks=None if (out := row["out_weeks_from_last_frost"]) in {"", "autumn"} else int(out),
        is_for_autumn=out == "autumn",
        warm_c=_number(row["warm_c"]),
        cure=row["cure"],
        store_c=row["store_c"],
        store_rh_pct=_whole(row["store_rh_pct"]),
        basis=row["basis"],
    )


def _number(text: str) -> float | None:
    return float(text) if text else None


def _span(text: str) -> Span | None:
    if not text:
        return None
    low, _, high = text.partition("-")
    return Span(float(low), float(high or low))
