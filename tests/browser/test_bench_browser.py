"""The bench in the browser: keystrokes counted, piles, undo, a refused line, a cut connection."""

from __future__ import annotations

from datetime import date

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from kilter.devices.reader import SCALES
from kilter.ground.models import Place
from kilter.set_out.models import CropSize, Planting
from kilter.weigh_in.models import Scale, WeighIn
from tests.browser.conftest import PHONE, WIDE
from tests.conftest import TODAY, make_garden, member

pytestmark = pytest.mark.browser


@pytest.fixture
def bench(gardener, client_for, garden_open):
    g = gardener()
    g.sign_in(garden_open.owner, client_for)
    g.go("/weigh-in/")
    g.until(lambda: g.text("[data-big]") == "0")
    return g


@pytest.fixture
def client_for():
    from django.test import Client

    return Client()


@pytest.fixture
def garden_open(transactional_db):
    garden = make_garden("Ours")
    WeighIn.objects.all().delete()
    Planting.objects.update(finished_on=None)
    return garden


def masses():
    return list(
        WeighIn.objects.filter(struck_at=None).order_by("pk").values_list("mass_mg", flat=True)
    )


def grade(g):
    return g.one("[name=grade]:checked").get_attribute("value")


def lines(g, count):
    g.until(lambda: len(g.all("tr[data-line]:not(.struck)")) == count, f"{count} lines stand")


def test_a_pot_with_two_grades_takes_at_most_fourteen_keys(bench):
    strokes = [*"940 12", Keys.ENTER, "s", *"88 3", Keys.ENTER]
    assert len(strokes) + 1 <= 14  # and one to go on
    bench.keys(*strokes)
    lines(bench, 2)
    assert list(WeighIn.objects.order_by("pk").values_list("grade", "count")) == [
        ("table", 12),
        ("small", 3),
    ]
    bench.keys(Keys.ENTER)  # on an empty line: the next pot
    bench.until(lambda: "crate 2" in bench.text("#pot-in-hand"))
    bench.keys(*strokes)
    lines(bench, 4)
    assert "crate 2" in bench.text("#pot-in-hand")  # it has the grades of the first, and stays
    bench.see("All lifted: Ours crate 2")
    bench.keys("f")
    bench.see("is finished: all has been lifted")
    assert "crate 2" in bench.text("#pot-in-hand")
    bench.see("Finished: Ours crate 2")
    done = Planting.objects.exclude(finished_on=None).values_list("place__number", flat=True)
    assert list(done) == [2]
    bench.keys("z")  # what the page tells of came last
    bench.see("All lifted: Ours crate 2")
    assert not Planting.objects.exclude(finished_on=None).exists()


def test_nine_pots_of_two_grades_of_which_one_gets_a_single_grade(bench, twelve):
    """The bench once moved on by itself, and the wrong pot got the lines that followed."""
    bench.driver.refresh()
    bench.until(lambda: len(bench.all("a[data-pot]")) == 12)
    for n in range(1, 10):
        bench.until(lambda n=n: f"crate {n}," in bench.text("#pot-in-hand"), f"crate {n} in hand")
        bench.keys("t", *"480 7", Keys.ENTER)
        if n != 4:
            bench.keys("s", *"95 2", Keys.ENTER)
        bench.keys(Keys.ENTER)
    lines(bench, 17)
    small = WeighIn.objects.filter(grade="small").order_by("pk")
    assert list(small.values_list("planting__place__number", flat=True)) == [
        n for n in range(1, 10) if n != 4
    ]
    bench.until(lambda: "crate 10," in bench.text("#pot-in-hand"))


def test_enter_means_the_same_with_the_cursor_in_the_line(bench):
    bench.click("#typed")
    bench.keys(*"940 12")
    ActionChains(bench.driver).key_down(Keys.SHIFT).send_keys(Keys.ENTER).key_up(
        Keys.SHIFT
    ).perform()
    lines(bench, 1)
    bench.until(lambda: "crate 2," in bench.text("#pot-in-hand"), "written, and the next pot")
    bench.keys(Keys.ENTER)
    bench.until(lambda: "crate 3," in bench.text("#pot-in-hand"), "the next pot")
    lines(bench, 1)


