"""Print ``kilter/core/compare/range_table.py``: upper 5 % points of the studentized range, by levels and 1/df.

Takes some minutes. The integrals are too slow for a page; the table, interpolated by cubics, is right to one in 50,000.
The points are SciPy's.
"""

from __future__ import annotations

import math
import textwrap
from collections.abc import Iterable

import numpy as np
from scipy.stats import studentized_range

LEVELS = (*range(3, 13), *range(14, 41, 2), 50, 60, 80, 100)
OVER_DF = (0, 0.01, 0.02, 0.035, 0.05, 0.075, 0.1, 0.125, 0.15, 0.175, 0.2, 0.235, 0.27, 0.31, 0.35, 0.4, 0.45, 0.5)
WIDE = (0.55, 0.6, 0.65, 0.7, 0.75, 0.8, 0.85, 0.9, 0.95, 1)
HEAD = '''"""Logs of the upper 5 % points of the studentized range by levels and 1/df, from scripts/range_table.py."""

from __future__ import annotations

from typing import Final

import numpy as np
'''


def log_q(levels: int, over: float) -> float:
    """The log of one point."""
    return math.log(float(studentized_range.ppf(0.95, levels, math.inf if over == 0 else 1 / over)))


def array(name: str, words: Iterable[str], shape: str = "") -> str:
    """An array as a module writes it."""
    lines = textwrap.wrap(" ".join(words), 110)
    text = "\n".join(lines)
    return f'_{name} = """\n{text}\n"""\n{name}: Final = np.array(_{name}.split(), dtype=float){shape}'


def main() -> None:
    """Print the module."""
    over = (*OVER_DF, *WIDE)
    print(HEAD)
    print(array("LEVELS", map(str, LEVELS)))
    print(array("OVER_DF", (f"{one:g}" for one in over)))
    words = (f"{log_q(levels, one):.5f}" for levels in LEVELS for one in over)
    print(array("QUANTILES", words, ".reshape(len(LEVELS), len(OVER_DF))"))


if __name__ == "__main__":
    np.seterr(all="ignore")
    main()
