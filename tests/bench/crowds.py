"""What a crowd does to the others: a large load beside the bench, silent connections, many households in one file."""

from __future__ import annotations

import http.client
import io
import re
import socket
import statistics
import threading
import time
import zipfile
from collections.abc import Callable
from datetime import date, timedelta

from django.test import Client

from kilter.people.models import Household
from tests.bench.writers import Actor, Server, sign_in

LOADED, SILENT = 30_000, 200
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
        "places": ["id,site,kind,name,number", *(f"p{i},s1,crate,Stack,{i}" for i in range(1, 201))],
        "plantings": [
            "id,place,crop,variety,season,planted_on,units,unit_kind",
            *(f"q{i},p{i % 200 + 1},shallot,Loaded {i % 9},{2000 + i % 26},,9,set" for i in range(plantings)),
        ],
        "weigh_ins": [
            "id,planting,weighed_on,grade,mass,count",
            *(f"w{i},q{i % plantings},{days[i % 90]},table,{300 + i % 400} g,5" for i in range(lines)),
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
        self.head = {"Cookie": f"sessionid={cookie}; csrftoken={self.token}", "X-CSRFToken": self.token}

    def ask(self, method: str, path: str, body: bytes | None = None, **head: str) -> tuple[int, str, str]:
        link = http.client.HTTPConnection("127.0.0.1", self.port, timeout=120)
        named = {name.replace("_", "-"): value for name, value in head.items()}
        link.request(method, path, body, {**self.head, **named})
        answer = link.getresponse()
        return answer.status, answer.headers.get("Location", ""), answer.read().decode(errors="replace")

    def load(self, raw: bytes) -> str:
        """Send a package, and wait until it is in; gives the last of what the page says."""
        edge = "edge"
        body = (
            (
                f'--{edge}\r\nContent-Disposition: form-data; name="package"; filename="big.zip"\r\n'
                f"Content-Type: application/zip\r\n\r\n"
            ).encode()
            + raw
            + f"\r\n--{edge}--\r\n".encode()
        )
        status, where, _ = self.ask("POST", "/data/", body, Content_Type=f"multipart/form-data; boundary={edge}")
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
    """How long a line takes at the bench while a large package comes in, against how long without."""
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
        f"a load of {LOADED} lines ({took:.1f} s) beside {len(beside)} lines of the bench, {hand.refused} refused: "
        f"p95 {p95:.3f} s (goal ≤ 1.2), longest {beside[-1]:.3f} s, median / median without "
        f"{middle / statistics.median(alone):.2f} (goal ≤ 2)"
    )
    print(f"  what its page said at the end: {found[0][:160]}")


def silent_connections(household: Household) -> None:
    """A line at the bench while many connections say nothing, or half of something."""
    server, (hand,) = Server(), sign_in(household, 1)
    until = time.monotonic() + 3
    alone = _lines_while(server.port, hand, lambda: time.monotonic() < until)
    silent = [socket.create_connection(("127.0.0.1", server.port), 5) for _ in range(SILENT)]
    for one in silent[::2]:
        one.sendall(b"POST /weigh-in/events HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900\r\n")
    until = time.monotonic() + 3
    beside = _lines_while(server.port, hand, lambda: time.monotonic() < until)
    for one in silent:
        one.close()
    server.kill()
    ratio = statistics.median(beside) / statistics.median(alone)
    print(f"{SILENT} silent connections: {len(beside)} lines stored meanwhile, median / median without {ratio:.2f}")


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