def test_the_pot_in_hand_is_the_same_after_a_reload_and_when_one_comes_back(bench):
    bench.keys("n", "n")
    bench.until(lambda: "crate 3," in bench.text("#pot-in-hand"))
    bench.see("In hand: Ours crate 3, shallot")
    bench.driver.refresh()
    bench.until(lambda: "crate 3," in bench.text("#pot-in-hand"), "as it was")
    bench.keys("940 12", Keys.ENTER)
    bench.see("Written: Ours crate 3, Table, 12, 940 g")
    bench.go("/larder/")
    bench.go("/weigh-in/")
    bench.until(lambda: "crate 3," in bench.text("#pot-in-hand"), "as it was")
    bench.see("You were at Ours crate 3.")


def test_the_chosen_day_stays_through_strike_correct_and_undo(bench, garden_open):
    bench.go(f"/weigh-in/?crop={garden_open.crop.pk}&day=2026-11-02")
    said = "on Monday 2 November 2026"
    bench.see(said)
    bench.keys("500 5", Keys.ENTER)
    lines(bench, 1)
    bench.keys("n")
    bench.until(lambda: "crate 2," in bench.text("#pot-in-hand"))
    bench.see(said)
    bench.press("edit")
    bench.fill(shown="600 g")
    bench.press("Save")
    bench.see("corrected")
    bench.see(said)
    bench.keys("z")
    bench.see("Undone: Corrected")
    bench.see(said)
    bench.press("remove")
    lines(bench, 0)
    bench.see(said)
    assert not WeighIn.objects.exclude(weighed_on=date(2026, 11, 2)).exists()


def test_a_small_and_a_big_handful_off_one_tray_share_their_plants(bench, garden_open):
    """Two grades off two of nine plants, a second handful of each, then others."""
    pot = Planting.objects.order_by("pk").first()
    bench.click("#more summary")
    bench.fill(plants="2")
    bench.keys(Keys.ESCAPE)
    bench.driver.execute_script("document.activeElement.blur()")
    bench.keys(*"940 12", Keys.ENTER, "s", *"88 3", Keys.ENTER)
    lines(bench, 2)
    bench.see("of 2 plants")
    assert bench.text(".of-plants").startswith("of 2 plants")
    bench.keys("t", *"60 1", Keys.ENTER, *"1900 25", Keys.ENTER)
    lines(bench, 4)
    assert WeighIn.objects.filter(plants=2).count() == 1, "said once"
    assert set(WeighIn.objects.values_list("visit", flat=True)) == {1}
    bench.until(lambda: "2 of 9" not in bench.text("#pot-about"))
    bench.until(
        lambda: (
            "7 of 9 sets still in the ground" in bench.text("#pot-about").replace("\n", " ")
            or "7 of 9" in bench.text("#pot-about")
        )
    )
    bench.keys("o")
    bench.see("others, from how many plants?")
    bench.one("#plants").send_keys("3")
    bench.driver.execute_script("document.activeElement.blur()")
    bench.keys(*"1400 18", Keys.ENTER)
    lines(bench, 5)
    bench.see("of 3 plants")
    assert WeighIn.objects.filter(visit=2, plants=3).count() == 1
    bench.until(lambda: "4 of 9" in bench.text("#pot-about"))
    bench.keys("n", "b")
    bench.until(lambda: pot.where in bench.text("#pot-in-hand"))
    bench.see("of 3 plants")


def test_eight_pots_are_counted_now_and_weighed_in_the_evening_as_three_mixed_baskets(
    gardener, client_for, twelve
):
    g = at_phone(gardener, client_for, twelve)
    g.press("Count only")
    for n in range(8):
        tapped(g, *str(n + 3), last=True)
        lines(g, n + 1)
    waiting = list(WeighIn.objects.waiting().order_by("pk"))
    assert [line.count for line in waiting] == list(range(3, 11))
    for kilos, basket in (("0.9", waiting[:3]), ("1.5", waiting[3:6]), ("1.9", waiting[6:])):
        g.go("/weigh-in/waiting")
        for line in basket:
            g.click(f'input[name="lines"][value="{line.pk}"]')
        g.press("Weigh those ticked as one basket")
        g.see("One basket of what waits")
        g.fill(line=f"{kilos} kg", day="2026-11-02" if basket[0] == waiting[0] else "")
        g.press("Save")
        g.see(f"One basket of {len(basket)} lines was weighed")
    lines_now = WeighIn.objects.filter(pk__in=[line.pk for line in waiting])
    assert WeighIn.objects.count() == 8, "nothing is counted twice"
    assert sum(lines_now.values_list("mass_mg", flat=True)) == 4_300_000
    assert lines_now.filter(weighed_on=date(2026, 11, 2)).count() == 3
    assert len(set(lines_now.values_list("basket", flat=True))) == 3


