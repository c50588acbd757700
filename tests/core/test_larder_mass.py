"""Where the mass went: by hand, and to the milligram under any sequence of entries,
with lines put right later.
"""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kilter.core.errors import RecordError
from kilter.core.larder.mass import (
    EMPTIED,
    FRESH,
    NOWHERE,
    SHORT,
    LiftedLine,
    Moved,
    PutByShare,
    Used,
    Whereabouts,
    whereabouts,
)
from kilter.core.larder.pieces import followed
from kilter.core.trade.grades import LIFTED
from kilter.core.trade.uses import USES

ALL = Fraction(1)
HALF = Fraction(1, 2)
SHALLOT = ("shallot", 2026)
MADE = dict.fromkeys(["net", "cellar", *"uvwxyz"], SHALLOT)


def line(
    ref: str = "a", mass_mg: int = 3_000_000, season: int = 2026, crop: str = "shallot", **more
) -> LiftedLine:
    return LiftedLine(
        ref=ref, crop=crop, season=season, grade=more.pop("grade", "table"), mass_mg=mass_mg, **more
    )


def adds_up(one: Whereabouts) -> bool:
    return one.lifted_mg == sum(one.used_mg.values()) + one.in_store_mg + one.not_accounted_mg


def test_a_winter_by_hand():
    """8 kg lifted, 1 kg of it hurt and eaten at once; the rest cured, 200 g dried away,
    half a kilogram spoiled.
    """
    lines = [line("a", 7_000_000), line("b", 1_000_000, grade="hurt")]
    entries = [
        PutByShare("net", "a", ALL),
        Used(None, "eaten", 1_000_000, of=("shallot", 2026)),
        Used("net", "dried_away", 200_000),
        Moved("net", "cellar", 3_000_000),
        Used("cellar", "spoiled", 500_000),
        Used("cellar", "eaten", 1_250_000),
        Used("net", "given", 800_000),
    ]
    found = whereabouts(lines, MADE, entries).of["shallot", 2026]
    assert (found.lifted_mg, found.used_mg["eaten"], found.used_mg["given"]) == (
        8_000_000,
        2_250_000,
        800_000,
    )
    assert found.in_store_mg == 7_000_000 - 200_000 - 500_000 - 1_250_000 - 800_000
    assert found.not_accounted_mg == 0
    assert adds_up(found)


def test_what_was_put_nowhere_is_not_hidden():
    found = whereabouts([line()], MADE, [PutByShare("net", "a", HALF)]).of["shallot", 2026]
    assert found.reasons == {NOWHERE: 1_500_000}
    assert found.in_store_mg == 1_500_000


def test_a_line_put_right_later_moves_through_and_a_struck_one_leaves_its_reason():
    entries = [PutByShare("net", "a", ALL), Used("net", "eaten", 2_000_000)]
    assert whereabouts([line()], MADE, entries).of["shallot", 2026].in_store_mg == 1_000_000
    less = whereabouts([line(mass_mg=1_500_000)], MADE, entries).of["shallot", 2026]
    assert (less.in_store_mg, less.reasons) == (0, {SHORT: -500_000})
    assert adds_up(less)
    gone = whereabouts([], MADE, entries).of["shallot", 2026]
    assert (gone.lifted_mg, gone.used_mg["eaten"], gone.reasons) == (
        0,
        2_000_000,
        {SHORT: -2_000_000},
    )


def test_a_crate_of_two_seasons_gives_of_both_by_what_lies_there():
    lines = [line("a", 3_000_000, 2025), line("b", 1_000_001, 2026)]
    entries = [
        PutByShare("net", "a", ALL),
        PutByShare("net", "b", ALL),
        Used("net", "fed", 2_000_000),
    ]
    found = whereabouts(lines, MADE, entries).of
    taken = [found["shallot", year].used_mg["fed"] for year in (2025, 2026)]
    assert sum(taken) == 2_000_000
    assert taken[0] == pytest.approx(1_500_000, abs=1)
    assert all(adds_up(one) for one in found.values())


def test_shares_of_a_line_add_up_and_never_to_more_than_it_weighs():
    thirds = [PutByShare(crate, "a", Fraction(1, 3)) for crate in "xyz"]
    found = whereabouts([line(mass_mg=100)], MADE, thirds).of["shallot", 2026]
    assert (found.in_store_mg, found.not_accounted_mg) == (100, 0)
    twice = whereabouts(
        [line(mass_mg=100)], MADE, [PutByShare("x", "a", ALL), PutByShare("y", "a", ALL)]
    ).of["shallot", 2026]
    assert (twice.in_store_mg, twice.not_accounted_mg) == (100, 0)


