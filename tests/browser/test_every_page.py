"""Every page of the URL table, in every role that may read it: axe-core, and what it does to hands and eyes.

In CI each page is opened once, in modes, sizes and roles by turns, and measured at 360 and 390; `make sweep` opens it
in all of them.
"""

from __future__ import annotations

from itertools import cycle

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
if (innerWidth < 600) document.querySelectorAll(".beam").forEach((one) => { one.style.position = "static"; });
document.getAnimations().forEach((one) => one.finish());
axe.run(document, { resultTypes: ["violations"] }).then((found) => done(found.violations
  .map((v) => v.id + ": " + v.nodes.map((n) => n.target.join(" ")).slice(0, 4).join(" | "))));
"""
TOO_WIDE = "const page = document.documentElement; return page.scrollWidth > page.clientWidth;"
MODES, ROLES = ("light", "dark", "sun"), ("owner", "helper", "onlooker")
NARROW, PHONES = (360, 740), ((360, 740), (390, 800))
OUTSIDE = ("/sign-in", "/sign-up", "/forgotten", "/nothing")


@pytest.fixture
def whole(transactional_db):
    """A garden with a record of every kind, and its members by their role."""
    garden = complete(make_garden("Ours"))
    people = {"owner": garden.owner} | {role: member(garden.household, f"Ours-{role}", role) for role in ROLES[1:]}
    return garden, people


def pages(garden, user, role):
    """The addresses that answer with a whole page."""
    client = Client()
    client.force_login(user)
    for route in ROUTES:
        if route.declared and may(role, route.declared.reads):
            path = route.of(garden)
            said = client.get(path)
            if said.status_code == 200 and not said.streaming and b"<!doctype html>" in said.content[:40].lower():
                yield path


def opened(gardener, whole, size, role):
    g = gardener(size)
    g.sign_in(whole[1][role], Client())
    return g


def faults(g):
    g.driver.execute_script(AXE.read_text())
    return g.driver.execute_async_script(RUN)


def look(g, path, mode):
    g.driver.add_cookie({"name": "kilter_mode", "value": mode, "path": "/"})
    g.go(path)
    g.driver.get_log("browser")


def test_axe_finds_nothing_on_any_page(gardener, whole):
    """Once each, the mode and the size by turns."""
    garden, people = whole
    found, turns = {}, cycle((mode, size) for mode in MODES for size in (WIDE, NARROW))
    paths = list(pages(garden, people["owner"], "owner"))
    by_size = {size: gardener(size) for size in (WIDE, NARROW)}
    invite = Invite.objects.filter(household=garden.household).first()
    for path in (*OUTSIDE, f"/join/{invite.token}", *paths):
        mode, size = next(turns)
        g = by_size[size]
        if path == paths[0]:
            for one in by_size.values():
                one.sign_in(people["owner"], Client())
        look(g, path, mode)
        if wrong := faults(g):
            found[path, mode, size] = wrong
    assert len(paths) > 100
    assert found == {}, found


def overflows(g, widths):
    """Of some widths in CSS pixels those that the page that is open does not fit into."""
    wide = []
    for width in widths:
        metrics = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": False}
        g.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
        if g.driver.execute_script(TOO_WIDE):
            wide.append(f"wider than {width}")
    g.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
    return wide


#: 320 is what 400 % makes of 1280.
WIDTHS = (320, 768, 1280)
LONG = "Gartenschlauchkupplungsnachbarbeet"
FROM_RIGHT = "حديقة الثوم الطويلة جدا على الجانب الشمالي"


def renamed(garden):
    """Everything that has a name gets a long one, half of them from right to left."""
    for model in apps.get_models():
        name = next((f for f in model._meta.fields if f.name == "name" and isinstance(f, CharField)), None)
        if name is None or not hasattr(model, "household"):
            continue
        for i, one in enumerate(model.objects.order_by("pk")):
            said = f"{FROM_RIGHT if i % 2 else LONG} {model.__name__[:3]}{i}"[: name.max_length]
            model.objects.filter(pk=one.pk).update(name=said)


@pytest.mark.parametrize("size", PHONES, ids=str)
def test_nothing_overflows_hides_or_is_too_small_on_a_phone(gardener, whole, size):
    """No page is wider than the window; focus is in sight; targets are 24 px, at the main jobs 44; text 12 or 11 px.

    On the second phone all names are long, or written from right to left.
    """
    garden, people = whole
    if size == PHONES[1]:
        renamed(garden)
    g, found = opened(gardener, whole, size, "owner"), {}
    for path in pages(garden, people["owner"], "owner"):
        look(g, path, "light")
        faults = {kind: some for kind, some in faults_of(g.driver).items() if some}
        if wide := overflows(g, WIDTHS):
            faults["overflow"] = [*faults.get("overflow", []), *wide]
        if faults:
            found[path] = faults
    assert found == {}, found


@pytest.mark.sweep
@pytest.mark.parametrize("role", ROLES)
@pytest.mark.parametrize("mode", MODES)
@pytest.mark.parametrize("size", [WIDE, NARROW], ids=str)
def test_axe_finds_nothing_in_any_mode_size_and_role(gardener, whole, mode, size, role):
    garden, people = whole
    g, found = opened(gardener, whole, size, role), {}
    for path in pages(garden, people[role], role):
        look(g, path, mode)
        if wrong := faults(g):
            found[path] = wrong
    assert found == {}, found
