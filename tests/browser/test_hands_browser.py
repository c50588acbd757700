"""For hands: what was typed is not lost, long tables come in order, a finger is told first,
all of it by keyboard.
"""

from __future__ import annotations

import socket
from datetime import date, timedelta

import pytest
from django.test import Client
from selenium.webdriver.common.actions.action_builder import ActionBuilder
from selenium.webdriver.common.actions.pointer_input import PointerInput
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from kilter.set_out.models import Planting, SeedLot
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import PHONE, WIDE

pytestmark = pytest.mark.browser
QUESTION = "/weigh-up/?compare=method:setting&by=kg_per_plant&crop=shallot"


@pytest.fixture
def g(gardener, garden):
    one = gardener(WIDE)
    one.sign_in(garden.owner, Client())
    return one


def test_what_was_typed_comes_back_with_the_page_and_waits_for_the_connection(g, garden):
    g.go("/set-out/lots/new")
    g.fill(name="late set", crop_name="shallot", notes="from the shed")
    g.driver.refresh()
    g.see("What you had typed here is back")
    assert g.one("[name=notes]").get_attribute("value") == "from the shed"
    g.press("Start afresh")
    assert g.one("[name=name]").get_attribute("value") == ""
    g.fill(name="late set", crop_name="shallot")
    g.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    try:
        g.click("main form button.btn-main")
        g.see("There is no connection, so this was not sent")
        assert g.one("[name=name]").get_attribute("value") == "late set"
        assert not SeedLot.objects.filter(name="late set").exists()
    finally:
        g.driver.delete_network_conditions()
        g.driver.get_log("browser")
    g.click("main form button.btn-main")
    g.until(lambda: SeedLot.objects.filter(name="late set").count() == 1)
    g.see("late set")
    g.go("/set-out/lots/new")
    assert g.one("[name=name]").get_attribute("value") == "", "what was sent is not offered again"
    assert "is back" not in g.text()


def hang_up(handler, _):
    """As where the phone believes that it is connected, and nothing answers."""
    handler.request_handler.close_connection = True
    handler.request_handler.connection.shutdown(socket.SHUT_RDWR)


def test_where_the_server_is_away_a_page_of_our_own_says_so_and_nothing_typed_is_lost(
    g, garden, monkeypatch
):
    g.go("/")
    g.until(lambda: "/" in g.pages_kept(), "today is kept")
    g.go("/set-out/lots/new")
    g.fill(name="late set", crop_name="shallot", notes="from the shed")
    with monkeypatch.context() as away:
        away.setattr("django.core.servers.basehttp.ServerHandler.run", hang_up)
        g.click("main form button.btn-main")
        g.see("this was most likely not saved")
        g.see("What you typed is kept in this tab")
        g.go("/set-out/lots")
        g.see("this page is not kept on this device")
        g.click("a[href='/']")
        g.see("This page is as it was when you last saw it")
    assert not SeedLot.objects.filter(name="late set").exists()
    g.go("/set-out/lots/new")
    g.see("What you had typed here is back")
    g.click("main form button.btn-main")
    g.until(lambda: SeedLot.objects.filter(name="late set", notes="from the shed").count() == 1)
    g.go("/set-out/lots/new")
    assert g.one("[name=name]").get_attribute("value") == "", "what was sent is not offered again"
    with monkeypatch.context() as away:
        away.setattr("django.core.servers.basehttp.ServerHandler.run", hang_up)
        g.go("/set-out/lots")
        g.see("No connection")
    g.see("Seed lots")  # by itself
    g.driver.get_log("browser")


def shown(g, nth):
    rows = "table.tape-wide tbody tr:not([hidden])"
    script = (
        "return [...document.querySelectorAll(arguments[0])].map((row) => "
        "row.cells[arguments[1]].innerText.trim())"
    )
    return g.driver.execute_script(script, rows, nth)


@pytest.fixture
def many(garden):
    for i in range(20):
        WeighIn.objects.create(
            household=garden.household,
            planting=garden.plantings[i % 4],
            weighed_on=date(2026, 7, 1) + timedelta(days=i),
            grade="hurt" if i % 5 else "seed",
            mass_mg=(i * 7 % 20 + 1) * 90_000,
            count=i + 1,
        )


def grams(words):
    number, unit = words.split()[-2:]
    return float(number.replace(",", "")) * (1000 if unit == "kg" else 1)


