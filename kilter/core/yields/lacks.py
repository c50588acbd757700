"""Why a planting enters no figure: each reason once, with its words and what helps."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

#: What a gardener can do about it: ``put in`` what was left out by hand; compare all up to the
#: ``same date``; count ``with estimates``; compare ``per area``; ``write down`` what is not on
#: record.
Remedy = Literal["", "put in", "same date", "with estimates", "per area", "write down"]


@dataclass(frozen=True)
class Lack:
    """A reason, told by its code; the words are for people."""

    code: str
    words: str
    remedy: Remedy = ""


@dataclass(frozen=True)
class LeftOut:
    """A planting that a figure could not use, and why."""

    ref: str
    lack: Lack

    @property
    def reason(self) -> str:
        """In words."""
        return self.lack.words


NOT_BEGUN: Final = Lack("not begun", "its season has not begun")
NOT_LIFTED: Final = Lack("not lifted", "is not lifted yet")
NOTHING_LIFTED: Final = Lack("nothing lifted", "nothing was lifted from it")
NOT_FINISHED: Final = Lack(
    "not finished", "is not finished, so it may still give more", "same date"
)
NOT_WEIGHED: Final = Lack(
    "not weighed",
    "part of its harvest was not weighed, or still waits for the scale",
    "with estimates",
)
NOT_COUNTED: Final = Lack("not counted", "part of its harvest was not counted", "write down")
NOTHING_CAME: Final = Lack("nothing came", "nothing came from it")
NOT_PUT_BY: Final = Lack("not put by", "nothing of it was put by")
NOT_WRITTEN: Final = Lack(
    "not written",
    "nothing is written of it: it gave nothing, or what it gave was not weighed",
    "write down",
)
TOO_YOUNG: Final = Lack("too young", "it was too young to bear")
NO_PLANTING_DAY: Final = Lack(
    "no planting day", "nobody wrote down when it was planted", "write down"
)
LIFTED_TOO_SOON: Final = Lack(
    "lifted too soon", "its first lift lies before its planting", "write down"
)
NO_DAYS: Final = Lack("no days", "it was not in the ground for a day yet")
NO_PLANTS: Final = Lack("no plants", "the number of plants was not written down", "write down")
NONE_STOOD: Final = Lack("none stood", "none of its plants stood when the harvest began")
NO_UNITS: Final = Lack("no units", "the number set out was not written down", "write down")
NO_PLANTS_LIFTED: Final = Lack(
    "no plants lifted", "nobody wrote down how many plants were lifted so far", "write down"
)
ONLY_SET_OUT: Final = Lack(
    "only set out",
    (
        "only the number set out is known, and the others' plants were counted; compare per square "
        "metre, or count it"
    ),
    "per area",
)
NO_SEED_MASS: Final = Lack("no seed mass", "what was sown or set was not weighed")
NO_AREA: Final = Lack(
    "no area",
    "its place has no length and width, and its spacing was not written down",
    "write down",
)
NO_SPACING_THERE: Final = Lack(
    "no spacing there",
    "shares its place with others and its spacing was not written down",
    "write down",
)
NO_SHARE: Final = Lack(
    "no share", "shares its container with others, and no share was stated", "write down"
)
NO_PATH: Final = Lack("no path", "the path beside its place was not written down", "write down")
NO_VOLUME: Final = Lack("no volume", "its place has no volume", "write down")
NO_SPACING: Final = Lack(
    "no spacing", "its plants or their distance in the row were not written down", "write down"
)
NO_MINUTES: Final = Lack("no minutes", "no minutes of work were noted")
NO_WORK: Final = Lack("no work", "it took no work")
NO_WATER: Final = Lack("no water", "no water was noted")
NOT_WATERED: Final = Lack("not watered", "it was given no water")
NO_COST: Final = Lack("no cost", "no cost was noted")
COST_NOTHING: Final = Lack("cost nothing", "it cost nothing")
MOSTLY_SHARED: Final = Lack(
    "mostly shared",
    (
        "more than a quarter of its harvest is its part of a basket shared with others that it is "
        "compared with"
    ),
)


def nothing_from(block: str, label: str) -> Lack:
    """Say that a whole block gave nothing, so that it tells none of its units apart.

    Parameters
    ----------
    block, label : str
        What the block is of, and its name there: ``season`` and ``2025``.

    Returns
    -------
    Lack
        With the code ``nothing from block``.


    Examples
    --------
    >>> nothing_from("season", "2025").words
    'nothing came from any unit of season ‘2025’'
    """
    return Lack("nothing from block", f"nothing came from any unit of {block} ‘{label}’")