def test_one_bed_and_variety_in_two_seasons_are_told_apart(bench, garden_open):
    first = Planting.objects.order_by("pk").first()
    Planting.objects.create(
        household=garden_open.household,
        place=first.place,
        crop=first.crop,
        variety=first.variety,
        season=2025,
        planted_on=date(2025, 3, 1),
    )
    bench.driver.refresh()
    bench.until(lambda: len(bench.all("a[data-pot]")) == 5)
    names = [pot.get_attribute("data-place") for pot in bench.all("a[data-pot]")]
    assert {f"{first.place}, 2025", f"{first.place}, 2026"} <= set(names)
    bench.click('a[data-place$=", 2025"]')
    bench.until(lambda: "crate 1, 2025" in bench.text("#pot-in-hand"))
    bench.see("is of season 2025. Is")
    bench.keys(*"500 4", Keys.ENTER)
    bench.see("Write it again to keep it")
    bench.keys(Keys.ENTER)
    lines(bench, 1)
    bench.until(lambda: "2025" in bench.text("tr[data-line]"))


def test_a_scale_that_shows_hundredths_of_a_pound(bench, garden_open):
    household = garden_open.household
    household.is_imperial = household.is_decimal_pounds = True
    household.save()
    Scale.objects.create(household=household, name="farm scale", step_mg=4536, unit="lb")
    bench.driver.refresh()
    bench.until(lambda: bench.all("#more summary"))
    bench.click("#more summary")
    Select(bench.one("#scale")).select_by_visible_text("farm scale")
    bench.see("A bare number is lb now.")
    bench.driver.execute_script("document.activeElement.blur()")
    bench.keys(*"2.43 3")
    bench.until(lambda: bench.text("[data-big]") == "2.43")
    bench.keys(Keys.ENTER)
    lines(bench, 1)
    bench.see("2.43 lb")
    line = WeighIn.objects.get()
    assert (line.typed, line.mass_mg, line.count) == ("2.43lb c3", 1_102_229, 3)
    bench.driver.refresh()
    bench.see("Weight in lb; count")


def test_a_crop_has_size_words_of_its_own_and_a_letter_steps_through_them(bench, garden_open):
    mine = {"household": garden_open.household, "crop": garden_open.crop}
    CropSize.objects.create(**mine, word="Egg", grade="table", from_mm=40)
    CropSize.objects.create(**mine, word="Goose", grade="table", from_mm=60)
    bench.driver.refresh()
    bench.until(lambda: len(bench.all("[data-size]")) == 3)
    bench.keys("t", *"940 12", Keys.ENTER, "t", *"500 8", Keys.ENTER)
    lines(bench, 2)
    assert list(WeighIn.objects.order_by("pk").values_list("grade", "size__word")) == [
        ("table", "Goose"),
        ("table", "Egg"),
    ]
    bench.see("Goose")


def test_the_dial_reads_along_and_letters_in_a_line_are_units(bench):
    bench.keys("2lb3")
    bench.until(lambda: bench.text("[data-big]") == "992")
    assert "2 lb 3.0 oz" in bench.text(".reading")
    assert grade(bench) == "table"
    bench.keys(Keys.BACKSPACE, Keys.BACKSPACE, Keys.BACKSPACE, Keys.BACKSPACE, "l")
    assert grade(bench) == "lost"


def test_piling_on_with_one_emptied_scale(bench):
    bench.keys("p", "310", Keys.ENTER)
    lines(bench, 1)
    bench.keys("655", Keys.ENTER)
    lines(bench, 2)
    bench.keys("120", Keys.ENTER)
    bench.see("emptied")
    bench.press("Yes, emptied")
    lines(bench, 3)
    bench.keys("400", Keys.ENTER)
    lines(bench, 4)
    assert masses() == [310_000, 345_000, 120_000, 280_000]


def test_undo_and_putting_back(bench):
    bench.keys("500", Keys.ENTER)
    lines(bench, 1)
    bench.keys("z")
    lines(bench, 0)
    assert masses() == []
    bench.press("put back")
    lines(bench, 1)
    assert masses() == [500_000]


def test_a_refused_line_stays_in_hand_with_its_reason(bench):
    bench.keys("2 kg 3 oz", Keys.ENTER)
    bench.see("mixes units")
    assert bench.one("#typed").get_attribute("value") == "2 kg 3 oz"
    assert masses() == []


