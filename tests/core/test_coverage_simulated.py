"""Do the intervals hold what they promise? Simulated gardens of known truth, seeded;
the bench has the whole table.
"""

from __future__ import annotations

import numpy as np
import pytest

from tests.checks.gardens import DESIGNS, held

#: Fewer of each than the bench draws, so each bound is wider by twice the standard error of a
#: share.
SEED, EACH = 20260917, 150
LEAST = {
    "one pot ×4, two against two": 0.85,
    "pool has a ninth of the variance": 0.87,
    "levels answer seasons, SD 0.30": 0.87,
    "levels answer seasons, four": 0.86,
}


@pytest.mark.simulation
@pytest.mark.parametrize("design", DESIGNS, ids=lambda design: design.name)
def test_intervals_cover_what_they_say(design):
    found = held(design, SEED, EACH)
    assert found.answered > 0.9 * EACH
    assert found.pairs >= LEAST.get(design.name, 0.895)
    assert np.isnan(found.levels) or found.levels >= 0.86
    assert found.false_clear <= 0.10
