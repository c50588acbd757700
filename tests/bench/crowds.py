"""What a crowd does to the others: a large load beside the bench, silent connections,
many households in one file.
"""

from __future__ import annotations

import http.client
import io
import multiprocessing
import os
import re
import secrets
import socket
import statistics
import sys
import threading
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from datetime import date, timedelta

from django.test import Client

from kilter.people.models import Household
from tests.bench.writers import Actor, Server, sign_in

LOADED, SILENT, BROWSERS, STRANGERS = 30_000, 200, 30, 60
WARMED = 20
HEAVY = (
    "/",
    "/weigh-up/?compare=method:setting&by=kg_per_plant&within=variety&crop=shallot",
    "/larder/",
    "/next-year/",
    "/ground/",
)
ROUND_S = 12.0
PAGES = {
    "today": "/",
    "ground": "/ground/",
    "set out": "/set-out/",
    "weigh up": "/weigh-up/",
    "next year": "/next-year/",
}


def package(lines: int) -> bytes:
    """A garden of so many weigh-ins, as a zip."""
    plantings = lines // 20
    days = [date(2026, 6, 1) + timedelta(days=i) for i in range(90)]
    tables = {
        "sites": ["id,name", "s1,Far field"],
        "places": [
            "id,site,kind,name,number",
            *(f"p{i},s1,crate,Stack,{i}" for i in range(1, 201)),
        ],
        "plantings": [
            "id,place,crop,variety,season,planted_on,units,unit_kind",
            *(
                f"q{i},p{i % 200 + 1},shallot,Loaded {i % 9},{2000 + i % 26},,9,set"
                for i in range(plantings)
            ),
        ],
        "weigh_ins": [
            "id,planting,weighed_on,grade,mass,count",
            *(
                f"w{i},q{i % plantings},{days[i % 90]},table,{300 + i % 400} g,5"
                for i in range(lines)
            ),
        ],
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, rows in tables.items():
            archive.writestr(f"{name}.csv", "\n".join(rows) + "\n")
    return out.getvalue()


class Browser:
    """A signed-in browser as small as can be: sends a file, follows a page."""

    def __init__(self, port: int, cookie: str) -> None:
        self.port, self.token = port, "a" * 32
        self.head = {
            "Cookie": f"sessionid={cookie}; csrftoken={self.token}",
            "X-CSRFToken": self.token,
        }

    def ask(
        self, method: str, path: str, body: bytes | None = None, **head: str
    ) -> tuple[int, str, str]:
        link = http.client.HTTPConnection("127.0.0.1", self.port, timeout=120)
        named = {name.replace("_", "-"): value for name, value in head.items()}
        link.request(method, path, body, {**self.head, **named})
        answer = link.getresponse()
        return (
            answer.status,
            answer.headers.get("Location", ""),
            answer.read().decode(errors="replace"),
        )

    def load(self, raw: bytes) -> str:
        """Send a package, and wait until it is in; gives the last of what the page says."""
        edge = "edge"
        body = (
            (
                f'--{edge}\r\nContent-Disposition: form-data; name="package"; '
                'filename="big.zip"\r\n'
                f"Content-Type: application/zip\r\n\r\n"
            ).encode()
            + raw
            + f"\r\n--{edge}--\r\n".encode()
        )
        status, where, _ = self.ask(
            "POST", "/data/", body, Content_Type=f"multipart/form-data; boundary={edge}"
        )
        assert status == 302, status
        while True:
            _, _, page = self.ask("GET", where, None, HX_Request="true")
            if 'hx-trigger="every' not in page and "hx-trigger='every" not in page:
                return " ".join(re.sub(r"<[^>]+>", " ", page).split())
            time.sleep(0.5)


def _lines_while(port: int, hand: Actor, go_on: Callable[[], bool]) -> list[float]:
    hand.seconds = []

    def slowly() -> bool:
        time.sleep(0.03)
        return go_on()

    hand.write(port, slowly)
    return sorted(hand.seconds)


def load_beside_the_bench(household: Household) -> None:
    """How long a line takes at the bench while a large package comes in,
    against how long without.
    """
    server, (hand, loader) = Server(), sign_in(household, 2)
    until = time.monotonic() + ROUND_S
    alone = _lines_while(server.port, hand, lambda: time.monotonic() < until)
    found: list[str] = []
    browser, raw = Browser(server.port, loader.cookie), package(LOADED)
    began = time.monotonic()
    thread = threading.Thread(target=lambda: found.append(browser.load(raw)))
    thread.start()
    beside = _lines_while(server.port, hand, thread.is_alive)
    thread.join()
    took = time.monotonic() - began
    server.kill()
    p95, middle = beside[int(len(beside) * 0.95)], statistics.median(beside)
    print(
        f"a load of {LOADED} lines ({took:.1f} s) beside {len(beside)} lines of the bench, "
        f"{hand.refused} refused: p95 {p95:.3f} s (goal ≤ 1.2), longest {beside[-1]:.3f} s, median "
        f"/ median without {middle / statistics.median(alone):.2f} (goal ≤ 2)"
    )
    print(f"  what its page said at the end: {found[0][:160]}")


def _in_turn(port: int, hand: Actor, seconds: float) -> list[float]:
    """How long each line takes, one after the other, for so long;
    the first few warm the server and do not count.
    """
    _lines_while(port, hand, lambda: len(hand.seconds) < WARMED)
    until = time.monotonic() + seconds
    return _lines_while(port, hand, lambda: time.monotonic() < until)


def _told(what: str, alone: list[float], beside: list[float], goal: str) -> None:
    """Alone and beside a crowd: both are shown,
    so that a figure that says nothing is seen as such.
    """
    if not alone or not beside:
        raise SystemExit(
            f"{what}: {len(alone)} lines alone and {len(beside)} beside the crowd; nothing was "
            "measured."
        )
    medians, p95 = (
        [statistics.median(one) * 1e3 for one in (alone, beside)],
        beside[int(len(beside) * 0.95)] * 1e3,
    )
    print(
        f"{what}: median {medians[1] / medians[0]:.2f} times alone ({medians[1]:.0f} ms against "
        f"{medians[0]:.0f} ms), p95 {p95:.0f} ms, longest {beside[-1] * 1e3:.0f} ms, {len(beside)} "
        f"lines{goal}"
    )


class Crowd:
    """Threads that do the same again and again beside the bench, in a process of their own; what
    they were answered.

    In this one they would take turns with the hand that is clocked.
    """

    def __init__(self, works: list[Callable[[], object]]) -> None:
        self.answers: Counter[object] = Counter()
        fork = multiprocessing.get_context("fork")
        self._over, self._said = fork.Event(), fork.Queue()
        self._process = fork.Process(target=self._run, args=(works,), daemon=True)

    def _run(self, works: list[Callable[[], object]]) -> None:
        threads = [
            threading.Thread(target=self._go_on, args=(work,), daemon=True) for work in works
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(120)
        self._said.put(self.answers)

    def _go_on(self, work: Callable[[], object]) -> None:
        while not self._over.is_set():
            try:
                self.answers[work()] += 1
            except (OSError, http.client.HTTPException) as error:
                self.answers[type(error).__name__] += 1

    def __enter__(self) -> Crowd:
        self._process.start()
        time.sleep(2)
        return self

    def __exit__(self, *_: object) -> None:
        self._over.set()
        self.answers = self._said.get(timeout=120)
        self._process.join(10)


def half_open(port: int) -> list[socket.socket]:
    """Connections that say nothing, or half of something."""
    silent = [socket.create_connection(("127.0.0.1", port), 5) for _ in range(SILENT)]
    for one in silent[::2]:
        one.sendall(b"POST /weigh-in/events HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900\r\n")
    return silent


def silent_connections(household: Household) -> None:
    """A line at the bench while many connections say nothing, or half of something."""
    server, (hand,) = Server(), sign_in(household, 1)
    alone = _in_turn(server.port, hand, 3)
    silent = half_open(server.port)
    beside = _in_turn(server.port, hand, 3)
    for one in silent:
        one.close()
    server.kill()
    _told(f"a line beside {SILENT} silent connections", alone, beside, "")


def browsers_beside_the_bench(household: Household) -> None:
    """A line while thirty browsers open heavy pages one after the other,
    and two hundred connections say nothing.
    """
    server, (hand, *_) = Server(), sign_in(household, 1)
    alone = _in_turn(server.port, hand, 5)
    turns = iter(range(10**9))
    browser = Browser(server.port, hand.cookie)
    works = [lambda: browser.ask("GET", HEAVY[next(turns) % len(HEAVY)])[0]] * BROWSERS
    silent = half_open(server.port)
    with Crowd(works) as crowd:
        beside = _in_turn(server.port, hand, 15)
    for one in silent:
        one.close()
    server.kill()
    _told(
        f"a line beside {BROWSERS} browsers on heavy pages",
        alone,
        beside,
        f"; pages {dict(crowd.answers)}, goal ≤ 3",
    )


def strangers_at_sign_in(household: Household) -> None:
    """A line while sixty connections try random names: as it is,
    and with every limit lifted but that of hashing.
    """
    lifted = (
        "from kilter.people import signing_in; signing_in.ADDRESS_LIMIT = "
        "signing_in.SERVER_LIMIT = '9999999/10m'; "
    )
    for what, first in (("", ""), (", no limit on tries", lifted)):
        server, (hand,) = Server(first), sign_in(household, 1)
        alone = _in_turn(server.port, hand, 5)
        token = "a" * 32
        head = {
            "Cookie": f"csrftoken={token}",
            "X-CSRFToken": token,
            "Content-Type": "application/x-www-form-urlencoded",
        }

        def tried(port: int = server.port, head: dict[str, str] = head) -> int:
            link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
            link.request(
                "POST", "/sign-in", f"username={secrets.token_hex(4)}&password=guess+number+1", head
            )
            answer = link.getresponse()
            answer.read()
            return answer.status

        with Crowd([tried] * STRANGERS) as crowd:
            beside = _in_turn(server.port, hand, 12)
        server.kill()
        if 500 in crowd.answers:
            sys.exit("Sign-in failed instead of answering: nothing was measured.")
        said = f"; answered {dict(crowd.answers)}, goal ≤ 2, p95 ≤ 250 ms"
        _told(f"a line beside {STRANGERS} strangers at sign-in{what}", alone, beside, said)


def silent_scale(household: Household) -> None:
    """Polls of a scale that never answers, and lines and sign-in pages beside them."""
    master, end = os.openpty()
    server, (hand,) = (
        Server(KILTER_SCALE=os.ttyname(end), KILTER_SCALE_HOUSEHOLD=household.name),
        sign_in(household, 1),
    )
    alone, browser = _in_turn(server.port, hand, 3), Browser(server.port, hand.cookie)
    key = re.search(r'data-live="[^"]*key=([^"]+)"', browser.ask("GET", "/weigh-in/scale")[2])
    assert key is not None

    def poll() -> tuple[bool, int]:
        """Whether it said so, and how many milliseconds it took."""
        start = time.perf_counter()
        said = browser.ask("GET", f"/weigh-in/scale/live?key={key[1]}")[2]
        took = time.perf_counter() - start
        time.sleep(0.3)
        return "No answer" in said, round(took * 1e3)

    with Crowd([poll] * 4) as crowd:
        beside = _in_turn(server.port, hand, 6)
        start = time.perf_counter()
        assert browser.ask("GET", "/healthz")[0] == 200
        took = time.perf_counter() - start
    server.kill()
    os.close(master)
    os.close(end)
    polls = sorted((ms, is_told) for is_told, ms in crowd.answers.elements())  # type: ignore[misc]
    told = f"{sum(is_told for _, is_told in polls)} of {len(polls)} said so"
    late = polls[int(len(polls) * 0.95)][0]
    said = f"; polls p95 {late} ms (goal ≤ 50 and a request), {told}, /healthz {took * 1e3:.0f} ms"
    _told("a line beside a scale that never answers", alone, beside, said)


def many_households(first: Client, make: Callable[[str, int], Client]) -> None:
    """Pages of one household with others in the same file, against the same pages before."""

    def clock() -> dict[str, float]:
        found = {}
        for name, address in PAGES.items():
            first.get(address)
            times = []
            for _ in range(9):
                start = time.perf_counter()
                assert first.get(address).status_code == 200
                times.append(time.perf_counter() - start)
            found[name] = statistics.median(times)
        return found

    alone, made = clock(), 1
    for wanted in (60, 300):
        while made < wanted:
            make(f"neighbour {made}", 1)
            made += 1
        among = clock()
        said = ", ".join(f"{name} {among[name] / alone[name]:.2f}" for name in PAGES)
        print(f"pages with {wanted} households in one file / with one (goal ≤ 1.3): {said}")
