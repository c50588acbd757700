"""What is printed: how many sheets of A4 and of Letter, in light colours whatever the mode,
with the wide layout.
"""

from __future__ import annotations

import base64
import re

import pytest
from django.test import Client

from kilter.people.models import Membership
from kilter.site.demo import ensure_demo
from kilter.weigh_up.models import Trial
from tests.browser.conftest import WIDE

pytestmark = pytest.mark.browser
#: Inches, and the margin all round.
PAPERS, MARGIN_IN = {"A4": (8.27, 11.69), "Letter": (8.5, 11)}, 0.4
#: Pages of the demo, three seasons of a garden, with the sheets that each may fill.
SHEETS = {
    "/": 1,
    "/ground/": 1,
    "/weigh-in/lines": 2,
    "/weigh-in/round": 1,
    "/weigh-in/waiting/labels": 1,
    "/weigh-up/": 2,
    "/weigh-up/report": 1,
    "/weigh-up/varieties": 1,
    "/larder/account": 2,
    "/look-back/?season=2026": 1,
    "/next-year/?whole=on": 2,
    "/next-year/sheet": 1,
    "/next-year/calendar": 2,
    "/next-year/shopping": 1,
    "/next-year/trays": 1,
}


def printed(g, paper: str) -> int:
    """How many sheets the page that is open fills."""
    width, height = PAPERS[paper]
    margins = dict.fromkeys(("marginTop", "marginBottom", "marginLeft", "marginRight"), MARGIN_IN)
    said = g.driver.execute_cdp_cmd(
        "Page.printToPDF", {"paperWidth": width, "paperHeight": height, **margins}
    )
    return len(re.findall(rb"/Type\s*/Page\b", base64.b64decode(said["data"])))


def test_every_printed_page_fills_no_more_sheets_than_it_needs(
    gardener, transactional_db, settings
):
    settings.KILTER_TODAY = "2026-11-23"
    household = ensure_demo()
    g, wrong = gardener(WIDE), {}
    g.sign_in(Membership.objects.get(household=household, role="owner").user, Client())
    g.driver.add_cookie({"name": "kilter_mode", "value": "dark", "path": "/"})
    trial = Trial.objects.get(household=household, ref="mulch-27")
    for path, most in {**SHEETS, f"/weigh-up/trials/{trial.pk}/sheet": 2}.items():
        g.go(path)
        if path.startswith("/next-year/?"):
            g.until(lambda: g.all(".plan-row"), "the rows that follow the page")
        for paper in PAPERS:
            if not 1 <= (sheets := printed(g, paper)) <= most:
                wrong[path, paper] = sheets
        g.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
        colours = (
            "const of = (one) => getComputedStyle(one); return "
            "[of(document.documentElement).backgroundColor, "
        )
        paint = g.driver.execute_script(f"{colours} of(document.body).color]")
        if paint != ["rgb(255, 255, 255)", "rgb(0, 0, 0)"]:
            wrong[path, "colours"] = paint
        g.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": ""})
    assert wrong == {}, wrong
    g.driver.get_log("browser")
