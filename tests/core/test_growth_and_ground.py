"""Counts over time, where things stood, what grew before, medium, sharing:
by worked example and property.
"""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kilter.core.errors import RecordError
from kilter.core.growing.growth import CountEvent, left_of_lot, standing
from kilter.core.growing.medium import FillEvent, fill_of, parse_recipe, shopping, wet_weight
from kilter.core.growing.succession import Tenancy, predecessors, sharing, years_since_family
from kilter.core.growing.whereabouts import Departure, Situation, mostly, stays
from kilter.core.yields.costs import half_months, split_whole, yearly_parts

MAY = date(2026, 5, 1)


def counts(*events):
    return [CountEvent(MAY + timedelta(days=7 * i), kind, n) for i, (kind, n) in enumerate(events)]


@pytest.mark.parametrize(
    ("units", "is_seed", "events", "now", "germination"),
    [
        (24, False, (), 24, None),
        (None, False, (), None, None),
        (60, True, (("up", 45), ("thinned", 15), ("died", 2)), 28, 0.75),
        (60, True, (("up", 20), ("up", 51)), 51, 0.85),  # the later count sees more
        (10, False, (("sown", 20), ("up", 15), ("planted out", 10)), 10, 0.75),
        (24, False, (("died", 2), ("renewed", 2), ("standing", 22)), 22, None),
        (6, False, (("replaced", 6),), 0, None),
        (10, True, (("up", 12),), 12, 1.0),  # a packet may hold more than was counted
    ],
)
def test_what_stands_follows_from_the_counts(units, is_seed, events, now, germination):
    found = standing(units, counts(*events), is_seed=is_seed)
    assert (found.now, found.germination) == (now, germination)


@pytest.mark.parametrize(
    ("event", "says"),
    [
        (("died", 30), "only 24 stood"),
        (("gone", 1), "not counted here"),
        (("up", -1), "zero or more"),
    ],
)
def test_counts_that_cannot_be_are_refused(event, says):
    with pytest.raises(RecordError, match=says):
        standing(24, counts(event))


def test_a_packet_never_holds_less_than_nothing():
    assert left_of_lot(40, [30, 30]) == (0, 0)
    assert left_of_lot(None, [None]) == (None, 1)


FILLED = FillEvent(MAY, "filled", 30.0)


@pytest.mark.parametrize(
    ("events", "litres", "sunk", "uses"),
    [
        ((), None, None, 0),
        ((FILLED,), 30, None, 0),
        ((FILLED, FillEvent(date(2026, 6, 1), "topped up", 6.0)), 36, None, 0),
        (
            (
                FILLED,
                FillEvent(date(2026, 6, 1), "topped up", 6.0),
                FillEvent(date(2026, 7, 1), "measured", 27.0),
            ),
            27,
            0.25,
            0,
        ),
        ((FILLED, FillEvent(date(2026, 6, 1), "emptied")), 0, None, 0),
        ((FILLED, FillEvent(date(2026, 6, 1), "reused")), 30, None, 1),
        ((FillEvent(date(2026, 6, 1), "reused", 20.0), FILLED), 20, None, 1),
    ],
)
def test_real_fill_follows_what_was_done(events, litres, sunk, uses):
    found = fill_of(events)
    assert (found.litres, found.uses) == (litres, uses)
    assert found.sunk_share == (None if sunk is None else pytest.approx(sunk))


@pytest.mark.parametrize(
    ("fill", "pot", "high", "advice"),
    [
        (10, 1, False, ""),
        (17, 1, False, "heavy"),
        (27, 1, False, "two people"),
        (14, 0, True, ""),
        (15, 0, True, "heavy"),
        (23, 0, True, "two people"),
    ],
)
def test_heavy_from_16_kg_two_people_from_25_sooner_above_the_waist(fill, pot, high, advice):
    # Common practice, no source: 0.9 kg a litre; limits from memory of the UK HSE's guideline
    # figures.
    assert wet_weight(fill, pot, is_above_waist=high).advice == advice


