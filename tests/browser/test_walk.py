"""The whole way once, in a real browser: by mouse, by keyboard alone, and at phone width."""

from __future__ import annotations

import pytest
from selenium.webdriver.common.keys import Keys

from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import PHONE, WIDE

pytestmark = pytest.mark.browser
YIELDS = {"Lantern Row": (910, 870, 940), "Cinder Path": (520, 480, 560)}


def sign_up(g):
    g.go("/sign-up")
    g.fill(
        username="wren",
        household_name="Wall Garden",
        password1="rope and slate 9",
        password2="rope and slate 9",
    )
    g.press("Start")
    g.see("Name the first site")


def make_ground(g):
    g.press("Name the first site")
    g.fill(name="Yard", length_m="8", width_m="3")
    g.press("Save")
    g.see("Yard")
    g.press("A bed")
    g.fill(name="Long bed", length_m="4", width_m="1", x_m="0.5", y_m="0.5")
    g.press("Save")
    g.see("Long bed is saved")
    g.press("A set of containers")
    g.fill(kind="crate", name="Crate", how_many="6", volume_l="45", x_m="1", y_m="2")
    g.press("Save")
    g.see("Crate 1 to 6 are in Yard")


def set_out(g, variety, crates):
    g.go("/set-out/new")
    g.fill(
        units="9",
        unit_kind="set",
        crop_name="shallot",
        variety_name=variety,
        planted="2026-03-21",
        season="2026",
        in_row_cm="15",
    )
    for label in g.all(".pick label"):
        if label.text in {f"Crate {n}" for n in crates}:
            g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", label)
            label.click()
    g.driver.execute_script(
        "document.querySelector('form .btn-main').scrollIntoView({block: 'center'})"
    )
    g.click("form .btn-main")
    g.see(f"shallot ‘{variety}’ is set out")


def finish_all(g, pots):
    """Say of each pot that all has been lifted."""
    for n in range(pots):
        g.click(f"a[data-pot]:nth-of-type({n + 1})")
        g.until(lambda n=n: f"Crate {n + 1}," in g.text("#pot-in-hand"), "the pot is in hand")
        g.until(lambda: "All lifted" in g.text("form.lifted"), "its button")
        g.press("All lifted")
        g.see(f"in Crate {n + 1} is finished")


def weigh_up(g):
    g.go("/weigh-up/")
    g.see("‘Lantern Row’ gave")
    assert "Clear" in g.text("#answer")
    assert len([f for f in g.all(".stand figure") if f.is_displayed()]) == 6
    g.press("The table behind it")
    g.see("0.101 kg per plant")  # (910 + 870 + 940) g / 27 plants


def plants(g) -> int:
    """The number the row says; 0 while it says none or is being swapped."""
    said = g.text("[data-plants]")
    return int(said) if said.isdigit() else 0


def next_year(g):
    g.go("/next-year/")
    if not g.one("#eaters").get_attribute("open"):
        g.click("#eaters > summary")
    g.fill(name="Wren", appetite="1")
    g.press("Add")
    at_half = g.until(lambda: plants(g), "with somebody to eat there is a number")
    certainty = g.one("input[name=certainty]")
    g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", certainty)
    certainty.send_keys(Keys.END)
    surer = g.until(lambda: plants(g) > at_half and plants(g), "surer takes more plants")
    g.see("The plan for")  # it is saved, and what it says has moved the page
    if not g.one("#eaters").get_attribute("open"):
        g.click("#eaters > summary")
    appetite = g.one("input[id^=appetite]")
    g.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", appetite)
    appetite.clear()
    appetite.send_keys("3", Keys.TAB)
    g.until(lambda: plants(g) > surer, "more to eat takes more plants")


#: By mouse in the sweep: a wide page with a mouse is what most other tests here have.
WALKED = [
    pytest.param(WIDE, id="mouse", marks=pytest.mark.sweep),
    pytest.param(PHONE, id="phone"),
]


