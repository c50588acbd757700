"""False alarms of a draft: gardens in which nothing differs, and how many of them are told that
something does.

``python -m tests.checks.drafts [SEED] [GARDENS]``; ``make bench`` runs it too.
"""

from __future__ import annotations

import sys
from dataclasses import replace

import numpy as np

from kilter.core.compare import Comparison, compare
from kilter.core.errors import ComparisonError
from kilter.core.review.discoveries import found_among
from tests.checks.gardens import REPORTED, Design, draw

GARDENS = 1000
#: Of so many gardens without any true difference a draft may say that something is clear.
GOAL = 0.065


def garden(rng: np.random.Generator) -> list[Comparison]:
    """What the search asks of one garden: of each crop its varieties,
    and of some a method within variety.
    """
    kappa = 4 / rng.chisquare(4)  # how much like pots differ is the same in all of a garden
    found = []
    for _ in range(int(rng.integers(3, 11))):
        designs = [
            Design(
                "varieties",
                levels=int(rng.integers(2, 5)),
                units=(2, 3, 4, 6),
                gap=0.0,
                kappa=kappa,
            )
        ]
        if rng.random() < 0.5:
            designs.append(
                replace(designs[0], name="method", levels=2, blocks=int(rng.integers(1, 4)))
            )
        for design in designs:
            truth = draw(design, rng)
            try:
                found.append(compare(truth.units, block_names=truth.names, kind=truth.kind))
            except ComparisonError:
                continue
    return found


def alarms(seed: int = REPORTED, gardens: int = GARDENS) -> tuple[float, float]:
    """The share of gardens that are told something is clear,
    and how many would be without the correction.
    """
    rng = np.random.default_rng(seed)
    corrected = plain = 0
    for _ in range(gardens):
        asked = garden(rng)
        corrected += any(p is not None for p in found_among(asked))
        plain += any(one.verdict == "clear" for one in asked)
    return corrected / gardens, plain / gardens


def main(seed: int = REPORTED, gardens: int = GARDENS) -> None:
    corrected, plain = alarms(seed, gardens)
    print(
        f"a draft says that something is clear where nothing differs: {corrected * 100:.1f} % of "
        f"{gardens} gardens, {plain * 100:.1f} % without the correction  goal ≤ {GOAL * 100:.1f} %"
    )


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
