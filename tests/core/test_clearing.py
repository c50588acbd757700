"""Until when plantings stand, worked out by hand from the handbook's days."""

from datetime import date

import pytest

from kilter.core.amounts.vague import VagueDate
from kilter.core.growing.clearing import Frost, clears_on, good_until
from kilter.core.growing.climate import Climate
from kilter.core.growing.lasting import bears_in
from kilter.core.growing.ready import due_window
from kilter.core.handbook import handbook

BOOK = handbook()
OCTOBER = Frost(date(2026, 10, 15), has_come=False)


def stands(crop, planted, season=2026, **more):
    book = BOOK[crop]
    due = due_window(VagueDate(planted), book.days, book.autumn_days, planted)
    return clears_on(season, due, book, **more)


@pytest.mark.parametrize(
    ("crop", "planted", "day", "why"),
    [
        # 110 to 180 days from 20 May end on 16 November; leeks bolt from mid-April.
        ("leek", date(2026, 5, 20), date(2027, 4, 15), "wanted"),
        # Sown in July it is ready by 30 September, and good through one winter.
        ("kale", date(2026, 7, 17), date(2027, 4, 15), "wanted"),
        ("sunchoke", date(2026, 4, 1), date(2027, 3, 31), "wanted"),
        # 200 to 270 days from 10 June end on 7 March: the April after that.
        ("sprouting broccoli", date(2026, 6, 10), date(2027, 4, 30), "wanted"),
        # Picked for eleven weeks from 14 July, before the frost.
        ("tomato", date(2026, 5, 20), date(2026, 9, 29), "picked"),
        # Ten weeks from 20 August would end on 29 October.
        ("courgette", date(2026, 7, 11), date(2026, 10, 15), "frost"),
        # 65 to 100 days from 20 July end on 28 October.
        ("sweet corn", date(2026, 7, 20), date(2026, 10, 15), "frost"),
        # In the soil no first frost ends it: 70 to 130 days from 1 July.
        ("potato", date(2026, 7, 1), date(2026, 11, 8), "lifted"),
        ("beetroot", date(2026, 5, 1), date(2026, 7, 30), "lifted"),
        # Set in autumn: 210 to 270 days from 20 October.
        ("garlic", date(2026, 10, 20), date(2027, 7, 17), "lifted"),
    ],
)
def test_each_kind_of_crop_stands_until_its_own_day(crop, planted, day, why):
    found = stands(crop, planted, frost=OCTOBER)
    assert (found.day, found.why) == (day, why)


def test_what_was_said_comes_before_what_is_reckoned():
    planted = date(2026, 5, 20)
    done, until = date(2026, 8, 1), date(2026, 12, 20)
    assert stands("leek", planted, finished_on=done, until=until).words() == (
        "finished on 1 August 2026"
    )
    assert stands("leek", planted, until=until, is_lasting=True).words() == (
        "stands until 20 December 2026, as was said"
    )
    lasting = stands("sunchoke", planted, is_lasting=True)
    assert (lasting.day, lasting.words()) == (None, "stays over years")
    assert not lasting.is_by(date(2100, 1, 1))
    unknown = clears_on(2026, None, BOOK["leek"])
    assert (unknown.day, unknown.why) == (date(2026, 12, 31), "unknown")


def test_what_is_past_is_said_as_past():
    leek = stands("leek", date(2026, 5, 20))
    assert leek.words(date(2027, 4, 14)).endswith("good until 15 April 2027")
    assert leek.words(date(2027, 4, 15)) == "was good until 15 April 2027"
    said = stands("leek", date(2026, 5, 20), until=date(2026, 12, 20))
    assert said.words(date(2027, 1, 1)) == "was to stand until 20 December 2026"


def test_a_frost_on_record_ends_the_tender_earlier_or_later_than_it_usually_comes():
    early, late = (Frost(date(2026, 10, day), has_come=True) for day in (2, 28))
    planted = date(2026, 7, 11)
    assert stands("courgette", planted, frost=early).words() == "frost ended it on 2 October 2026"
    assert stands("courgette", planted, frost=late).day == date(2026, 10, 28)
    assert stands("courgette", planted).why == "picked"  # under glass


def test_the_frost_that_a_planting_meets_is_the_first_after_it():
    usual = Climate(stated_first=288)
    assert usual.frost_after(date(2026, 5, 20)) == Frost(date(2026, 10, 15), has_come=False)
    assert usual.frost_after(date(2026, 10, 20)).day == date(2027, 10, 15)
    seen = Climate(stated_first=288, frosts_seen=(date(2025, 11, 3), date(2026, 9, 28)))
    assert seen.frost_after(date(2026, 5, 20)) == Frost(date(2026, 9, 28), has_come=True)
    assert seen.frost_after(date(2025, 5, 20)) == Frost(date(2025, 11, 3), has_come=True)
    assert seen.frost_after(date(2026, 10, 1)).day == date(2027, 10, 15)


def test_on_the_southern_half_spring_is_half_a_year_later():
    assert good_until(BOOK["leek"], date(2026, 5, 16), is_southern=True) == date(2026, 10, 15)
    assert good_until(BOOK["chard"], date(2026, 5, 16), is_southern=True) == date(2026, 10, 31)
    assert good_until(BOOK["tomato"], date(2026, 5, 16)) is None
    south = Climate(latitude=-40.0, stated_first=105)
    assert south.frost_after(date(2026, 11, 20)).day == date(2027, 4, 15)


def test_lasting_crops_bear_by_their_age():
    """The table of numbers-n5, B2 (memory), and its checks."""
    strawberry, raspberry = BOOK["strawberry"], BOOK["raspberry"]
    assert [bears_in(strawberry, age) for age in (0, 1, 2, 3, 4)] == [0, 0.5, 1, 0.75, 0.5]
    assert bears_in(strawberry, 1, is_set_in_spring=True) == pytest.approx(0.3)
    assert bears_in(strawberry, 5) == pytest.approx(0.35)
    assert bears_in(raspberry, 12) == pytest.approx(0.85**2)
    assert bears_in(BOOK["tomato"], 3) == 1
    assert (BOOK["asparagus"].bears_from_year, BOOK["rhubarb"].bears_from_year) == (2, 2)
    assert strawberry.bears_from_year == 1