def test_what_is_eaten_by_the_households_rule_is_assumed_and_what_was_just_lifted_waits():
    """1000 due and 500 fresh; 700 was said to be eaten,
    which comes off what the rule would have eaten.
    """
    lines = [line(mass_mg=1000, is_estimated=True, is_eaten=True), line("b", 500, is_eaten=False)]
    found = whereabouts(lines, MADE, []).of[SHALLOT]
    assert (found.used_mg["eaten"], found.assumed_mg, found.estimated_mg) == (1000, 1000, 1000)
    assert found.reasons == {FRESH: 500}
    said = whereabouts(lines, MADE, [Used(None, "eaten", 700, of=SHALLOT)]).of[SHALLOT]
    assert (said.used_mg["eaten"], said.assumed_mg, said.not_accounted_mg) == (1000, 300, 500)
    more = whereabouts(lines, MADE, [Used(None, "given", 1700, of=SHALLOT)]).of[SHALLOT]
    assert (more.used_mg["given"], more.assumed_mg, more.reasons) == (1700, 0, {SHORT: -200})


def test_used_at_once_on_the_ripening_shelf_and_left_in_a_crate_said_to_be_empty():
    lines = [line(), line("b", 900, grade="unripe", is_on_shelf=True), line("c", 600, grade="seed")]
    entries = [
        PutByShare("net", "a", ALL),
        PutByShare(None, "c", ALL, "kept_to_plant"),
        Used("net", "eaten", 2_000_000),
    ]
    found = whereabouts(lines, MADE, entries, {"net"})
    one = found.of[SHALLOT]
    assert (one.used_mg["kept_to_plant"], one.in_store_mg, one.reasons) == (
        600,
        900,
        {EMPTIED: 1_000_000},
    )
    assert (found.lying_mg["net"], found.put_mg, found.rest_mg) == (
        0,
        {0: 3_000_000, 1: 600},
        {"a": 0, "b": 900, "c": 0},
    )
    assert adds_up(one)


def test_a_line_that_turned_out_another_crop_takes_its_mass_there():
    found = whereabouts(
        [line(crop="leek")], MADE, [PutByShare("net", "a", ALL), Used("net", "eaten", 1_000_000)]
    ).of
    assert (found["leek", 2026].in_store_mg, found["leek", 2026].used_mg["eaten"]) == (
        2_000_000,
        1_000_000,
    )


@pytest.mark.parametrize(
    ("lines", "entries"),
    [
        ([line(), line()], []),
        ([line(grade="lost")], []),
        ([line(mass_mg=-1)], []),
        ([line()], [PutByShare("net", "a", Fraction(3, 2))]),
        ([line()], [Used("net", "eaten", -1)]),
        ([line()], [Used(None, "eaten", 1)]),
        ([line()], [PutByShare("net", "a", ALL, "eaten")]),
        ([line()], [PutByShare(None, "a", ALL)]),
        ([line()], [PutByShare("never made", "a", ALL)]),
        ([line()], [Moved("net", "never made", 1)]),
    ],
)
def test_what_cannot_be_is_refused(lines, entries):
    with pytest.raises(RecordError):
        whereabouts(lines, MADE, entries)


CRATES = st.sampled_from("uvwx")
MASS = st.integers(0, 5_000_000)
ENTRIES = st.one_of(
    st.builds(
        PutByShare, CRATES, st.sampled_from("abcdef"), st.fractions(0, 1, max_denominator=12)
    ),
    st.builds(
        PutByShare,
        st.none(),
        st.sampled_from("abcdef"),
        st.fractions(0, 1, max_denominator=12),
        st.sampled_from(list(USES)),
    ),
    st.builds(Moved, CRATES, CRATES, MASS),
    st.builds(Used, CRATES, st.sampled_from(list(USES)), MASS),
    st.builds(
        Used,
        st.none(),
        st.sampled_from(list(USES)),
        MASS,
        of=st.sampled_from([("shallot", 2025), SHALLOT]),
    ),
)
ROW = st.builds(
    dict,
    mass_mg=MASS,
    season=st.sampled_from([2025, 2026]),
    grade=st.sampled_from(LIFTED),
    is_estimated=st.booleans(),
    is_eaten=st.sampled_from([None, True, False]),
    is_on_shelf=st.booleans(),
)
LINES = st.lists(ROW, max_size=6).map(
    lambda rows: [line(ref, **one) for ref, one in zip("abcdef", rows, strict=False)]
)


