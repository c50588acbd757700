"""How much pots of the same thing differ here, from the garden's own replicates:
the prior of its comparisons.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from typing import Final

import numpy as np

from kilter.core.compare.kinds import YIELD, Kind, Unit, unit_variance
from kilter.core.compare.moderation import RULE_WEIGHT, Component, Prior, rule_components

#: The garden's own replicates count as at most so many degrees of freedom, and as at most half of
#: what is believed (rules): pots that were not chosen to be compared may be steadier than those
#: that were.
MOST_WEIGHT: Final = 8.0
MOST_SHARE: Final = 0.5
#: Below so many degrees of freedom a crop's own replicates are too few, and those of all crops
#: speak.
FEW_DF: Final = 6


def own_prior(
    of_crop: Iterable[Unit],
    of_all: Iterable[Unit] = (),
    *,
    kind: Kind = YIELD,
    is_count: bool = False,
) -> Prior:
    """Learn the spread between like units from those that are not being compared.

    Parameters
    ----------
    of_crop, of_all : iterable of Unit
        Finished units of the same crop, and of all crops, none of them in the comparison; ``level``
        says which are alike: crop, variety, season, site, kind of place and methods.
    kind : Kind
        What is measured; a pool of one kind never serves another.
    is_count : bool
        Whether amounts are counts.

    Returns
    -------
    Prior
        Its first component is the garden's own; the rule and its careful component alone, where
        nothing was grown twice alike.

    Notes
    -----
    κ = (4 + Σ_g Σ_i (y_i − e_i m_g)²/v_i) / (4 + ν), ν = Σ_g (n_g − 1), d = min(4 + ν/2, 8), weight
    ½·ν/(ν + 2) (rule); m_g is total over total of a group, v_i the rule's variance. After Smyth
    (2004), *Stat. Appl. Genet. Mol. Biol.* 3(1):3. Groups of one and groups that gave nothing say
    nothing. κ has no unit.

    Examples
    --------
    >>> twins = [
    ...     Unit(ref="1", amount=2.0, exposure=1.0, level="a", plants=4),
    ...     Unit(ref="2", amount=4.0, exposure=1.0, level="a", plants=4),
    ... ]
    >>> prior = own_prior([], twins)
    >>> prior.source, round(prior.kappa, 4), prior.weight
    ('own, all crops', 1.1704, 4.5)
    >>> [round(component.weight, 3) for component in prior.components]
    [0.167, 0.75, 0.083]
    """
    for units, source in ((of_crop, "own, this crop"), (of_all, "own, all crops")):
        spread, freedom, count = _spread(units, kind, is_count=is_count)
        if freedom >= (FEW_DF if source == "own, this crop" else 1):
            kappa = (RULE_WEIGHT + spread) / (RULE_WEIGHT + freedom)
            share = MOST_SHARE * freedom / (freedom + 2)
            own = Component(share, min(RULE_WEIGHT + freedom / 2, MOST_WEIGHT), kappa)
            others = (
                Component((1 - share) * component.weight, component.df, component.kappa)
                for component in rule_components()
            )
            return Prior(source, (own, *others), count)
    return Prior()


def _spread(units: Iterable[Unit], kind: Kind, *, is_count: bool) -> tuple[float, int, int]:
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
    return (
        float(np.sum(squares / unit_variance(alike, mu, kind, is_count=is_count))),
        freedom,
        len(alike),
    )
