"""The ground by hand: places dragged, nudged, snapped and put back; parts drawn;
a vague garden from nothing.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.test import Client
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.actions.action_builder import ActionBuilder
from selenium.webdriver.common.actions.pointer_input import PointerInput
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from kilter.ground.models import Move, Part, Place
from kilter.set_out.models import Planting
from kilter.tending.models import Happening, Job
from tests.browser.conftest import PHONE, WIDE
from tests.conftest import make_garden

pytestmark = pytest.mark.browser


@pytest.fixture
def garden(transactional_db):
    return make_garden("Ours")


def at(g, place):
    """The drawn place, and where it stands by the database."""
    found = Place.objects.get(pk=place.pk)
    return g.one(f'[data-place="/ground/places/{place.pk}/spot"]'), (found.x_m, found.y_m)


def choose(g, mode):
    g.click(f'[data-map-modes] input[value="{mode}"]')


def drag(g, place, dx, dy):
    """By the mouse, in the map's own metres."""
    element, _ = at(g, place)
    px = float(g.one("[data-map]").get_attribute("data-px"))
    chain = ActionChains(g.driver, duration=40).move_to_element(element).click_and_hold()
    right, down = round(dx * px), round(-dy * px)
    chain.move_by_offset(right // 2, down // 2).move_by_offset(right - right // 2, down - down // 2)
    chain.release().perform()


def test_a_place_is_dragged_snaps_to_its_neighbour_and_is_put_back(gardener, garden):
    g = gardener(WIDE)
    g.sign_in(garden.owner, Client())
    g.go("/ground/")
    first, last = garden.crates[0], garden.crates[3]
    Place.objects.filter(pk=first.pk).update(x_m=6.0, y_m=0.5)
    g.go("/ground/")
    choose(g, "put")
    drag(g, last, 2.0, 1.03)
    g.until(lambda: at(g, last)[1][0] > 4, "it was put elsewhere")
    assert at(g, last)[1] == (pytest.approx(5.0, abs=0.06), pytest.approx(3.03, abs=0.06))
    g.see("Ours crate 4 is at")
    # Beside crate 1, a few centimetres off: it snaps edge to edge.
    width = float(at(g, first)[0].get_attribute("data-w"))
    drag(g, last, 6.0 + width + 0.08 - at(g, last)[1][0], 0.5 + 0.07 - at(g, last)[1][1])
    g.until(lambda: at(g, last)[1][1] < 1, "beside crate 1")
    assert at(g, last)[1] == (pytest.approx(6.0 + width, abs=0.011), pytest.approx(0.5, abs=0.001))
    g.see("at 6.3")
    g.keys("z")
    g.until(lambda: at(g, last)[1][1] > 3, "the last drag is undone by a key")
    assert Move.objects.count() == 0


def test_a_click_leads_to_the_place_unless_places_are_being_moved(gardener, garden):
    g = gardener(WIDE)
    g.sign_in(garden.owner, Client())
    g.go("/ground/")
    choose(g, "move")
    ActionChains(g.driver).click(at(g, garden.bed)[0]).perform()
    assert g.driver.current_url.endswith("/ground/")
    choose(g, "")
    ActionChains(g.driver).click(at(g, garden.bed)[0]).perform()
    g.see("Ours bed bed")
    assert Place.objects.get(pk=garden.bed.pk).x_m == 0.5


def test_arrow_keys_nudge_and_a_logged_move_keeps_where_it_stood(gardener, garden):
    g = gardener(WIDE)
    g.sign_in(garden.owner, Client())
    g.go("/ground/")
    choose(g, "move")
    crate = garden.crates[2]
    g.driver.execute_script("arguments[0].focus()", at(g, crate)[0])
    g.keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ARROW_UP)
    ActionChains(g.driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_UP).key_up(
        Keys.SHIFT
    ).perform()
    g.until(lambda: at(g, crate)[1] == (2.2, 3.1), "two tenths east, eleven north")
    move = Move.objects.get()
    assert (move.day, move.left_x_m, move.left_y_m) == (date(2026, 11, 23), 2.0, 2.0)
    g.see("Ours crate 3 was moved, 23 November 2026")
    g.press("Undo")
    g.see("Undone")
    assert at(g, crate)[1] == (2.0, 2.0)


