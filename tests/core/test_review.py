"""What a review rests on: what was found among much that was asked, what recurs,
what places give, what was met.
"""

from __future__ import annotations

from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.stats.multitest import multipletests

from kilter.core.compare import Unit, compare
from kilter.core.compare.judge import half_width
from kilter.core.errors import ComparisonError, RecordError
from kilter.core.review.aims import GrownInSeason, outcome
from kilter.core.review.discoveries import discoveries, two_sided_p
from kilter.core.review.recurring import Hit, recurring
from kilter.core.review.usual import (
    Yielded,
    after_what,
    place_years,
    usual_of,
    worse_than_own_years,
)

#: The worked example of Benjamini & Hochberg (1995), *J. R. Stat. Soc. B* 57:289–300, section 3.2
#: (memory): of these fifteen the four smallest are called found at 5 %; Bonferroni's way finds
#: three.
PUBLISHED = (
    *(0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344),
    *(0.0459, 0.3240, 0.4262, 0.5719, 0.6528, 0.7590, 1.0000),
)


def test_the_published_example_finds_four_of_fifteen():
    assert discoveries(PUBLISHED) == (True,) * 4 + (False,) * 11
    assert discoveries(PUBLISHED[::-1]) == (False,) * 11 + (True,) * 4
    assert discoveries([]) == ()


@given(st.lists(st.floats(0, 1), min_size=1, max_size=40))
def test_discoveries_are_those_of_statsmodels(ps):
    theirs = multipletests(ps, alpha=0.05, method="fdr_bh")[0]
    assert discoveries(ps) == tuple(bool(one) for one in theirs)


def test_a_p_that_is_none_is_refused():
    with pytest.raises(ComparisonError, match="between 0 and 1"):
        discoveries([0.2, 1.2])


@pytest.mark.parametrize("levels", [2, 3, 5])
@pytest.mark.parametrize("seed", range(4))
def test_the_p_of_a_pair_is_below_a_twentieth_where_its_interval_leaves_out_nothing(levels, seed):
    rng = np.random.default_rng(seed)
    units = [
        Unit(
            ref=f"{level}{i}",
            amount=float(rng.gamma(20, (1 + 0.25 * level) / 20)),
            exposure=1,
            level=f"L{level}",
            plants=1,
        )
        for level in range(levels)
        for i in range(3)
    ]
    answer = compare(units)
    for pair in answer.pairs:
        p = two_sided_p(pair, levels)
        assert 0 <= p <= 1
        is_off_zero = pair.gap_low > 0 or pair.gap_high < 0
        far = abs(pair.gap) / (half_width(levels, pair.doubt.df) * pair.doubt.sd)
        if (
            abs(far - 1) > 0.01
        ):  # the shipped table of the studentized range is good to three figures
            assert (p < 0.05) == is_off_zero
    with pytest.raises(ComparisonError, match="two levels"):
        two_sided_p(answer.pairs[0], 1)


# What comes back


def test_aphids_in_three_of_four_augusts():
    stays = [(date(year, 5, 1), date(year, 9, 30)) for year in (2022, 2023, 2025, 2026)]
    hits = [
        Hit("Aphid", date(2022, 8, 3), 0.2),
        Hit("aphid", date(2025, 8, 20), 0.4),
        Hit("aphid", date(2026, 8, 1)),
    ]
    (one,) = recurring(hits, stays, date(2026, 11, 23))
    assert (one.hits, one.of, one.month, one.years) == (3, 4, 8, (2022, 2025, 2026))
    assert one.lost == pytest.approx(0.3)  # (0.2 + 0.4) / 2: the third says nothing


def test_what_came_in_several_months_is_counted_over_years_and_a_year_ahead_is_none():
    stays = [(date(2024, 3, 1), date(2024, 6, 1)), (date(2025, 3, 1), date(2027, 12, 31))]
    hits = [
        Hit("slugs", date(2024, 4, 1)),
        Hit("slugs", date(2026, 6, 1)),
        Hit("frost", date(2025, 5, 1)),
    ]
    slugs, frost = recurring(hits, stays, date(2026, 4, 15))
    assert (slugs.hits, slugs.of, slugs.month) == (2, 3, None)
    # in May something stood in 2024 and 2025; May 2026 is still to come
    assert (frost.hits, frost.of, frost.month) == (1, 2, 5)


def test_a_bed_that_was_empty_in_august_is_not_counted_among_its_augusts():
    stays = [(date(2024, 3, 1), date(2024, 6, 30)), (date(2025, 3, 1), date(2025, 12, 1))]
    (one,) = recurring([Hit("mildew", date(2025, 8, 9))], stays, date(2026, 1, 1))
    assert (one.hits, one.of) == (1, 1)


# What places give


def _leeks(*figures):
    return [
        Yielded(
            ref=f"{place}-{season}", place=place, season=season, crop="leek", mass=mass, plants=10.0
        )
        for place, season, mass in figures
    ]


