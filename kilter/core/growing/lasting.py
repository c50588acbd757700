"""What stays where it stands over years: what share of a full year it bears at which age."""

from __future__ import annotations

from kilter.core.handbook import HandbookCrop


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
