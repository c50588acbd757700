"""The search for better fits in a process of its own, so that the pages stay quick;
it writes no database.
"""

from __future__ import annotations

import contextlib
import json
import os
import pickle
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from itertools import islice

import numpy as np

from kilter.core.fit.certainty import Fresh, certainty_of
from kilter.core.fit.find import BestFit, first_fit, improve, mended, whole
from kilter.core.fit.master import Tangents
from kilter.core.fit.order import Order, fresh_years, problem_of
from kilter.core.fit.problem import Laid, lay_out
from kilter.core.fit.worth import worth_of

#: It stops by itself after so long, or once it is so near the ceiling (rules).
MOST_S, NEAR_ENOUGH = 120.0, 0.001
#: A message at most every so often, but for a better fit.
EVERY_S = 0.5
NICE = 10


@dataclass(frozen=True, kw_only=True)
class Best:
    """The best fit so far, small enough to be sent."""

    plants: dict[int, float]  #: by option, those that stand
    reached: tuple[float, ...]
    sure: tuple[float, ...]  #: of each need, in years that the search has not seen
    all_sure: float  #: of all at once
    worth: float
    ceiling: float
    tries: int
    is_done: bool = False

    @property
    def gap(self) -> float:
        return max(self.ceiling / self.worth - 1, 0.0) if self.worth > 0 else 0.0


def told(laid: Laid, fresh: Fresh, found: BestFit, *, is_done: bool = False) -> Best:
    """Put a fit into a message."""
    plants = found.worth.plants
    sure, all_sure = certainty_of(laid, plants, fresh)
    return Best(
        plants={int(o): float(plants[o]) for o in np.flatnonzero(plants > 0)},
        reached=tuple(float(one) for one in found.worth.reached),
        sure=tuple(float(one) for one in sure),
        all_sure=all_sure,
        worth=found.worth.total,
        ceiling=found.ceiling,
        tries=found.tries,
        is_done=is_done,
    )


def begin(laid: Laid, seed: int, before: dict[int, float]) -> tuple[BestFit, Tangents]:
    """A first fit, or the one that was found before where that is better."""
    found, tangents = first_fit(laid, seed=seed)
    if before:
        plants = np.zeros(len(laid.crop))
        for option, amount in before.items():
            plants[option] = amount
        kept = worth_of(laid, mended(laid, whole(laid, plants)))
        if kept.total > found.worth.total:
            found = BestFit(kept, max(found.ceiling, kept.total), 0)
    return found, tangents


def search(
    order: Order,
    before: dict[int, float],
    say: Callable[[Best], None],
    is_wanted: Callable[[], bool],
) -> None:
    """Look for better fits until nobody wants them any more, it is near enough, or time is up."""
    laid = lay_out(problem_of(order))
    fresh = fresh_years(order)
    found, tangents = begin(laid, order.seed, before)
    start = said_at = time.monotonic()
    say(told(laid, fresh, found))
    os.nice(NICE)  # the first one is waited for; better ones may take their time
    for better in improve(laid, found, tangents, seed=order.seed):
        now = time.monotonic()
        is_done = now - start > MOST_S or better.gap < NEAR_ENOUGH
        if is_done or better.worth is not found.worth or now - said_at > EVERY_S:
            say(told(laid, fresh, better, is_done=is_done))
            said_at = now
        found = better
        if is_done or not is_wanted():
            return


def fitted(order: Order, tries: int) -> Best:
    """The best fit of so many tries; the same for the same order on every machine."""
    laid = lay_out(problem_of(order))
    found, tangents = begin(laid, order.seed, {})
    for better in islice(improve(laid, found, tangents, seed=order.seed, seconds=None), tries):
        found = better
    return told(laid, fresh_years(order), found, is_done=True)


def main() -> None:
    """Read an order, and write what is found as lines of JSON;
    it ends when what it reads from is closed.
    """
    out = os.fdopen(os.dup(1), "w")
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # the solver prints
    order, before = pickle.load(sys.stdin.buffer)  # noqa: S301  # what our own server wrote
    over = threading.Event()

    def wait() -> None:
        sys.stdin.buffer.read()
        over.set()

    def say(best: Best) -> None:
        out.write(json.dumps(asdict(best)) + "\n")
        out.flush()

    threading.Thread(target=wait, daemon=True).start()
    with contextlib.suppress(BrokenPipeError):
        search(order, before, say, lambda: not over.is_set())


def heard(line: bytes) -> Best:
    """A line of it read again."""
    said = json.loads(line)
    plants = {int(option): amount for option, amount in said.pop("plants").items()}
    return Best(
        plants=plants, reached=tuple(said.pop("reached")), sure=tuple(said.pop("sure")), **said
    )


if __name__ == "__main__":
    main()
