"""How a crop is cured, and how long it keeps in each kind of store;
recalled from memory, as the handbook is.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from kilter.core.errors import RecordError
from kilter.core.handbook import HandbookCrop, Span, rows_of

GROUND = "in the ground"
STORES = ("cellar", "dry medium", "sand", "fridge", "freezer", "airy shelf", GROUND, "jars", "own")
#: Weeks that anything keeps there where the handbook has no row of its own (memory).
ANYTHING_KEEPS = {"freezer": 40.0, "jars": 52.0}
#: Weeks for a crop of which nothing is known (rule).
UNKNOWN_WEEKS = 4.0
#: What does not keep at all is there until the next day, weeks.
A_DAY = 1 / 7
#: The share that is lost by the end of what it keeps (rule); so a crop that keeps 20 weeks loses 1
#: % a week.
LOST_BY_THE_END = 0.2
#: Dried food keeps as long as what is bottled (memory).
DRIED_WEEKS = 52.0


@dataclass(frozen=True, kw_only=True)
class Curing:
    """How a crop is cured before it is stored."""

    crop: str
    days: Span
    warm_c: Span
    damp_percent: Span
    sign: str  #: that it is done
    how: str
    basis: str


@dataclass(frozen=True)
class Keeps:
    """How long a crop keeps in a kind of store."""

    weeks: float
    loss_per_week: float  #: share of what is left
    note: str = ""


@cache
def curings() -> dict[str, Curing]:
    """Read how crops are cured.

    Returns
    -------
    dict of str to Curing
        By the handbook's name; temperatures in °C, damp as relative humidity in per cent.

    Raises
    ------
    Nothing: the table ships with the core, and its rows are checked
    (:mod:`kilter.core.handbook.rows`).

    Notes
    -----
    From memory; local advice goes first.

    Examples
    --------
    >>> curings()["garlic"].days.low
    14.0
    """
    return {row["crop"]: _curing(row) for row in rows_of("curing")}


def _curing(row: dict[str, str]) -> Curing:
    days, warm, damp = (
        Span(float(row[f"{name}_min{unit}"]), float(row[f"{name}_max{unit}"]))
        for name, unit in (("days", ""), ("warm", "_c"), ("damp", "_pct"))
    )
    return Curing(
        crop=row["crop"],
        days=days,
        warm_c=warm,
        damp_percent=damp,
        sign=row["sign"],
        how=row["how"],
        basis=row["basis"],
    )


@cache
def _storing() -> dict[tuple[str, str], tuple[float, str]]:
    return {
        (row["crop"], row["store"]): (float(row["weeks"]), row["note"])
        for row in rows_of("storing")
    }


def keeps(book: HandbookCrop | None, store: str, state: str = "") -> Keeps:
    """Say how long a crop keeps in a kind of store.

    Parameters
    ----------
    book : HandbookCrop or None
        The crop, with the household's own values; None for one that the handbook does not know.
    store : str
        A kind of `STORES`.
    state : str
        ``dried`` and ``bottled`` keep as such, wherever they stand.

    Returns
    -------
    Keeps
        Weeks, and the loss a week that goes with them.

    Raises
    ------
    RecordError
        A kind of store that there is not.

    Notes
    -----
    A row of its own first; then what is true of anything; then the crop's keeping weeks. The loss a
    week is such that a fifth is lost by the end (rule).

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> keeps(handbook()["potato"], "cellar")
    Keeps(weeks=20.0, loss_per_week=0.01, note='dark and frost-free; below 4 °C they turn sweet')
    """
    if store not in STORES:
        raise RecordError(f"“{store}” is no kind of store.")
    weeks, note = None, ""
    if state in {"dried", "bottled"}:
        weeks = DRIED_WEEKS
    elif book is not None and (book.name, store) in _storing() and "keep_weeks" not in book.own:
        weeks, note = _storing()[book.name, store]
    known = (weeks, ANYTHING_KEEPS.get(store), book.keep_weeks if book else None)
    found = max(next((one for one in known if one is not None), UNKNOWN_WEEKS), A_DAY)
    return Keeps(found, min(LOST_BY_THE_END / found, 0.5), note)


def best_store(book: HandbookCrop | None) -> str:
    """Name the kind of store that what was lifted keeps longest in, freezer and jars apart.

    Parameters
    ----------
    book : HandbookCrop or None
        The crop, or None for one that the handbook does not know.

    Returns
    -------
    str
        A kind of `STORES`.

    Notes
    -----
    The handbook's rows; without one the fridge (rule).

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> best_store(handbook()["shallot"]), best_store(None)
    ('airy shelf', 'fridge')
    """
    named = book.name if book else ""
    rows = {
        store: weeks
        for (crop, store), (weeks, _) in _storing().items()
        if crop == named and store != GROUND
    }
    return max(rows, key=lambda store: (rows[store], store != "jars"), default="fridge")
