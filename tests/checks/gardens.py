"""Simulated gardens of known truth, plain and hostile: do the intervals hold what they promise?

``python -m tests.checks.gardens [SEED] [GARDENS]`` prints the table of docs/method.md; ``make
bench`` runs it too. The reported seed is REPORTED; constants were only ever tried on TUNED.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from kilter.core.compare import Comparison, Prior, Unit, compare
from kilter.core.compare.baskets import settle_baskets
from kilter.core.compare.kinds import DAYS, SHARE, SIZE, YIELD, Kind, relative_variance
from kilter.core.compare.moderation import Component, rule_components
from kilter.core.errors import ComparisonError
from kilter.core.yields.harvest import BasketPart

REPORTED, TUNED = 20260901, 7
EACH = 600


@dataclass(frozen=True)
class Truth:
    """One garden with what is true of it."""

    units: list[Unit]
    level: dict[str, float]  #: on the link's scale
    block: np.ndarray  #: what each block adds
    share: np.ndarray  #: the exposure in each block
    names: tuple[str, ...] = ()
    prior: Prior | None = None
    kind: Kind = YIELD


@dataclass(frozen=True)
class Design:
    """A kind of garden."""

    name: str
    levels: int = 2
    blocks: int = 1
    units: tuple[int, ...] = (2, 3, 5)  #: of each level in each block, one of these
    gap: float = 0.3  #: SD of the levels
    zeros: float = 0.0
    missing: float = 0.0  #: cells that were never planted
    off: float = 1.0  #: one pot gave so many times what it should
    answer: float = 0.0  #: SD of how differently levels answer a season
    pool: float | None = None  #: the garden's own replicates have so many times the true variance
    kind: Kind = YIELD
    kappa: float | None = None  #: of the true spread; else 4/χ²₄ of the rule's
    wanted: str = ""
    more: Callable[[np.random.Generator, Truth], Truth] | None = field(default=None)


def draw(design: Design, rng: np.random.Generator) -> Truth:
    """One garden of a design."""
    kind = design.kind
    kappa = design.kappa or 4 / rng.chisquare(4)
    each = int(rng.choice(design.units))
    scale = {"ratio": 1.0, "days": 30.0, "points": 2.0}[kind.answered]
    level = rng.normal(0, design.gap * scale, design.levels)
    spread = {"ratio": np.log(5), "days": 40.0, "points": 1.5}[kind.answered]
    block = rng.uniform(0, spread, design.blocks)
    answers = rng.normal(0, design.answer, (design.levels, design.blocks))
    units: list[Unit] = []
    for i in range(design.levels):
        for j in range(design.blocks):
            if design.blocks > 1 and rng.random() < design.missing:
                continue
            eta = level[i] + block[j] + answers[i, j]
            labels = (f"b{j}",) if design.blocks > 1 else ()
            units += [
                _unit(rng, design, f"{len(units) + n}", f"l{i}", labels, eta, kappa)
                for n in range(each)
            ]
    if design.off != 1.0 and units:
        at = int(rng.integers(len(units)))
        units[at] = replace(units[at], amount=units[at].amount * design.off)
    share = np.zeros(design.blocks)
    for unit in units:
        share[int(unit.blocks[0][1:]) if unit.blocks else 0] += unit.exposure
    names = (("season",) if design.answer else ("row",)) if design.blocks > 1 else ()
    prior = None if design.pool is None else _pool(rng, kappa * design.pool)
    truth = Truth(
        units, {f"l{i}": float(x) for i, x in enumerate(level)}, block, share, names, prior, kind
    )
    return design.more(rng, truth) if design.more else truth


def _unit(
    rng: np.random.Generator,
    design: Design,
    ref: str,
    level: str,
    blocks: tuple[str, ...],
    eta: float,
    kappa: float,
) -> Unit:
    kind = design.kind
    if kind.answered == "days":
        return Unit(
            ref=ref,
            amount=max(80 + eta + rng.normal(0, 5 * np.sqrt(kappa)), 1.0),
            exposure=1.0,
            level=level,
            blocks=blocks,
        )
    if kind.answered == "points":
        share = 1 / (1 + np.exp(-(eta - 2 + rng.normal(0, np.sqrt(0.15 * kappa)))))
        pieces = int(rng.integers(10, 60))
        return Unit(
            ref=ref,
            amount=float(rng.binomial(pieces, share)),
            exposure=float(pieces),
            level=level,
            blocks=blocks,
            pieces=float(pieces),
        )
    plants = int(rng.integers(1, 9))
    exposure = float(rng.integers(10, 60)) if kind is SIZE else float(plants)
    mu = exposure * np.exp(eta)
    shape = 1 / (kappa * relative_variance(plants, kind))
    gave = rng.random() >= design.zeros
    return Unit(
        ref=ref,
        amount=float(rng.gamma(shape, mu / shape)) * gave / (1 - design.zeros),
        exposure=exposure,
        level=level,
        blocks=blocks,
        plants=plants,
    )


def _pool(rng: np.random.Generator, kappa: float) -> Prior:
    """A large pool of the garden's own replicates, as `own_prior` makes a belief of it."""
    nu = 20
    own = (4 + kappa * rng.chisquare(nu)) / (4 + nu)
    share = 0.5 * nu / (nu + 2)
    rest = (
        replace(component, weight=(1 - share) * component.weight) for component in rule_components()
    )
    return Prior("own, this crop", (Component(share, 8.0, own), *rest), nu)