def test_a_place_is_held_against_the_same_crop_elsewhere_in_the_same_year():
    rows = _leeks((1, 2025, 6.0), (2, 2025, 4.0), (1, 2026, 1.0), (2, 2026, 2.0), (3, 2026, 3.0))
    # 2026 was poor everywhere: place 1 is held against (2 + 3) / 20 plants, place 3 against (1 + 2)
    # / 20
    assert usual_of(rows) == {
        "1-2025": 4.0,
        "2-2025": 6.0,
        "1-2026": 2.5,
        "2-2026": 2.0,
        "3-2026": 1.5,
    }
    years = place_years(rows)
    assert years[1][2026].ratio == pytest.approx(0.4)
    assert years[3][2026].ratio == pytest.approx(2.0)
    (worse,) = worse_than_own_years(rows, 2026)
    assert (worse.place, worse.this.ratio, worse.others) == (1, 0.4, ((2025, 1.5),))


def test_a_place_that_still_gives_its_usual_is_not_called_worse():
    rows = _leeks((1, 2025, 9.0), (2, 2025, 3.0), (1, 2026, 5.0), (2, 2026, 4.0))
    assert [one.place for one in worse_than_own_years(rows, 2026)] == []  # 3.0 then, 1.25 now


def test_a_crop_that_stood_nowhere_else_has_no_usual():
    rows = [
        Yielded(ref="a", place=1, season=2026, crop="rhubarb", mass=3.0, plants=1),
        Yielded(ref="b", place=1, season=2026, crop="rhubarb", mass=2.0, plants=1),
    ]
    assert usual_of(rows) == {}


def test_what_did_badly_after_what():
    rows = [
        Yielded(ref="a", place=1, season=2025, crop="leek", mass=3.0, plants=10, before="pea"),
        Yielded(ref="b", place=2, season=2025, crop="leek", mass=6.0, plants=10, before="potato"),
        Yielded(ref="c", place=1, season=2026, crop="leek", mass=2.0, plants=10, before="pea"),
        Yielded(ref="d", place=2, season=2026, crop="leek", mass=4.0, plants=10),
    ]
    found = after_what(rows)
    # after pea: 3 + 2 came where 6 + 4 are usual
    assert (found["pea", "leek"].ratio, found["pea", "leek"].plantings) == (0.5, 2)
    assert found["potato", "leek"].ratio == 2.0
    assert ("", "leek") not in found


# What was decided

THEN = GrownInSeason(
    plantings=2,
    units=20,
    places=frozenset({"Bed 1"}),
    varieties=frozenset({"Ebb"}),
    methods=frozenset({"cover=open"}),
    stores=frozenset({"shed"}),
    day=100.0,
)


def _now(**changes):
    said = {
        "plantings": 2,
        "units": 20,
        "places": THEN.places,
        "varieties": THEN.varieties,
        "methods": THEN.methods,
        "stores": THEN.stores,
        "day": 100.0,
    }
    return GrownInSeason(**(said | changes))


@pytest.mark.parametrize(
    ("aim", "changes", "how", "is_met"),
    [
        ("more", {"units": 21}, {}, True),
        ("more", {"units": 20}, {}, False),
        ("more", {"units": 29}, {"percent": 50}, True),  # 30 wanted; 28.5 are as good
        ("more", {"units": 28}, {"percent": 50}, False),
        ("more", {"units": 40}, {"number": 40}, True),
        ("less", {"units": 19}, {}, True),
        ("less", {"units": 16}, {"percent": 25}, False),  # 15 wanted, 15.8 are as good
        ("less", {"units": 15}, {"percent": 25}, True),
        ("less", {"units": 30}, {}, False),
        ("less", {"plantings": 0, "units": 0}, {}, True),
        ("drop", {"plantings": 0, "units": 0}, {}, True),
        ("drop", {}, {}, False),
        ("elsewhere", {"places": frozenset({"Bed 2"})}, {}, True),
        ("elsewhere", {}, {}, False),
        ("move", {"places": frozenset({"Bed 1", "Bed 2"})}, {}, True),
        ("earlier", {"day": 97.0}, {}, True),
        ("earlier", {"day": 98.0}, {}, False),
        ("later", {"day": 103.0}, {}, True),
        ("later", {"day": None}, {}, False),
        ("split", {"varieties": frozenset({"Ebb", "Flow"})}, {}, True),
        ("split", {"places": frozenset({"Bed 1", "Bed 3"})}, {}, True),
        ("split", {}, {}, False),
        ("method", {"methods": frozenset({"cover=net"})}, {}, True),
        ("method", {"methods": frozenset({"cover=net"})}, {"detail": "mulch=straw"}, False),
        ("method", {"methods": frozenset({"cover=net"})}, {"detail": "cover=net"}, True),
        ("store", {"stores": frozenset({"cellar"})}, {}, True),
        ("store", {}, {}, False),
        ("nothing", {}, {}, True),
    ],
)
def test_a_decision_is_held_against_the_season_after_it(aim, changes, how, is_met):
    said = {"percent": None, "number": None, "detail": "", **how}
    assert outcome(aim, THEN, _now(**changes), is_over=True, **said).is_met is is_met
    early = outcome(aim, THEN, _now(**changes), is_over=False, **said).is_met
    may_still_be = aim not in {"drop", "nothing"} and not (is_met and changes.get("plantings", 2))
    assert early is (None if may_still_be or (aim == "drop" and is_met) else is_met)


def test_an_aim_that_is_none_is_refused():
    with pytest.raises(RecordError, match="nothing that can be decided"):
        outcome("dance", THEN, THEN, percent=None, number=None, detail="", is_over=True)