def test_the_unit_of_a_bare_number_is_seen_and_turned_by_a_key(bench):
    bench.see("Weight in g, or kg with a point; count")
    for _ in range(4):
        bench.click(".unit-key")
    bench.see("Weight in lb; count")
    bench.keys(*"2.43 3")
    bench.until(lambda: bench.text("[data-big]") == "1.102")
    bench.keys(Keys.ENTER)
    lines(bench, 1)
    assert list(WeighIn.objects.values_list("mass_mg", "count")) == [(1_102_229, 3)]
    bench.driver.refresh()
    bench.see("Weight in lb; count")


def test_letters_can_be_switched_off(bench):
    bench.keys("?")
    bench.click("#letters-on")
    bench.keys(Keys.ESCAPE, "s")
    assert grade(bench) == "table"
    bench.click('[data-grade="small"]')
    assert grade(bench) == "small"


def test_two_strikes_undo_two_lines_also_those_not_sent_yet(bench):
    bench.keys("500", Keys.ENTER)
    lines(bench, 1)
    cut(bench)
    try:
        bench.keys("600", Keys.ENTER, "700", Keys.ENTER)
        bench.see("2 lines wait")
        bench.keys("z")
        bench.see("3 lines wait")
        bench.keys("z")
        bench.see("4 lines wait")
    finally:
        mend(bench)
    lines(bench, 1)
    assert masses() == [500_000]
    bench.keys("z")
    lines(bench, 0)


def cut(g):
    g.driver.set_network_conditions(offline=True, latency=0, throughput=0)


def mend(g):
    g.driver.delete_network_conditions()
    g.driver.get_log("browser")  # the cut shows there, as it must
    # Coming back into view is as good as the network's own word that it is back.
    g.driver.execute_script("window.dispatchEvent(new Event('online'))")
    g.until(lambda: "on this device" not in g.text(), "lines still wait")
    g.driver.get_log("browser")


def test_thirty_lines_while_the_connection_is_cut_none_lost_none_doubled_in_order(bench):
    grams = [100 + 7 * n for n in range(30)]
    cut(bench)
    try:
        for n, one in enumerate(grams):
            bench.keys(f"{one} {n + 1}", Keys.ENTER)
        bench.see("30 lines wait on this device since")
        assert masses() == []
    finally:
        mend(bench)
    lines(bench, 30)
    assert masses() == [one * 1000 for one in grams]
    assert list(WeighIn.objects.order_by("pk").values_list("count", flat=True)) == list(
        range(1, 31)
    )


def test_a_server_that_is_down_leaves_the_bench_and_its_lines_where_they_are(bench, monkeypatch):
    """The page comes from the phone, what was written is still there,
    and is sent once when the server is back.
    """
    bench.until(lambda: "/weigh-in/" in bench.pages_kept(), "the worker has kept too little")
    with monkeypatch.context() as broken:
        for name in ("kilter.weigh_in.views.show_bench", "kilter.people.events.Desk.store"):
            broken.setattr(name, lambda *_, **__: 1 / 0)
        bench.keys("640 7", Keys.ENTER)
        bench.see("1 line waits")
        bench.driver.refresh()
        bench.see("1 line waits")
        bench.keys("320 4", Keys.ENTER)
        bench.see("2 lines wait")
    mend(bench)
    lines(bench, 2)
    assert masses() == [640_000, 320_000]


def test_a_late_refusal_goes_to_the_tray_and_a_pile_is_mended_from_there(bench):
    cut(bench)
    try:
        bench.keys("p")
        for reading in ("500", "300", "700"):  # emptied before the second, and not said
            bench.keys(reading, Keys.ENTER)
        bench.see("3 lines wait")
        bench.keys("9")  # the next is being typed already, so nothing goes back into the hand
    finally:
        mend(bench)
    bench.see("The reading fell")
    bench.see("Fix the earlier line first")
    bench.press("Yes, emptied")
    lines(bench, 3)
    assert masses() == [500_000, 300_000, 400_000]
    assert not bench.one("#needs-you").is_displayed()