def _in_baskets(rng: np.random.Generator, truth: Truth) -> Truth:
    """A fifth of what two units of different levels gave was weighed as one and shared out by
    plants.
    """
    units = list(truth.units)
    one = next(i for i, u in enumerate(units) if u.level == "l0")
    other = next(i for i, u in enumerate(units) if u.level == "l1")
    part = rng.uniform(0.05, 0.4)
    both = part * (units[one].amount + units[other].amount)
    plants = units[one].exposure + units[other].exposure
    for i in (one, other):
        mine = both * units[i].exposure / plants
        amount = (1 - part) * units[i].amount + mine
        parts = (BasketPart("k", mine / amount if amount else 0.0, 2),)
        units[i] = replace(units[i], amount=amount, baskets=parts)
    return replace(truth, units=list(settle_baskets(units).units))


def _by_set_out(rng: np.random.Generator, truth: Truth) -> Truth:
    """Of half the units only the number set out is known; eight in ten stand, give or take."""
    units = []
    for unit in truth.units:
        if rng.random() < 0.5:
            units.append(unit)
        else:
            stood = float(np.clip(rng.normal(0.8, 0.12), 0.3, 1.0))
            set_out = unit.exposure / stood
            units.append(replace(unit, exposure=set_out * 0.8, vague_sd=0.15))
    return replace(truth, units=units)


DESIGNS = (
    Design("plain", wanted="93–97.5"),
    Design("plain, four levels", levels=4, wanted="93–97.5"),
    Design("plain, three blocks", blocks=3, units=(1, 2, 3), wanted="93–97.5"),
    Design("15 % zeros", zeros=0.15, units=(3, 5), wanted="93–97.5"),
    Design(
        "blocks five-fold apart, cells missing",
        levels=3,
        blocks=4,
        missing=0.2,
        units=(1, 2),
        wanted="93–97.5",
    ),
    Design("one pot ×4, two against two", off=4.0, units=(2,), kappa=1.0, wanted="89"),
    Design("one pot ×4, four levels", levels=4, off=4.0, units=(3,), kappa=1.0, wanted="94"),
    Design("pool tells the truth", pool=1.0, kappa=1.0, wanted="93–97.5"),
    Design("pool has a quarter of the variance", pool=0.25, kappa=1.0, wanted="94"),
    Design("pool has a ninth of the variance", pool=1 / 9, kappa=1.0, wanted="89–93"),
    Design(
        "levels answer seasons, SD 0.30", blocks=3, answer=0.30, units=(1, 2, 3), wanted="91–98"
    ),
    Design(
        "levels answer seasons, four", levels=4, blocks=3, answer=0.30, units=(2, 3), wanted="91–98"
    ),
    Design("days", kind=DAYS, wanted="93–97.5"),
    Design("days, three blocks", kind=DAYS, blocks=3, units=(1, 2, 3), wanted="93–97.5"),
    Design("sizes", kind=SIZE, wanted="93–97.5"),
    Design("shares", kind=SHARE, units=(3, 5), wanted="93–97.5"),
    Design("a basket split across levels", more=_in_baskets, units=(3, 5), wanted="93–97.5"),
    Design("half known only as set out", more=_by_set_out, units=(3, 5), wanted="93–97.5"),
)


@dataclass(frozen=True)
class Held:
    """What the answers of many gardens held."""

    name: str
    answered: int
    pairs: float  #: share of gardens all of whose pairs lie inside their intervals
    levels: float  #: share of level means inside theirs
    width: float  #: median half width on the link's scale
    false_clear: float  #: share said clear where no two levels differ
    sign: float  #: share of the clear that point the right way
    wanted: str


