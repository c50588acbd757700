"""Weigh up in the browser: the sentence and its gaps, the stories of weights,
analysis of variance, a trial by hand.
"""

from __future__ import annotations

import pytest
from django.test import Client
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from kilter.weigh_up.models import SavedQuestion, Trial, TrialUnit
from tests.browser.conftest import PHONE, WIDE

pytestmark = pytest.mark.browser


@pytest.fixture
def client_for(garden):
    return Client()


@pytest.fixture(params=[WIDE, PHONE], ids=["wide", "phone"])
def g(request, gardener, garden, client_for):
    one = gardener(request.param)
    one.sign_in(garden.owner, client_for)
    return one


def test_the_sentence_changes_the_answer_and_keeps_the_open_gap(g):
    g.go("/weigh-up/?compare=method:setting&by=kg_per_plant&crop=shallot")
    g.see("‘autumn’ looks better than ‘spring’")
    g.click("#gap-within > summary")
    g.click("#ask-within-variety")
    g.until(lambda: "within=variety" in g.driver.current_url, "the address follows the question")
    g.until(lambda: g.one("#gap-within").get_attribute("open") is not None, "the gap stays open")
    g.until(lambda: g.one("#ask-within-variety").is_selected())
    g.see("Block by block")
    g.until(
        lambda: (
            "grew" not in g.text("#answer") and "It holds in both varieties" in g.text("#answer")
        )
    )


def test_a_weight_tells_its_story_on_focus_and_on_hover(gardener, garden, client_for):
    g = gardener(WIDE)
    g.sign_in(garden.owner, client_for)
    g.go("/weigh-up/")
    # A mouse that rests where the test before left it may lie over another weight.
    ActionChains(g.driver).move_to_element(g.one("h2, .lead, #question")).perform()

    def told_on_focus():
        g.driver.execute_script(
            "arguments[0].blur(); arguments[0].focus()", g.one(".wide-only a.weight")
        )
        return "Ours crate" in g.text("#story") and "planted 21 March 2026" in g.text("#story")

    g.until(told_on_focus, "the weight in focus tells its story")
    told = g.text("#story")
    ActionChains(g.driver).move_to_element(g.all(".wide-only a.weight")[-1]).perform()
    g.until(lambda: g.text("#story") != told)


def test_the_analysis_of_variance_comes_when_it_is_opened(gardener, garden, client_for):
    g = gardener(WIDE)
    g.sign_in(garden.owner, client_for)
    g.go("/weigh-up/")
    g.press("Analysis of variance table")
    g.see("Sum of squares")
    g.fill(name="Autumn or spring")
    g.keys(Keys.ENTER)
    g.see("is saved, and pinned to the front")
    assert SavedQuestion.objects.filter(name="Autumn or spring", is_pinned=True).exists()


def test_a_trial_is_asked_laid_out_and_planted_by_hand(g, garden):
    g.go("/weigh-up/trials/new")
    g.fill(
        name="Early or late?",
        crop_name="shallot",
        first="setting",
        first_text="autumn, spring",
        season="2027",
    )
    for crate in garden.crates:
        g.click(f'input[name="spots"][value="place-{crate.pk}"]')
    g.press("Lay it out by chance")
    g.see("in 2 blocks of 2 neighbours")
    g.press("Plant it")
    g.fill(units="9", when="20 October 2026")
    g.press("Save")
    g.see("is planted in 4 places")
    trial = Trial.objects.get(name="Early or late?")
    assert TrialUnit.objects.filter(trial=trial, planting__isnull=False).count() == 4
