"""What a fit is worth: how near each crop comes to its need, as surely as wanted, less small penalties."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.problem import ALONE, APART, NEARLY, PLANTING, SHADED, Laid, quantiles

#: What one variety or site gives too much of a crop costs so much, until it is mended (rule).
TOO_MUCH_OF_ONE: Final = 1.0


@dataclass(frozen=True, eq=False)
class Worth:
    """A fit with what it is worth."""

    plants: FloatArray  #: (options,)
    reached: FloatArray  #: (crops,): share of the need that is reached as surely as wanted, 0 to 1
    sure_kg: FloatArray  #: (crops,): what it gives as surely as wanted
    total: float  #: with the penalties; what is compared


def usefulness(reached: FloatArray) -> FloatArray:
    """Tell what a share of a need is worth.

    Parameters
    ----------
    reached : array
        Shares of needs, 0 to 1.

    Returns
    -------
    array
        0 to 1, of the same shape.

    Notes
    -----
    u(z) = (z + min(z, ½)) / 1.5: the first half of a need is worth twice the second (Kilter's own, rule).

    Examples
    --------
    >>> usefulness(np.array([0.0, 0.25, 0.5, 1.0])).round(3).tolist()
    [0.0, 0.333, 0.667, 1.0]
    """
    return np.asarray((reached + np.minimum(reached, 0.5)) / 1.5)


def totals_of(laid: Laid, plants: FloatArray) -> FloatArray:
    """Sum what a fit gives.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    array, (crops, draws)
        Kilograms.

    Notes
    -----
    A sum over the options of each crop, draw by draw.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> totals_of(two_beds(), np.array([2.0, 0.0, 1.0])).shape
    (2, 4)
    """
    found = np.zeros((len(laid.needs), laid.problem.draws.shape[1]))
    for c, mine in enumerate(laid.of_crop):
        some = mine[plants[mine] > 0]
        if some.size:
            found[c] = plants[some] @ laid.problem.draws[some]
    return found


def worth_of(laid: Laid, plants: FloatArray) -> Worth:
    """Reckon what a fit is worth.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    Worth
        With the share of each need that is reached.

    Notes
    -----
    Σ w·u(z) − penalties, z = min(1, q/need), q the (1 − certainty) quantile of what a crop gives (docs/method.md, N8).

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> found = worth_of(two_beds(), np.array([2.0, 0.0, 1.0]))
    >>> found.reached.round(3).tolist()
    [0.5, 0.5]
    """
    totals = totals_of(laid, plants)
    sure = np.array([float(quantiles(totals[[c]], risk)[0]) for c, risk in enumerate(laid.risks)])
    return weighed(laid, plants, sure)


def weighed(laid: Laid, plants: FloatArray, sure_kg: FloatArray) -> Worth:
    """Reckon the same where it is known what each crop gives.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.
    sure_kg : array, (crops,)
        What each gives as surely as wanted.

    Returns
    -------
    Worth
        With the share of each need that is reached.

    Notes
    -----
    As `worth_of`.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> weighed(two_beds(), np.zeros(3), np.array([4.0, 0.0])).total
    0.5
    """
    reached = np.minimum(sure_kg / laid.needs, 1.0)
    return Worth(plants, reached, sure_kg, float(laid.weights @ usefulness(reached)) - penalty(laid, plants))


def penalty(laid: Laid, plants: FloatArray) -> float:
    """Add up what is held against a fit.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    float
        On the scale of what a fit is worth.

    Notes
    -----
    Rules; each far smaller than a crop, so that they choose between fits that feed alike.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> round(penalty(two_beds(), np.array([0.0, 0.0, 0.0])), 6), penalty(two_beds(), np.array([2.0, 0.0, 1.0])) > 0
    (0.0, True)
    """
    some = np.flatnonzero(plants > 0)
    there = plants[some]
    found = float(laid.thrift[some] @ there) + PLANTING * float(laid.is_bed[some].sum())
    if len(laid.rested):
        found += laid.too_soon_cost * float(np.maximum(laid.too_soon[:, some] @ there - laid.rested, 0.0).sum())
    if laid.shading:
        tall, low = (share[:, some] @ there for share in laid.filled)
        found += SHADED * sum(min(float(tall[p]), float(low[other])) for p, other in laid.shading)
    if laid.problem.beside:
        found += intercropping(laid, plants)
    return found + TOO_MUCH_OF_ONE * too_much(laid, plants)


def intercropping(laid: Laid, plants: FloatArray) -> float:
    """Tell what is held against a fit for who shares a bed with whom.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    float
        On the scale of what a fit is worth.

    Notes
    -----
    With a the square metres of a crop in a bed and a half-month, b those of all others there, or of the one that it is
    to share with: alone costs 0.03·Σmin(a, b)/Σa, apart 0.01·(1 − Σmin(a, b)/min(Σa, Σb)), sums over beds and
    half-months (Kilter's own, rules). Pots hold one planting each, so they do not count.

    Examples
    --------
    >>> from dataclasses import replace
    >>> from kilter.core.fit.examples import two_beds
    >>> from kilter.core.fit.problem import Beside, lay_out
    >>> problem = two_beds().problem
    >>> options = (*problem.options[:2], replace(problem.options[2], start=8, end=20))
    >>> laid = lay_out(replace(problem, options=options, beside=(Beside(0),)))
    >>> intercropping(laid, np.array([2.0, 0.0, 0.0])), round(intercropping(laid, np.array([2.0, 0.0, 2.0])), 6)
    (0.0, 0.024)
    """
    found, areas = 0.0, {}
    all_ = bed_areas(laid, plants, None)
    for one in laid.problem.beside:
        for c in (one.crop, one.other):
            if c is not None and c not in areas:
                areas[c] = bed_areas(laid, plants, c)
        mine = areas[one.crop]
        other = all_ - mine if one.other is None else areas[one.other]
        together, sums = float(np.minimum(mine, other).sum()), (float(mine.sum()), float(other.sum()))
        if one.other is None:
            found += ALONE * together / sums[0] if sums[0] > 0 else 0.0
        elif min(sums) > 0:
            found += APART * (1 - together / min(sums))
    return found


def bed_areas(laid: Laid, plants: FloatArray, crop: int | None) -> FloatArray:
    """Sum what a crop takes of each bed, half-month by half-month.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.
    crop : int or None
        None: all of them.

    Returns
    -------
    array, (plots, slots)
        Square metres; 0 in pots.

    Notes
    -----
    As `occupied`, without pots.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> float(bed_areas(two_beds(), np.array([2.0, 0.0, 1.0]), 0).max())
    0.5
    """
    return occupied(laid, plants * (laid.is_bed & (True if crop is None else laid.crop == crop)))


def too_much(laid: Laid, plants: FloatArray) -> float:
    """Tell how far crops lean on one variety or site beyond the share that the gardener allows.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    float
        Sum of the shares that are too much; 0 where none is.

    Notes
    -----
    Only where the labels there are could keep to it.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> too_much(two_beds(), np.array([2.0, 0.0, 1.0]))
    0.0
    """
    found = 0.0
    for some, whole, share in laid.shares:
        sum_ = float(plants[whole].sum())
        if sum_ > 0:
            found += max(float(plants[some].sum()) / sum_ - share - NEARLY, 0.0)
    return found


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
    Plot in every half-month, whole plants and pots, blocks, ceilings, shares of one variety or site.

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
        found.append("A planting is too small: less than its block, or than a twentieth of its bed.")
    if len(laid.ceilings) and (laid.held @ plants > laid.ceilings * (1 + 1e-9) + 1e-6).any():
        found.append("It takes more money, minutes or water than there are.")
    if too_much(laid, plants) > 1e-6:
        found.append("One variety or site gives more of a crop than you allow.")
    return found


def occupied(laid: Laid, plants: FloatArray) -> FloatArray:
    """Sum what stands in each plot, half-month by half-month.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    array, (plots, slots)
        Square metres, or pots.

    Notes
    -----
    Without what stands already.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> float(occupied(two_beds(), np.array([2.0, 0.0, 1.0])).max())
    0.5
    """
    found = np.zeros_like(laid.free)
    some = np.flatnonzero(plants > 0)
    np.add.at(found, laid.plot[some], (laid.use[some] * plants[some])[:, None] * laid.there[some])
    return found


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
    >>> each, all_ = certainty_of(laid, np.array([5.0, 0.0, 5.0]), Fresh(laid.problem.draws, np.arange(3)))
    >>> bool((each >= all_).all())
    True
    """
    met = []
    for c, mine in enumerate(laid.of_crop):
        some = mine[plants[mine] > 0]
        total = plants[some] @ fresh.kg[fresh.rows[some]] if some.size else np.zeros(fresh.kg.shape[1])
        met.append(total >= laid.needs[c] - NEARLY)
    return np.mean(met, axis=1), float(np.all(met, axis=0).mean())


def reached_with(laid: Laid, c: int, totals: FloatArray) -> FloatArray:
    """Tell the usefulness of a crop for several sums at once.

    Parameters
    ----------
    laid : Laid
        The problem.
    c : int
        The crop.
    totals : array, (tries, draws)
        What it would give in each try.

    Returns
    -------
    array, (tries,)
        Weighted by how much it matters.

    Notes
    -----
    As `worth_of` reckons it of one.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> reached_with(two_beds(), 0, np.array([[4.0, 4.0, 4.0, 4.0]])).tolist()
    [0.5]
    """
    reached = np.minimum(quantiles(totals, laid.risks[c]) / laid.needs[c], 1.0)
    return np.asarray(laid.weights[c] * usefulness(reached))
