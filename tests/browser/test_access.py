"""axe-core finds no serious or critical violation on any page, in every mode, wide and narrow."""

from __future__ import annotations

from datetime import date

import pytest
from django.test import Client

from kilter.people.models import Invite
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import AXE, PHONE, WIDE
from tests.conftest import make_garden
from tests.web.routes import fill_larder

pytestmark = pytest.mark.browser
RUN = """
const [options, done] = arguments;
axe.run(document, {resultTypes: ["violations"], ...options}).then((found) => done(found.violations
  .filter((v) => ["serious", "critical"].includes(v.impact))
  .map((v) => v.id + ": " + v.nodes.map((n) => n.target.join(" ")).slice(0, 4).join(" | "))));
"""
OUTSIDE = ("/sign-in", "/sign-up")


#: What a mode changes is its colours; all else is looked at in the light one.
COLOURS_ONLY = {"runOnly": ["color-contrast"]}


def faults(g, options):
    g.driver.execute_script(AXE.read_text())
    return g.driver.execute_async_script(RUN, options)


def pages(garden):
    planting = garden.plantings[0].pk
    crop = f"crop={garden.crop.name}&by=kg_per_plant"
    return (
        "/",
        "/ground/",
        "/ground/sites/new",
        "/ground/sets/new",
        f"/ground/places/{garden.bed.pk}",
        f"/ground/places/{garden.bed.pk}/change",
        f"/ground/places/{garden.crates[0].pk}/fill",
        "/ground/?colour=yield",
        "/set-out/lots",
        f"/set-out/{planting}/change",
        "/happenings/",
        "/happenings/new",
        "/happenings/do",
        f"/weather/{garden.site.pk}",
        "/changes",
        "/set-out/?season=2026",
        "/set-out/new",
        f"/set-out/{planting}",
        "/weigh-in/",
        "/weigh-in/round",
        "/weigh-in/lines",
        f"/weigh-in/lines/{garden.lines[0].pk}",
        "/weigh-in/waiting",
        "/weigh-in/waiting/labels",
        "/weigh-in/shelf",
        "/weigh-in/kit",
        "/weigh-in/basket",
        "/weigh-in/scale",
        "/weigh-up/",
        f"/weigh-up/?compare=place&{crop}",
        f"/weigh-up/?compare=variety&also=method:setting&{crop}",
        "/weigh-up/report",
        "/weigh-up/difference",
        "/weigh-up/saved",
        "/weigh-up/crowding",
        "/weigh-up/sharing",
        "/weigh-up/varieties",
        "/weigh-up/trials",
        "/weigh-up/trials/new",
        f"/weigh-up/trials/{garden.trial.pk}",
        f"/weigh-up/trials/{garden.trial.pk}/sheet",
        "/larder/",
        "/larder/put-by",
        f"/larder/crates/{garden.store_crate.pk}",
        f"/larder/look/{garden.store.pk}",
        f"/larder/crops/{garden.crop.pk}",
        "/larder/stores",
        "/larder/weeks",
        "/larder/account",
        "/next-year/",
        "/household",
        "/data/",
        "/nothing",
    )


def telling(garden):
    """The pages that show every kind of thing there is, for another mode or width."""
    return (
        "/",
        "/ground/",
        "/ground/?colour=yield",
        f"/set-out/{garden.plantings[0].pk}",
        "/set-out/new",
        "/happenings/new",
        f"/weather/{garden.site.pk}",
        "/weigh-in/",
        "/weigh-in/round",
        "/weigh-in/lines",
        "/weigh-up/varieties",
        f"/weigh-up/trials/{garden.trial.pk}",
        "/larder/",
        "/larder/account",
        "/next-year/",
        f"/weigh-up/?compare=place&crop={garden.crop.name}&by=kg_per_plant",
    )


@pytest.mark.parametrize(("mode", "size"), [("light", WIDE), ("dark", WIDE), ("sun", WIDE), ("light", PHONE)])
def test_no_serious_violation(gardener, transactional_db, mode, size):
    garden = make_garden("Ours")
    fill_larder(garden)
    Planting.objects.filter(pk=garden.plantings[3].pk).update(finished_on=None)
    line = {"household": garden.household, "planting": garden.plantings[3], "weighed_on": date(2026, 11, 22)}
    WeighIn.objects.create(**line, grade="table", count=9, waits=True)
    WeighIn.objects.create(**line, grade="unripe", count=9, mass_mg=10**6)
    invite = Invite.objects.create(household=garden.household)
    g = gardener(size)
    found = {}

    def look(path):
        g.driver.add_cookie({"name": "kilter_mode", "value": mode, "path": "/"})
        g.go(path)
        assert g.driver.execute_script("return document.documentElement.dataset.mode") == mode
        for details in g.all("main details:not([open]) > summary"):
            g.driver.execute_script("arguments[0].click()", details)
        if wrong := faults(g, {} if mode == "light" else COLOURS_ONLY):
            found[path] = wrong

    for path in (*OUTSIDE, f"/join/{invite.token}"):
        look(path)
    g.sign_in(garden.owner, Client())
    for path in pages(garden) if (mode, size) == ("light", WIDE) else telling(garden):
        look(path)
    assert found == {}
    g.driver.get_log("browser")  # the page that is not there logs its 404
