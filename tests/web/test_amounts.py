"""A weight in a line of words: what lies half way goes up,
as on the device (tests/js/lines.test.mjs).
"""

from __future__ import annotations

import pytest

from kilter.people.templatetags.amounts import money, shortly


@pytest.mark.parametrize(
    ("mass_mg", "said"),
    [
        (1_845_000, "1.85 kg"),
        (7_995_000, "8.00 kg"),
        (9_996_000, "10.0 kg"),
        (627_500, "628 g"),
        (-1_845_000, "-1.85 kg"),
        (1_234_560_000, "1,234.6 kg"),
    ],
)
def test_what_lies_half_way_goes_up(mass_mg, said):
    assert shortly(mass_mg, "metric") == said


def test_a_price_is_rounded_as_by_hand():
    assert money(100.5, "€") == "1.01 €"