@settings(max_examples=120, deadline=None)
@given(LINES, st.lists(st.tuples(ENTRIES, st.booleans()), max_size=200), st.sets(CRATES), st.data())
def test_it_adds_up_to_the_milligram_whatever_is_entered_undone_and_put_right(
    lines, made, emptied, data
):
    """Two hundred entries, any of them struck again, and lines struck and corrected afterwards."""
    entries = [entry for entry, _ in made]
    standing = [entry for entry, is_struck in made if not is_struck]
    mended = [one for one in lines if not data.draw(st.booleans(), label="struck")]
    for tape in (lines, mended):
        for entered in (entries, standing):
            found = whereabouts(tape, MADE, entered, emptied).of
            assert all(adds_up(one) for one in found.values())
            assert all(one.in_store_mg >= 0 for one in found.values())
            lifted = sum(one.mass_mg for one in tape)
            assert sum(one.lifted_mg for one in found.values()) == lifted


LINES = [
    LiftedLine(ref="a", crop="corn", season=2026, grade="table", mass_mg=0),
    LiftedLine(ref="b", crop="corn", season=2026, grade="table", mass_mg=4_000_000),
    LiftedLine(ref="c", crop="corn", season=2026, grade="small", mass_mg=900_000),
]
CORN = ("corn", 2026)


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["put a", "put b", "put c", "eat", "give", "loose", "move"]),
            st.integers(0, 60),
            st.booleans(),
        ),
        max_size=12,
    )
)
def test_what_was_counted_balances_in_pieces_whatever_was_entered(deeds):
    """lifted = used + in store + preserved + not accounted for, in thousandths of a piece."""
    entries, said = [], {}
    for i, (deed, n, is_counted) in enumerate(deeds):
        if deed.startswith("put"):
            entries.append(PutByShare("crate", deed[-1], Fraction(n % 5, 4 + n % 5 or 1)))
            continue
        mass = 0 if is_counted else n * 50_000
        if is_counted:
            said[i] = n
        entries.append(
            {
                "eat": Used("crate", "eaten", mass),
                "give": Used("crate", "given", mass),
                "loose": Used(None, "eaten", mass, CORN),
                "move": Moved("crate", "freezer", mass),
            }[deed]
        )
    crates = {"crate": CORN, "freezer": CORN}
    found = followed(LINES, {"a": 104, "b": 40}, crates, entries, said, {"freezer"})
    one = found.of[CORN]
    parts = round(
        (sum(one.used.values()) + one.in_store + one.preserved + one.not_accounted) * 1000
    )
    assert one.lifted == 144
    assert parts == 144_000
    assert one.uncounted == 1
    whole = whereabouts(LINES, crates, found.masses).of[CORN]
    assert whole.lifted_mg == (
        sum(whole.used_mg.values()) + whole.in_store_mg + whole.not_accounted_mg
    )


def test_a_taking_takes_of_the_pieces_what_it_takes_of_the_mass_and_the_other_way_round():
    put = [PutByShare("crate", "b", Fraction(1))]
    crates = {"crate": CORN, "freezer": CORN}
    counts = {"b": 40}

    def lies(entry, said=None):
        found = followed(LINES[1:2], counts, crates, [*put, entry], {1: said} if said else {})
        return found.lying["crate"], whereabouts(LINES[1:2], crates, found.masses).lying_mg["crate"]

    assert lies(Used("crate", "eaten", 1_000_000)) == (30.0, 3_000_000)
    assert lies(Used("crate", "eaten", 0), 10) == (30.0, 3_000_000)
    assert lies(Used("crate", "eaten", 500_000), 4) == (36.0, 3_500_000), "both were said"
    frozen = [*put, Moved("crate", "freezer", 2_000_000), Used("freezer", "eaten", 1_000_000)]
    found = followed(LINES[1:2], counts, crates, frozen, {}, {"freezer"})
    assert (found.of[CORN].preserved, found.of[CORN].in_store) == (20.0, 20.0)
    with pytest.raises(RecordError, match="below zero"):
        followed(LINES, {"a": -1}, crates, [], {})
