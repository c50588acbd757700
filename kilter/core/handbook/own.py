"""A household's own values in place of the handbook's."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

from kilter.core.handbook import HandbookCrop, Span


@dataclass(frozen=True, kw_only=True)
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
    return lambda book, value: Span(
        value, max(value, getattr(book, name).high if getattr(book, name) else value)
    )


def _high(name: str) -> Callable[[HandbookCrop, float], Span]:
    return lambda book, value: Span(
        min(value, getattr(book, name).low if getattr(book, name) else value), value
    )


def _span(name: str, end: str) -> Callable[[HandbookCrop], float | None]:
    return lambda book: getattr(getattr(book, name), end, None)


def _plain(name: str, scale: float = 1.0) -> Callable[[HandbookCrop], float | None]:
    def read(book: HandbookCrop) -> float | None:
        value = getattr(book, name)
        return None if value is None else round(value * scale, 6)

    return read


#: By the name under which it is kept; spacing stands before the yield of a plant, which rests on
#: it.
OWN_VALUES: Final[Mapping[str, OwnValue]] = {
    "days_min": OwnValue(
        label="days to the first lift, from",
        field="days",
        least=1,
        most=2000,
        put=_low("days"),
        read=_span("days", "low"),
        is_whole=True,
    ),
    "days_max": OwnValue(
        label="days to the first lift, to",
        field="days",
        least=1,
        most=2000,
        put=_high("days"),
        read=_span("days", "high"),
        is_whole=True,
    ),
    "autumn_days_min": OwnValue(
        label="set in autumn, from",
        field="autumn_days",
        least=1,
        most=2000,
        put=_low("autumn_days"),
        read=_span("autumn_days", "low"),
        is_whole=True,
    ),
    "autumn_days_max": OwnValue(
        label="set in autumn, to",
        field="autumn_days",
        least=1,
        most=2000,
        put=_high("autumn_days"),
        read=_span("autumn_days", "high"),
        is_whole=True,
    ),
    "pick_every_days": OwnValue(
        label="picked every … days",
        field="pick_every_days",
        least=1,
        most=60,
        put=lambda _, v: int(v),
        read=_plain("pick_every_days"),
        is_whole=True,
    ),
    "in_row_cm": OwnValue(
        label="apart in the row, cm",
        field="in_row_m",
        least=0.5,
        most=500,
        put=lambda _, v: v / 100,
        read=_plain("in_row_m", 100),
    ),
    "row_gap_cm": OwnValue(
        label="between rows, cm",
        field="row_gap_m",
        least=0.5,
        most=500,
        put=lambda _, v: v / 100,
        read=_plain("row_gap_m", 100),
    ),
    "kg_per_plant": OwnValue(
        label="food from one plant, kg",
        field="kg_per_m_row",
        least=0.0001,
        most=1000,
        put=lambda book, v: v / book.in_row_m,
        read=lambda book: None if book.kg_per_plant is None else round(book.kg_per_plant, 4),
    ),
    "germination_percent": OwnValue(
        label="of 100 seeds come up",
        field="germination",
        least=1,
        most=100,
        put=lambda _, v: v / 100,
        read=_plain("germination", 100),
    ),
    "servings_per_week": OwnValue(
        label="servings a week",
        field="servings_per_week",
        least=0,
        most=50,
        put=lambda _, v: v,
        read=_plain("servings_per_week"),
    ),
    "serving_g": OwnValue(
        label="g a serving",
        field="serving_g",
        least=1,
        most=5000,
        put=lambda _, v: int(v),
        read=_plain("serving_g"),
        is_whole=True,
    ),
    "keep_weeks": OwnValue(
        label="keeps for weeks",
        field="keep_weeks",
        least=0,
        most=200,
        put=lambda _, v: v,
        read=_plain("keep_weeks"),
    ),
    "fresh_days": OwnValue(
        label="what is not put by is eaten within … days",
        field="fresh_days",
        least=1,
        most=400,
        put=lambda _, v: int(v),
        read=_plain("fresh_days"),
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
    A range whose one end is put beyond the other becomes that one value. The yield of a plant is
    kept by the metre of row, at the spacing said.

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> pea = with_own(handbook()["pea"], {"in_row_cm": 10, "kg_per_plant": 0.05})
    >>> round(pea.kg_per_plant, 6), sorted(pea.own)
    (0.05, ['in_row_m', 'kg_per_m_row'])
    """
    for name in sorted(own, key=list(OWN_VALUES).index):
        value = OWN_VALUES[name]
        book = replace(
            book, **{value.field: value.put(book, own[name])}, own=book.own | {value.field}
        )
    return book
