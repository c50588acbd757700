"""A household's own values in place of the handbook's."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

from kilter.core.handbook import HandbookCrop, Span


@dataclass(frozen=True)
class OwnValue:
    """A value that a household may put in place of the handbook's."""

    label: str
    field: str  #: of the handbook's crop
    least: float
    most: float
    put: Callable[[HandbookCrop, float], Any]  #: what the field becomes
    read: Callable[[HandbookCrop], float | None]  #: what it is now, in the unit of the label
    is_whole: bool = False


def _low(name: str) -> Callable[[HandbookCrop, float], Span]:
    return lambda book, value: Span(value, max(value, getattr(book, name).high if getattr(book, name) else value))


def _high(name: str) -> Callable[[HandbookCrop, float], Span]:
    return lambda book, value: Span(min(value, getattr(book, name).low if getattr(book, name) else value), value)


def _span(name: str, end: str) -> Callable[[HandbookCrop], float | None]:
    return lambda book: getattr(getattr(book, name), end, None)


def _plain(name: str, scale: float = 1.0) -> Callable[[HandbookCrop], float | None]:
    def read(book: HandbookCrop) -> float | None:
        value = getattr(book, name)
        return None if value is None else round(value * scale, 6)

    return read


#: By the name under which it is kept; spacing stands before the yield of a plant, which rests on it.
OWN_VALUES: Final[Mapping[str, OwnValue]] = {
    "days_min": OwnValue(
        "days to the first lift, from", "days", 1, 2000, _low("days"), _span("days", "low"), is_whole=True
    ),
    "days_max": OwnValue(
        "days to the first lift, to", "days", 1, 2000, _high("days"), _span("days", "high"), is_whole=True
    ),
    "autumn_days_min": OwnValue(
        "set in autumn, from", "autumn_days", 1, 2000, _low("autumn_days"), _span("autumn_days", "low"), is_whole=True
    ),
    "autumn_days_max": OwnValue(
        "set in autumn, to", "autumn_days", 1, 2000, _high("autumn_days"), _span("autumn_days", "high"), is_whole=True
    ),
    "pick_every_days": OwnValue(
        "picked every … days", "pick_every_days", 1, 60, lambda _, v: int(v), _plain("pick_every_days"), is_whole=True
    ),
    "in_row_cm": OwnValue("apart in the row, cm", "in_row_m", 0.5, 500, lambda _, v: v / 100, _plain("in_row_m", 100)),
    "row_gap_cm": OwnValue("between rows, cm", "row_gap_m", 0.5, 500, lambda _, v: v / 100, _plain("row_gap_m", 100)),
    "kg_per_plant": OwnValue(
        "food from one plant, kg",
        "kg_per_m_row",
        0.0001,
        1000,
        lambda book, v: v / book.in_row_m,
        lambda book: None if book.kg_per_plant is None else round(book.kg_per_plant, 4),
    ),
    "germination_percent": OwnValue(
        "of 100 seeds come up", "germination", 1, 100, lambda _, v: v / 100, _plain("germination", 100)
    ),
    "servings_per_week": OwnValue(
        "servings a week", "servings_per_week", 0, 50, lambda _, v: v, _plain("servings_per_week")
    ),
    "serving_g": OwnValue("g a serving", "serving_g", 1, 5000, lambda _, v: int(v), _plain("serving_g"), is_whole=True),
    "keep_weeks": OwnValue("keeps for weeks", "keep_weeks", 0, 200, lambda _, v: v, _plain("keep_weeks")),
    "fresh_days": OwnValue(
        "what is not put by is eaten within … days",
        "fresh_days",
        1,
        400,
        lambda _, v: int(v),
        _plain("fresh_days"),
        is_whole=True,
    ),
}


def with_own(book: HandbookCrop, own: Mapping[str, float]) -> HandbookCrop:
    """Put a household's own values in place of the handbook's.

    Parameters
    ----------
    book : HandbookCrop
        As the handbook has it.
    own : mapping of str to float
        By the names of `OWN_VALUES`, in the units of their labels.

    Returns
    -------
    HandbookCrop
        The same with those fields changed; its ``own`` tells which.

    Raises
    ------
    KeyError
        A name that is none of `OWN_VALUES`.

    Notes
    -----
    A range whose one end is put beyond the other becomes that one value. The yield of a plant is kept by the metre of
    row, at the spacing said.

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> pea = with_own(handbook()["pea"], {"in_row_cm": 10, "kg_per_plant": 0.05})
    >>> round(pea.kg_per_plant, 6), sorted(pea.own)
    (0.05, ['in_row_m', 'kg_per_m_row'])
    """
    for name in sorted(own, key=list(OWN_VALUES).index):
        value = OWN_VALUES[name]
        book = replace(book, **{value.field: value.put(book, own[name])}, own=book.own | {value.field})
    return book
