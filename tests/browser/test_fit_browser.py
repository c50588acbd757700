"""From an empty household to a season that is planned and begun: fitted, stopped,
taken, moved, set out.
"""

from __future__ import annotations

import pytest
from django.test import Client
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from kilter.plans.models import FitState, PlannedCrop, PlannedPlanting
from kilter.set_out.models import Planting
from tests.browser.conftest import PHONE, WIDE
from tests.conftest import make_garden

pytestmark = pytest.mark.browser


def stop(g):
    """Stop the search, which may be over by itself meanwhile."""
    g.driver.execute_script("document.querySelector('form[action*=\"fit/stop\"] button')?.click()")
    g.until(
        lambda: g.all('[data-fit="found"]') and FitState.objects.exists(), "it is over, and stored"
    )


def test_a_plan_from_nothing_is_fitted_taken_moved_and_set_out(
    gardener, transactional_db, settings
):
    settings.KILTER_TODAY = "2026-11-23"
    g = gardener(WIDE)
    g.go("/sign-up")
    words = {"password1": "cold frame lid 7", "password2": "cold frame lid 7"}
    g.fill(username="wren", household_name="Wall Garden", **words)
    g.press("Start")
    g.press("Name the first site")
    g.fill(name="Yard", length_m="9", width_m="4", light="full sun", latitude="52")
    g.press("Save")
    g.press("A bed")
    g.fill(name="Long bed", length_m="4", width_m="1.2", x_m="0.5", y_m="0.5")
    g.press("Save")
    g.go("/next-year/fit")
    g.see("Nothing can be fitted yet")
    g.go("/next-year/")
    g.fill(name="Wren")
    g.press("Add")
    for crop in ("leek", "beetroot"):
        g.go("/next-year/")
        g.fill(crop_name=crop)
        g.press("Plan it")
    g.press("Does it fit")
    g.press("Fit it into the ground")
    g.until(lambda: g.all(".fit-row h2"), "a first fit stands on the page at once")
    g.see("Something every week")
    stop(g)
    slide = "main form.fit-slide input[type=range]"
    for moved in ("input", "change"):
        g.driver.execute_script(
            "const one = document.querySelector(arguments[0]); one.value = 95;"
            "one.dispatchEvent(new Event(arguments[1], { bubbles: true }))",
            slide,
            moved,
        )
        g.see("of 95 %")
        g.see("Mended at once")
    g.until(lambda: PlannedCrop.objects.filter(certainty=95).exists(), "saved when it rests")
    g.see("Undo")
    g.see("Better ones are sought")
    stop(g)
    g.press("Take this fit")
    g.see("what stands where")
    g.driver.execute_script(
        "const one = document.getElementById('slot'); one.value = 1; one.dispatchEvent(new "
        "Event('input'))"
    )
    g.see("Late January")
    first = PlannedPlanting.objects.order_by("place__name", "start", "pk").first()
    start = first.start
    bar = f"#bar-{first.pk}"
    g.driver.execute_script("document.querySelector(arguments[0]).focus()", bar)
    g.keys(Keys.ARROW_RIGHT)
    g.until(lambda: PlannedPlanting.objects.get(pk=first.pk).start == start + 1, "moved by a key")
    g.until(
        lambda: g.driver.execute_script("return document.activeElement.id") == bar[1:],
        "and still in focus",
    )
    width = g.one("svg[data-place]").size["width"] / 24
    ActionChains(g.driver).drag_and_drop_by_offset(g.one(bar), round(-2 * width), 0).perform()
    g.until(
        lambda: PlannedPlanting.objects.get(pk=first.pk).start == start - 1, "moved by the mouse"
    )
    assert PlannedPlanting.objects.get(pk=first.pk).is_pinned
    g.press("Does it fit")
    g.see("crops fit")
    g.go("/set-out/?season=2027")
    g.press("Set it out")
    g.fill(planted="1 May 2027", season="2027")
    g.click("main form .btn-main")
    g.until(lambda: Planting.objects.filter(season=2027).exists(), "it is set out")
    assert PlannedPlanting.objects.filter(planting__isnull=False).count() == 1
    assert g.complaints() == []


def test_the_pages_of_a_fit_hold_on_a_phone(gardener, transactional_db, settings):
    settings.KILTER_TODAY = "2026-11-23"
    garden = make_garden("Ours")
    g = gardener(PHONE)
    g.sign_in(garden.owner, Client())
    g.go("/next-year/fit")
    g.press("Fit it into the ground")
    g.until(lambda: g.all(".fit-row h2"))
    for page in ("fit", "planned", "spots/add"):
        g.go(f"/next-year/{page}")
        assert g.driver.execute_script(
            "return document.documentElement.scrollWidth <= window.innerWidth"
        ), page
    assert g.complaints() == []