def test_a_stretch_is_drawn_along_a_bed_and_planted_by_itself(gardener, garden):
    g = gardener(WIDE)
    g.sign_in(garden.owner, Client())
    g.go(f"/ground/places/{garden.bed.pk}")
    g.press("or draw a stretch along it")
    strip = g.until(lambda: g.one("[data-stretch]"), "the bed")
    g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", strip)
    width = strip.rect["width"]
    chain = ActionChains(g.driver, duration=40).move_to_element_with_offset(
        strip, round(-width / 4), 0
    )
    chain.click_and_hold().move_to_element_with_offset(
        strip, round(width / 4), 0
    ).release().perform()
    assert float(g.one("[name=from_m]").get_attribute("value")) == pytest.approx(0.75, abs=0.03)
    assert float(g.one("[name=to_m]").get_attribute("value")) == pytest.approx(2.25, abs=0.03)
    g.fill(name="middle stretch", moisture="dry")
    g.press("Make the part")
    g.see("middle stretch of Ours bed is saved")
    part = Part.objects.get(name="middle stretch")
    assert part.end - part.start == pytest.approx(0.5, abs=0.02)


def test_a_vague_garden_from_nothing(gardener, transactional_db):
    g = gardener(WIDE)
    g.go("/sign-up")
    words = {"password1": "rope and slate 9", "password2": "rope and slate 9"}
    g.fill(username="wren", household_name="Wall Garden", **words)
    g.press("Start")
    g.press("Name the first site")
    g.fill(name="Yard", length_m="9", width_m="4", light="part shade", latitude="52")
    g.press("Save")
    g.press("A set of containers")
    g.fill(kind="pot", name="Pot", how_many="5", volume_l="25", x_m="1", y_m="2")
    g.press("Save")
    g.press("A bed")
    g.fill(name="Long bed", length_m="4", width_m="1.2", x_m="0.5", y_m="0.5")
    g.press("Save")
    g.see("Long bed is saved")
    bed = Place.objects.get(name="Long bed")
    g.go(f"/ground/places/{bed.pk}")
    g.press("halves")
    g.see("Long bed has halves")
    sow(g, bed)
    happen(g)
    look_after(g)
    g.go("/ground/")
    g.see("courgette")
    assert len(g.all("[data-place]")) == 6


def sow(g, bed):
    """About a dozen of something, some time in May, in the west half."""
    g.go(f"/set-out/new?place={bed.pk}")
    g.until(
        lambda: g.one(f'input[value="place-{bed.pk}"]').is_selected(), "the bed is picked already"
    )
    g.fill(
        units="12", units_pm="3", crop_name="courgette", planted="about mid-May", methods_text=""
    )
    for label in g.all(".pick label"):
        if label.text in {"Long bed", "Long bed, west half"}:
            g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", label)
            label.click()
    g.click("form .btn-main")
    g.see("courgette, variety unknown is set out in Long bed, west half")
    planting = Planting.objects.get()
    assert (planting.planted_precision, planting.units_pm, planting.part.name) == (
        "third",
        3,
        "west half",
    )
    g.go(f"/set-out/{planting.pk}")
    g.see("Planted about mid-May 2026, ~192 days ago, give or take 5")
    g.press("Count")
    g.fill(kind="died", count="2", when="August 2026")
    g.press("Save")
    g.see("2 died, some time in August 2026")
    assert "10 ± 3" in g.text()


