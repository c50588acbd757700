"""Units summed by level and blocks:
with a canonical link the cell sums are sufficient statistics.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from kilter.core.arrays import FloatArray
from kilter.core.compare.design import Layout, lay_out
from kilter.core.compare.kinds import YIELD, Kind, Unit
from kilter.core.compare.quasi import Fit, fit_quasi


@dataclass(frozen=True)
class Cells:
    """The sums of each combination of level and blocks that occurs."""

    index: npt.NDArray[np.intp]  #: (n,) the cell of each unit
    amount: FloatArray  #: (m,)
    exposure: FloatArray  #: (m,)
    layout: Layout  #: its columns are (m, p)
    blocks: tuple[tuple[str, ...], ...]  #: (m,) the block labels of each cell

    @classmethod
    def of(cls, units: Sequence[Unit], block_names: tuple[str, ...]) -> Cells:
        """Sum the units of each combination of level and blocks that occurs."""
        keys: dict[tuple[str, tuple[str, ...]], int] = {}
        index = np.array([keys.setdefault((u.level, u.blocks), len(keys)) for u in units])
        amount = np.bincount(index, [u.amount for u in units]).astype(np.float64)
        exposure = np.bincount(index, [u.exposure for u in units]).astype(np.float64)
        layout = lay_out([level for level, _ in keys], [blocks for _, blocks in keys], block_names)
        return cls(index, amount, exposure, layout, tuple(blocks for _, blocks in keys))

    def fit(self, kind: Kind = YIELD) -> tuple[Fit, FloatArray]:
        """Fit, and where blocks multiply once more with weights exp(−block part); the weights
        too.
        """
        x, k = self.layout.columns, self.layout.level_count
        first = fit_quasi(self.amount, self.exposure, x, link=kind.link)
        if x.shape[1] == k or not kind.has_passes:
            return first, np.ones_like(self.amount)
        weights = np.exp(-(x[:, k:] @ first.coef[k:]))
        return fit_quasi(
            self.amount, self.exposure, x, weights, link=kind.link, start=first.coef
        ), weights

    def fit_without(
        self, unit: Unit, cell: int, share: float, weights: FloatArray, start: Fit
    ) -> Fit:
        """The same fit with so much of one unit's weight taken away."""
        amount, exposure = self.amount.copy(), self.exposure.copy()
        amount[cell] = max(amount[cell] - share * unit.amount, 0.0)
        exposure[cell] -= share * unit.exposure
        return fit_quasi(amount, exposure, start.design, weights, link=start.link, start=start.coef)