def test_the_live_scale_is_followed_unplugged_in_the_middle_and_plugged_in_again(
    bench, garden_open
):
    scale = SCALES.simulated(garden_open.household.pk)
    scale.ask("plug")
    scale.ask("take")
    scale.ask("noise 0")
    bench.click("#live-scale")
    bench.until(lambda: "at rest" in bench.text(".reading"))
    scale.ask("put 940")
    bench.keys("12", Keys.ENTER)
    bench.see("has not come to rest")
    bench.until(lambda: bench.text("[data-big]") == "940" and "at rest" in bench.text(".reading"))
    bench.keys(Keys.ENTER)
    lines(bench, 1)
    scale.ask("unplug")
    bench.see("is it plugged in?")
    bench.keys("3", Keys.ENTER)
    lines(bench, 1)
    scale.ask("plug")
    scale.ask("put 60")
    bench.until(lambda: "1.000" in bench.text("[data-big]") and "at rest" in bench.text(".reading"))
    bench.keys(Keys.ENTER)
    lines(bench, 2)
    assert list(WeighIn.objects.order_by("pk").values_list("mass_mg", "count")) == [
        (940_000, 12),
        (1_000_000, 3),
    ]
    assert "crate 1," in bench.text("#pot-in-hand")
    bench.keys(Keys.ENTER)  # what was written lies there still: the next pot, and no second line
    bench.until(lambda: "crate 2," in bench.text("#pot-in-hand"))
    scale.ask("take")
    bench.until(lambda: bench.text("[data-big]") == "0")
    bench.keys(Keys.ENTER)  # nothing lies there: the next pot
    bench.until(lambda: "crate 3," in bench.text("#pot-in-hand"))
    lines(bench, 2)
    bench.click("#live-scale")
    SCALES.close()


@pytest.fixture
def twelve(garden_open):
    garden = garden_open
    for number in range(5, 13):
        crate = Place.objects.create(
            household=garden.household,
            site=garden.site,
            kind="crate",
            name="Ours crate",
            number=number,
            volume_l=45,
        )
        Planting.objects.create(
            household=garden.household, place=crate, crop=garden.crop, season=2026, units=9
        )
    return garden


#: A pile of twelve loads on one scale, emptied after the seventh: the running totals, and the loads
#: they mean.
LOADS = [310, 345, 385, 290, 405, 360, 330, 420, 300, 315, 280, 390]


def totals():
    shown, total = [], 0
    for n, load in enumerate(LOADS):
        total = load if n == 7 else total + load
        shown.append(total)
    return shown


def pots_and_masses():
    found = WeighIn.objects.filter(struck_at=None).order_by("pk")
    return list(found.values_list("planting__place__number", "mass_mg", "count"))


EXPECTED = [(n + 1, load * 1000, n + 2) for n, load in enumerate(LOADS)]


def test_twelve_pots_weighed_and_counted_by_keyboard_piled_on_with_one_emptied_scale(bench, twelve):
    bench.driver.refresh()
    bench.until(lambda: len(bench.all("a[data-pot]")) == 12)
    bench.keys("p")
    for n, reading in enumerate(totals()):
        bench.until(
            lambda n=n: f"crate {n + 1}," in bench.text("#pot-in-hand"),
            f"crate {n + 1} is not in hand",
        )
        bench.keys(f"{reading} {n + 2}", Keys.ENTER)
        if n == 7:
            bench.see("The reading fell")
            bench.press("Yes, emptied")
        lines(bench, n + 1)
        if n != 11:
            bench.keys(Keys.ENTER)
    assert pots_and_masses() == EXPECTED


def test_twelve_pots_by_touch_on_a_phone(gardener, client_for, twelve):
    g = gardener(PHONE)
    g.sign_in(twelve.owner, client_for)
    g.go("/weigh-in/")
    g.until(lambda: g.text("[data-big]") == "0")
    g.press("Keep adding")
    for n, reading in enumerate(totals()):
        g.click(f'a[data-title^="Ours crate {n + 1},"]')
        g.until(lambda n=n: f"crate {n + 1}," in g.text("#pot-in-hand"))
        for figure in f"{reading} {n + 2}":
            g.click(f'.pad [data-figure="{figure}"]')
        g.click(".write-now")
        if n == 7:
            g.see("The reading fell")
            g.press("Yes, emptied")
        lines(g, n + 1)
    assert pots_and_masses() == EXPECTED


def test_two_browsers_at_one_pot_are_two_piles(gardener, client_for, garden_open):
    hands = [gardener(size) for size in (WIDE, PHONE)]
    for g in hands:
        g.sign_in(garden_open.owner, client_for)
        g.go("/weigh-in/")
        g.until(lambda g=g: g.text("[data-big]") == "0")
        g.keys("p")
    for reading in ("300", "500", "900"):
        for g in hands:
            g.keys(reading, Keys.ENTER)
    for g in hands:
        g.until(lambda g=g: "on this device" not in g.text())
    hands[0].until(lambda: len(masses()) == 6)
    assert sorted(masses()) == [200_000, 200_000, 300_000, 300_000, 400_000, 400_000]
    assert WeighIn.objects.values("device", "pile").distinct().count() == 2


