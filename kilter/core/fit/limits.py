"""Which limits a fit breaks, in words."""

from __future__ import annotations

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.penalties import occupied, too_much
from kilter.core.fit.problem import Laid


def broken(laid: Laid, plants: FloatArray) -> list[str]:
    """Say which limits a fit breaks.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    list of str
        Sentences, empty where all is kept.

    Notes
    -----
    Plot in every half-month, whole plants and pots, blocks, ceilings, shares of one variety or
    site.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> broken(two_beds(), np.array([9.0, 0.0, 0.0]))
    ['bed 1 has plot for less than that.']
    """
    found = []
    taken = occupied(laid, plants)
    for p, plot in enumerate(laid.problem.plots):
        if (taken[p] > laid.free[p] + 1e-6).any():
            found.append(f"{plot.name} has plot for less than that.")
    some = (plants > 0) & ~laid.fixed
    if (np.abs(plants / laid.unit - np.round(plants / laid.unit)) > 1e-6)[some].any():
        found.append("Plants are whole, and so are pots.")
    if (plants[some] < laid.least[some] - 1e-6).any():
        found.append(
            "A planting is too small: less than its block, or than a twentieth of its bed."
        )
    if len(laid.ceilings) and (laid.held @ plants > laid.ceilings * (1 + 1e-9) + 1e-6).any():
        found.append("It takes more money, minutes or water than there are.")
    if too_much(laid, plants) > 1e-6:
        found.append("One variety or site gives more of a crop than you allow.")
    return found
