"""How fair a comparison is: what differs is named with both values, worst first;
what does not is not.
"""

from __future__ import annotations

import pytest

from kilter.core.compare.fairness import NOT_RECORDED, imbalances
from kilter.core.errors import ComparisonError


def judged(attribute, **levels):
    units = [(f"{level}{i}", level) for level, values in levels.items() for i in range(len(values))]
    return imbalances(units, {attribute: [value for values in levels.values() for value in values]})


@pytest.mark.parametrize(
    ("a", "b", "score"),
    [
        (["sun"] * 4, ["sun"] * 4, None),
        (["sun"] * 4, ["sun", "sun", "sun", "shade"], None),  # a distance of 0.25 is not above it
        (["sun"] * 4, ["sun", "sun", "shade", "shade"], 0.5),
        (["sun"] * 2, [None, None], 1.0),  # what was not written down is a category of its own
        (["sun", "a", "b"], ["c", "d", "e"], None),  # a name for every unit tells nothing
        ([None, None], [None, None], None),
    ],
)
def test_categories_by_total_variation_distance(a, b, score):
    found = judged("light", a=a, b=b)
    assert [one.score for one in found] == ([] if score is None else [score])


@pytest.mark.parametrize(
    ("a", "b", "differs"),
    [
        ([10.0, 12.0, 14.0], [10.0, 12.0, 14.0], False),
        ([10.0, 12.0, 14.0], [20.0, 22.0, 24.0], True),
        (
            [100.0, 100.1],
            [101.0, 101.1],
            False,
        ),  # ten SDs apart, and one part in a hundred: no matter
        ([10.0, 30.0], [13.0, 33.0], False),  # 3 apart with an SD of 14
        ([5.0], [9.0], True),
        ([5.0, 5.0], [5.0, 5.0], False),
        ([5.0, 6.0], [None, None], True),
    ],
)
def test_numbers_by_their_standardised_difference(a, b, differs):
    assert bool(judged("density", a=a, b=b)) is differs


def test_worst_first_with_the_two_values_and_the_units_of_the_levels_furthest_apart():
    units = [("1", "a"), ("2", "a"), ("3", "b"), ("4", "b"), ("5", "c"), ("6", "c")]
    seen = {
        "mulch": ["straw", None, "straw", "straw", "straw", "straw"],
        "light": ["sun", "sun", "shade", "shade", "sun", "shade"],
    }
    light, mulch = imbalances(units, seen)
    assert (
        light.attribute,
        light.a,
        light.a_value,
        light.a_of,
        light.b,
        light.b_value,
        light.b_of,
        light.refs,
    ) == (
        "light",
        "a",
        "sun",
        (2, 2),
        "b",
        "shade",
        (2, 2),
        ("1", "2", "3", "4"),
    )
    assert (mulch.a_value, mulch.b_value) == (NOT_RECORDED, "straw")
    with pytest.raises(ComparisonError):
        imbalances(units[:2], {"light": ["sun", "shade"]})