def test_a_long_table_is_ordered_and_narrowed_and_the_address_says_how(g, garden, many):
    g.go("/weigh-in/lines")
    g.press("Weight")
    weights = [grams(one) for one in shown(g, 5)]
    assert weights == sorted(weights)
    assert len(weights) > 20
    assert "sort=weight" in g.driver.current_url
    assert g.one("th[aria-sort]").get_attribute("aria-sort") == "ascending"
    g.press("Weight")
    assert [grams(one) for one in shown(g, 5)] == sorted(weights, reverse=True)
    g.one(".table-controls input").send_keys("seed")
    g.until(lambda: set(shown(g, 3)) == {"Seed"})
    g.see(f"4 of {len(weights)}")
    g.driver.refresh()
    assert set(shown(g, 3)) == {"Seed"}
    kept = [grams(one) for one in shown(g, 5)]
    assert kept == sorted(kept, reverse=True)
    g.one(".table-controls input").clear()
    g.one(".table-controls input").send_keys(" ", Keys.BACKSPACE)
    g.press("Weight")
    assert "sort" not in g.driver.current_url
    days = [one.split("\n")[0] for one in shown(g, 0)]
    g.press("Day")
    assert [one.split("\n")[0] for one in shown(g, 0)] == sorted(
        days, key=lambda d: (d.split()[1] != "July", int(d.split()[0]))
    )


def test_on_a_phone_the_order_is_chosen_from_a_list(gardener, garden, many):
    g = gardener(PHONE)
    g.sign_in(garden.owner, Client())
    g.go("/weigh-in/lines")
    Select(g.one(".order-narrow select")).select_by_visible_text("Weight, the other way")
    weights = [grams(one) for one in shown(g, 5)]
    assert weights == sorted(weights, reverse=True)


def tap(g, element):
    finger = ActionBuilder(g.driver, mouse=PointerInput("touch", "finger"))
    finger.pointer_action.move_to(element).pointer_down().pointer_up()
    finger.perform()


def test_a_finger_is_told_what_a_weight_is_and_opens_it_at_the_second_tap(gardener, garden):
    g = gardener(PHONE)
    g.sign_in(garden.owner, Client())
    g.go(QUESTION)
    g.until(lambda: g.all("a.weight"))
    weight = next(one for one in g.all("a.weight") if one.is_displayed())
    g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", weight)
    story = weight.get_attribute("data-story")
    before = g.driver.current_url
    tap(g, weight)
    g.until(lambda: g.text("#story") == f"{story} Tap again to open it.")
    assert g.driver.current_url == before
    tap(g, weight)
    g.until(lambda: "/set-out/" in g.driver.current_url, "it opens")


LOOKS = """
const [chosen, other] = [...arguments].map((css) => getComputedStyle(document.querySelector(css)));
const seen = ["outlineStyle", "outlineWidth", "backgroundColor", "color", "borderTopColor"];
return seen.some((one) => chosen[one] !== other[one]);
"""


@pytest.mark.parametrize(
    ("path", "chosen", "other"),
    [
        ("/", '#look button[aria-pressed="true"]', '#look button[aria-pressed="false"]'),
        ("/", ".beam li a[aria-current]", ".beam li a:not([aria-current])"),
        ("/weigh-in/", ".grades .btn:has(:checked)", ".grades .btn:not(:has(:checked))"),
        ("/weigh-in/", '.pot[aria-current="true"]', '.pot:not([aria-current="true"])'),
        ("/set-out/new", ".pick label:has(:checked)", ".pick label:not(:has(:checked))"),
    ],
)
def test_what_is_chosen_is_seen_where_the_system_takes_the_colours(g, garden, path, chosen, other):
    features = [{"name": "forced-colors", "value": "active"}]
    g.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": features})
    try:
        Planting.objects.update(finished_on=None)
        g.go(path)
        if "pick" in chosen:
            g.driver.execute_script("document.querySelector('.pick input').checked = true")
        g.until(lambda: g.all(chosen) and g.all(other), "one is chosen and another is not")
        assert g.driver.execute_script(LOOKS, chosen, other)
        assert g.driver.execute_script("return matchMedia('(forced-colors: active)').matches")
    finally:
        g.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})


def test_a_name_from_right_to_left_does_not_turn_its_neighbours_round(g, garden):
    garden.varieties[0].name = "ثوم الجدة"
    garden.varieties[0].save()
    g.go("/set-out/")
    order = """
    const cells = [...document.querySelectorAll("main td")];
    const cell = cells.find((one) => one.textContent.includes("ثوم"));
    const next = cell.nextElementSibling;
    const left = (one) => one.getBoundingClientRect().left;
    return [getComputedStyle(cell.querySelector("a")).unicodeBidi, left(cell) < left(next)];
    """
    g.press("The table of")
    assert g.driver.execute_script(order) == ["isolate", True]
