"""Comparing yields: which was better, by how much, and how sure is that.

``loglink`` fits; ``design`` lays out levels and blocks; ``answer`` turns the fit into levels,
pairs and a verdict. ``compare`` is the one way in.
"""

from kilter.core.compare.answer import (
    BlockResult,
    Comparison,
    LevelResult,
    PairResult,
    Prior,
    Unit,
    compare,
)
from kilter.core.compare.loglink import LogLinkFit, fit_log_link

__all__ = [
    "BlockResult",
    "Comparison",
    "LevelResult",
    "LogLinkFit",
    "PairResult",
    "Prior",
    "Unit",
    "compare",
    "fit_log_link",
]
