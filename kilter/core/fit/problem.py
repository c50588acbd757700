"""What is to be fitted: crops that are wanted, places,
and the ways in which a crop may stand in a place for a time.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.errors import PlanError

#: Half-months of a year.
SLOTS: Final = 24
WEEKS_A_SLOT: Final = 52 / SLOTS
#: In a bed a planting takes at least this share of it (rule).
LEAST_OF_BED: Final = 0.05
#: All that any option could want, and so much on top, is what thrift is a share of (rule).
THRIFT_OVER: Final = 1.25
#: Penalties (rules): each planting of a bed; thrift, shared over area-time, money, minutes and
#: water; a family back too soon, for a place full of it; tall that shades low, for two places full
#: of them.
PLANTING, THRIFT, TOO_SOON, SHADED = 0.0002, 0.005, 0.02, 0.01
#: The same (rules): a crop that always shares its bed and is to stand alone; two that never share
#: one and had better.
ALONE, APART = 0.03, 0.01
NEARLY: Final = 1e-9


@dataclass(frozen=True, kw_only=True)
class Wanted:
    """A crop of the plan."""

    name: str
    family: str
    need_kg: float
    certainty: float  #: 0 to 1
    weight: float = 1.0
    min_block: int = 0  #: plants of a planting in a bed, at least
    variety_share: float = 1.0  #: no variety gives more than this share of its plants
    site_share: float = 1.0
    is_tall: bool = False
    is_low: bool = False


@dataclass(frozen=True, kw_only=True)
class Plot:
    """A bed or a bed's part, or pots that are alike."""

    name: str
    site: str
    size: float  #: square metres, or pots
    is_pots: bool = False
    rest: tuple[
        tuple[str, float], ...
    ] = ()  #: family or crop, and on how much of it that would come back too soon
    shades: tuple[int, ...] = ()  #: plots that it stands before
    taken: tuple[float, ...] = ()  #: by slot, what is held by what stands already


@dataclass(frozen=True)
class Beside:
    """A crop that is to stand alone in its bed, or two that are to share one."""

    crop: int
    other: int | None = None  #: None: alone


@dataclass(frozen=True, kw_only=True)
class Option:
    """A variety of a crop in a plot for some half-months."""

    crop: int
    variety: str
    plot: int
    start: int  #: its first slot
    end: int  #: its last one, inclusive
    use: float  #: square metres a plant, or pots a plant
    cost: float = 0.0  #: a plant
    minutes: float = 0.0
    water: float = 0.0  #: litres


@dataclass(frozen=True)
class Limits:
    """Ceilings; None where there is none."""

    cost: float | None = None
    minutes: float | None = None
    water: float | None = None
    minutes_a_week: float | None = None  #: in every half-month
    litres_a_day: float | None = None


@dataclass(frozen=True, eq=False, kw_only=True)
class Problem:
    """Everything that a fit rests on."""

    wanted: tuple[Wanted, ...]
    plots: tuple[Plot, ...]
    options: tuple[Option, ...]
    draws: FloatArray  #: (options, draws): kilograms a plant, joint over a column
    limits: Limits = field(default_factory=Limits)
    pinned: tuple[tuple[int, float], ...] = ()  #: options with the plants that stay as they are
    rest_weight: float = 1.0  #: how much it matters that a family is back too soon
    beside: tuple[Beside, ...] = ()
    slots: int = SLOTS


