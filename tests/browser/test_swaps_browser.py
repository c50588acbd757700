"""Parts that are asked for anew: slow, failed and come while something is typed."""

from __future__ import annotations

import time

import pytest
from django.test import Client

from kilter.weigh_up.answer import views as answer_views
from tests.browser.conftest import WIDE

pytestmark = pytest.mark.browser
QUESTION = "/weigh-up/?compare=method:setting&by=kg_per_plant&crop=shallot"


@pytest.fixture
def g(gardener, garden):
    one = gardener(WIDE)
    one.sign_in(garden.owner, Client())
    return one


@pytest.fixture
def slow(monkeypatch):
    """Every part asked for takes a second."""

    def slower(module, name):
        real = getattr(module, name)

        def render(request, *args, **kwargs):
            if request.headers.get("HX-Request"):
                time.sleep(1)
            return real(request, *args, **kwargs)

        monkeypatch.setattr(module, name, render)

    return slower


def test_a_slow_answer_is_shown_as_under_way_and_the_cursor_stays_in_its_gap(g, slow):
    slow(answer_views, "render")
    g.go(QUESTION)
    g.click("#gap-within > summary")
    g.click("#ask-within-variety")
    g.until(
        lambda: g.one("#weigh-up").get_attribute("aria-busy") == "true", "it says that it works"
    )
    g.until(lambda: g.one("#weigh-up").get_attribute("aria-busy") is None)
    g.see("Block by block")
    focused = "return document.activeElement.id"
    assert g.driver.execute_script(focused) == "ask-within-variety"


def test_offline_the_question_goes_back_with_the_answer_and_can_be_tried_again(g):
    g.go(QUESTION)
    g.see("looks better than")
    g.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    g.click("#gap-within > summary")
    g.click("#ask-within-variety")
    g.see("That did not get through")
    assert not g.one("#ask-within-variety").is_selected()
    g.driver.delete_network_conditions()
    g.driver.get_log("browser")  # the cut shows there, as it must
    g.press("Try again")
    g.see("Block by block")
    assert g.one("#ask-within-variety").is_selected()
    assert "did not get through" not in g.text()


def test_a_part_that_is_asked_for_once_can_be_tried_again_too(g):
    g.go(QUESTION)
    g.see("looks better than")
    g.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    g.press("Analysis of variance table")
    g.see("That did not get through")
    g.driver.delete_network_conditions()
    g.driver.get_log("browser")  # the cut shows there, as it must
    g.press("Try again")
    g.see("Sum of squares")


def test_what_is_gone_with_a_swap_leaves_the_focus_in_its_part(g):
    g.go(QUESTION)
    g.see("looks better than")
    g.driver.execute_script(
        "document.querySelector('#weigh-up a').focus(); htmx.ajax('GET', location.href, "
        "'#weigh-up')"
    )
    g.until(
        lambda: g.driver.execute_script("return document.activeElement.id") == "weigh-up",
        "the focus is near",
    )


def test_a_table_is_copied_for_a_spreadsheet(g, garden):
    g.go("/weigh-in/lines")
    g.driver.execute_script(
        "navigator.clipboard.writeText = async (text) => { window.taken = text; }"
    )
    g.press("Copy the table")
    g.see("Copied")
    head, *rows = g.driver.execute_script("return window.taken").split("\n")
    assert head.split("\t")[:3] == ["Day", "Crop", "Place"]
    assert len(rows) == len(garden.lines)
    assert rows[0].split("\t")[1].startswith("shallot")
    g.go("/weigh-in/lines")
    g.driver.execute_script(
        "navigator.clipboard.writeText = async () => { throw new Error('no'); }"
    )
    g.press("Copy the table")
    g.see("Copied")


TWO_AT_ONCE = """
const [done] = arguments;
const target = document.getElementById("sheet");
const detail = { target, elt: target };
for (const when of ["before", "before", "after", "after"]) {
  document.dispatchEvent(new CustomEvent(`htmx:${when}Request`, { detail }));
}
setTimeout(() => done(target.hasAttribute("aria-busy")), 500);
"""


def test_of_two_requests_at_once_none_leaves_the_part_pale(gardener, garden):
    g = gardener()
    g.sign_in(garden.owner, Client())
    g.go("/")
    assert g.driver.execute_async_script(TWO_AT_ONCE) is False


def test_a_part_whose_style_a_script_set_is_swapped_without_a_report_of_the_content_policy(
    g, garden
):
    """What stands in for a part takes over its class;
    a style set as text the policy would refuse, and report.
    """
    g.go("/")
    script = (
        "const done = arguments[0]; const probe = document.createElement('div'); let reports = 0;"
        "document.addEventListener('securitypolicyviolation', () => { reports += 1; });"
        "probe.innerHTML = '<i id=\"inner\">a</i>'; document.body.append(probe);"
        "document.getElementById('inner').style.color = 'red';"
        "htmx.swap(probe, '<i id=\"inner\">b</i>', { swapStyle: 'innerHTML' });"
        "setTimeout(() => done([reports, probe.innerText]), 400);"
    )
    assert g.driver.execute_async_script(script) == [0, "b"]
