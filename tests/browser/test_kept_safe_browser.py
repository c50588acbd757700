"""No line is lost on a device, and no page is shown to somebody else:
two people on one phone, Back, no room.
"""

from __future__ import annotations

import json

import pytest
from django.test import Client
from selenium.webdriver.common.keys import Keys

from kilter.people.actions import end_bench_link
from kilter.people.history import Actor
from kilter.set_out.models import Planting
from kilter.weigh_in.models import LateLine, WeighIn
from tests.conftest import make_garden, member

pytestmark = pytest.mark.browser


@pytest.fixture
def garden_open(transactional_db):
    garden = make_garden("Ours")
    WeighIn.objects.all().delete()
    Planting.objects.update(finished_on=None)
    member(garden.household, "Wren", "helper")
    return garden


def at_bench(g, user):
    g.sign_in(user, Client())
    g.go("/weigh-in/")
    g.until(lambda: g.text("[data-big]") == "0")


def offline(g, is_off):
    if is_off:
        g.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    else:
        g.driver.delete_network_conditions()
        g.driver.get_log("browser")
        g.driver.execute_script("window.dispatchEvent(new Event('online'))")


def private_pages(g):
    """The names under which pages are kept on this device."""
    script = (
        "const done = arguments[0]; caches.keys().then((all) => done(all.filter((n) => "
        "n.startsWith('kilter-pages-'))))"
    )
    return g.driver.execute_async_script(script)


def test_a_line_that_finds_no_room_on_the_device_is_given_back_with_a_sentence(
    gardener, garden_open
):
    g = gardener()
    at_bench(g, garden_open.owner)
    g.driver.execute_script(
        "window.realAdd = IDBObjectStore.prototype.add;"
        "IDBObjectStore.prototype.add = () => { throw new DOMException('full', "
        "'QuotaExceededError'); };"
    )
    g.keys("940 12", Keys.ENTER)
    g.see("This device has no room to keep the line")
    assert g.one("#typed").get_attribute("value") == "940 12"
    assert WeighIn.objects.count() == 0
    g.driver.execute_script("IDBObjectStore.prototype.add = window.realAdd")
    g.keys(Keys.ENTER)
    g.until(
        lambda: list(WeighIn.objects.values_list("mass_mg", "count")) == [(940_000, 12)],
        "it is written then",
    )


def test_a_line_whose_page_was_closed_before_the_queue_had_it_is_taken_up_again(
    gardener, garden_open
):
    g = gardener()
    at_bench(g, garden_open.owner)
    who = g.one("[data-who]").get_attribute("data-who")
    line = {
        "client_id": "a" * 32,
        "kind": "write",
        "planting": garden_open.plantings[0].pk,
        "grade": "table",
        "typed": "850 9",
        "device": "d" * 32,
        "pile": "",
        "number": 1,
    }
    held = {line["client_id"]: {"event": line, "words": "Crate 1: table 850 9", "who": who}}
    g.driver.execute_script(
        "localStorage.setItem('kilter-in-hand', arguments[0])", json.dumps(held)
    )
    g.go("/weigh-in/")
    g.until(
        lambda: list(WeighIn.objects.values_list("mass_mg", flat=True)) == [850_000], "it is sent"
    )
    g.go("/weigh-in/")
    g.until(lambda: g.text("[data-big]") == "0")
    assert WeighIn.objects.count() == 1


def test_two_people_on_one_phone_see_whose_lines_wait_and_nobody_loses_any(gardener, garden_open):
    from kilter.people.models import User

    g = gardener()
    at_bench(g, garden_open.owner)
    offline(g, is_off=True)
    g.keys("500 5", Keys.ENTER)
    g.until(lambda: "1 line waits" in g.text(), "it waits")
    offline(g, is_off=False)
    g.until(lambda: WeighIn.objects.count() == 1)
    # A line that could not be sent while its writer was here: as after the cookie was lost.
    owner = g.one("[data-who]").get_attribute("data-who")
    event = {
        "client_id": "b" * 32,
        "kind": "write",
        "planting": garden_open.plantings[1].pk,
        "grade": "table",
        "typed": "620 6",
        "device": "d" * 32,
        "pile": "",
        "number": 2,
    }
    kept = {
        "event": event,
        "words": "Crate 2: table 620 6",
        "who": owner,
        "name": "Ours-owner",
        "since": 0,
    }
    wren = User.objects.get(username="Wren")
    at_bench(g, wren)
    g.driver.execute_async_script(
        "const [entry, done] = arguments; const asked = indexedDB.open('kilter', 1);"
        "asked.onsuccess = () => { const put = asked.result.transaction('waiting', 'readwrite');"
        "put.objectStore('waiting').add(entry); put.oncomplete = () => { asked.result.close(); "
        "done(); }; };",
        kept,
    )
    g.go("/weigh-in/")
    g.see("1 line of Ours-owner waits on this device")
    g.keys("700 7", Keys.ENTER)
    g.until(lambda: WeighIn.objects.count() == 2)
    assert WeighIn.objects.order_by("-pk").first().written_by == wren
    assert not WeighIn.objects.filter(mass_mg=620_000).exists()  # never filed under somebody else
    g.press("Sign out")
    g.see("Sign in")
    at_bench(g, garden_open.owner)
    g.until(
        lambda: WeighIn.objects.filter(mass_mg=620_000).exists(),
        "the owner's line is sent when the owner is here",
    )
    assert WeighIn.objects.get(mass_mg=620_000).written_by == garden_open.owner