def test_a_picker_takes_at_most_six_keys_and_the_next_line_is_offered(bench, garden_open):
    Planting.objects.update(
        variety=garden_open.varieties[0]
    )  # one line of the round, for both pots
    for planting in garden_open.plantings[:2]:
        for day in (10, 14, 18):
            WeighIn.objects.create(
                household=garden_open.household,
                planting=planting,
                weighed_on=date(2026, 11, day),
                grade="table",
                mass_mg=340_000,
                count=6,
            )
    Planting.objects.exclude(pk__in=[p.pk for p in garden_open.plantings[:2]]).update(
        finished_on=date(2026, 11, 1)
    )
    WeighIn.objects.filter(planting=garden_open.plantings[2]).delete()
    bench.go("/weigh-in/round")
    bench.until(lambda: bench.driver.switch_to.active_element.get_attribute("name") == "typed")
    strokes = [*"410 7", Keys.ENTER]
    assert len(strokes) <= 6
    bench.keys(*strokes)
    bench.see("Written: 410 7")
    made = WeighIn.objects.filter(basket__gt="").order_by("pk")
    assert list(made.values_list("mass_mg", "count", "split_by")) == [
        (205_000, 4, "plants"),
        (205_000, 3, "plants"),
    ]
    bench.keys("=", Keys.ENTER)
    bench.see("Written: 680g 12")  # the same as on the last day of all its pots together


def test_a_helper_comes_by_a_link_and_is_out_when_it_is_ended(gardener, client_for, garden_open):
    g = gardener(PHONE)
    g.go(f"/bench/{garden_open.bench_link.token}")
    g.fill(name="Nib")
    g.press("To the bench")
    g.until(lambda: g.text("[data-big]") == "0")
    assert "Weigh up" not in g.text()
    g.keys("900 9", Keys.ENTER)
    lines(g, 1)
    client_for.force_login(garden_open.owner)
    client_for.post(f"/household/bench-links/{garden_open.bench_link.pk}/end")
    g.keys("800 8", Keys.ENTER)
    g.see("Your link was ended. 1 line went to the owners, to be kept or left out.")
    assert masses() == [900_000]
    g.driver.get_log("browser")


def test_a_line_is_corrected_and_the_correction_undone_with_a_key(bench):
    bench.keys("500 5", Keys.ENTER)
    lines(bench, 1)
    bench.press("edit")
    bench.fill(shown="600 g")
    bench.press("Save")
    bench.see("corrected")
    assert masses() == [600_000]
    bench.keys("z")
    bench.see("Undone: Corrected")
    assert masses() == [500_000]


def test_targets_for_a_thumb(gardener, client_for, garden_open):
    g = gardener(PHONE)
    g.sign_in(garden_open.owner, client_for)
    g.go("/weigh-in/")
    for button in [
        b
        for css in (".pad .btn", ".grades .btn", ".write-keys .btn", ".count .btn")
        for b in g.all(css)
    ]:
        assert button.size["height"] >= 56
    big = g.driver.execute_script(
        "return parseFloat(getComputedStyle(document.querySelector('.big')).fontSize)"
    )
    assert big >= 72
    box = g.one(".write-now").rect
    assert box["y"] + box["height"] <= 800


def test_a_slip_is_asked_about_in_the_line_and_enter_keeps_it(bench):
    bench.keys(*"940 12", Keys.ENTER, *"900 11", Keys.ENTER, *"950 12", Keys.ENTER)
    lines(bench, 3)
    bench.keys(*"940,12", Keys.ENTER)
    bench.see("times as much as usual here (940 g). Right? Write it again to keep it")
    assert bench.one("#typed").get_attribute("value") == "940,12"
    assert len(masses()) == 3
    bench.keys(Keys.ENTER)
    lines(bench, 4)
    assert masses()[-1] == 940_120_000


def test_how_it_is_weighed_outlasts_finishing_a_pot(bench):
    bench.press("Count only")
    bench.keys("6", Keys.ENTER)
    lines(bench, 1)
    bench.keys("f")
    bench.see("is finished: all has been lifted")
    bench.until(lambda: bench.one('[data-mode="count"]').get_attribute("aria-pressed") == "true")
    bench.keys("6", Keys.ENTER)
    lines(bench, 2)
    assert list(WeighIn.objects.values_list("mass_mg", "count")) == [(None, 6), (None, 6)]