@dataclass(frozen=True, eq=False, kw_only=True)
class Laid:
    """A problem as arrays; n options, c crops, p plots, s slots."""

    problem: Problem
    crop: np.ndarray  #: (n,)
    plot: np.ndarray  #: (n,)
    use: FloatArray  #: (n,)
    there: FloatArray  #: (n, s): 1 in the slots of an option
    unit: FloatArray  #: (n,): plants in a pot; 1 in a bed
    least: FloatArray  #: (n,): plants of a planting, at least
    #: (n,): plants that a need could ask for, in an empty plot; 0 where it does not fit at all
    most: FloatArray
    thrift: FloatArray  #: (n,): penalty a plant
    free: FloatArray  #: (p, s): what nothing stands in yet
    held: FloatArray  #: (k, n): what a plant takes of each ceiling
    ceilings: FloatArray  #: (k,)
    ceiling_of: tuple[str, ...]  #: (k,): money, work or water
    too_soon: (
        FloatArray  #: (r, n): share of a plot that a plant takes of what comes back to it too soon
    )
    rested: FloatArray  #: (r,): share of the plot where it would not
    weights: FloatArray  #: (c,): they add up to 1
    needs: FloatArray  #: (c,)
    risks: FloatArray  #: (c,): 1 − certainty
    fixed: np.ndarray  #: (n,): bool, pinned
    too_soon_cost: float  #: for a plot full of what is back too soon

    @cached_property
    def of_crop(self) -> tuple[np.ndarray, ...]:
        """The options of each crop that fit at all."""
        may = self.most > 0
        return tuple(np.flatnonzero((self.crop == c) & may) for c in range(len(self.needs)))

    @cached_property
    def of_plot(self) -> tuple[np.ndarray, ...]:
        """The options of each plot that fit at all."""
        may = self.most > 0
        return tuple(np.flatnonzero((self.plot == p) & may) for p in range(len(self.problem.plots)))

    @cached_property
    def is_bed(self) -> np.ndarray:
        """(n,): whether an option stands in a bed."""
        return np.array([not self.problem.plots[plot].is_pots for plot in self.plot], bool)

    @cached_property
    def rows_of(self) -> tuple[np.ndarray, ...]:
        """For each option, the rows of ``too_soon`` in which it counts."""
        return tuple(np.flatnonzero(self.too_soon[:, o]) for o in range(len(self.crop)))

    @cached_property
    def has_rests(self) -> np.ndarray:
        """(n,): whether an option counts in any of them."""
        return (
            np.asarray(self.too_soon.any(axis=0))
            if len(self.rested)
            else np.zeros(len(self.crop), bool)
        )

    @cached_property
    def gives(self) -> FloatArray:
        """(n,): kilograms a plant, in the mean."""
        return np.asarray(self.problem.draws.mean(axis=1))

    @cached_property
    def filled(self) -> tuple[FloatArray, FloatArray]:
        """(p, n) twice: what a plant fills of a plot over the year, as tall and as low."""
        wanted, plots = self.problem.wanted, self.problem.plots
        year = np.array([plot.size for plot in plots])[self.plot] * self.problem.slots
        share = self.use * self.there.sum(axis=1) / year
        here = self.plot[None, :] == np.arange(len(plots))[:, None]
        tall = np.array([wanted[c].is_tall for c in self.crop], float)
        low = np.array([wanted[c].is_low for c in self.crop], float)
        return here * share * tall, here * share * low

    @cached_property
    def in_company(self) -> np.ndarray:
        """(n,): whether it counts in a bed what else stands there."""
        if any(one.other is None for one in self.problem.beside):
            return self.is_bed
        named = {c for one in self.problem.beside for c in (one.crop, one.other)}
        return np.asarray(self.is_bed & np.isin(self.crop, [c for c in named if c is not None]))

    @cached_property
    def shading(self) -> tuple[tuple[int, int], ...]:
        """Pairs of plots of which the first shades the second."""
        return tuple(
            (p, other) for p, plot in enumerate(self.problem.plots) for other in plot.shades
        )

    @cached_property
    def shares(self) -> tuple[tuple[np.ndarray, np.ndarray, float], ...]:
        """Options of one variety or site, all of their crop,
        and the largest share that they may be of these.
        """
        found = []
        for c, want in enumerate(self.problem.wanted):
            mine = self.of_crop[c]
            varieties = [self.problem.options[o].variety for o in mine]
            sites = [self.problem.plots[self.plot[o]].site for o in mine]
            for labels, share in ((varieties, want.variety_share), (sites, want.site_share)):
                known = sorted(set(labels))
                if share < 1 and len(known) * share >= 1 - NEARLY:
                    found += [
                        (mine[[one == label for one in labels]], mine, share) for label in known
                    ]
        return tuple(found)

    @property
    def left_out(self) -> list[int]:
        """Options that do not fit even into an empty plot: a block larger than the bed,
        a plant wider than the pot.
        """
        return [int(o) for o in np.flatnonzero(self.most <= 0)]