def _expected(truth: Truth, level: str) -> float:
    """The true mean of a level at the mix of blocks that was planted."""
    link = truth.kind.link
    shift = {"ratio": 0.0, "days": 80.0, "points": -2.0}[truth.kind.answered]
    rates = link.rate(truth.level[level] + truth.block + shift)
    return float(truth.share @ rates / truth.share.sum())


def answers(design: Design, rng: np.random.Generator, count: int) -> list[tuple[Truth, Comparison]]:
    """So many gardens with their answers; what cannot be answered is said and passed over."""
    found = []
    for _ in range(count):
        truth = draw(design, rng)
        try:
            answer = compare(
                truth.units, block_names=truth.names, kind=truth.kind, prior=truth.prior
            )
        except ComparisonError:
            continue
        if answer.pairs and not answer.left_out:
            found.append((truth, answer))
    return found


def held(design: Design, seed: int, count: int = EACH) -> Held:
    """Run a design."""
    rng = np.random.default_rng(seed)
    pairs, levels, widths, signs = [], [], [], []
    found = answers(design, rng, count)
    for truth, answer in found:
        gaps = [truth.level[p.a] - truth.level[p.b] for p in answer.pairs]
        pairs.append(
            all(p.gap_low <= gap <= p.gap_high for p, gap in zip(answer.pairs, gaps, strict=True))
        )
        widths += [(p.gap_high - p.gap_low) / 2 for p in answer.pairs]
        signs += [
            gap > 0 for p, gap in zip(answer.pairs, gaps, strict=True) if p.verdict == "clear"
        ]
        if (
            design.kind is not SHARE
        ):  # the spread of logits shifts a mean share, so no single truth is its mean
            means = [
                (_expected(truth, r.level), r)
                for r in answer.levels
                if r.low is not None and r.high is not None
            ]
            levels += [
                r.low <= true <= r.high
                for true, r in means
                if r.low is not None and r.high is not None
            ]
    alike = answers(replace(design, gap=0.0), rng, count)
    clear = [any(p.verdict == "clear" for p in answer.pairs) for _, answer in alike]
    return Held(
        design.name,
        len(found),
        float(np.mean(pairs)),
        float(np.mean(levels)) if levels else float("nan"),
        float(np.median(widths)),
        float(np.mean(clear)),
        float(np.mean(signs)) if signs else float("nan"),
        design.wanted,
    )


def calibration(seed: int, count: int = EACH) -> list[tuple[int, float, int, float, int, float]]:
    """For 2 and 4 levels and several SDs of log-ratios: how often a chance of 0.95 or more and a
    clear are right.

    Plain gardens without blocks and with three, so many of each.
    """
    rows = []
    for levels in (2, 4):
        for sd in (0.1, 0.2, 0.35, 0.5):
            rng = np.random.default_rng([seed, levels, round(sd * 100)])
            plain = Design("", levels=levels, gap=sd / np.sqrt(2), units=(1, 2, 3, 5))
            sure, clear = [], []
            for design in (plain, replace(plain, blocks=3)):
                for truth, answer in answers(design, rng, count):
                    for p in answer.pairs:
                        is_right = truth.level[p.a] > truth.level[p.b]
                        sure += [is_right] if p.chance >= 0.95 else []
                        clear += [is_right] if p.verdict == "clear" else []
            rows.append(
                (levels, sd, len(sure), float(np.mean(sure)), len(clear), float(np.mean(clear)))
            )
    return rows


def main(seed: int = REPORTED, count: int = EACH) -> None:
    """Print both tables."""
    print(f"seed {seed}, {count} gardens of each kind")
    print(
        "garden | answered | pairs % | wanted | level means % | half width | false clear % | sign "
        "of clear %"
    )
    for design in DESIGNS:
        h = held(design, seed, count)
        print(
            f"{h.name} | {h.answered} | {h.pairs * 100:.1f} | {h.wanted} | {h.levels * 100:.1f} | "
            f"{h.width:.3g} | {h.false_clear * 100:.1f} | {h.sign * 100:.1f}"
        )
    print("levels | SD of log-ratios | chance ≥ 0.95 | right % | clear | right %")
    rows = calibration(seed, count)
    for levels, sd, sure, right, clear, sign in rows:
        print(f"{levels} | {sd} | {sure} | {right * 100:.1f} | {clear} | {sign * 100:.1f}")
    pooled = sum(row[2] * row[3] for row in rows) / sum(row[2] for row in rows)
    print(f"pooled: a chance of 0.95 or more is right in {pooled * 100:.1f} %")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
