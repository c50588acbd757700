"""Gardens made up to fit: small ones whose best fit is found by trying everything, large ones for
the bench.

``python -m tests.checks.fits [SEED] [GARDENS]``; ``make bench`` runs it too.
"""

from __future__ import annotations

import itertools
import resource
import statistics
import sys
import time

import numpy as np

from kilter.core.compare.links import FloatArray
from kilter.core.fit.find import BestFit, answer_quickly, first_fit, improve
from kilter.core.fit.limits import broken
from kilter.core.fit.master import Tangents
from kilter.core.fit.problem import Laid, Limits, Option, Plot, Problem, Wanted, lay_out
from kilter.core.fit.worth import worth_of

REPORTED = 20261101
SEEDS = 20
SIZES = ((15, 10), (30, 45))
IMPROVED_S = 10.0


def small(rng: np.random.Generator) -> Laid:
    """Two or three crops in three places, few enough options that everything can be tried."""
    plots = (
        Plot(
            name="a",
            site="yard",
            size=float(rng.uniform(1, 2.5)),
            rest=(("F0", float(rng.choice([0.0, 0.6]))),),
        ),
        Plot(
            name="b",
            site="lock",
            size=float(rng.uniform(0.6, 1.5)),
            shades=(0,) if rng.random() < 0.5 else (),
        ),
        Plot(
            name="t",
            site="yard",
            size=float(rng.integers(2, 4)),
            is_pots=True,
            rest=(("F1", float(rng.integers(0, 2))),),
        ),
    )
    wanted = tuple(
        Wanted(
            name=f"c{i}",
            family=f"F{i}",
            need_kg=1.0,
            certainty=float(rng.choice([0.5, 0.8])),
            weight=float(rng.integers(1, 4)),
            min_block=int(rng.choice([0, 0, 3])),
            is_tall=i == 0,
            is_low=i == 1,
        )
        for i in range(int(rng.integers(2, 4)))
    )
    options = []
    for c in range(len(wanted)):
        for place in rng.choice(3, 2, replace=False):
            start, is_pots = int(rng.integers(4, 12)), plots[place].is_pots
            use = 0.5 if is_pots else float(rng.uniform(0.25, 0.5))
            options.append(
                Option(
                    crop=c,
                    variety=f"v{len(options) % 2}",
                    plot=int(place),
                    start=start,
                    end=start + int(rng.integers(5, 10)),
                    use=use,
                    cost=float(rng.uniform(0.5, 2)),
                    minutes=float(rng.uniform(5, 20)),
                    water=5.0,
                )
            )
    return _laid(
        rng, wanted, plots, options, draws=100, share=float(rng.uniform(0.6, 1.4)), is_tight=True
    )


def large(rng: np.random.Generator, crops: int, places: int, draws: int = 400) -> Laid:
    """A garden of the size of a real one, in which not everything fits."""
    plots = tuple(
        Plot(
            name=f"p{p}",
            site=f"s{p % 2}",
            size=float(rng.integers(2, 9)) if p % 3 == 2 else float(rng.uniform(1.5, 6.0)),
            is_pots=p % 3 == 2,
            rest=((f"F{rng.integers(6)}", 1.0),),
            shades=(p + 1,) if p + 1 < places and rng.random() < 0.2 else (),
        )
        for p in range(places)
    )
    wanted = tuple(
        Wanted(
            name=f"c{c}",
            family=f"F{c % 6}",
            need_kg=1.0,
            certainty=float(rng.choice([0.5, 0.8])),
            weight=float(rng.integers(1, 6)),
            min_block=12 if c == 3 else 0,
            variety_share=0.7 if c % 5 == 0 else 1.0,
            is_tall=c % 4 == 0,
            is_low=c % 4 == 1,
        )
        for c in range(crops)
    )
    options = []
    for c in range(crops):
        a_plant, length = float(rng.uniform(0.02, 0.4)), int(rng.integers(4, 12))
        for p, plot in enumerate(plots):
            for variety in range(2):
                for window in range(int(rng.integers(3, 6)) if variety else 4):
                    start = min(int(rng.integers(3, 9)) + 2 * window, 23 - length)
                    use = 1 / max(round(0.12 / a_plant), 1) if plot.is_pots else a_plant
                    spans = {"cost": (0.1, 1), "minutes": (2, 12), "water": (1, 9)}
                    costs = {name: float(rng.uniform(*span)) for name, span in spans.items()}
                    options.append(
                        Option(
                            crop=c,
                            variety=f"v{variety}",
                            plot=p,
                            start=start,
                            end=start + length,
                            use=use,
                            **costs,
                        )
                    )
    return _laid(rng, wanted, plots, options, draws=draws, share=2.6, is_tight=False)