@pytest.mark.parametrize("size", WALKED)
def test_the_walk_by_mouse_and_by_touch(gardener, size):
    g = gardener(size)
    sign_up(g)
    make_ground(g)
    set_out(g, "Lantern Row", (1, 3, 5))
    set_out(g, "Cinder Path", (2, 4, 6))
    g.go("/weigh-in/")
    for n in range(1, 7):
        g.until(lambda n=n: f"Crate {n}," in g.text("#pot-in-hand"), f"crate {n} in hand")
        grams = YIELDS["Lantern Row" if n % 2 else "Cinder Path"][(n - 1) // 2]
        if size == PHONE:
            for figure in str(grams):
                g.click(f'[data-figure="{figure}"]')
        else:
            g.one("#typed").send_keys(str(grams))
        g.click('[aria-label="One more"]')
        g.click(".write-next")
        g.until(lambda n=n: len(g.all("tr[data-line]")) == n, "the line is on the tape")
    assert "6 pots" in g.text("#bench-tape")
    assert "4.280 kg" in g.text("#bench-tape")
    assert WeighIn.objects.filter(count=1, mass_mg=910_000).count() == 1
    finish_all(g, 6)
    weigh_up(g)
    next_year(g)
    if size == PHONE:
        wide = g.driver.execute_script("return document.documentElement.scrollWidth")
        assert wide <= 390


def tab_to(g, css):
    """Tab until an element has the focus."""
    for _ in range(80):
        if g.driver.execute_script("return document.activeElement.matches(arguments[0])", css):
            return
        g.keys(Keys.TAB)
    raise AssertionError(f"{css} is not reached by Tab")


def test_the_walk_by_keyboard_alone(gardener):
    g = gardener()
    g.go("/sign-up")
    for name, value in (
        ("username", "wren"),
        ("household_name", "Wall"),
        ("password1", "rope and slate 9"),
        ("password2", "rope and slate 9"),
    ):
        tab_to(g, f"[name={name}]")
        g.keys(value)
    g.keys(Keys.ENTER)
    g.see("Name the first site")
    g.keys("g", "g")
    g.see("A site is a piece of land")
    tab_to(g, "main a[href$='sites/new']")
    g.keys(Keys.ENTER)
    tab_to(g, "[name=name]")
    g.keys("Yard", Keys.ENTER)
    g.see("Yard is saved")
    tab_to(g, "a[href$='sets/new']")
    g.keys(Keys.ENTER)
    for name, value in (("how_many", "2"), ("name", "Crate"), ("volume_l", "45")):
        tab_to(g, f"[name={name}]")
        g.keys(value)  # what a field holds is selected when Tab comes to it
    g.keys(Keys.ENTER)
    g.see("Crate 1 to 2 are in Yard")
    for variety, number in (("Lantern Row", 1), ("Cinder Path", 2)):
        g.keys("g", "s")
        g.see("Set out")
        tab_to(g, "a[href$='/set-out/new']")
        g.keys(Keys.ENTER)
        for name, value in (("units", "9"), ("crop_name", "shallot"), ("variety_name", variety)):
            tab_to(g, f"[name={name}]")
            g.keys(value)
        tab_to(g, f".pick label:nth-child({number}) input")
        g.keys(Keys.SPACE, Keys.ENTER)
        g.see("is set out in")
        Planting.objects.update(season=2026, planted_on="2026-03-21")
    g.keys("g", "w")
    g.until(lambda: "Crate 1," in g.text("#pot-in-hand"))
    g.keys("940 12", Keys.ENTER, "n", "500 9", Keys.ENTER)
    g.until(lambda: "2 pots" in g.text("#bench-tape"))
    for n in (1, 2):
        g.keys(*("b" * 2), *("n" * (n - 1)))
        g.until(
            lambda n=n: (
                f"Crate {n}," in g.text("#pot-in-hand") and "All lifted" in g.text("form.lifted")
            )
        )
        g.keys("f")
        g.see(f"in Crate {n} is finished")
    g.keys("g", "u")
    g.see("‘Lantern Row’ and ‘Cinder Path’ cannot be told apart yet.")
    g.see("One of each: nothing here would show if one went wrong.")
    g.keys("t")
    g.see("Each pair")
    g.keys("u")
    g.see("lb per plant")
    g.keys("g", "n")
    g.see("how much to plant")
    g.keys("/")
    g.keys("lantern 1")
    g.see("planting · Crate 1, 2026")
    g.keys(Keys.ENTER)
    g.see("shallot ‘Lantern Row’ in Crate 1")
    g.keys("?")
    g.see("Single letters act as keys")
    g.keys(Keys.ESCAPE, "g", "t")
    g.see("Monday 23 November")
    assert Household.objects.get().name == "Wall"
