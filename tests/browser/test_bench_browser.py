"""The bench in the browser: keystrokes counted, piles, undo, a refused line, a cut connection."""

from __future__ import annotations

import pytest
from selenium.webdriver.common.keys import Keys

from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import PHONE
from tests.conftest import make_garden

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
    return list(WeighIn.objects.filter(struck_at=None).order_by("pk").values_list("mass_mg", flat=True))


def grade(g):
    return g.one("[name=grade]:checked").get_attribute("value")


def lines(g, count):
    g.until(lambda: len(g.all("tr[data-line]:not(.struck)")) == count, f"{count} lines stand")


def test_a_pot_with_two_grades_takes_at_most_fourteen_keys(bench):
    strokes = [*"940 12", Keys.ENTER, "s", *"88 3", Keys.ENTER]
    assert len(strokes) + 1 <= 14  # and one to go on, where the next pot is not offered by itself
    bench.keys(*strokes)
    lines(bench, 2)
    assert list(WeighIn.objects.order_by("pk").values_list("grade", "count")) == [("table", 12), ("small", 3)]
    bench.keys("n")
    bench.keys(*strokes)
    lines(bench, 4)
    # The second pot has the grades of the first, so the third is offered without a key.
    bench.until(lambda: "crate 3" in bench.text("#pot-in-hand"))


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


def test_letters_can_be_switched_off(bench):
    bench.keys("?")
    bench.click("#letters-on")
    bench.keys(Keys.ESCAPE, "s")
    assert grade(bench) == "table"
    bench.click('[data-grade="small"]')
    assert grade(bench) == "small"


def test_a_cut_connection_keeps_the_line(bench):
    bench.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    try:
        bench.keys("700 8", Keys.ENTER)
        bench.see("no answer from Kilter")
        assert bench.one("#typed").get_attribute("value") == "700 8"
    finally:
        bench.driver.delete_network_conditions()
    bench.keys(Keys.ENTER)
    lines(bench, 1)
    assert masses() == [700_000]
    bench.driver.get_log("browser")  # the cut shows there, as it must


def test_targets_for_a_thumb(gardener, client_for, garden_open):
    g = gardener(PHONE)
    g.sign_in(garden_open.owner, client_for)
    g.go("/weigh-in/")
    for button in [b for css in (".pad .btn", ".grades .btn", ".write-now", ".count .btn") for b in g.all(css)]:
        assert button.size["height"] >= 56
    big = g.driver.execute_script("return parseFloat(getComputedStyle(document.querySelector('.big')).fontSize)")
    assert big >= 72
    box = g.one(".write-now").rect
    assert box["y"] + box["height"] <= 800