def _laid(
    rng: np.random.Generator,
    wanted: tuple[Wanted, ...],
    plots: tuple[Plot, ...],
    options: list[Option],
    *,
    draws: int,
    share: float,
    is_tight: bool,
) -> Laid:
    """Draws that share crop, variety and place in part;
    needs such that all crops want so much of the whole ground.
    """
    seasons = rng.normal(0, 0.25, (len(wanted), draws))
    of_variety: dict[tuple[int, str], FloatArray] = {}
    found = np.zeros((len(options), draws))
    for o, one in enumerate(options):
        common = of_variety.setdefault((one.crop, one.variety), rng.normal(0, 0.15, draws))
        found[o] = np.exp(
            rng.normal(0, 0.1) + seasons[one.crop] + common + rng.normal(0, 0.2, draws)
        )
        found[o] *= rng.random(draws) >= 0.04
    ground = sum(plot.size for plot in plots) / len(wanted)
    needs = []
    for c in range(len(wanted)):
        mine = [o for o, one in enumerate(options) if one.crop == c]
        use = float(np.mean([options[o].use for o in mine]))
        needs.append(
            max(
                share * ground / use * float(np.mean(found[mine])) * float(rng.uniform(0.7, 1.4)),
                0.3,
            )
        )
    limits = (
        Limits(minutes=float(rng.uniform(90, 160)))
        if is_tight
        else Limits(minutes_a_week=float(60 * len(plots)))
    )
    asked = tuple(
        Wanted(**{**vars(one), "need_kg": need}) for one, need in zip(wanted, needs, strict=True)
    )
    return lay_out(
        Problem(wanted=asked, plots=plots, options=tuple(options), draws=found, limits=limits)
    )


def best_of_all(laid: Laid) -> float:
    """Try every whole number of plants that breaks no limit."""
    levels = [
        [0.0, *np.arange(low, high + unit / 2, unit)] if high > 0 else [0.0]
        for low, high, unit in zip(laid.least, laid.most, laid.unit, strict=True)
    ]
    fits = (np.array(plants) for plants in itertools.product(*levels))
    return max(worth_of(laid, plants).total for plants in fits if not broken(laid, plants))


def improved(laid: Laid, found: BestFit, tangents: Tangents, seconds: float) -> BestFit:
    """The best fit after so long."""
    start = time.perf_counter()
    for better in improve(laid, found, tangents):
        found = better
        if time.perf_counter() - start >= seconds:
            return found
    return found


def main(seed: int = REPORTED, seeds: int = SEEDS) -> None:
    for crops, places in SIZES:
        firsts, gaps, first_gaps, quick = [], [], [], []
        for n in range(seeds):
            laid = large(np.random.default_rng([seed, n]), crops, places)
            start = time.perf_counter()
            found, tangents = first_fit(laid)
            firsts.append(time.perf_counter() - start)
            first_gaps.append(found.gap)
            found = improved(laid, found, tangents, IMPROVED_S - firsts[-1])
            gaps.append(found.gap)
            start = time.perf_counter()
            answer_quickly(laid, found.worth.plants, (n % crops,))
            quick.append(time.perf_counter() - start)
        first, last, slid = (statistics.median(of) for of in (firsts, gaps, quick))
        print(
            f"fit of {crops} crops × {places} places, {len(laid.crop)} options: first {first:.2f} "
            f"s (aim 2), {statistics.median(first_gaps) * 100:.2f} % under the ceiling; at "
            f"{IMPROVED_S:.0f} s {last * 100:.2f} % (goal {0.8 if crops == 15 else 3} %); a slider "
            f"{slid / first:.3f} of the first (goal 0.15), {slid * 1e3:.0f} ms (aim 200); "
            f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB"
        )


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
