"""A first fit at once, and then better ones for as long as somebody waits."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.limits import broken
from kilter.core.fit.master import Tangents, solve
from kilter.core.fit.penalties import too_much
from kilter.core.fit.problem import NEARLY, Laid
from kilter.core.fit.search import Search
from kilter.core.fit.worth import Worth, worth_of

#: Relaxed programmes before the first whole one (rule).
ROUNDS: Final = 4
#: So many times half of the plantings that are too small are dropped (rule).
DROPS: Final = 3
#: Of each crop, so many options with the highest yield of their ground and time are looked at
#: before the first fit.
MOST_PROMISING: Final = 60
#: Steps of local search after the first rounding, and after each programme (rules).
FIRST_STEPS, STEPS, QUICK_STEPS = 120, 12, 12
#: Now and then everything that was ever part of a fit is free at once (rule).
ALL_SEEN_EVERY: Final = 12
#: Every so many tries no programme is solved: some plantings are given up at random; in a small
#: garden often (rules).
FEW, KICK_EVERY, MANY_KICK_EVERY = 40, 3, 10
#: Options of a small programme (rule).
MOST_FREE: Final = 120
#: It is given up after so long.
PROGRAMME_S: Final = 0.4


@dataclass(frozen=True, eq=False)
class BestFit:
    """The best fit so far."""

    worth: Worth
    ceiling: float  #: no fit is worth more, as far as can be told
    tries: int

    @property
    def gap(self) -> float:
        """How much better it could be at most, as far as can be told:
        a share of what it is worth.
        """
        return max(self.ceiling / self.worth.total - 1, 0.0) if self.worth.total > 0 else 0.0


def first_fit(laid: Laid, *, seed: int = 1, steps: int = FIRST_STEPS) -> tuple[BestFit, Tangents]:
    """Find a first fit.

    Parameters
    ----------
    laid : Laid
        The problem.
    seed : int
        Of the steps of the local search.
    steps : int
        So many of them.

    Returns
    -------
    tuple of Found and Tangents
        The fit, and what was learnt for better ones.

    Notes
    -----
    Four relaxed programmes, each with the tangents of the one before; half of the plantings that
    came out too small are dropped, three times; whole pots and plants; then local search on the
    true value (Kilter's own, N8).

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> found, _ = first_fit(two_beds())
    >>> (
    ...     float(found.worth.plants[:2].sum()),
    ...     float(found.worth.plants[2]),
    ...     found.worth.reached.tolist(),
    ... )
    (4.0, 2.0, [1.0, 1.0])
    """
    tangents = Tangents.at_first(laid)
    everything = np.flatnonzero(laid.most > 0)
    plants = _pinned(laid)
    ceiling = np.inf
    for n in range(ROUNDS):
        solved = solve(
            tangents, everything if n == 0 else _promising(laid, plants), plants, is_whole=False
        )
        if not np.isfinite(solved.value):
            break
        ceiling = solved.value if n == 0 else ceiling
        plants = solved.plants
        tangents.add(plants)
    for _ in range(DROPS):
        plants = _without_small(laid, plants)
        plants = solve(tangents, np.flatnonzero(plants > 0), plants, is_whole=False).plants
        tangents.add(plants)
    tangents.keep_tight(plants)
    search = Search(laid, whole(laid, plants), seed)
    search.polish(steps)
    tangents.add(search.plants)
    fitted = worth_of(laid, mended(laid, search.plants))
    return BestFit(fitted, max(ceiling + _fixed_worth(laid), fitted.total), 0), tangents


def improve(
    laid: Laid,
    found: BestFit,
    tangents: Tangents,
    *,
    seed: int = 1,
    steps: int = STEPS,
    seconds: float | None = PROGRAMME_S,
) -> Iterator[BestFit]:
    """Look for better fits without end; the caller stops when it likes.

    Parameters
    ----------
    laid : Laid
        The problem.
    found : Found
        The best so far.
    tangents : Tangents
        As the first fit left them.
    seed : int
        The same seed and as many tries give the same fit.
    steps : int
        Of local search after each programme.
    seconds : float, optional
        For each programme at most; without it the result does not depend on the machine.

    Yields
    ------
    Found
        The best so far, after each try.

    Returns
    -------
    iterator of Found
        Without end.

    Notes
    -----
    One plot, or two crops, are freed and solved anew while the rest stays (large neighbourhood
    search, Shaw 1998; memory). A fit is taken only if its true value is higher.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> laid = two_beds()
    >>> better = improve(laid, *first_fit(laid))
    >>> next(better).tries
    1
    """
    rng = np.random.default_rng([seed, 7])
    search = Search(laid, found.worth.plants, seed)
    seen = found.worth.plants > 0
    tries, ceiling = found.tries, found.ceiling
    while True:
        tries += 1
        if tries % (KICK_EVERY if len(laid.crop) <= FEW else MANY_KICK_EVERY) == 0:
            plants = found.worth.plants
            search.start(plants)
            search.kick()
        else:
            free = _freed(laid, found.worth, seen, rng, tries)
            plants = solve(
                tangents, free, found.worth.plants, is_whole=True, seconds=seconds
            ).plants
            search.start(whole(laid, plants))
        search.polish(steps)
        tangents.add(search.plants)
        tangents.keep_tight(search.plants)
        seen |= search.plants > 0
        tried = worth_of(laid, mended(laid, search.plants))
        if tried.total > found.worth.total + NEARLY and not broken(laid, tried.plants):
            found = BestFit(tried, max(ceiling, tried.total), tries)
        if tries % ALL_SEEN_EVERY == 0:
            ceiling = _lower(laid, tangents, ceiling)
        found = BestFit(found.worth, max(min(found.ceiling, ceiling), found.worth.total), tries)
        yield found


def answer_quickly(
    laid: Laid,
    plants: FloatArray,
    crops: tuple[int, ...] = (),
    *,
    seed: int = 1,
    steps: int = QUICK_STEPS,
) -> Worth:
    """Mend a fit after something was moved, in a fifth of a second.

    Parameters
    ----------
    laid : Laid
        The problem as it is now.
    plants : array, (options,)
        The fit before, which may break what is asked now.
    crops : tuple of int
        Whose need, certainty or planting was changed.
    seed, steps : int
        Of the local search.

    Returns
    -------
    Worth
        A fit that keeps to the limits.

    Notes
    -----
    What is too much is taken away; then more or less of the crops that moved, of what stands, and
    one step for one (Kilter's own, N8).

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> answer_quickly(two_beds(), np.array([9.0, 0.0, 0.0]), (0,)).reached.tolist()
    [1.0, 1.0]
    """
    search = Search(laid, mended(laid, whole(laid, np.where(laid.most > 0, plants, 0.0))), seed)
    for n in range(steps):
        short = [int(c) for c in np.flatnonzero(search.worth.reached < 1) if c not in crops]
        asked = [*crops, *short]
        if not asked:
            break
        mine = laid.of_crop[int(asked[n % len(asked)])]
        standing = np.flatnonzero((search.plants > 0) & ~laid.fixed)
        if not search.tune(mine[~laid.fixed[mine]]) and standing.size:
            search.replace(int(search.rng.choice(standing)))
    return worth_of(laid, mended(laid, search.plants))


def _pinned(laid: Laid) -> FloatArray:
    plants = np.zeros(len(laid.crop))
    for o, amount in laid.problem.pinned:
        plants[o] = amount
    return plants


def _promising(laid: Laid, plants: FloatArray) -> np.ndarray:
    """What stands, and the options that give most for the ground and the time they take."""
    yields = laid.gives / (laid.use * laid.there.sum(axis=1))
    best = [
        mine[np.argsort(-yields[mine], kind="stable")[:MOST_PROMISING]] for mine in laid.of_crop
    ]
    return np.unique(np.concatenate([np.flatnonzero((plants > 0) & ~laid.fixed), *best]))


def _fixed_worth(laid: Laid) -> float:
    """What the programmes do not see: the thrift of what stays,
    and crops that are pinned altogether, at their most.
    """
    all_pinned = [c for c, mine in enumerate(laid.of_crop) if mine.size and laid.fixed[mine].all()]
    return float(laid.weights[all_pinned].sum()) - float(laid.thrift @ _pinned(laid))


def _without_small(laid: Laid, plants: FloatArray) -> FloatArray:
    """Half of the plantings that came out too small are dropped, the smallest first."""
    small = np.flatnonzero((plants > 1e-6) & (plants < laid.least) & ~laid.fixed)
    order = small[np.argsort(plants[small] / laid.least[small], kind="stable")]
    found = plants.copy()
    found[order[: (len(order) + 1) // 2]] = 0.0
    found[(found <= 1e-6) & ~laid.fixed] = 0.0
    return found


def whole(laid: Laid, plants: FloatArray) -> FloatArray:
    """Round to whole plants and pots.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option.

    Returns
    -------
    array, (options,)
        Whole, no planting below its least.

    Notes
    -----
    Down, then what is left of each crop goes where the largest remainders were and where there is
    room.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> whole(two_beds(), np.array([1.6, 2.4, 0.0])).tolist()
    [2.0, 2.0, 0.0]
    """
    down = np.floor(plants / laid.unit + 1e-6) * laid.unit
    found = np.where(laid.fixed, plants, np.where(down >= laid.least - 1e-6, down, 0.0))
    search = Search(laid, found)
    for mine in laid.of_crop:
        lost = float((plants[mine] - found[mine]).sum())
        for o in mine[np.argsort(-(plants[mine] - down[mine]), kind="stable")]:
            if lost < laid.unit[o] / 2 or laid.fixed[o] or plants[o] <= 0:
                continue
            wanted = found[o] + laid.unit[o] if found[o] else laid.least[o]
            if float(search.most_of(np.array([o]))[0]) >= wanted - 1e-6:
                lost -= wanted - found[o]
                found[o] = wanted
                search.start(found)
    return found


def mended(laid: Laid, plants: FloatArray) -> FloatArray:
    """Take away what breaks a limit.

    Parameters
    ----------
    laid : Laid
        The problem.
    plants : array, (options,)
        Of each option, whole.

    Returns
    -------
    array, (options,)
        A fit that keeps to every limit, as far as what is pinned leaves it.

    Notes
    -----
    The last plantings of a full plot, then those that lean too much on one variety, then what is
    over a ceiling.

    Examples
    --------
    >>> from kilter.core.fit.examples import two_beds
    >>> mended(two_beds(), np.array([9.0, 0.0, 0.0])).tolist()
    [4.0, 0.0, 0.0]
    """
    found = np.minimum(plants, np.maximum(laid.most, 0.0))
    search = Search(laid, found)
    for o in np.flatnonzero((found > 0) & ~laid.fixed):
        if (search.left[laid.plot[o]] < -1e-9).any() or (search.spare < -1e-9).any():
            at_most = float(search.most_of(np.array([o]))[0])
            found[o] = at_most if at_most >= laid.least[o] - 1e-9 else 0.0
            search.start(found)
    for _ in range(len(found)):
        if too_much(laid, found) <= 1e-9:
            break
        for some, all_, share in laid.shares:
            here, whole_ = found[some], float(found[all_].sum())
            if whole_ and float(here.sum()) / whole_ > share + 1e-9:
                o = some[int(np.argmax(here))]
                found[o] = (
                    found[o] - laid.unit[o] if found[o] - laid.unit[o] >= laid.least[o] else 0.0
                )
    return np.asarray(found)


def _freed(
    laid: Laid, worth: Worth, seen: np.ndarray, rng: np.random.Generator, tries: int
) -> np.ndarray:
    """The options of one plot, or of two crops of which one is short;
    now and then all that were ever used.
    """
    if tries % ALL_SEEN_EVERY == 0:
        free = np.flatnonzero(seen)
    elif tries % 2:
        free = laid.of_plot[int(rng.integers(len(laid.of_plot)))]
    else:
        short = np.flatnonzero(worth.reached < 1 - NEARLY)
        first = int(rng.choice(short)) if short.size else int(rng.integers(len(laid.of_crop)))
        free = np.union1d(laid.of_crop[first], laid.of_crop[int(rng.integers(len(laid.of_crop)))])
    if len(free) > MOST_FREE:
        standing = free[worth.plants[free] > 0]
        free = np.union1d(standing, rng.choice(free, MOST_FREE, replace=False))
    return free


def _lower(laid: Laid, tangents: Tangents, ceiling: float) -> float:
    """The relaxed programme again, with all that was learnt since."""
    solved = solve(tangents, np.flatnonzero(laid.most > 0), _pinned(laid), is_whole=False)
    if not np.isfinite(solved.value):
        return ceiling
    tangents.add(solved.plants)
    return min(ceiling, solved.value + _fixed_worth(laid))
