"""How sure a fit is, in years that it has not seen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.problem import NEARLY, Laid


@dataclass(frozen=True, eq=False)
class Fresh:
    """Years that a fit has not seen; options of the same variety in the same place share a row."""

    kg: FloatArray  #: (spots, years): of a plant
    rows: np.ndarray  #: (options,): which row is an option's


def certainty_of(laid: Laid, plants: FloatArray, fresh: Fresh) -> tuple[FloatArray, float]:
    """Tell how sure each need is to be met, and all at once, in draws that the fit has not seen.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.
    fresh : Fresh
        Other years.

    Returns
    -------
    tuple of array, (crops,), and float
        Shares of the draws.

    Notes
    -----
    On its own draws a fit looks surer than it is, as it was chosen by them.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> laid = two_beds()
    >>> each, all_ = certainty_of(
    ...     laid, np.array([5.0, 0.0, 5.0]), Fresh(laid.problem.draws, np.arange(3))
    ... )
    >>> bool((each >= all_).all())
    True
    """
    met = []
    for c, mine in enumerate(laid.of_crop):
        some = mine[plants[mine] > 0]
        total = (
            plants[some] @ fresh.kg[fresh.rows[some]] if some.size else np.zeros(fresh.kg.shape[1])
        )
        met.append(total >= laid.needs[c] - NEARLY)
    return np.mean(met, axis=1), float(np.all(met, axis=0).mean())
