"""Every page of the URL table, in every role that may read it: axe-core, and what it does to hands
and eyes.

In CI each page is opened once as an owner and by whoever is at the bench or not in, in modes and
sizes by turns, and measured at 360 and 390. `make sweep` opens all of them in every role, mode and
size; what a role is shown just as another is looked at once.
"""

from __future__ import annotations

import re
from contextlib import contextmanager
from itertools import cycle, product

import pytest
from django.apps import apps
from django.db.models import CharField
from django.test import Client

from kilter.people.models import Invite
from tests.browser.conftest import AXE, WIDE
from tests.browser.measure import faults_of
from tests.conftest import make_garden, member
from tests.web.routes import ROUTES, complete, may

pytestmark = pytest.mark.browser
RUN = """
const done = arguments[0];
document.querySelectorAll("main details:not([open])").forEach((one) => { one.open = true; });
// What a fixed bar happens to lie over is no background of it.
if (innerWidth < 600) {
  document.querySelectorAll(".beam").forEach((one) => { one.style.position = "static"; });
}
document.getAnimations().forEach((one) => one.finish());
axe.run(document, { resultTypes: ["violations"] }).then((found) => done(found.violations
  .map((v) => v.id + ": " + v.nodes.map((n) => n.target.join(" ")).slice(0, 4).join(" | "))));
"""
TOO_WIDE = "const page = document.documentElement; return page.scrollWidth > page.clientWidth;"
MODES, ROLES = ("light", "dark", "sun"), ("owner", "helper", "onlooker")
NARROW, PHONE_WIDTHS = (360, 740), (360, 390)
#: 320 is what 400 % makes of 1280.
WIDTHS = (320, 768, 1280)
NEW_EACH_TIME = re.compile(r'value="\w{64}"|[0-9a-f]{32}|Ours-\w+|\d+-\d+')
OUTSIDE = ("/sign-in", "/sign-up", "/forgotten", "/nothing")


@pytest.fixture
def whole(transactional_db):
    """A garden with a record of every kind, and its members by their role."""
    garden = complete(make_garden("Ours"))
    people = {"owner": garden.owner} | {
        role: member(garden.household, f"Ours-{role}", role) for role in ROLES[1:]
    }
    return garden, people


def pages(garden, user, role):
    """The addresses that answer with a whole page,
    each with its sheet but for the foot and what is new each time.
    """
    client, found = Client(), {}
    client.force_login(user)
    for route in ROUTES:
        if route.declared and may(role, route.declared.reads):
            path = route.of(garden)
            said = client.get(path)
            if (
                said.status_code == 200
                and not said.streaming
                and b"<!doctype html>" in said.content[:40].lower()
            ):
                sheet = said.content.decode().partition("<main")[2].partition("<footer")[0]
                found[path] = " ".join(NEW_EACH_TIME.sub("", sheet).split())
    return found


@contextmanager
def opened(gardener, size, user=None):
    """A browser that has axe-core on every page it opens."""
    g = gardener(size)
    if user:
        g.sign_in(user, Client())
    added = g.driver.execute_cdp_cmd(
        "Page.addScriptToEvaluateOnNewDocument", {"source": AXE.read_text()}
    )
    yield g
    g.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", added)
    g.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


def faults(g):
    return g.driver.execute_async_script(RUN)


def look(g, path, mode):
    g.driver.add_cookie({"name": "kilter_mode", "value": mode, "path": "/"})
    g.go(path)
    g.until(
        lambda: not g.all("[aria-busy], .htmx-request"), "it still works"
    )  # what is under way is shown paler
    g.driver.get_log("browser")


