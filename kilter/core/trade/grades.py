"""Grades: how what is lifted is sorted at the bench,
and what follows for food, shelf and larder.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal

from kilter.core.trade.uses import EATEN, KEPT_TO_PLANT


@dataclass(frozen=True, kw_only=True)
class Grade:
    """One grade, with all that depends on it."""

    key: str  #: as it is stored, and written in the open format
    words: str  #: as it is shown
    letter: str  #: the key that chooses it at the bench
    food: Literal["always", "by choice", "never"] = (
        "never"  #: by choice: where the household says that it eats it
    )
    is_lifted: bool = True  #: it comes into the house; what does not never enters the larder
    is_spoilt: bool = False  #: it counts as hurt or lost
    ripens: bool = False  #: it lies on the ripening shelf until it turns into another grade
    may_cure: bool = False  #: it is whole and ripe, so it can be cured for keeping
    eats_fresh: bool = True  #: of what perishes it is eaten within its days if nothing else is said
    used_first: str = EATEN  #: the use that is offered first
    eat_first: bool = False  #: of what keeps it is eaten first
    stored_first: str = ""  #: the kind of store that is offered first; empty: the crop's best
    caution: str = ""  #: what is said where it is put by


#: Every grade by its key, in the order in which they are shown. The first one stands in the bench's
#: hand.
GRADES: Final[Mapping[str, Grade]] = {
    grade.key: grade
    for grade in (
        Grade(key="table", words="Table", letter="t", food="always", may_cure=True),
        Grade(key="small", words="Small", letter="s", food="by choice", may_cure=True),
        Grade(
            key="seed",
            words="Seed",
            letter="e",
            may_cure=True,
            eats_fresh=False,
            used_first=KEPT_TO_PLANT,
        ),
        Grade(
            key="hurt",
            words="Hurt",
            letter="h",
            food="always",
            is_spoilt=True,
            eat_first=True,
            stored_first="fridge",
            caution="Eat it first; do not cure or store what is cut or rotten.",
        ),
        Grade(key="unripe", words="Unripe", letter="u", ripens=True, eats_fresh=False),
        Grade(key="lost", words="Lost", letter="l", is_lifted=False, is_spoilt=True),
    )
}
#: The grade of most lines: what a line is where nothing else is said, and what a piece's weight is
#: learnt from.
USUAL: Final = next(iter(GRADES))
CHOICES: Final = tuple((grade.key, grade.words) for grade in GRADES.values())
LIFTED: Final = tuple(key for key, grade in GRADES.items() if grade.is_lifted)
NOT_LIFTED: Final = tuple(key for key, grade in GRADES.items() if not grade.is_lifted)
SPOILT: Final = tuple(key for key, grade in GRADES.items() if grade.is_spoilt)
RIPENING: Final = tuple(key for key, grade in GRADES.items() if grade.ripens)


def size_key(grade: str, word: str) -> str:
    """How what is graded by size is called beside its grade: ``table/Large``.

    Parameters
    ----------
    grade : str
        Out of `GRADES`.
    word : str
        The crop's own word for the size.

    Returns
    -------
    str
        No grade has a stroke in its key, so it is never one.

    Examples
    --------
    >>> size_key("table", "Large")
    'table/Large'
    """
    return f"{grade}/{word}"


def grade_of(key: str) -> str:
    """Name the grade that a key is of.

    Parameters
    ----------
    key : str
        A grade, or what `size_key` makes.

    Returns
    -------
    str
        Out of `GRADES`.

    Examples
    --------
    >>> grade_of("table/Large"), grade_of("table")
    ('table', 'table')
    """
    return key.partition("/")[0]


def is_size(key: str) -> bool:
    """Say whether a key is of a size within a grade.

    Parameters
    ----------
    key : str
        A grade, or what `size_key` makes.

    Returns
    -------
    bool
        True for a size.

    Examples
    --------
    >>> is_size("table/Large"), is_size("table")
    (True, False)
    """
    return "/" in key


def food_grades(*, is_small_food: bool) -> tuple[str, ...]:
    """Name the grades that count as food.

    Parameters
    ----------
    is_small_food : bool
        What the crop or the household says of the grades that are food by choice.

    Returns
    -------
    tuple of str
        Keys out of `GRADES`. Unripe waits until it turns; Seed is kept; Lost is lost.

    Notes
    -----
    Kilter's own definition (rule).

    Examples
    --------
    >>> food_grades(is_small_food=False)
    ('table', 'hurt')
    """
    wanted = ("always", "by choice") if is_small_food else ("always",)
    return tuple(key for key, grade in GRADES.items() if grade.food in wanted)
