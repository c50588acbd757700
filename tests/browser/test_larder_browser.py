"""The larder with one thumb: put by after a lift, eaten in two taps with no connection,
looked through, accounted.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.test import Client
from selenium.webdriver.common.keys import Keys

from kilter.larder.ledger import larder
from kilter.larder.models import Crate, PutBy, Store, Supply, Using
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.browser.conftest import PHONE, WIDE
from tests.browser.test_kept_safe_browser import offline
from tests.conftest import make_garden, plant
from tests.web.routes import fill_larder

pytestmark = pytest.mark.browser


@pytest.fixture
def garden(transactional_db, settings):
    settings.KILTER_TODAY = "2026-08-10"
    return make_garden("Ours")


def lying(garden):
    return sorted(one.lying_mg for one in larder(garden.household, {2026}).crates.values())


def pick(g, crate):
    """Tap a crate."""
    g.click(f'[data-crate="{crate.pk}"]')
    g.until(lambda: g.one("#use-panel").is_displayed())


def say(g, use):
    """Tap what became of it."""
    g.click(f'#use-panel button[value="{use}"]')


def test_a_lift_goes_through_the_larder_on_a_phone(gardener, garden):
    g = gardener(PHONE)
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    g.sign_in(garden.owner, Client())
    g.go("/weigh-in/")
    g.until(lambda: g.text("[data-big]") == "0")
    g.keys("600 12", Keys.ENTER)
    g.until(lambda: WeighIn.objects.filter(mass_mg=600_000, weighed_on=date(2026, 8, 10)).exists())
    g.click('.beside a[href="/larder/put-by"]')  # the first tap after a lift
    g.see("shallot ‘Ours One’, Table, 2.100 kg")
    g.click('main button[type="submit"].btn-main')  # the second tap: as it is offered
    g.see("Put by: shallot")
    crates = list(Crate.objects.of(garden.household).order_by("pk"))
    assert {one.state for one in crates} == {"curing"}
    g.until(
        lambda: g.driver.execute_script("return navigator.serviceWorker.ready.then(() => true)")
    )
    pick(g, crates[0])
    g.fill(typed="300 g")
    say(g, "eaten")
    g.see("Ate 300 g of shallot")
    g.until(lambda: Using.objects.of(garden.household).count() == 1)
    assert lying(garden) == [1_700_000, 1_800_000]

    offline(g, is_off=True)
    pick(g, crates[1])
    g.click('#use-panel [data-amount="half"]')
    say(g, "given")
    g.see("1 line waits on this device")
    g.see("850 g left")  # what this device knows
    g.driver.refresh()
    g.see("1 line waits on this device")  # the room opens with no connection
    assert Using.objects.of(garden.household).count() == 1
    offline(g, is_off=False)
    g.until(lambda: Using.objects.of(garden.household).count() == 2)
    given = Using.objects.of(garden.household).get(use="given")
    assert (given.mass_mg, given.balance_mg, given.typed) == (850_000, 1_700_000, "half")
    g.until(lambda: not g.one("#unsent").is_displayed())

    g.go(f"/larder/crates/{crates[0].pk}")
    g.press("Cured")
    g.see("curing is done")
    g.go(f"/larder/look/{crates[0].store_id}")
    g.fill(**{f"bad-{crates[0].pk}": "100 g"})
    g.click('main button[type="submit"].btn-main')
    g.see("Looked through: shallot")
    assert lying(garden) == [850_000, 1_700_000]
    g.go("/larder/enough/new")
    g.fill(crop="shallot", when="about mid-January", season="2025")
    g.press("Save")
    g.see("shallot: ran out")
    assert Supply.objects.of(garden.household).get().when.precision == "third"
    g.go("/larder/prices/new")
    g.fill(crop="shallot", price_minor="4.80", from_day="1 January 2026")
    g.press("Save")
    g.go("/larder/account")
    g.see("18.24 €")  # 3.8 kg
    g.see("1.44 €")  # 0.3 kg eaten


def test_two_phones_that_say_the_rest_are_settled_and_one_is_asked(gardener, garden):
    g = gardener(WIDE)
    fill_larder(garden)
    g.sign_in(garden.owner, Client())
    g.go("/larder/")
    crate = garden.store_crate
    pick(g, crate)
    Using.objects.create(
        household=garden.household, crate=crate, day=date(2026, 8, 9), use="eaten", mass_mg=500_000
    )  # the other phone was first
    g.click('#use-panel [data-amount="the rest"]')
    say(g, "eaten")
    g.see("Only 200 g lies there now")
    g.press("Discard")
    g.go("/larder/")
    pick(g, crate)
    typed = g.one('#use-panel [name="typed"]').get_attribute("value")
    assert typed == "", "nothing is said of another crate before the gardener says it"
    g.press("as usual: the rest")  # a meal is more than the 200 g left
    g.keys("f")  # a letter says what became of it
    g.see("Fed the rest of shallot")
    g.until(lambda: Using.objects.of(garden.household).filter(use="fed", mass_mg=200_000).exists())

    # What is weighed again says what is left, not what went: on the shelf at once, and by the
    # server.
    mine = {"household": garden.household, "day": date(2026, 8, 9)}
    crate = Crate.objects.create(**mine, store=garden.spare_store, crop=garden.crop, season=2026)
    PutBy.objects.create(**mine, crate=crate, line=garden.lines[1])  # 1 kg
    g.go("/larder/")
    offline(g, is_off=True)
    pick(g, crate)
    g.fill(typed="0.7 kg")
    say(g, "weighed")
    g.see("700 g left")
    g.driver.refresh()
    g.see("700 g left")
    offline(g, is_off=False)
    g.until(
        lambda: (
            Using.objects.of(garden.household).filter(use="dried_away", mass_mg=300_000).exists()
        )
    )


def test_eight_rooms_slide_under_the_thumb_with_every_label_whole(gardener, garden):
    g = gardener(PHONE)
    g.sign_in(garden.owner, Client())
    g.go("/larder/")
    sizes = g.driver.execute_script(
        "return [...document.querySelectorAll('.beam li a')].map((a) => [a.offsetWidth, "
        "a.offsetHeight, a.scrollWidth <= a.offsetWidth])"
    )
    assert all(width >= 44 and height >= 44 and whole for width, height, whole in sizes)
    here = g.driver.execute_script(
        "const a = document.querySelector('.beam [aria-current]').getBoundingClientRect();"
        " return a.left >= 0 && a.right <= innerWidth"
    )
    assert here


def test_what_was_only_counted_is_taken_in_pieces(gardener, garden):
    g = gardener(PHONE)
    squash = plant(garden, garden.bed, "winter squash", units=30, planted_on=date(2026, 5, 1))
    mine = {"household": garden.household, "weighed_on": date(2026, 8, 8)}
    line = WeighIn.objects.create(**mine, planting=squash, grade="table", count=60, visit=1)
    kept = {"household": garden.household, "day": date(2026, 8, 9)}
    cellar = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    crate = Crate.objects.create(**kept, store=cellar, crop=squash.crop, season=2026)
    PutBy.objects.create(**kept, crate=crate, line=line)
    g.sign_in(garden.owner, Client())
    g.go("/larder/")
    g.see("60 pieces of 60")
    pick(g, crate)
    g.see("60 pieces there.")
    assert g.text(".unit-key") == "pieces"
    g.fill(typed="12")
    say(g, "eaten")
    g.see("Ate 12 pieces of winter squash")
    g.see("48 pieces of 60")
    pick(g, crate)
    g.click('#use-panel [data-amount="the rest"]')
    say(g, "given")
    g.until(lambda: Crate.objects.get(pk=crate.pk).emptied_on is not None)
    assert list(Using.objects.order_by("pk").values_list("use", "mass_mg", "count")) == [
        ("eaten", None, 12),
        ("given", None, 48),
    ]
