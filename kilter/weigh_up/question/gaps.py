"""The gaps of a question, defined once: its form, address,
words and the command's options follow from them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kilter.core.trade import grades
from kilter.core.yields.bearing import BY
from kilter.core.yields.measures import MEASURES

Kind = Literal["attribute", "measure", "grade", "crop", "season", "site", "cut_off", "flag", "ref"]

#: Attributes every planting may have, in the gardener's words.
ATTRIBUTES = {
    "variety": "variety",
    "crop": "crop",
    "season": "season",
    "site": "site",
    "place": "place",
    "place_kind": "kind of place",
    "material": "material",
    "volume": "volume of the container",
    "part": "part of the bed",
    "edge": "edge or middle",
    "along": "end or middle along it",
    "light": "light",
    "density": "plants per square metre",
    "planting_time": "time of planting",
    "lot": "seed lot",
    "before": "what grew there before",
    "origin": "origin",
    "year_of_life": "year of life",
    "cleaned": "washed or as lifted",
    "topped": "topped or with leaves",
    "kept_in": "where it was kept",
    "cured": "cured or not",
}
#: Offered only where the household has the moon shown.
MOON = {"moon": "moon waxing or waning", "moon_phase": "phase of the moon"}
MEASURE_WORDS = {key: measure.words for key, measure in MEASURES.items()}
CUT_OFF_WORDS = {
    "": "over the whole season",
    "date": "up to the same date",
    "age": "up to the same age",
}
assert set(BY) < set(CUT_OFF_WORDS)


@dataclass(frozen=True, kw_only=True)
class Gap:
    """One gap: what it is called, what may stand in it, and how that is said."""

    name: str  #: in an address, and of the form's field
    field: str  #: of the question
    kind: Kind  #: what may stand in it
    label: str  #: for whoever does not see the sentence around it
    option: str  #: of the command
    about: str = ""  #: help of that option
    is_many: bool = False
    is_needed: bool = False
    none: str = ""  #: what an empty gap says, where several may be ticked
    said: str = ""  #: in the whole sentence, with {} for what stands in it
    said_empty: str = ""  #: and without


#: In the order of the sentence.
GAPS = (
    Gap(
        name="compare",
        field="compare",
        kind="attribute",
        label="what is compared",
        option="compare",
        about="variety, season, …, method:NAME",
        is_needed=True,
        said="Compare {}",
    ),
    Gap(
        name="also",
        field="second_factor",
        kind="attribute",
        label="a second thing",
        option="and",
        about="compared at the same time",
        said=" and {}",
    ),
    Gap(
        name="by",
        field="by",
        kind="measure",
        label="measure",
        option="by",
        about="such as kg_per_plant",
        is_needed=True,
        said=" by {}",
    ),
    Gap(
        name="grade",
        field="grades",
        kind="grade",
        label="grades",
        option="grade",
        about="again for more; none for food",
        is_many=True,
        none="what is food",
        said=" of {}",
    ),
    Gap(
        name="crop",
        field="crops",
        kind="crop",
        label="crops",
        option="crop",
        about="again for more; none for all",
        is_many=True,
        none="all crops",
        said=" for {}",
        said_empty=" for all crops",
    ),
    Gap(
        name="season",
        field="seasons",
        kind="season",
        label="seasons",
        option="season",
        about="again for more; none for all",
        is_many=True,
        none="all seasons",
        said=" in {}",
        said_empty=" in all seasons",
    ),
    Gap(
        name="site",
        field="sites",
        kind="site",
        label="sites",
        option="site",
        about="id of a site; again for more; none for all",
        is_many=True,
        none="all sites",
        said=" at {}",
    ),
    Gap(
        name="upto",
        field="cut_off",
        kind="cut_off",
        label="how far",
        option="upto",
        about="of what is picked again and again: date or age",
        said=", {}",
    ),
    Gap(
        name="within",
        field="within",
        kind="attribute",
        label="only within the same",
        option="within",
        about="held alike; again for more",
        is_many=True,
        none="nothing",
        said=", only within the same {}",
    ),
    Gap(
        name="estimates",
        field="with_estimates",
        kind="flag",
        label="estimates",
        option="estimates",
        about="with what was counted and not weighed",
    ),
    Gap(
        name="without",
        field="without",
        kind="ref",
        label="left out",
        option="without",
        about="id of a planting; again for more",
        is_many=True,
    ),
    Gap(
        name="unlike",
        field="unlike",
        kind="attribute",
        label="not held alike",
        option="unlike",
        about="what cannot be told from what is compared; again for more",
        is_many=True,
    ),
)


def grade_words(key: str) -> str:
    """A grade, or a crop's own size with the grade that it is part of."""
    grade = grades.GRADES[grades.grade_of(key)].words
    return f"{key.partition('/')[2]}, {grade}" if grades.is_size(key) else grade


def fixed_words(kind: Kind) -> dict[str, str]:
    """What may stand in a gap of a kind that is the same in every household, in words."""
    return {"measure": MEASURE_WORDS, "grade": dict(grades.CHOICES), "cut_off": CUT_OFF_WORDS}.get(
        kind, {}
    )
