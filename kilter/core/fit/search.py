"""Better fits step by step, on the true quantile: more or less of an option,
or one in place of another.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from kilter.core.arrays import FloatArray
from kilter.core.fit.penalties import intercropping, occupied
from kilter.core.fit.problem import NEARLY, PLANTING, Laid, quantiles
from kilter.core.fit.worth import Worth, reached_with, totals_of, weighed, worth_of

#: So many options are looked at in one step (rule).
LOOKED_AT: Final = 40
#: Of all that might take another's place, so many of the most promising are looked at closely
#: (rule).
CLOSELY: Final = 3
BETTER: Final = 1e-9


@dataclass(frozen=True, eq=False)
class _State:
    worth: Worth
    totals: FloatArray  #: (crops, draws)


class Search:
    """A fit that is changed in steps; every step taken makes it worth more."""

    def __init__(self, laid: Laid, plants: FloatArray, seed: int = 1) -> None:
        self.laid = laid
        self.rng = np.random.default_rng(seed)
        self.free_options = np.flatnonzero((laid.most > 0) & ~laid.fixed)
        self.start(plants)

    def start(self, plants: FloatArray) -> None:
        """Go on from a fit."""
        laid = self.laid
        self._be(_State(worth_of(laid, plants.copy()), totals_of(laid, plants)))

    def _be(self, state: _State) -> None:
        """Stand at a fit."""
        laid, plants = self.laid, state.worth.plants
        self.worth, self.totals, self.plants = state.worth, state.totals, plants
        self.left = laid.free - occupied(laid, plants)
        some = np.flatnonzero(plants > 0)
        self.spare = (
            laid.ceilings - laid.held[:, some] @ plants[some] if len(laid.ceilings) else np.zeros(0)
        )
        self.soon = (
            laid.too_soon[:, some] @ plants[some] - laid.rested if len(laid.rested) else np.zeros(0)
        )

    def _changed_to(self, plants: FloatArray) -> _State:
        """What it would be with other plants; only crops that differ are reckoned anew."""
        laid = self.laid
        changed = np.flatnonzero(plants != self.plants)
        totals, sure = self.totals.copy(), self.worth.sure_kg.copy()
        for c in np.unique(laid.crop[changed]):
            mine = changed[laid.crop[changed] == c]
            totals[c] += (plants[mine] - self.plants[mine]) @ laid.problem.draws[mine]
            sure[c] = quantiles(totals[[c]], laid.risks[c])[0]
        return _State(weighed(laid, plants, sure), totals)

    def polish(self, tries: int) -> None:
        """Take so many random steps: now more or less of one option,
        now one in place of another.
        """
        for n in range(tries):
            standing = self.free_options[self.plants[self.free_options] > 0]
            if n % 3 and standing.size:
                self.replace(int(self.rng.choice(standing)), is_whole=n % 3 == 1)
            elif self.free_options.size:
                short = np.flatnonzero(self.worth.reached < 1)
                of = (
                    self.laid.of_crop[int(self.rng.choice(short))]
                    if short.size and n % 2
                    else self.free_options
                )
                of = of[~self.laid.fixed[of]]
                if of.size:
                    self.tune(of)

    def kick(self) -> None:
        """Give up some plantings at random, or all but what one crop has,
        to find a way round a hollow.
        """
        standing = self.free_options[self.plants[self.free_options] > 0]
        if standing.size:
            given_up = self.rng.choice(
                standing, int(self.rng.integers(1, min(len(standing), 4) + 1)), replace=False
            )
            plants = self.plants.copy()
            plants[given_up] = 0.0
            self._be(self._changed_to(plants))
            for _ in range(2 * len(given_up)):  # in their place whatever comes first
                of = self._some(self.free_options)
                amounts = self.amounts(of)
                i, a = int(self.rng.integers(len(of))), int(self.rng.integers(amounts.shape[1]))
                plants = self.plants.copy()
                plants[of[i]] = amounts[i, a]
                self._be(self._changed_to(plants))

    def tune(self, options: np.ndarray) -> bool:
        """The best amount of one of these options, all else as it is."""
        return any(self._take(plants) for plants in self._best_of(self._some(options), self.plants))

    def replace(self, option: int, *, is_whole: bool = True) -> bool:
        """Another option in place of one or of part of it: of its crop anywhere,
        or of any crop in its plot.
        """
        laid = self.laid
        without = self.plants.copy()
        less = float(without[option] - laid.unit[option])
        without[option] = 0.0 if is_whole or less < laid.least[option] else less
        others = np.union1d(laid.of_crop[laid.crop[option]], laid.of_plot[laid.plot[option]])
        others = self._some(others[~laid.fixed[others]])
        before = _State(self.worth, self.totals)
        self._be(self._changed_to(without))
        found = self._best_of(others, without)
        self._be(before)
        return any(self._take(plants) for plants in [*found, without])

    def _some(self, options: np.ndarray) -> np.ndarray:
        """Of very many options, as many as can be looked at in one step."""
        if len(options) <= LOOKED_AT:
            return options
        return np.sort(self.rng.choice(options, LOOKED_AT, replace=False))

    def _take(self, plants: FloatArray) -> bool:
        tried = self._changed_to(plants)
        if tried.worth.total <= self.worth.total + BETTER:
            return False
        self._be(tried)
        return True

    def most_of(self, options: np.ndarray) -> FloatArray:
        """How many plants of each option there may be, with those that are there."""
        laid, now = self.laid, self.plants[options]
        left = np.where(laid.there[options] > 0, self.left[laid.plot[options]], np.inf).min(axis=1)
        plot = left / laid.use[options]
        if len(self.spare):
            takes = laid.held[:, options]
            with np.errstate(divide="ignore", invalid="ignore"):
                plot = np.minimum(
                    plot, np.where(takes > 0, self.spare[:, None] / takes, np.inf).min(axis=0)
                )
        unit = laid.unit[options]
        whole = np.floor(np.maximum(plot + now, 0.0) / unit + 1e-6) * unit
        return np.asarray(np.minimum(whole, laid.most[options]))

    def amounts(self, options: np.ndarray) -> FloatArray:
        """(options, amounts): plants worth trying of each;
        those that may not be are as it stands.
        """
        laid, now = self.laid, self.plants[options]
        most, least, unit = self.most_of(options), laid.least[options], laid.unit[options]
        lacking = np.maximum(laid.needs - self.worth.sure_kg, 0.0)[laid.crop[options]]
        enough = now + lacking / np.maximum(laid.gives[options], 1e-12)
        tried = np.stack(
            [least, (least + most) / 2, most, enough, 1.3 * enough, now - unit, now + unit], axis=1
        )
        tried = np.ceil(tried / unit[:, None] - 1e-6) * unit[:, None]
        tried = np.clip(tried, least[:, None], np.maximum(most, least)[:, None])
        tried = np.where((most >= least - NEARLY)[:, None], tried, 0.0)
        return np.concatenate([np.zeros((len(options), 1)), tried], axis=1)

    def _best_of(self, options: np.ndarray, plants: FloatArray) -> list[FloatArray]:
        """The most promising options, each at its best amount; by what a crop gains, thrift,
        and what is too soon.
        """
        laid = self.laid
        amounts = self.amounts(options)
        change = amounts - plants[options][:, None]
        gain = -laid.thrift[options][:, None] * change
        gain -= (
            PLANTING
            * laid.is_bed[options][:, None]
            * ((amounts > 0) * 1.0 - (plants[options] > 0)[:, None])
        )
        for c in np.unique(laid.crop[options]):
            mine = np.flatnonzero(laid.crop[options] == c)
            draws = laid.problem.draws[options[mine]]
            totals = self.totals[c] + change[mine][:, :, None] * draws[:, None, :]
            useful = reached_with(laid, int(c), totals.reshape(-1, draws.shape[1])).reshape(
                len(mine), -1
            )
            gain[mine] += useful - reached_with(laid, int(c), self.totals[[c]])[0]
        for i in np.flatnonzero(laid.has_rests[options]):
            gain[i] -= self._sooner(int(options[i]), change[i])
        best = gain.argmax(axis=1)
        promise = gain[np.arange(len(options)), best]
        if laid.problem.beside:
            promise -= self._company(options, amounts[np.arange(len(options)), best], plants)
        found = []
        for i in np.argsort(-promise, kind="stable")[:CLOSELY]:
            tried = plants.copy()
            tried[options[i]] = amounts[i, best[i]]
            found.append(tried)
        return found

    def _company(self, options: np.ndarray, amounts: FloatArray, plants: FloatArray) -> FloatArray:
        """How much more would be held against each for who shares a bed with whom."""
        found, tried = np.zeros(len(options)), plants.copy()
        now = intercropping(self.laid, plants)
        for i in np.flatnonzero(self.laid.in_company[options]):
            tried[options[i]] = amounts[i]
            found[i] = intercropping(self.laid, tried) - now
            tried[options[i]] = plants[options[i]]
        return found

    def _sooner(self, option: int, change: FloatArray) -> FloatArray:
        """How much more would be held against it for coming back too soon."""
        found = np.zeros(len(change))
        for r in self.laid.rows_of[option]:
            after = self.soon[r] + self.laid.too_soon[r, option] * change
            found += np.maximum(after, 0.0) - max(float(self.soon[r]), 0.0)
        return self.laid.too_soon_cost * found
