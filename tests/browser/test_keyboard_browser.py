"""The main jobs by keyboard alone, from sign-in to the last line: no click,
and after each swap the focus is known.
"""

from __future__ import annotations

import pytest
from django.test import Client
from selenium.webdriver.common.keys import Keys

from kilter.plans.models import PlannedCrop
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import WIDE

pytestmark = pytest.mark.browser
QUESTION = "/weigh-up/?compare=method:setting&by=kg_per_plant&crop=shallot"
MOST_TABS = 150
FOCUS = """
const one = document.activeElement;
if (one === document.body) return "nothing";
return one.id || one.name || one.getAttribute("aria-label") || one.innerText.trim();
"""


class Keyboard:
    """A gardener whose mouse is broken."""

    def __init__(self, g) -> None:
        self.g = g

    @property
    def focus(self) -> str:
        return self.g.driver.execute_script(FOCUS)

    def tab_to(self, css: str) -> None:
        """Tab until the focus is there, as one who sees it does;
        never through something that cannot be seen.
        """
        is_there = "return document.activeElement.matches(arguments[0])"
        hidden = (
            "const r = document.activeElement.getBoundingClientRect(); return r.width === 0 "
            "|| r.height === 0;"
        )
        for _ in range(MOST_TABS):
            if self.g.driver.execute_script(is_there, css):
                return
            self.g.keys(Keys.TAB)
            assert not self.g.driver.execute_script(hidden), (
                f"{self.focus} has the focus and cannot be seen"
            )
        raise AssertionError(f"Tab does not come to {css}")

    def keeps(self, focus: str, what: str) -> None:
        """What was asked for is on the page, and the focus is still where it was."""
        self.g.see(what)
        self.g.until(lambda: not self.g.all("[aria-busy]") and not self.g.all(".htmx-request"))
        assert self.focus == focus


@pytest.fixture
def k(gardener, garden):
    g = gardener(WIDE)
    g.sign_in(garden.owner, Client())
    return Keyboard(g)


def test_a_question_is_asked_and_its_focus_outlasts_every_answer(k):
    k.g.go(QUESTION)
    k.g.see("looks better than")
    k.tab_to("#gap-within > summary")
    k.g.keys(Keys.ENTER)
    k.tab_to("#ask-within-variety")
    k.g.keys(Keys.SPACE)
    k.keeps("ask-within-variety", "Block by block")
    k.g.keys(Keys.ESCAPE)
    k.tab_to("#question select[name=by]")
    by = k.focus
    k.g.keys("number per pl")
    k.keeps(by, "number per plant")
    k.tab_to("details[data-table] > summary")
    k.g.keys(Keys.ENTER)
    k.g.see("The table behind it")
    assert k.g.one("details[data-table]").get_attribute("open")
    k.g.keys("gt")
    k.g.see("Weigh in")
    assert k.g.driver.current_url.rstrip("/") == k.g.base.rstrip("/")


def test_a_pot_is_weighed_struck_and_found_again(k, garden):
    WeighIn.objects.all().delete()
    Planting.objects.update(finished_on=None)
    k.g.go("/")
    k.g.keys("gw")
    k.g.until(lambda: k.g.text("[data-big]") == "0")
    k.g.keys("940 12", Keys.ENTER)
    k.g.until(lambda: WeighIn.objects.count() == 1)
    k.g.keys("z")
    k.g.until(lambda: not WeighIn.objects.filter(struck_at=None).exists())
    k.g.keys("850 9", Keys.ENTER)
    k.g.until(lambda: WeighIn.objects.filter(struck_at=None, mass_mg=850_000).exists())
    k.g.keys("gt")
    k.g.see("Today")
    k.g.keys("/")
    k.g.until(lambda: k.focus == "find-q", "the cursor is in the find box")
    k.g.keys("crate 2")
    k.g.until(lambda: k.g.all("#found a"))
    assert k.focus == "find-q"
    k.g.keys(Keys.ENTER)
    k.g.until(
        lambda: "/set-out/" in k.g.driver.current_url or "/ground/places/" in k.g.driver.current_url
    )


def test_a_planting_is_set_out_and_taken_back(k, garden):
    before = Planting.objects.count()
    k.g.go("/set-out/new")
    for name, value in (("units", "12"), ("crop_name", "shallot"), ("planted", "14 May 2026")):
        k.tab_to(f"[name={name}]")
        k.g.keys(value)
    k.tab_to("[name=places_typed]")
    k.g.keys("Ours crate 2")
    k.g.until(
        lambda: "crate 2" in k.g.text(".choose-typed output").lower(), "it says which that is"
    )
    assert k.focus == "id_places_typed"
    k.g.keys(Keys.ENTER)
    k.g.until(lambda: Planting.objects.count() == before + 1)
    k.g.see("Undo")
    k.g.keys("z")
    k.g.until(lambda: Planting.objects.filter(struck_at=None).count() == before)


def test_a_plan_is_made_surer_and_the_slider_keeps_the_focus(k, garden):
    k.g.go("/next-year/?whole=on")
    k.g.see("shallot")
    slider = "input.slide[aria-label^='How sure to be of shallot']"
    k.tab_to(slider)
    name = k.focus
    was = int(k.g.one(slider).get_attribute("value"))
    k.g.keys(Keys.ARROW_RIGHT)
    k.g.until(
        lambda: PlannedCrop.objects.filter(crop=garden.crop, certainty=was + 1).exists(),
        "it is saved",
    )
    k.keeps(name, "shallot")
    k.g.keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
    k.g.until(
        lambda: PlannedCrop.objects.filter(crop=garden.crop, certainty=was + 3).exists(),
        "it is saved",
    )
    assert k.focus == name


def test_dialogs_give_the_focus_back_and_say_when_letters_are_off(k):
    k.g.go("/")
    k.tab_to("main a.btn, main a")
    before = k.focus
    k.g.keys("?")
    k.g.until(lambda: k.g.one("#keys").is_displayed())
    k.tab_to("#letters-on")
    k.g.keys(Keys.SPACE, Keys.ESCAPE)
    k.g.until(lambda: not k.g.one("#keys").is_displayed())
    assert k.focus == before
    k.g.see("Letters are off")
    k.g.keys("gw")
    assert k.g.driver.current_url.rstrip("/") == k.g.base.rstrip("/"), "letters do nothing now"
    k.g.keys("?")
    k.tab_to("#letters-on")
    k.g.keys(Keys.SPACE, Keys.ESCAPE)
    k.g.until(lambda: "Letters are off" not in k.g.text())
    k.g.keys("gw")
    k.g.until(lambda: "/weigh-in/" in k.g.driver.current_url)
