"""A problem small enough to be reckoned by hand, for the examples of this folder."""

from __future__ import annotations

import numpy as np

from kilter.core.fit.problem import Laid, Option, Plot, Problem, Wanted, lay_out


def two_beds() -> Laid:
    """Lay out leeks and peas in two beds of one square metre.

    Returns
    -------
    Laid
        Two crops, three options, four draws.

    Notes
    -----
    Every draw is alike: a leek gives 1 kg in either bed, a pea 0.5 kg; 4 kg and 1 kg are wanted.

    Examples
    --------
    >>> two_beds().needs.tolist()
    [4.0, 1.0]
    """
    plots = (Plot(name="bed 1", site="yard", size=1.0), Plot(name="bed 2", site="yard", size=1.0))
    wanted = (
        Wanted(name="leek", family="onion", need_kg=4.0, certainty=0.5),
        Wanted(name="pea", family="pea", need_kg=1.0, certainty=0.5),
    )
    options = (
        Option(crop=0, variety="a", plot=0, start=8, end=20, use=0.25),
        Option(crop=0, variety="a", plot=1, start=8, end=20, use=0.25),
        Option(crop=1, variety="b", plot=0, start=4, end=7, use=0.2),
    )
    draws = np.array([[1.0] * 4, [1.0] * 4, [0.5] * 4])
    return lay_out(Problem(wanted=wanted, plots=plots, options=options, draws=draws))
