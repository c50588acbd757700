"""Gardens of known truth foretold: how often what came lies in the range of eight years in ten, and
how steady that is.

``python -m tests.checks.forecasts [SEED] [GARDENS]``; ``make bench`` runs it too.
"""

from __future__ import annotations

import sys
from dataclasses import fields

import numpy as np

from kilter.core.plan.effects import CROP_SD, RULES, Grown, Planned, Spreads, believe
from kilter.core.plan.scenarios import draw_years, enough_for

REPORTED = 20260901
GARDENS = 200
STEADY_GARDENS = 20
HANDBOOK_KG = 0.5


def garden(rng: np.random.Generator, factor: float) -> tuple[list[Grown], list[Planned], float]:
    """A few seasons of a crop, what is planned, and what that gives;
    every SD is the rule's times a factor.
    """
    sds = Spreads(**{one.name: getattr(RULES, one.name) * factor for one in fields(RULES)})
    level = np.log(HANDBOOK_KG) + rng.normal(0, CROP_SD)
    effects: dict[tuple[str, object], float] = {}

    def effect(kind: str, label: object, sd: float) -> float:
        return effects.setdefault((kind, label), float(rng.normal(0, sd)))

    def gives(variety: str, place: str, season: int, plants: float) -> float:
        m = (
            level
            + effect("v", variety, sds.variety)
            + effect("p", place, sds.place)
            + effect("s", season, sds.season)
        )
        m += effect("vs", (variety, season), sds.variety_season)
        noise = sds.unit**2 + sds.plant**2 / plants
        return float(plants * np.exp(rng.normal(m - noise / 2, np.sqrt(noise))))

    grown = []
    for season in range(2026 - int(rng.integers(1, 5)), 2026):
        for n in range(int(rng.integers(1, 7))):
            variety, place, plants = f"v{n % 3}", f"p{rng.integers(4)}", float(rng.integers(2, 20))
            grown.append(
                Grown(
                    variety=variety,
                    method="",
                    place=place,
                    season=season,
                    plants=plants,
                    mass_kg=gives(variety, place, season, plants),
                )
            )
    planned = [
        Planned(f"v{n}", "", f"p{rng.integers(4)}", float(rng.integers(4, 20))) for n in range(3)
    ]
    came = sum(gives(one.variety, one.place, 2026, one.plants) for one in planned)
    return grown, planned, came


def coverage(seed: int, gardens: int, factor: float) -> tuple[float, float]:
    """The share of gardens whose harvest lay in the range of eight, and of five, years in ten."""
    rng = np.random.default_rng(seed)
    eight = five = 0
    for _ in range(gardens):
        grown, planned, came = garden(rng, factor)
        totals = draw_years(believe(grown, planned, HANDBOOK_KG), planned).totals()
        tenth, quarter, three, ninetieth = np.quantile(totals, (0.1, 0.25, 0.75, 0.9))
        eight += tenth <= came <= ninetieth
        five += quarter <= came <= three
    return eight / gardens, five / gardens


def steadiness(seed: int, gardens: int) -> list[float]:
    """For each garden, how far the number for four years in five hangs on the seed:
    SD over mean, of six seeds.
    """
    rng = np.random.default_rng(seed)
    found = []
    for _ in range(gardens):
        grown, planned, _ = garden(rng, 1.0)
        need_kg = HANDBOOK_KG * sum(one.plants for one in planned)
        numbers = [
            enough.plants
            for at in range(1, 7)
            if (
                enough := enough_for(
                    draw_years(believe(grown, planned, HANDBOOK_KG, seed=at), planned, seed=at),
                    need_kg,
                    0.8,
                )
            )
        ]
        found.append(float(np.std(numbers) / np.mean(numbers)))
    return found


def main(seed: int = REPORTED, gardens: int = GARDENS) -> None:
    for factor, wanted in ((1.0, "78–88 %"), (1.5, "at least 70 %"), (1 / 1.5, "at least 70 %")):
        eight, five = coverage(seed, gardens, factor)
        print(
            f"a forecast where every SD is {factor:.2g} of the rule: 80 % ranges hold "
            f"{eight * 100:.0f} %, 50 % ranges {five * 100:.0f} % of {gardens} gardens  goal "
            f"{wanted}"
        )
    steady = steadiness(seed, STEADY_GARDENS)
    print(
        f"the number for 80 %: over six seeds SD {np.median(steady) * 100:.2f} % of the mean in "
        f"the middle garden, {max(steady) * 100:.2f} % in the worst of {STEADY_GARDENS}  goal 1 %"
    )


if __name__ == "__main__":
    main(*(int(word) for word in sys.argv[1:]))
