"""How much a phone loads that has never been here, page by page;
more than the goal makes ``make bench`` fail.
"""

from __future__ import annotations

import tempfile
import threading
from pathlib import Path

import django

django.setup()

import waitress
from django.conf import settings
from django.core.management import call_command
from django.core.wsgi import get_wsgi_application
from selenium.webdriver.remote.webdriver import WebDriver

from kilter.site.demo import ensure_demo
from kilter.site.serving import free_port
from tests.browser.conftest import PHONE, Gardener, chromium

#: Kilobytes: of the bench, and of any other page.
BENCH_KB, PAGE_KB = 170, 220
#: A slow line, and the seconds after which the bench takes a weight on it; fonts may come after.
SLOW_KBIT, SLOW_LATENCY_MS, SLOW_S = 400, 50, 3.5
PAGES = (
    "/weigh-in/",
    "/",
    "/ground/",
    "/set-out/",
    "/weigh-up/",
    "/larder/",
    "/look-back/",
    "/next-year/?whole=on",
    "/next-year/fit",
    "/household",
)
LOADED = """
return [...performance.getEntriesByType("navigation"), ...performance.getEntriesByType("resource")]
  .reduce((sum, one) => sum + one.transferSize, 0);
"""


def seconds_to_bench(g: Gardener, driver: WebDriver) -> float:
    """From the address to the first figure taken,
    on a slow line by a phone that has never been here.
    """
    driver.execute_cdp_cmd("Network.clearBrowserCache", {})
    g.go("/healthz")
    throughput = SLOW_KBIT * 1000 // 8
    driver.set_network_conditions(
        latency=SLOW_LATENCY_MS, download_throughput=throughput, upload_throughput=throughput
    )
    try:
        g.go("/weigh-in/")
        assert g.text("[data-big]") == "0"
        # By then every script has run, and Alpine holds the pad and the line; what comes after is
        # fonts.
        ready = (
            "return performance.getEntriesByType('navigation')[0].domContentLoadedEventEnd / 1000"
        )
        return float(driver.execute_script(ready))
    finally:
        driver.delete_network_conditions()


def main() -> None:
    folder = tempfile.TemporaryDirectory()
    settings.DATABASES["default"]["NAME"] = str(Path(folder.name) / "cold.sqlite3")
    call_command("migrate", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0)
    ensure_demo()
    port = free_port("127.0.0.1", 8100)
    server = waitress.create_server(get_wsgi_application(), host="127.0.0.1", port=port, threads=4)
    threading.Thread(target=server.run, daemon=True).start()
    too_much = []
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        driver = chromium(PHONE, profile)
        g = Gardener(driver, f"http://127.0.0.1:{port}")
        # A worker that keeps pages would answer for the network.
        driver.execute_cdp_cmd("Network.enable", {})
        driver.execute_cdp_cmd("Network.setBypassServiceWorker", {"bypass": True})
        g.go("/household")
        for path in PAGES:
            driver.get("about:blank")  # what the page before holds in memory is not loaded again
            driver.execute_cdp_cmd("Network.clearBrowserCache", {})
            g.go(path)
            g.until(lambda: driver.execute_script("return document.fonts.status") == "loaded")
            kb, goal = (
                driver.execute_script(LOADED) / 1024,
                BENCH_KB if path == "/weigh-in/" else PAGE_KB,
            )
            print(f"{'cold, ' + path:<58}  {kb:5.0f} KB  goal ≤ {goal}")
            too_much += [path] if kb > goal else []
        slow = seconds_to_bench(g, driver)
        print(
            f"{f'cold, the bench can be used at {SLOW_KBIT} kbit/s':<58}  {slow:5.2f} s   goal ≤ "
            f"{SLOW_S}"
        )
        too_much += ["the bench on a slow line"] if slow > SLOW_S else []
        driver.quit()
    if too_much:
        raise SystemExit(f"More than the goal: {', '.join(too_much)}")


if __name__ == "__main__":
    main()
