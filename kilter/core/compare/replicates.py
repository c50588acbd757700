"""How much pots of the same thing differ here, from the garden's own replicates: the prior of its comparisons."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from typing import Final

import numpy as np

from kilter.core.compare.fitted import Prior, Unit, unit_variance

#: The rule counts as so many degrees of freedom, and the garden's own weigh at most so much (rules).
RULE_WEIGHT: Final = 4.0
MOST_WEIGHT: Final = 8.0
#: Below so many degrees of freedom a crop's own replicates are too few, and those of all crops speak.
FEW_DF: Final = 6


def own_prior(of_crop: Iterable[Unit], of_all: Iterable[Unit] = (), *, is_count: bool = False) -> Prior:
    """Learn the spread between like units from those that are not being compared.

    Parameters
    ----------
    of_crop, of_all : iterable of Unit
        Finished units of the same crop, and of all crops, none of them in the comparison; ``level`` says which are
        alike: crop, variety, season, site, kind of place and methods.
    is_count : bool
        Whether amounts are counts.

    Returns
    -------
    Prior
        κ0 and d0 with where they come from; the rule, where nothing was grown twice alike.

    Raises
    ------
    Nothing.

    Notes
    -----
    κ0 = (4 + Σ_g Σ_i (y_i − e_i m_g)²/v_i) / (4 + ν), ν = Σ_g (n_g − 1), d0 = min(4 + ν/2, 8); m_g is total over
    total of a group, v_i the rule's variance. After Smyth (2004), *Stat. Appl. Genet. Mol. Biol.* 3(1):3. Groups of one
    and groups that gave nothing say nothing. κ0 has no unit.

    Examples
    --------
    >>> twins = [Unit("1", 2.0, 1.0, "a", plants=4), Unit("2", 4.0, 1.0, "a", plants=4)]
    >>> prior = own_prior([], twins)
    >>> prior.source, round(prior.kappa, 4), prior.weight
    ('own, all crops', 1.1704, 4.5)
    """
    for units, source in ((of_crop, "own, this crop"), (of_all, "own, all crops")):
        spread, freedom, count = _spread(units, is_count=is_count)
        if freedom >= (FEW_DF if source == "own, this crop" else 1):
            kappa = (RULE_WEIGHT + spread) / (RULE_WEIGHT + freedom)
            return Prior(source, min(RULE_WEIGHT + freedom / 2, MOST_WEIGHT), kappa, count)
    return Prior()


def _spread(units: Iterable[Unit], *, is_count: bool) -> tuple[float, int, int]:
    """Σ (y − e·m)²/v, its degrees of freedom and the units behind it."""
    groups: dict[str, list[Unit]] = defaultdict(list)
    for unit in units:
        groups[unit.level].append(unit)
    alike: list[Unit] = []
    means: list[float] = []
    freedom = 0
    for group in groups.values():
        amount = sum(u.amount for u in group)
        if len(group) < 2 or amount <= 0:
            continue
        mean = amount / sum(u.exposure for u in group)
        alike += group
        means += [u.exposure * mean for u in group]
        freedom += len(group) - 1
    if not freedom:
        return 0.0, 0, 0
    mu = np.array(means)
    squares = (np.array([u.amount for u in alike]) - mu) ** 2
    return float(np.sum(squares / unit_variance(alike, mu, is_count=is_count))), freedom, len(alike)
