"""A problem small enough to be reckoned by hand, for the examples of this folder."""

from __future__ import annotations

import numpy as np

from kilter.core.fit.problem import Laid, Option, Problem, Room, Wanted, lay_out


def two_beds() -> Laid:
    """Lay out leeks and peas in two beds of one square metre.

    Parameters
    ----------
    None.

    Returns
    -------
    Laid
        Two crops, three options, four draws.

    Raises
    ------
    Nothing.

    Notes
    -----
    Every draw is alike: a leek gives 1 kg in either bed, a pea 0.5 kg; 4 kg and 1 kg are wanted.

    Examples
    --------
    >>> two_beds().needs.tolist()
    [4.0, 1.0]
    """
    rooms = (Room("bed 1", "yard", 1.0), Room("bed 2", "yard", 1.0))
    wanted = (Wanted("leek", "onion", 4.0, 0.5), Wanted("pea", "pea", 1.0, 0.5))
    options = (Option(0, "a", 0, 8, 20, 0.25), Option(0, "a", 1, 8, 20, 0.25), Option(1, "b", 0, 4, 7, 0.2))
    draws = np.array([[1.0] * 4, [1.0] * 4, [0.5] * 4])
    return lay_out(Problem(wanted, rooms, options, draws))
