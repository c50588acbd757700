"""A season looked back at, in the browser: drafted while one waits, kept, decided,
carried into the plan, printed.
"""

from __future__ import annotations

import base64
import re
from datetime import date

import pytest
from django.test import Client

from kilter.look_back.models import Decision, Remark, Review
from kilter.set_out.models import Planting
from kilter.weigh_up.varieties.models import Criterion
from tests.browser.conftest import PHONE, WIDE
from tests.conftest import make_garden, plant

pytestmark = pytest.mark.browser


@pytest.fixture
def garden(transactional_db, settings):
    settings.KILTER_TODAY = "2026-11-23"
    made = make_garden("Ours")
    plant(
        made,
        made.bed,
        "kale",
        season=2025,
        units=8,
        planted_on=date(2025, 5, 1),
        finished_on=date(2025, 9, 1),
    )
    return made


@pytest.fixture
def opened(gardener, garden):
    def at(size):
        g = gardener(size)
        g.sign_in(garden.owner, Client())
        g.go("/")
        return g

    return at


def test_a_review_is_written_on_a_phone(opened, garden):
    g = opened(PHONE)
    g.go("/look-back/?season=2026")
    g.see("Best shallot")  # drafted while one waits
    line = "#line-ends-shallot"
    g.click(f"{line} summary")
    g.until(lambda: g.one(f'{line} [name="cause"]').is_displayed())
    g.one(f'{line} [name="cause"]').send_keys("the second crate stood in the sun")
    g.click(f'{line} [value="keep"]')
    g.see("Why: the second crate stood in the sun.")
    assert Remark.objects.of(garden.household).get().state == "kept"
    g.press("A line of your own")
    g.fill(words="The children weighed everything.")
    g.press("Save")
    g.see("The children weighed everything.")
    g.press("The review is written")
    g.see("Written on 23 November 2026")
    assert Review.objects.of(garden.household).get().written_on == date(2026, 11, 23)
    g.press("Undo")
    g.see("keep or change")
    assert Review.objects.of(garden.household).count() == 0


def test_every_page_of_the_room_fits_a_phone(opened, garden):
    for name in ("flavour", "texture", "picking"):
        Criterion.objects.create(household=garden.household, name=name, weight=1)
    g = opened(PHONE)
    pages = (
        "",
        "setbacks",
        "places",
        "decisions",
        "decisions/new",
        "sitting",
        "booklet",
        f"crops/{garden.crop.pk}",
    )
    for page in pages:
        g.go(f"/look-back/{page}?season=2026&whole=on")
        assert g.driver.execute_script(
            "return document.documentElement.scrollWidth <= window.innerWidth"
        ), page
    g.go("/look-back/sitting?season=2026")
    assert len(g.all("fieldset.judged")) > 0  # and there was something to fit in


def test_a_decision_is_carried_into_the_plan_and_judged_a_year_later(opened, garden, settings):
    g = opened(WIDE)
    g.go("/look-back/?season=2026")
    g.press("Decide something")
    g.fill(crop="shallot", aim="grow more", percent="50", reason="gone by March")
    g.press("Save")
    g.see("Shallot: grow more, by 50 %.")
    g.see("open: it is not planted yet")
    g.go("/next-year/")
    g.see("grow more, by 50 %")
    g.go(f"/next-year/crops/{garden.crop.pk}")
    g.see("Decided after 2026: grow more, by 50 %.")
    g.press("the plan has it")
    g.see("In the plan: the plan has it since 23 November 2026")
    # by hand: 4 · 9 = 36 were set out; half as many again are 54
    for n, crate in enumerate(garden.crates):
        done = date(2027, 8, 1) if n else None
        plant(
            garden,
            crate,
            "shallot",
            season=2027,
            units=14,
            planted_on=date(2027, 3, 21),
            finished_on=done,
        )
    settings.KILTER_TODAY = "2027-11-23"
    g.go("/look-back/?season=2027")
    g.see("Decided after 2026")
    g.see("Done: 36 set out then, 56 now.")
    g.see("Did it help?")
    Planting.objects.filter(season=2027).update(units=10)
    settings.KILTER_TODAY = "2028-02-01"
    g.go("/look-back/?season=2027")
    g.see("Not done: 36 set out then, 40 now; 54 were wanted.")


def test_a_decision_is_put_aside_with_a_word(opened, garden):
    Decision.objects.create(household=garden.household, season=2026, aim="drop", crop=garden.crop)
    g = opened(WIDE)
    g.go("/look-back/decisions")
    g.press("put aside")
    g.fill(aside="the lodger loves them")
    g.press("Save")
    g.see("put aside: the lodger loves them")
    assert Decision.objects.of(garden.household).get().aside == "the lodger loves them"
    g.press("Take it up again")
    g.see("open: ")
    assert not Decision.objects.of(garden.household).get().aside


@pytest.mark.parametrize(("paper", "size"), [("a4", (595, 842)), ("letter", (612, 792))])
def test_the_booklet_takes_a_sheet_for_the_season_and_one_for_each_crop(
    opened, garden, paper, size
):
    g = opened(WIDE)
    g.go(f"/look-back/booklet?season=2026&paper={paper}")
    g.see("What changes")
    printed = g.driver.execute_cdp_cmd("Page.printToPDF", {"preferCSSPageSize": True})
    pdf = base64.b64decode(printed["data"])
    assert len(re.findall(rb"/Type\s*/Page\b", pdf)) == len(g.all(".leaf")) == 2
    boxes = {
        tuple(round(float(x)) for x in box.split()[2:])
        for box in re.findall(rb"/MediaBox\s*\[([^\]]*)\]", pdf)
    }
    assert boxes == {size}