def waiting_on(g):
    """How many lines lie in the store of this device; none where there is no store."""
    script = (
        "const done = arguments[0]; const asked = indexedDB.open('kilter', 1);"
        "asked.onupgradeneeded = () => asked.transaction.abort(); asked.onerror = () => done(0);"
        "asked.onsuccess = () => {"
        "const all = asked.result.transaction('waiting').objectStore('waiting').count();"
        "all.onsuccess = () => { asked.result.close(); done(all.result); }; };"
    )
    return g.driver.execute_async_script(script)


def test_lines_come_back_where_the_browser_throws_its_storage_away_while_the_bench_is_open(
    gardener, garden_open
):
    g = gardener()
    at_bench(g, garden_open.owner)
    offline(g, is_off=True)
    g.keys("500 5", Keys.ENTER)
    g.keys("600 6", Keys.ENTER)
    g.until(lambda: "2 lines wait" in g.text(), "they wait")
    gone = {"origin": g.base, "storageTypes": "indexeddb,local_storage,cache_storage"}
    g.driver.execute_cdp_cmd("Storage.clearDataForOrigin", gone)
    g.until(lambda: waiting_on(g) == 2, "they are put back")
    g.keys("700 7", Keys.ENTER)
    g.until(lambda: "3 lines wait" in g.text(), "and one more is taken")
    offline(g, is_off=False)
    g.until(lambda: WeighIn.objects.count() == 3)
    assert list(WeighIn.objects.order_by("pk").values_list("mass_mg", flat=True)) == [
        500_000,
        600_000,
        700_000,
    ]
    g.until(lambda: waiting_on(g) == 0)


def test_two_tabs_that_lost_the_connection_send_each_line_once(gardener, garden_open, monkeypatch):
    """The server is away for both of them: what one tab wrote the other may send,
    and nobody sends it twice.
    """
    g = gardener()
    at_bench(g, garden_open.owner)
    first = g.driver.current_window_handle
    g.driver.switch_to.new_window("tab")
    second = g.driver.current_window_handle
    try:
        g.go("/weigh-in/")
        g.until(lambda: g.text("[data-big]") == "0")
        monkeypatch.setattr("kilter.people.events.Desk.store", lambda *_, **__: 1 / 0)
        for n, tab in enumerate((second, first) * 2):
            g.driver.switch_to.window(tab)
            g.driver.execute_cdp_cmd("Emulation.setFocusEmulationEnabled", {"enabled": True})
            g.keys(f"{300 + 100 * n} {n + 1}", Keys.ENTER)
            g.until(lambda n=n: f"{n + 1} line" in g.text("#unsent"), f"{n + 1} wait")
        assert WeighIn.objects.count() == 0
        monkeypatch.undo()
        for tab in (second, first):
            g.driver.switch_to.window(tab)
            g.driver.execute_script("window.dispatchEvent(new Event('online'))")
        g.until(lambda: WeighIn.objects.count() == 4)
        assert sorted(WeighIn.objects.values_list("mass_mg", flat=True)) == [
            300_000,
            400_000,
            500_000,
            600_000,
        ]
    finally:
        g.driver.switch_to.window(second)
        g.driver.get_log("browser")
        g.driver.close()
        g.driver.switch_to.window(first)
        g.driver.get_log("browser")


def test_pages_kept_for_one_person_are_gone_when_another_comes_or_nobody_is_signed_in(
    gardener, garden_open
):
    from kilter.people.models import User

    g = gardener()
    at_bench(g, garden_open.owner)
    owner = g.one("[data-who]").get_attribute("data-who")
    g.until(
        lambda: private_pages(g) == [f"kilter-pages-{owner}"],
        "the owner's pages are kept under the owner's name",
    )
    at_bench(g, User.objects.get(username="Wren"))
    wren = g.one("[data-who]").get_attribute("data-who")
    g.until(
        lambda: private_pages(g) == [f"kilter-pages-{wren}"], "and go when somebody else is here"
    )
    g.sign_in(garden_open.owner, Client())
    g.go("/ground/")
    g.until(lambda: private_pages(g) == [], "on whatever page that shows")
    at_bench(g, garden_open.owner)
    g.until(
        lambda: private_pages(g) == [f"kilter-pages-{owner}"], "and are kept again at the bench"
    )
    g.press("Sign out")
    g.see("Sign in")
    g.until(lambda: private_pages(g) == [], "and go when nobody is here")