@pytest.fixture
def twelve_before(twelve):
    """Twelve pots whose crop was lifted last year, as Table and Small in each."""
    last_year = [
        Planting.objects.create(
            household=twelve.household,
            place=planting.place,
            crop=planting.crop,
            season=2025,
            units=9,
            planted_on=date(2025, 3, 21),
            finished_on=date(2025, 8, 1),
        )
        for planting in Planting.objects.filter(finished_on=None)
    ]
    for planting in last_year:
        for grade in ("table", "small"):
            line = {
                "household": twelve.household,
                "planting": planting,
                "weighed_on": date(2025, 8, 1),
            }
            WeighIn.objects.create(grade=grade, mass_mg=500_000, count=5, **line)
    return twelve


TAP = """
for (const css of arguments[0]) {
  const button = document.querySelector(css);
  button.scrollIntoView({ block: "center" });
  const box = button.getBoundingClientRect();
  const hit = document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2);
  if (!button.contains(hit)) throw new Error(`${css} lies under something else`);
  hit.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, detail: 1 }));
}
"""


def tapped(g, *figures, by_hand=False, last=False):
    """Taps on the pad, counted, with Write, or with "Write, next pot" after the last of a pot.

    By hand, or at once on what a finger would hit there.
    """
    write = ".write-next" if last else ".write-now"
    buttons = [*(f'.pad [data-figure="{figure}"]' for figure in figures), write]
    if by_hand:
        for css in buttons:
            g.click(css)
    else:
        g.driver.execute_script(TAP, buttons)
    return len(buttons)


def at_phone(gardener, client_for, garden):
    g = gardener(PHONE)
    g.sign_in(garden.owner, client_for)
    g.go("/weigh-in/")
    g.until(lambda: g.text("[data-big]") == "0")
    return g


def test_twelve_pots_of_two_grades_take_at_most_145_taps(gardener, client_for, twelve_before):
    g = at_phone(gardener, client_for, twelve_before)
    taps = 0
    for n in range(12):
        g.until(lambda n=n: f"crate {n + 1}" in g.text("#pot-in-hand"), f"crate {n + 1} is offered")
        g.until(lambda: grade(g) == "table")
        taps += tapped(g, *"480", " ", "7", by_hand=n == 0)
        g.until(lambda: grade(g) == "small", "the next usual grade is offered")
        taps += tapped(g, *"395", " ", "9", by_hand=n == 11, last=True)
        lines(g, 2 * n + 2)
    assert taps <= 145
    written = WeighIn.objects.filter(weighed_on__year__gt=2025)
    assert set(written.values_list("grade", "count")) == {("table", 7), ("small", 9)}
    assert written.values("planting").distinct().count() == 12


def test_twelve_pots_of_one_grade_take_at_most_72_taps(gardener, client_for, twelve_before):
    WeighIn.objects.filter(grade="small").delete()
    g = at_phone(gardener, client_for, twelve_before)
    taps = 0
    for n in range(12):
        g.until(lambda n=n: f"crate {n + 1}" in g.text("#pot-in-hand"), f"crate {n + 1} is offered")
        taps += tapped(g, *"480", " ", "7", last=True)
        lines(g, n + 1)
    assert taps <= 72


@pytest.mark.parametrize(("grades", "most"), [(1, 30), (2, 72)])
def test_with_the_live_scale_a_line_takes_two_taps(
    gardener, client_for, twelve_before, grades, most
):
    """Each load is put on the scale by hand; the count is tapped, then Write it down."""
    if grades == 1:
        WeighIn.objects.filter(grade="small").delete()
    scale = SCALES.simulated(twelve_before.household.pk)
    for wish in ("plug", "take", "noise 0"):
        scale.ask(wish)
    g = at_phone(gardener, client_for, twelve_before)
    g.click("#live-scale")
    taps = 1
    for n in range(12):
        g.until(lambda n=n: f"crate {n + 1}" in g.text("#pot-in-hand"), f"crate {n + 1} is offered")
        for k, kind in enumerate(("table", "small")[:grades]):
            g.until(lambda kind=kind: grade(g) == kind, f"{kind} is offered")
            grams = 480 + 10 * n - 90 * k
            scale.ask("take")
            scale.ask(f"put {grams}")
            scale.changed_s -= (
                5  # as if it had lain there for a while: that it comes to rest is tested elsewhere
            )
            shows = str(grams)
            g.until(
                lambda shows=shows: (
                    g.text("[data-big]") == shows and "at rest" in g.text(".reading")
                ),
                "at rest",
            )
            taps += tapped(g, "7", last=k == grades - 1)
            lines(g, grades * n + k + 1)
    assert taps <= most
    written = WeighIn.objects.filter(weighed_on__year__gt=2025, grade="table").order_by("pk")
    assert list(written.values_list("mass_mg", "count")) == [
        ((480 + 10 * n) * 1000, 7) for n in range(12)
    ]
    g.click("#live-scale")
    SCALES.close()


