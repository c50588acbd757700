"""Comparing yields: which was better, by how much, and how sure is that.

``loglink`` fits; ``design`` lays out levels and blocks; ``fitted`` brings units to a settled fit; ``answer`` turns
that into levels, pairs and a verdict. ``compare`` is the one way in; ``factorial`` asks of two things at once,
``replicates`` learns the spread from the garden's own.
"""

from kilter.core.compare.answer import (
    BlockResult,
    Comparison,
    LevelResult,
    PairResult,
    compare,
)
from kilter.core.compare.fitted import Cells, Prior, Unit
from kilter.core.compare.loglink import LogLinkFit, fit_log_link

__all__ = [
    "BlockResult",
    "Cells",
    "Comparison",
    "LevelResult",
    "LogLinkFit",
    "PairResult",
    "Prior",
    "Unit",
    "compare",
    "fit_log_link",
]