@pytest.mark.sweep
def test_axe_finds_nothing_on_any_page_of_a_helper_or_an_onlooker(gardener, whole):
    """Mode and size by turns; text in pictures is measured on the wide ones too."""
    garden, people = whole
    turns = cycle((mode, size) for mode in MODES for size in (WIDE, NARROW))
    by_role, found = {role: pages(garden, people[role], role) for role in ROLES}, {}
    for number, role in enumerate(ROLES[1:], 1):
        before = [by_role[other] for other in ROLES[:number]]
        own = [
            path
            for path, sheet in by_role[role].items()
            if all(other.get(path) != sheet for other in before)
        ]
        with (
            opened(gardener, WIDE, people[role]) as wide,
            opened(gardener, NARROW, people[role]) as narrow,
        ):
            for path in own:
                mode, size = next(turns)
                g = wide if size == WIDE else narrow
                look(g, path, mode)
                small = faults_of(g.driver)["text"] if size == WIDE else []
                if wrong := [*faults(g), *small]:
                    found[path, role, mode, size] = wrong
        assert len(by_role[role]) > 70
        assert len(own) > 15
    assert found == {}, found


def test_axe_finds_nothing_on_the_pages_for_whoever_is_not_in(gardener, whole):
    invite, found = Invite.objects.filter(household=whole[0].household).first(), {}
    with opened(gardener, WIDE) as g:
        for path, mode in zip((*OUTSIDE, f"/join/{invite.token}"), cycle(MODES)):
            look(g, path, mode)
            if wrong := faults(g):
                found[path, mode] = wrong
    assert found == {}, found


def set_width(g, width):
    """Put the page that is open into a window of so many CSS pixels."""
    metrics = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False}
    g.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


LONG = "Gartenschlauchkupplungsnachbarbeet"
FROM_RIGHT = "حديقة الثوم الطويلة جدا على الجانب الشمالي"


def renamed(garden):
    """Of all that has a name, every second one gets a long one, or one from right to left."""
    for model in apps.get_models():
        name = next(
            (f for f in model._meta.fields if f.name == "name" and isinstance(f, CharField)), None
        )
        if name is None or not hasattr(model, "household"):
            continue
        for i, one in enumerate(model.objects.order_by("pk")[::2]):
            said = f"{FROM_RIGHT if i % 2 else LONG} {model.__name__[:3]}{i}"[: name.max_length]
            model.objects.filter(pk=one.pk).update(name=said)


#: Of four parts of all pages, two in each run, the others in the sweep.
PARTS = [pytest.param(n, marks=pytest.mark.sweep if n > 1 else ()) for n in range(4)]


@pytest.mark.parametrize("part", PARTS)
def test_every_page_holds_in_every_width_and_axe_finds_nothing(gardener, whole, part):
    """No page is wider than the window; focus is in sight; targets are 24 px, at the main jobs 44;
    text 12 or 11 px.

    Measured at 360 and 390; half of all names are long, or written from right to left.
    """
    garden, people = whole
    renamed(garden)
    found, turns = {}, cycle(product(MODES[:2], (NARROW, WIDE)))
    paths = list(pages(garden, people["owner"], "owner"))
    with opened(gardener, NARROW, people["owner"]) as g:
        for path in paths[part::4]:
            mode, size = next(turns)
            look(g, path, mode)
            if wrong := faults_in_every_width(g, size):
                found[path] = wrong
    assert len(paths) > 100
    assert found == {}, found


def faults_in_every_width(g, size):
    """What is wrong with the page that is open, by kind and width;
    axe-core looks at it in one size.
    """
    wrong = {}
    for width in (*PHONE_WIDTHS, *WIDTHS):
        set_width(g, width)
        if width in PHONE_WIDTHS:
            wrong |= {
                f"{kind}, {width}": some for kind, some in faults_of(g.driver).items() if some
            }
        elif g.driver.execute_script(TOO_WIDE):
            wrong["wider than", width] = True
    set_width(g, size[0])
    if axe := faults(g):
        wrong["axe"] = axe
    return wrong


@pytest.mark.sweep
@pytest.mark.parametrize("role", ROLES)
@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("size", [WIDE, NARROW], ids=str)
def test_axe_finds_nothing_in_any_mode_size_and_role(gardener, whole, mode, size, role):
    garden, people = whole
    found = {}
    with opened(gardener, size, people[role]) as g:
        for path in pages(garden, people[role], role):
            look(g, path, mode)
            if wrong := faults(g):
                found[path] = wrong
    assert found == {}, found