FITS = """
const bar = document.querySelector(".beam").getBoundingClientRect();
const foot = bar.width > bar.height ? bar.top : innerHeight;
const keys =
  ".pad .btn, .grades .btn, .write-keys .btn, .steps .btn:not(.back), " +
  ".pot, .lifted .btn, #crop, #bench-day";
return [...document.querySelectorAll(keys)]
  .filter((one) => one.offsetParent !== null)
  .filter((one) => {
    const box = one.getBoundingClientRect();
    if (box.left >= innerWidth) return false;  // a pot further along the strip
    const middle = box.left + box.width / 2;
    const at = document.elementFromPoint(middle, box.top + box.height / 2);
    return box.bottom > foot || box.top < 0 || (middle < innerWidth && !one.contains(at));
  })
  .map((one) => one.innerText);
"""


@pytest.mark.parametrize("size", [(390, 800), (360, 640), (320, 640), (640, 360)])
def test_pad_grades_and_write_fit_one_screen_with_nothing_under_anything(
    gardener, client_for, twelve, size
):
    g = at_phone(gardener, client_for, twelve)
    metrics = {"width": size[0], "height": size[1], "deviceScaleFactor": 1, "mobile": True}
    g.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    try:
        g.driver.refresh()
        g.until(lambda: g.text("[data-big]") == "0")
        assert g.driver.execute_script("window.scrollTo(0, 0);" + FITS) == []
        tapped(g, "4", "8", "0")
        g.until(lambda: "480" in g.text(".last"), "the last line is in sight")
    finally:
        g.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


CUT = """
const tape = document.getElementById("bench-tape");
const edge = tape.getBoundingClientRect().right;
const over = [...tape.querySelectorAll("td, td *")].filter(
  (one) => one.getBoundingClientRect().right > edge + 1,
);
return [document.documentElement.scrollWidth > innerWidth, ...over.map((one) => one.innerText)];
"""


def test_nothing_is_cut_at_any_width(gardener, client_for, twelve):
    pot = Planting.objects.order_by("pk").first()
    for n, grade_of in ((1_284, "table"), (12_840, "unripe")):
        WeighIn.objects.create(
            household=twelve.household,
            planting=pot,
            weighed_on=TODAY,
            grade=grade_of,
            mass_mg=n * 1000,
            count=148,
            plants=2,
            visit=1,
            hand="Ada",
        )
    g = at_phone(gardener, client_for, twelve)
    for width in (1280, 1024, 390, 360, 320):
        metrics = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": width < 600}
        g.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
        g.driver.refresh()
        g.until(lambda: len(g.all("tr[data-line]")) == 2)
        assert g.driver.execute_script(CUT) == [False], width
    g.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


def test_a_line_that_is_not_sent_yet_stands_on_the_tape_marked(bench):
    cut(bench)
    try:
        bench.keys("500", Keys.ENTER)
        bench.until(lambda: "500 · waits to be sent" in bench.text("#bench-tape"))
    finally:
        mend(bench)
    lines(bench, 1)
    bench.until(lambda: "waits to be sent" not in bench.text("#bench-tape"))


def test_how_it_is_weighed_is_the_persons_on_a_device_that_is_lent(bench, garden_open, client_for):
    bench.press("Count only")
    bench.click(".unit-key")
    helper = member(garden_open.household, "Nib", "helper")
    bench.sign_in(helper, client_for)
    bench.go("/weigh-in/")
    bench.see("Weight in g, or kg with a point; count")
    bench.sign_in(garden_open.owner, client_for)
    bench.go("/weigh-in/")
    bench.until(lambda: bench.one('[data-mode="count"]').get_attribute("aria-pressed") == "true")
    bench.press("Zero each time")
    bench.see("Weight in g; count")
