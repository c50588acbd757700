"""Do the intervals hold what they promise? Simulated gardens of known truth, seeded."""

from __future__ import annotations

import numpy as np
import pytest

from kilter.core.compare import Unit, compare
from kilter.core.compare.fitted import relative_variance
from kilter.core.errors import ComparisonError

CELL_UNITS, GARDENS = (1, 2, 3, 5), 90


def garden(rng, levels, blocks, units, zeros):
    """Units of a garden: κ ~ 4/χ²₄, 1 to 8 plants a unit, block means up to five-fold apart."""
    kappa = 4 / rng.chisquare(4)
    level, block = rng.normal(0, 0.3, levels), rng.uniform(0, np.log(5), blocks)
    rows, expected = [], np.zeros(levels)
    for i in range(levels):
        for j in range(blocks):
            for _ in range(units):
                plants = int(rng.integers(1, 9))
                mu = plants * np.exp(level[i] + block[j])
                shape = 1 / (kappa * relative_variance(plants))
                y = rng.gamma(shape, mu / shape) * (rng.random() >= zeros) / (1 - zeros)
                rows.append(Unit(str(len(rows)), y, plants, f"l{i}", (f"b{j}",) if blocks > 1 else (), plants))
    share = np.bincount([int(u.blocks[0][1:]) if u.blocks else 0 for u in rows], [u.exposure for u in rows])
    share = share / share.sum()
    expected = np.array([float(share @ np.exp(a + block)) for a in level])
    return rows, level, expected


def covered(rng, levels, zeros):
    """Shares of gardens whose pairs are all inside their intervals, and of level means inside theirs."""
    pairs, means = [], []
    for blocks in (1, 3):
        for units in CELL_UNITS:
            for _ in range(GARDENS):
                rows, level, expected = garden(rng, levels, blocks, units, zeros)
                try:
                    answer = compare(rows, block_names=("row",) if blocks > 1 else ())
                except ComparisonError:
                    continue  # zeros that leave nothing to compare are said, not answered
                true = {f"l{i}": a for i, a in enumerate(level)}
                if answer.pairs:
                    pairs.append(all(p.low <= np.exp(true[p.a] - true[p.b]) <= p.high for p in answer.pairs))
                if not answer.left_out:
                    means += [r.low <= expected[int(r.level[1:])] <= r.high for r in answer.levels if r.low is not None]
    return float(np.mean(pairs)), float(np.mean(means)), len(pairs)


@pytest.mark.simulation
def test_intervals_cover_what_they_say():
    rng = np.random.default_rng(20260901)
    found = {(levels, zeros): covered(rng, levels, zeros) for levels in (2, 4) for zeros in (0.0, 0.1)}
    assert sum(count for _, _, count in found.values()) > 2500
    for levels in (2, 4):
        both = [found[levels, zeros] for zeros in (0.0, 0.1)]
        for what in (0, 1):
            assert 0.93 <= np.mean([one[what] for one in both]) <= 0.98, (found, levels, what)