@pytest.mark.parametrize(
    "text", ["compost", "compost two", "compost 0", "compost 1; compost 2", "2 compost"]
)
def test_a_mix_that_cannot_be_read_is_refused_with_its_piece(text):
    with pytest.raises(RecordError, match=r"no part of a mix|said twice"):
        parse_recipe(text)


@given(
    st.dictionaries(st.from_regex(r"[a-z]{1,8}", fullmatch=True), st.floats(0.1, 50), min_size=1),
    st.floats(0, 900),
)
def test_litres_of_the_parts_make_up_the_whole(recipe, litres):
    written = "; ".join(f"{name} {parts:.3f}" for name, parts in recipe.items())
    bought = shopping(parse_recipe(written), litres)
    assert bought.keys() == recipe.keys()
    assert sum(bought.values()) == pytest.approx(litres)


@given(st.integers(0, 10**9), st.lists(st.floats(0, 1e6), min_size=1).filter(lambda w: sum(w) > 0))
def test_a_whole_is_split_without_losing_any_and_no_part_is_a_whole_one_off(total, weights):
    parts = split_whole(total, weights)
    assert sum(parts) == total
    for part, weight in zip(parts, weights, strict=True):
        assert abs(part - total * weight / sum(weights)) < 1.0001


def test_a_crock_of_eighteen_over_six_years_and_two_plants_is_one_and_a_half_each():
    assert split_whole(yearly_parts(1800, 6)[0], [1, 1]) == (150, 150)
    with pytest.raises(RecordError, match="one year or more"):
        yearly_parts(1800, 0)


def test_a_half_month_begun_counts():
    assert half_months(date(2026, 3, 15), date(2026, 3, 16)) == 2
    assert half_months(date(2025, 10, 20), date(2026, 7, 3)) == 18
    assert half_months(date(2026, 5, 2), date(2026, 5, 1)) == 1


def test_where_a_crock_stood_when():
    moves = [
        Departure(date(2026, 7, 1), Situation("yard", "shade")),
        Departure(date(2026, 8, 1), Situation("lock", "part shade")),
    ]
    laid = stays(Situation("yard", "full sun"), moves[::-1])
    assert [(s.spot.light, s.start, s.end) for s in laid] == [
        ("shade", None, date(2026, 7, 1)),
        ("part shade", date(2026, 7, 1), date(2026, 8, 1)),
        ("full sun", date(2026, 8, 1), None),
    ]
    days = [s.days_within(date(2026, 6, 1), date(2026, 8, 31)) for s in laid]
    assert days == [30, 31, 31]
    assert sum(days) == (date(2026, 8, 31) - date(2026, 6, 1)).days + 1
    assert mostly(laid, date(2026, 6, 20), date(2026, 7, 31))[0].light == "part shade"
    assert mostly(laid, date(2026, 9, 1), date(2026, 9, 30)) == (
        Situation("yard", "full sun"),
        False,
    )


def tenancy(key, crop, family, start, end, place=1):
    return Tenancy(key, place, crop, family, date(2026, *start), date(2026, *end))


def test_what_grew_before_is_the_last_to_leave_and_neighbours_are_none():
    pea = tenancy(1, "pea", "Fabaceae", (3, 1), (7, 1))
    radish = tenancy(2, "radish", "Brassicaceae", (3, 1), (4, 10))
    kale = tenancy(3, "kale", "Brassicaceae", (7, 1), (12, 31))
    leek = tenancy(4, "leek", "Amaryllidaceae", (6, 1), (12, 31))
    before = predecessors(
        [kale, pea, leek, radish, tenancy(5, "bean", "Fabaceae", (5, 1), (6, 1), place=2)]
    )
    assert {key: found.crop for key, found in before.items()} == {3: "pea", 4: "radish"}
    assert sharing([pea, radish, kale, leek]) == {1, 2, 3, 4}
    assert sharing([pea, kale]) == frozenset()
    assert years_since_family([pea, kale], "Fabaceae", 2029) == {1: 3}
    assert years_since_family([pea, kale], "Rosaceae", 2029) == {}