def happen(g):
    """The same for all pots in a few taps."""
    g.go("/happenings/new")
    g.fill(kind="damage: nibbled, broken", what="slugs", lost_percent="20")
    pots = {pot.number: f"place-{pot.pk}" for pot in Place.objects.filter(name="Pot")}
    for number in (4, 5):  # on the small map, or in the list: one choice
        g.driver.execute_script(
            "document.querySelector('.choose-map').scrollIntoView({block: 'center'})"
        )
        ActionChains(g.driver).move_to_element(
            g.one(f'[data-tick="{pots[number]}"] polygon')
        ).click().perform()
        g.until(
            lambda n=number: g.one(f'input[value="{pots[n]}"]').is_selected(), "its box is ticked"
        )
    g.see("Ticked: Pot 4, Pot 5")
    g.fill(targets_typed="pot 1-9")
    g.see("There is no Pot 9. It runs from 1 to 5.")
    g.fill(targets_typed="pots 1-3")
    g.see("3 places: Pot 1, Pot 2, Pot 3.")
    g.until(lambda: len(g.all("[data-tick].meant")) == 3, "three are outlined on the map")
    g.fill(lost_each="pot 2: 60")
    g.click("form .btn-main")
    g.see("damage: nibbled, broken: slugs is noted for 5 places")
    lost = Happening.objects.order_by("place__number").values_list("lost_share", flat=True)
    assert list(lost) == [0.2, 0.6, 0.2, 0.2, 0.2]


def look_after(g):
    g.go("/happenings/do")
    g.fill(job="water", minutes="6", litres="25")
    for label in g.all(".pick label")[:5]:
        g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", label)
        label.click()
    g.click("form .btn-main")
    g.see("water: 5 of them")
    assert sum(job.water_ml for job in Job.objects.all()) == 25_000
    g.keys("z")
    g.see("Undone: water")
    g.until(lambda: Job.objects.filter(struck_at=None).count() == 0, "the work is taken back")


def test_on_a_phone_the_map_is_large_enough_to_read_and_places_are_dragged_by_finger(
    gardener, garden
):
    type(garden.site).objects.filter(pk=garden.site.pk).update(length_m=38, width_m=3.4)
    for i in range(36):
        Place.objects.create(
            household=garden.household,
            site=garden.site,
            kind="pot",
            name="Pot",
            number=i + 1,
            volume_l=30,
            x_m=1 + i,
            y_m=3.0,
        )
    g = gardener(PHONE)
    g.sign_in(garden.owner, Client())
    g.go("/ground/")
    g.until(lambda: len(g.all("[data-place]")) == 41, "41 places")
    pot = g.one("[data-place] .vessel")
    assert pot.rect["width"] >= 10
    assert g.driver.execute_script(
        "return document.documentElement.scrollWidth <= window.innerWidth"
    )
    box = g.one(".mapbox")
    assert g.driver.execute_script(
        "return arguments[0].scrollWidth > arguments[0].clientWidth", box
    )  # it pans
    before = pot.rect["width"]
    g.press("Larger")
    assert g.one("[data-place] .vessel").rect["width"] > before * 1.3
    g.press("Smaller")
    choose(g, "put")
    element = at(g, garden.crates[1])[0].find_element(By.CSS_SELECTOR, ".vessel")
    g.driver.execute_script(
        "arguments[0].scrollIntoView({block: 'center', inline: 'center'})", element
    )
    finger = PointerInput("touch", "finger")
    actions = ActionBuilder(g.driver, mouse=finger, duration=60)
    actions.pointer_action.move_to(element).pointer_down().move_to(element, 40, 0).pointer_up()
    actions.perform()
    g.until(lambda: at(g, garden.crates[1])[1][0] > 1.3, "the finger moved it east")


def test_methods_in_use_are_put_in_by_a_press_and_one_takes_the_place_of_another(gardener, garden):
    g = gardener(WIDE)
    g.sign_in(garden.owner, Client())
    g.go("/set-out/new")
    field = g.until(lambda: g.one("[name=methods_text]"), "the gap")
    field.send_keys("mulch=straw")
    g.press("setting=autumn")
    assert field.get_attribute("value") == "mulch=straw; setting=autumn"
    g.press("setting=spring")
    assert field.get_attribute("value") == "mulch=straw; setting=spring"