def test_signing_out_before_the_bench_was_opened_leaves_it_able_to_take_lines(
    gardener, garden_open
):
    g = gardener()
    g.sign_in(garden_open.owner, Client())
    g.go("/ground/")
    g.press("Sign out")
    g.see("Sign in")
    names = (
        "const done = arguments[0]; indexedDB.databases().then((all) => done(all.map((one) => "
        "one.name)))"
    )
    assert "kilter" not in g.driver.execute_async_script(names)


def test_back_after_signing_out_shows_nothing_private(gardener, garden_open):
    g = gardener()
    g.sign_in(garden_open.owner, Client())
    g.go("/ground/")
    g.see("Ours bed")
    g.press("Sign out")
    g.see("Sign in")
    g.driver.back()
    g.until(
        lambda: "Ours bed" not in g.text() and "Sign in" in g.text(), "only the page to sign in on"
    )


def as_guest(g, link, name):
    g.go(f"/bench/{link.token}")
    g.fill(name=name)
    g.press("To the bench")
    g.until(lambda: g.text("[data-big]") == "0")


def written_offline(g, *lines):
    g.driver.get_log("browser")
    offline(g, True)
    for line in lines:
        g.keys(line, Keys.ENTER)
    g.see("wait" if len(lines) > 1 else "waits")
    g.driver.get_log("browser")


def test_a_guest_who_lost_the_cookie_finds_the_lines_sent_by_link_and_name(gardener, garden_open):
    g = gardener()
    as_guest(g, garden_open.bench_link, "Nib")
    written_offline(g, "900 9")
    g.driver.execute_script(
        "HTMLAnchorElement.prototype.click = function () { window.saved = this.download; }"
    )
    g.press("Save them as text")
    assert g.until(lambda: g.driver.execute_script("return window.saved")).startswith(
        "kilter-lines-2026-"
    )
    g.driver.execute_script("window.stop()")
    g.driver.delete_all_cookies()
    g.driver.get_log("browser")
    offline(g, False)
    as_guest(g, garden_open.bench_link, "nib")
    g.until(lambda: WeighIn.objects.count() == 1)
    assert WeighIn.objects.get().written_by.first_name == "Nib"
    g.driver.get_log("browser")  # it was told to come by its link again while it had none


def test_what_a_guest_wrote_before_the_link_ended_goes_to_the_owner(gardener, garden_open):
    g = gardener()
    as_guest(g, garden_open.bench_link, "Nib")
    written_offline(g, "900 9", "800 8")
    end_bench_link(Actor(garden_open.household), garden_open.bench_link)
    offline(g, False)
    g.until(lambda: LateLine.objects.count() == 2)
    g.go("/weigh-in/")
    g.see("Sign in")
    assert WeighIn.objects.count() == 0
    at_bench(g, garden_open.owner)
    g.press("2 late lines")
    g.press("Keep all 2")
    g.see("2 lines kept on the tape.")
    assert sorted(WeighIn.objects.values_list("mass_mg", flat=True)) == [800_000, 900_000]
    g.driver.get_log("browser")


def test_what_was_looked_at_opens_while_the_server_is_down_and_says_of_when_it_is(
    gardener, garden_open, monkeypatch
):
    g = gardener()
    at_bench(g, garden_open.owner)
    g.go("/")
    g.until(lambda: {"/", "/weigh-in/round"} <= g.pages_kept(), "too little is kept")
    assert not g.all("#kept")
    g.go("/ground/")
    g.until(lambda: "/ground/" in g.pages_kept(), "the map is kept")
    place = f"/ground/places/{garden_open.plantings[0].place_id}"
    g.go(place)
    g.until(lambda: place in g.pages_kept(), "the place is kept")
    told = {
        "/": "Weigh in",
        "/ground/": "Ours",
        place: str(garden_open.plantings[0].place),
        "/weigh-in/round": "Picking round",
    }
    with monkeypatch.context() as broken:
        broken.setattr("kilter.site.context._room_of", lambda *_: 1 / 0)
        for path, words in told.items():
            g.go(path)
            g.see("This page is as it was when you last saw it, on ")
            assert words in g.text("main"), path
        g.go("/weigh-in/")
        g.see("What you write is kept here and sent later")
        g.go("/household")
        g.see("That was our fault")
    g.go("/")
    g.see("Weigh in")
    assert not g.all("#kept")
    g.driver.get_log("browser")
