"""What a table may be of, and what its columns may say."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal

#: How the cells of a field are read.
Reads = Literal[
    "day", "name", "amount", "mass", "count", "figure", "grade", "year", "length", "text"
]


@dataclass(frozen=True, kw_only=True)
class Field:
    """What a column may say."""

    key: str
    words: str  #: as it is offered
    reads: Reads
    heads: tuple[str, ...]  #: words by which a head tells of it, the plainest first
    names: str = ""  #: of a name: whose (crop, variety, place, store)


@dataclass(frozen=True, kw_only=True)
class TableKind:
    """What a table may be of."""

    key: str
    words: str
    fields: tuple[Field, ...]
    needs: tuple[tuple[str, ...], ...]  #: of each of these one column at least

    def field(self, key: str) -> Field:
        """One of its fields."""
        return next(field for field in self.fields if field.key == key)


_CROP = Field(
    key="crop",
    words="crop",
    reads="name",
    names="crop",
    heads=("crop", "vegetable", "plant", "what", "species", "produce", "item"),
)
_VARIETY = Field(
    key="variety",
    words="variety",
    reads="name",
    names="variety",
    heads=("variety", "cultivar", "sort", "kind of plant"),
)
_PLACE = Field(
    key="place",
    words="place",
    reads="name",
    names="place",
    heads=("place", "bed", "container", "pot", "location", "where", "plot", "bed or container"),
)
_AMOUNT = Field(
    key="amount",
    words="weight and count",
    reads="amount",
    heads=("amount", "how much", "quantity", "harvest", "yield"),
)
_MASS = Field(
    key="mass",
    words="weight",
    reads="mass",
    heads=("weight", "mass", "grams", "kilograms", "kilos", "g", "kg", "lb", "lbs", "pounds", "oz"),
)
_COUNT = Field(
    key="count",
    words="pieces",
    reads="count",
    heads=("pieces", "count", "number", "pcs", "how many", "fruits", "heads", "number of pieces"),
)
_YEAR = Field(key="season", words="season", reads="year", heads=("season", "year", "harvest year"))
_NOTE = Field(
    key="note",
    words="note",
    reads="text",
    heads=("note", "notes", "remarks", "comment", "comments"),
)
_LENGTHS = tuple(
    Field(key=key, words=words, reads="length", heads=heads)
    for key, words, heads in (
        ("length_m", "length", ("length", "long", "length m")),
        ("width_m", "width", ("width", "wide", "breadth")),
        ("diameter_m", "diameter", ("diameter", "across")),
        ("depth_m", "depth", ("depth", "deep", "height of soil")),
    )
)

#: Every kind of table by its key.
TABLE_KINDS: Final[Mapping[str, TableKind]] = {
    kind.key: kind
    for kind in (
        TableKind(
            key="lines",
            words="harvest",
            fields=(
                Field(
                    key="day",
                    words="day",
                    reads="day",
                    heads=("day", "date", "harvested", "picked", "lifted", "when", "weighed on"),
                ),
                _CROP,
                _VARIETY,
                _PLACE,
                _MASS,
                _COUNT,
                _AMOUNT,
                Field(key="grade", words="grade", reads="grade", heads=("grade", "quality")),
                Field(
                    key="plants",
                    words="plants lifted",
                    reads="count",
                    heads=("plants lifted", "plants", "off plants"),
                ),
                _YEAR,
                _NOTE,
            ),
            needs=(("day",), ("crop", "variety"), ("mass", "count", "amount")),
        ),
        TableKind(
            key="plantings",
            words="plantings",
            fields=(
                _PLACE,
                _CROP,
                _VARIETY,
                Field(
                    key="day",
                    words="day set out",
                    reads="day",
                    heads=("set out", "planted", "sown", "sowed", "planted on", "day", "date"),
                ),
                Field(
                    key="units",
                    words="how many",
                    reads="count",
                    heads=("how many", "plants", "units", "number of plants", "seeds", "count"),
                ),
                Field(
                    key="unit_kind",
                    words="set out as",
                    reads="text",
                    heads=("set out as", "unit", "planted as", "form"),
                ),
                _YEAR,
                Field(
                    key="finished",
                    words="day finished",
                    reads="day",
                    heads=("finished", "cleared", "ended", "finished on", "end"),
                ),
                Field(
                    key="in_row",
                    words="distance in the row",
                    reads="length",
                    heads=("in the row", "spacing", "in row", "distance in the row"),
                ),
                Field(
                    key="row_gap",
                    words="distance of rows",
                    reads="length",
                    heads=("rows apart", "row gap", "between rows", "distance of rows"),
                ),
                Field(key="lot", words="seed lot", reads="text", heads=("seed lot", "lot", "seed")),
                _NOTE,
            ),
            needs=(("place",), ("crop", "variety"), ("day", "season", "finished")),
        ),
        TableKind(
            key="places",
            words="places",
            fields=(
                Field(
                    key="place",
                    words="name",
                    reads="text",
                    heads=("name", "place", "bed", "container", "pot"),
                ),
                Field(key="kind", words="kind", reads="text", heads=("kind", "type")),
                Field(key="site", words="site", reads="text", heads=("site", "garden")),
                *_LENGTHS,
                Field(
                    key="volume_l",
                    words="volume in litres",
                    reads="figure",
                    heads=("volume", "litres", "liters", "capacity", "l"),
                ),
                _NOTE,
            ),
            needs=(("place",),),
        ),
        TableKind(
            key="prices",
            words="prices",
            fields=(
                _CROP,
                Field(key="price", words="price", reads="figure", heads=("price", "cost", "costs")),
                Field(key="per", words="per", reads="text", heads=("per", "for each", "by")),
                Field(
                    key="day",
                    words="from",
                    reads="day",
                    heads=("from", "since", "day", "date", "valid from"),
                ),
            ),
            needs=(("crop",), ("price",)),
        ),
        TableKind(
            key="store",
            words="what is in store",
            fields=(
                _CROP,
                _VARIETY,
                _YEAR,
                Field(
                    key="store",
                    words="store",
                    reads="name",
                    names="store",
                    heads=("store", "stored in", "shelf", "freezer", "where", "place"),
                ),
                _MASS,
                _COUNT,
                _AMOUNT,
                Field(
                    key="day",
                    words="since",
                    reads="day",
                    heads=("since", "put by", "stored", "day", "date"),
                ),
                _NOTE,
            ),
            needs=(("crop", "variety"), ("store",), ("mass", "count", "amount")),
        ),
    )
}
#: What a head may say of the unit of its column.
UNIT_IN_HEAD: Final[Mapping[str, str]] = {
    **dict.fromkeys(("g", "gram", "grams", "gramme", "grammes"), "g"),
    **dict.fromkeys(("kg", "kilo", "kilos", "kilogram", "kilograms"), "kg"),
    **dict.fromkeys(("lb", "lbs", "pound", "pounds"), "lb"),
    **dict.fromkeys(("oz", "ounce", "ounces"), "oz"),
    **dict.fromkeys(("m", "metre", "metres", "meter", "meters"), "m"),
    **dict.fromkeys(("cm", "centimetres", "centimeters"), "cm"),
    **dict.fromkeys(("ft", "foot", "feet"), "ft"),
    **dict.fromkeys(("in", "inch", "inches"), "in"),
}
#: Metres in a unit of length. Source: international yard and pound agreement of 1959, exact.
METRES: Final[Mapping[str, float]] = {"m": 1.0, "cm": 0.01, "mm": 0.001, "ft": 0.3048, "in": 0.0254}
_WORD: Final = re.compile(r"[^\W\d_]+|\d+")


def head_words(head: str) -> str:
    """Write a head plainly: small letters, words alone.

    Parameters
    ----------
    head : str
        As it stands over the column.

    Returns
    -------
    str
        ``Weight (kg)`` is ``weight kg``.

    Examples
    --------
    >>> head_words("Weight (kg)"), head_words("in_row_m")
    ('weight kg', 'in row m')
    """
    return " ".join(_WORD.findall(head.casefold()))


def unit_in(head: str, units: tuple[str, ...]) -> str:
    """Find the unit that a head tells of.

    Parameters
    ----------
    head : str
        As it stands over the column.
    units : tuple of str
        Those that its field can have.

    Returns
    -------
    str
        Empty where it tells of none.

    Examples
    --------
    >>> unit_in("Weight (kg)", ("g", "kg")), unit_in("Weight", ("g", "kg"))
    ('kg', '')
    """
    for word in reversed(head_words(head).split()):
        unit = UNIT_IN_HEAD.get(word, "")
        if unit in units:
            return unit
    return ""
