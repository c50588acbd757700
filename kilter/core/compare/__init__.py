"""Comparing yields: which was better, by how much, and how sure is that.

``links`` and ``kinds`` say on which scale a measure is compared and how much like units differ in
it; ``design`` lays out levels and blocks, ``cells`` sums units, ``quasi`` fits them. ``moderation``
weighs the spread seen against what is believed, ``suspects`` that one place is off,
``interactions`` that other seasons answer otherwise; ``fitted`` brings these together. ``judge``
gives quantile, chance and verdict, ``answer`` levels, pairs and what they hang on. ``compare`` is
the one way in; ``factorial`` asks of two things at once, ``replicates`` learns the spread from the
garden's own.
"""

from kilter.core.compare.answer import (
    BlockResult,
    Comparison,
    LevelResult,
    PairResult,
    compare,
)
from kilter.core.compare.kinds import Kind, Unit
from kilter.core.compare.moderation import Prior

__all__ = [
    "BlockResult",
    "Comparison",
    "Kind",
    "LevelResult",
    "PairResult",
    "Prior",
    "Unit",
    "compare",
]
#: Which method a figure was reckoned by; it goes up where the same records come to another answer.
METHOD_VERSION = 2
