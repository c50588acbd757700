"""What stays where it stands over years: what share of a full year it bears at which age."""

from __future__ import annotations

from typing import Final

from kilter.core.handbook import TOO_YOUNG, HandbookCrop

#: What is known of a year of its life.
BEARING: Final = "bearing"
NOTHING: Final = "nothing"
NOT_OVER: Final = "not over"
YOUNG: Final = "too young"
UNWRITTEN: Final = "not written"


def bears_in(book: HandbookCrop, age: int, *, is_set_in_spring: bool = False) -> float:
    """Give what share of its full yield a lasting crop bears in a year of its life.

    Parameters
    ----------
    book : HandbookCrop
        With its shares, year by year.
    age : int
        1 in the year to which its planting belongs.
    is_set_in_spring : bool
        Whether it was set in the spring of its first year, not in the summer before.

    Returns
    -------
    float
        0 to 1; 1 for a crop of which the handbook has no shares.

    Notes
    -----
    The handbook's columns ``bears``, ``full_until_year`` and ``fades`` (memory): shares of the
    first years, the last of them until it fades, then each year a share of the one before.

    Examples
    --------
    >>> from kilter.core.handbook import handbook
    >>> asparagus = handbook()["asparagus"]
    >>> [round(bears_in(asparagus, age), 4) for age in (1, 2, 15, 16, 17, 20)]
    [0.0, 0.1, 1.0, 0.9, 0.81, 0.5905]
    """
    if not book.bears:
        return 1.0
    if age < 1:
        return 0.0
    share = book.bears[min(age, len(book.bears)) - 1]
    if age == 1 and is_set_in_spring and book.set_in_spring is not None:
        share *= book.set_in_spring
    if book.full_until_year is not None and book.fades is not None:
        share *= book.fades ** max(age - book.full_until_year, 0)
    return share


def year_of_life(
    year: int,
    this_year: int,
    share: float,
    *,
    is_lifted: bool,
    is_said_nothing: bool = False,
) -> str:
    """Tell what is known of a year of something that stays over years.

    Parameters
    ----------
    year, this_year : int
        The year asked about, and the one that runs.
    share : float
        What of a full year it bears at its age (`bears_in`).
    is_lifted : bool
        Whether something was lifted in it.
    is_said_nothing : bool
        Whether somebody said that it gave nothing, or a setback took all.

    Returns
    -------
    str
        The first that holds of `BEARING`, `NOTHING`, `NOT_OVER`, `YOUNG` and `UNWRITTEN`.

    Notes
    -----
    Kilter's own definition (numbers-n5, B1): zero is never inferred.

    Examples
    --------
    >>> [
    ...     year_of_life(year, 2026, share, is_lifted=year in (2024, 2025))
    ...     for year, share in ((2017, 0.0), (2018, 0.1), (2024, 1.0), (2026, 1.0))
    ... ]
    ['too young', 'not written', 'bearing', 'not over']
    """
    if is_lifted:
        return BEARING
    if is_said_nothing:
        return NOTHING
    if year >= this_year:
        return NOT_OVER
    return YOUNG if share < TOO_YOUNG else UNWRITTEN