def lay_out(problem: Problem) -> Laid:
    """Lay out a problem as arrays, once.

    Parameters
    ----------
    problem : Problem
        Crops, plots, options with their draws in kilograms a plant, ceilings.

    Returns
    -------
    Laid
        What every step of the fit reads.

    Raises
    ------
    PlanError
        Nothing wanted, a figure out of its range, or draws that do not go with the options.

    Notes
    -----
    The most of an option is the plot it has, or what its need could ask of it alone: need over its
    own low quantile.

    Examples
    --------
    >>> draws = np.array([[0.5, 1.0, 1.5, 2.0]])
    >>> bed = Plot(name="bed", site="yard", size=2.0)
    >>> laid = lay_out(
    ...     Problem(
    ...         wanted=(Wanted(name="leek", family="onion", need_kg=3, certainty=0.5),),
    ...         plots=(bed,),
    ...         options=(Option(crop=0, variety="a", plot=0, start=4, end=9, use=0.1),),
    ...         draws=draws,
    ...     )
    ... )
    >>> float(laid.most[0]), float(laid.least[0])
    (4.0, 1.0)
    """
    _check(problem)
    options, plots, wanted = problem.options, problem.plots, problem.wanted
    crop = np.array([option.crop for option in options], int)
    plot = np.array([option.plot for option in options], int)
    use = np.array([option.use for option in options], float)
    there = np.zeros((len(options), problem.slots))
    for o, one in enumerate(options):
        there[o, one.start : one.end + 1] = 1.0
    size = np.array([one.size for one in plots], float)
    needs = np.array([one.need_kg for one in wanted])
    risks = np.array([1 - one.certainty for one in wanted])
    unit, least, most, wish = _amounts(problem, crop, plot, use, needs, risks)
    fixed = np.zeros(len(options), bool)
    for o, plants in problem.pinned:
        fixed[o], most[o] = True, max(most[o], plants)
    free = np.repeat(size[:, None], problem.slots, axis=1)
    for p, place in enumerate(plots):
        free[p] -= np.array(place.taken) if place.taken else 0.0
    held, ceilings, ceiling_of = _ceilings(problem, there)
    too_soon, rested = _rests(problem, crop, plot, use, size)
    weights = np.array([one.weight for one in wanted], float)
    return Laid(
        problem=problem,
        crop=crop,
        plot=plot,
        use=use,
        there=there,
        unit=unit,
        least=least,
        most=most,
        thrift=_thrift(problem, use, there, size, wish),
        free=np.maximum(free, 0.0),
        held=held,
        ceilings=ceilings,
        ceiling_of=ceiling_of,
        too_soon=too_soon,
        rested=rested,
        weights=weights / weights.sum(),
        needs=needs,
        risks=risks,
        fixed=fixed,
        too_soon_cost=TOO_SOON * problem.rest_weight,
    )


