"""A real Chromium on a real server; any content-security report or script error fails the test."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Callable
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webdriver import WebDriver
from selenium.webdriver.support.ui import Select, WebDriverWait

from kilter.people.models import User

ARGUMENTS = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--hide-scrollbars",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
)
WIDE, PHONE = (1280, 800), (390, 800)
#: Below this width it is a phone.
NARROWEST_WIDE = 600
WAIT_S = 10
# The browser logs a form refused on purpose, and a poise whose slide to the next page was overtaken
# by the page after that.
EXPECTED_LOGS = (
    "status of 422",
    "status of 500",
    "ERR_INTERNET_DISCONNECTED",
    "ViewTransition",
    "Transition was",
)


def chromium(size: tuple[int, int], profile: str) -> WebDriver:
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for argument in (*ARGUMENTS, f"--user-data-dir={profile}"):
        options.add_argument(argument)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    if size[0] < NARROWEST_WIDE:
        metrics = {
            "width": size[0],
            "height": size[1],
            "pixelRatio": 2.0,
            "touch": True,
            "mobile": True,
        }
        options.add_experimental_option("mobileEmulation", {"deviceMetrics": metrics})
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    # Two browsers of one test both have the focus, as two people's have.
    driver.execute_cdp_cmd("Emulation.setFocusEmulationEnabled", {"enabled": True})
    if size[0] >= NARROWEST_WIDE:
        # A window is larger than what it shows by the frame around it.
        extra = driver.execute_script("return [outerWidth - innerWidth, outerHeight - innerHeight]")
        driver.set_window_size(size[0] + extra[0], size[1] + extra[1])
    return driver


class Gardener:
    """Hands and eyes on the interface."""

    def __init__(self, driver: WebDriver, base: str) -> None:
        self.driver, self.base = driver, base

    def go(self, path: str) -> None:
        self.driver.get(self.base + path)

    def until(self, condition: Callable[[], object], what: str = "") -> object:
        """Wait for a condition; a page that changes under it is looked at again."""
        wait = WebDriverWait(self.driver, WAIT_S, 0.05, ignored_exceptions=[WebDriverException])
        return wait.until(lambda _: condition(), what)

    def see(self, text: str) -> None:
        self.until(lambda: text in self.text(), f"“{text}” is not on the page")

    def text(self, css: str = "body") -> str:
        """What is shown of an element, read in one go so that no change of page comes between."""
        return self.driver.execute_script(
            "return document.querySelector(arguments[0])?.innerText ?? ''", css
        )

    def one(self, css: str):
        return self.driver.find_element(By.CSS_SELECTOR, css)

    def all(self, css: str):
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def click(self, css: str) -> None:
        self.until(lambda: self._click(By.CSS_SELECTOR, css), css)

    def press(self, text: str) -> None:
        """A button or link by its words."""
        words = (
            f"//*[self::a or self::button or self::summary][contains(normalize-space(.), '{text}')]"
        )
        self.until(lambda: self._click(By.XPATH, words), text)

    def _click(self, by: str, where: str) -> bool:
        element = self.driver.find_element(by, where)
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
        element.click()
        return True

    def fill(self, **fields: str) -> None:
        for name, value in fields.items():
            element = self.until(lambda name=name: self.one(f'[name="{name}"]'), name)
            if element.tag_name == "select":
                Select(element).select_by_visible_text(value)
            elif element.get_attribute("type") == "date":
                self.driver.execute_script("arguments[0].value = arguments[1]", element, value)
            else:
                element.clear()
                element.send_keys(value)

    def keys(self, *keys: str) -> None:
        """Keys to whatever has the focus, as a person presses them."""
        ActionChains(self.driver).send_keys(*keys).perform()

    def pages_kept(self) -> set[str]:
        """The paths of the pages that this device could show with no connection."""
        return set(self.driver.execute_async_script(PAGES_KEPT))

    def sign_in(self, user: User, client) -> None:
        client.force_login(user)
        self.go("/sign-in")
        self.driver.add_cookie(
            {"name": "sessionid", "value": client.cookies["sessionid"].value, "path": "/"}
        )

    def complaints(self) -> list[str]:
        return [
            entry["message"]
            for entry in self.driver.get_log("browser")
            if entry["level"] in {"SEVERE", "WARNING"}
            and not any(known in entry["message"] for known in EXPECTED_LOGS)
        ]


PAGES_KEPT = (
    "const done = arguments[0];caches.keys().then((names) => Promise.all(names.filter((n) => "
    "n.startsWith('kilter-pages-')).map((name) => caches.open(name).then((c) => c.keys()))))"
    ".then((all) => done(all.flat().map((one) => new URL(one.url).pathname)))"
)

#: Nothing of the test before: no worker with its pages, no lines that wait.
FORGET = """
const done = arguments[0];
navigator.serviceWorker.getRegistrations()
  .then((all) => Promise.all(all.map((one) => one.unregister())))
  .then(() => caches.keys()).then((names) => Promise.all(names.map((name) => caches.delete(name))))
  .then(() => new Promise((resolve) => {
    const gone = indexedDB.deleteDatabase("kilter");
    gone.onsuccess = gone.onerror = gone.onblocked = resolve;
  })).then(() => done());
"""


@pytest.fixture(scope="session")
def browsers():
    """One browser a size for all tests; cookies and storage are cleared between them."""
    with contextlib.ExitStack() as stack:
        made: dict[tuple[int, int], WebDriver] = {}

        def get(size: tuple[int, int]) -> WebDriver:
            if size not in made:
                profile = stack.enter_context(
                    tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
                )
                made[size] = chromium(size, profile)
                stack.callback(made[size].quit)
            return made[size]

        yield get


@pytest.fixture
def gardener(browsers, live_server, transactional_db):
    drivers: list[Gardener] = []

    def make(size: tuple[int, int] = WIDE) -> Gardener:
        driver = browsers(size)
        driver.get(live_server.url + "/sign-in")
        driver.execute_script("localStorage.clear(); sessionStorage.clear()")
        driver.execute_async_script(FORGET)
        driver.delete_all_cookies()
        driver.get_log("browser")
        one = Gardener(driver, live_server.url)
        drivers.append(one)
        return one

    yield make
    for one in drivers:
        complaints = one.complaints()
        assert complaints == []
        one.driver.get("about:blank")


AXE = Path(__file__).parent / "vendor" / "axe.min.js"


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """A journey gets a second try, as a browser on a shared machine may stall;
    the end of the run names it.
    """
    for item in items:
        if item.get_closest_marker("browser"):
            item.add_marker(pytest.mark.flaky(reruns=1))
