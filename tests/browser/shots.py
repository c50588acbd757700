"""Takes the pictures in docs/screenshots from a fresh demo garden: `make shots`."""

from __future__ import annotations

import tempfile
import threading
import time
from pathlib import Path

import django

django.setup()

import waitress
from django.conf import settings
from django.core.management import call_command
from django.core.wsgi import get_wsgi_application
from selenium.webdriver.common.keys import Keys

from kilter.ground.models import Place, Site
from kilter.people.models import Household
from kilter.set_out.models import Planting
from kilter.site.demo import ensure_demo
from kilter.site.serving import free_port
from kilter.weigh_up.models import Trial
from tests.browser.conftest import PHONE, WIDE, Gardener, chromium

TARGET = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
#: The demo's autumn, so that the pictures do not change with the day they are taken.
DAY = "2026-11-23"


def take(size, shots, base: str) -> None:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        driver = chromium(size, profile)
        g = Gardener(driver, base)
        for name, path, mode, act in shots:
            g.go("/household")
            g.driver.add_cookie({"name": "kilter_walk", "value": "0", "path": "/"})
            driver.add_cookie({"name": "kilter_mode", "value": mode, "path": "/"})
            g.go(path)
            if act:
                act(g)
            time.sleep(0.6)  # fonts, and what settles
            driver.save_screenshot(str(TARGET / f"{name}.png"))
        driver.quit()


def weigh(g: Gardener) -> None:
    """A few pots weighed in, and the next reading on the dial."""
    for line in ("1.42 8", "s", "180 2", "n", "1.31 7", "s", "160 3", "1.6 8", "s", "95 1"):
        g.keys(line, *([Keys.ENTER] if line[0].isdigit() else []))
        time.sleep(0.3)
    g.keys("1.284 8")


def take_up(g: Gardener) -> None:
    """A crate in hand."""
    g.driver.execute_script("document.querySelectorAll('[data-crate]')[2].click()")


def fit(g: Gardener) -> None:
    """Fitted, and the search stopped."""
    g.press("Fit it into the ground")
    g.until(lambda: g.all(".fit-row h2"))
    time.sleep(20)
    g.press("Stop")
    g.until(lambda: g.all('[data-fit="found"]'))


def main() -> None:
    folder = tempfile.TemporaryDirectory()
    settings.DATABASES["default"]["NAME"] = str(Path(folder.name) / "shots.sqlite3")
    settings.KILTER_TODAY = DAY
    call_command("migrate", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0)
    household: Household = ensure_demo()
    site = Site.objects.get(household=household, ref="yard").pk
    crock = Place.objects.get(household=household, ref="crock-3").pk
    vague = Planting.objects.get(household=household, planted_precision="third").pk
    trial = Trial.objects.get(household=household, ref="mulch-27").pk
    port = free_port("127.0.0.1", 8100)
    server = waitress.create_server(get_wsgi_application(), host="127.0.0.1", port=port, threads=4)
    threading.Thread(target=server.run, daemon=True).start()
    base = f"http://127.0.0.1:{port}"
    asked = "compare=variety&by=kg_per_place&crop=shallot&within=method:setting&within=season"
    steelyard = f"/weigh-up/?{asked}"
    wide = (
        ("today", "/", "light", None),
        ("ground", "/ground/?season=2025", "light", None),
        ("place", f"/ground/places/{crock}", "light", None),
        ("planting", f"/set-out/{vague}", "light", None),
        ("weather", f"/weather/{site}", "light", None),
        ("set-out", "/set-out/?season=2026", "light", None),
        ("weigh-in", "/weigh-in/", "light", weigh),
        ("weigh-up-balance", "/weigh-up/", "light", None),
        ("weigh-up-steelyard", steelyard, "light", None),
        ("weigh-up-report", "/weigh-up/report", "light", None),
        ("larder", "/larder/", "light", None),
        ("account", "/larder/account", "light", None),
        ("trial", f"/weigh-up/trials/{trial}", "light", None),
        ("look-back", "/look-back/?season=2026&whole=on", "light", None),
        ("next-year", "/next-year/?whole=on", "light", None),
        ("fit", "/next-year/fit", "light", fit),
    )
    phone = (
        ("ground-phone", "/ground/?season=2025", "light", None),
        ("weigh-in-phone", "/weigh-in/", "light", None),
        ("larder-phone", "/larder/", "light", take_up),
    )
    take(WIDE, wide, base)
    take(PHONE, phone, base)


if __name__ == "__main__":
    main()