def _amounts(
    problem: Problem,
    crop: np.ndarray,
    plot: np.ndarray,
    use: FloatArray,
    needs: FloatArray,
    risks: FloatArray,
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Of each option: in what steps plants are taken, the least, the most, what its need asks."""
    size = np.array([one.size for one in problem.plots], float)
    pots = np.array([one.is_pots for one in problem.plots], bool)[plot]
    unit = np.where(pots, np.maximum(np.round(1 / use), 1.0), 1.0)
    block = np.array([problem.wanted[c].min_block for c in crop], float)
    least = np.where(
        pots,
        unit,
        np.maximum(np.ceil(LEAST_OF_BED * size[plot] / use - NEARLY), np.maximum(block, 1.0)),
    )
    holds = np.where(
        pots, np.floor(size[plot] + NEARLY) * unit, np.floor(size[plot] / use + NEARLY)
    )
    low = np.zeros(len(use))
    for c, risk in enumerate(risks):
        low[crop == c] = quantiles(problem.draws[crop == c], risk)
    with np.errstate(divide="ignore"):
        asked = np.where(low > 0, np.ceil(needs[crop] / np.maximum(low, NEARLY) - NEARLY), np.inf)
    wish = np.minimum(holds, asked)
    most = np.where(
        holds >= least - NEARLY,
        np.minimum(holds, np.maximum(np.ceil(THRIFT_OVER * wish), least)),
        0.0,
    )
    most = np.where(pots, np.ceil(most / unit - NEARLY) * unit, most)
    return unit, least, most, wish


def _check(problem: Problem) -> None:
    if not problem.wanted:
        raise PlanError("Nothing is wanted yet: plan a crop first.")
    if not problem.options:
        raise PlanError("No place is left in which any of these crops may stand.")
    if (
        problem.draws.shape[0] != len(problem.options)
        or problem.draws.ndim != 2
        or problem.draws.shape[1] < 2
    ):
        raise PlanError("Every option has draws of what a plant gives, two at least.")
    if any(
        one.need_kg <= 0 or not 0 < one.certainty < 1 or one.weight <= 0 for one in problem.wanted
    ):
        raise PlanError("Needs and weights are above zero, and a certainty lies between 0 and 1.")
    if any(plot.size <= 0 for plot in problem.plots):
        raise PlanError("Every place has some plot.")
    if any(o.use <= 0 or not 0 <= o.start <= o.end < problem.slots for o in problem.options):
        raise PlanError(
            "A plant takes some plot, from a half-month of the year to the same or a later one."
        )


def quantile(totals: FloatArray, risk: float) -> float:
    """Find a quantile of draws.

    Parameters
    ----------
    totals : array, (draws,)
        Kilograms.
    risk : float
        0 to 1.

    Returns
    -------
    float
        Kilograms.

    Notes
    -----
    Linear between the draws beside it (Hyndman & Fan 1996, *The American Statistician* 50:361, type
    7; memory).

    Examples
    --------
    >>> quantile(np.array([4.0, 1.0, 3.0, 2.0]), 0.5)
    2.5
    """
    return float(quantiles(totals[None, :], risk)[0])


def quantiles(totals: FloatArray, risk: float) -> FloatArray:
    """Find the quantile of each row.

    Parameters
    ----------
    totals : array, (rows, draws)
        Kilograms.
    risk : float
        0 to 1.

    Returns
    -------
    array, (rows,)
        Kilograms.

    Notes
    -----
    As `quantile`, by a partition instead of a sort.

    Examples
    --------
    >>> quantiles(np.array([[4.0, 1.0], [2.0, 8.0]]), 0.25).tolist()
    [1.75, 3.5]
    """
    at = (totals.shape[1] - 1) * risk
    low = min(int(at), totals.shape[1] - 2)
    found = np.partition(totals, (low, low + 1), axis=1)
    return np.asarray(found[:, low] + (at - low) * (found[:, low + 1] - found[:, low]))


def _thrift(
    problem: Problem, use: FloatArray, there: FloatArray, size: FloatArray, wish: FloatArray
) -> FloatArray:
    """What a plant costs in thrift: its part of the area-time, the money,
    the minutes and the water there could be.
    """
    of_each = [use * there.sum(axis=1) / (size.sum() * problem.slots)]
    for name in ("cost", "minutes", "water"):
        each = np.array([getattr(option, name) for option in problem.options], float)
        could = THRIFT_OVER * float((each * wish).sum())
        of_each.append(each / could if could > 0 else each * 0.0)
    return np.asarray(THRIFT * np.mean(of_each, axis=0))


def _ceilings(
    problem: Problem, there: FloatArray
) -> tuple[FloatArray, FloatArray, tuple[str, ...]]:
    """What a plant takes of each ceiling, the ceilings, of what: of the whole year,
    then of each half-month.
    """
    limits, rows, tops, names = problem.limits, [], [], []
    called = {"cost": "money", "minutes": "work", "water": "water"}
    each = {
        name: np.array([getattr(option, name) for option in problem.options], float)
        for name in called
    }
    for name, amounts in each.items():
        top = getattr(limits, name)
        if top is not None:
            rows.append(amounts)
            tops.append(float(top))
            names.append(called[name])
    slots = np.maximum(there.sum(axis=1), 1.0)
    a_week, a_day = (
        each["minutes"] / (slots * WEEKS_A_SLOT),
        each["water"] / (slots * WEEKS_A_SLOT * 7),
    )
    for name, amounts, top in (
        ("work", a_week, limits.minutes_a_week),
        ("water", a_day, limits.litres_a_day),
    ):
        if top is not None:
            rows += list((there * amounts[:, None]).T)
            tops += [float(top)] * problem.slots
            names += [name] * problem.slots
    return np.array(rows).reshape(len(rows), len(problem.options)), np.array(tops), tuple(names)


def _rests(
    problem: Problem, crop: np.ndarray, plot: np.ndarray, use: FloatArray, size: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """One row for each plot and what would come back to it too soon:
    the share a plant takes, and what is clear.
    """
    rows, clear = [], []
    families = np.array([problem.wanted[c].family for c in crop])
    names = np.array([problem.wanted[c].name for c in crop])
    for p, one in enumerate(problem.plots):
        for what, amount in one.rest:
            mine = (plot == p) & ((families == what) | (names == what))
            if amount > 0 and mine.any():
                rows.append(np.where(mine, use / size[p], 0.0))
                clear.append(max(1 - amount / size[p], 0.0))
    return np.array(rows).reshape(len(rows), len(crop)), np.array(clear)
