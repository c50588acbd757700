"""Many clients at once, and a server that is killed while they write:
what was acknowledged must be there.
"""

from __future__ import annotations

import http.client
import json
import os
import random
import secrets
import signal
import socket
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

from django.contrib.auth import get_user_model
from django.db import connections
from django.test import Client, override_settings

from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn, new_client_id

CLIENTS, LINES, KILLS = (
    8,
    8 * int(os.environ.get("LINES", "2000")),
    int(os.environ.get("KILLS", "100")),
)
SECRET = secrets.token_urlsafe(50)


@cache
def _collect_static(secret: str) -> None:
    """Pages of a fresh checkout name their styles and scripts too."""
    own = {"DJANGO_SETTINGS_MODULE": "kilter.site.settings", "KILTER_SECRET_KEY": secret}
    words = [sys.executable, "manage.py", "collectstatic", "--noinput", "-v0"]
    subprocess.run(
        words, cwd=Path(__file__).resolve().parents[2], env={**os.environ, **own}, check=True
    )


class Server:
    """The real server in a process of its own, on the bench's database."""

    def __init__(self, first: str = "", **more: str) -> None:
        """Begin; ``first`` is done before it serves, ``more`` is its environment."""
        _collect_static(SECRET)
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        own = {
            "DJANGO_SETTINGS_MODULE": "kilter.site.settings",
            "KILTER_SECRET_KEY": SECRET,
            "PORT": str(self.port),
        }
        code = (
            f"import django; django.setup(); {first}from kilter.site.serving import serve; "
            "serve(lambda _: None)"
        )
        self.process = subprocess.Popen(
            [sys.executable, "-c", code], env={**os.environ, **own, **more}
        )
        until = time.monotonic() + 30
        while time.monotonic() < until:
            try:
                socket.create_connection(("127.0.0.1", self.port), 0.2).close()
                return
            except OSError:
                time.sleep(0.02)
        raise SystemExit("The server of the bench did not start.")

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


@dataclass
class Actor:
    """One client with its cookie, its lines and what was acknowledged."""

    cookie: str
    planting: int
    acknowledged: set[str] = field(default_factory=set)
    refused: int = 0
    seconds: list[float] = field(default_factory=list)

    def write(self, port: int, go_on: Callable[[], bool]) -> None:
        link = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        token = "a" * 32  # a cookie and a header that agree: what the page's own token does
        head = {
            "Cookie": f"sessionid={self.cookie}; csrftoken={token}",
            "X-CSRFToken": token,
            "Content-Type": "application/json",
        }
        while go_on():
            one = {
                "client_id": new_client_id(),
                "planting": self.planting,
                "grade": "table",
                "typed": "940 12",
            }
            start = time.perf_counter()
            try:
                link.request("POST", "/weigh-in/events", json.dumps({"events": [one]}), head)
                answer = link.getresponse()
                body = answer.read()
            except (OSError, http.client.HTTPException):
                return  # the server was killed; the line was not acknowledged
            self.seconds.append(time.perf_counter() - start)
            if answer.status == 200 and json.loads(body)["stored"] == [one["client_id"]]:
                self.acknowledged.add(one["client_id"])
            else:
                self.refused += 1


def sign_in(household: object, hands: int) -> list[Actor]:
    """Sessions that the server of the bench accepts; its secret is another than ours."""
    plantings = list(
        Planting.objects.filter(household=household)[:hands].values_list("pk", flat=True)
    )
    user = get_user_model().objects.get(membership__household=household)
    found = []
    with override_settings(SECRET_KEY=SECRET):
        for i in range(hands):
            client = Client()
            client.force_login(user)
            found.append(Actor(client.cookies["sessionid"].value, plantings[i % len(plantings)]))
    return found


def lost(hands: list[Actor]) -> int:
    """Acknowledged lines that are not in the database, or there more than once."""
    connections.close_all()
    wanted = set().union(*(hand.acknowledged for hand in hands))
    kept = list(WeighIn.objects.filter(client_id__in=wanted).values_list("client_id", flat=True))
    return len(wanted) - len(set(kept)) + len(kept) - len(set(kept))


def eight_at_once(household: object) -> None:
    server, hands = Server(), sign_in(household, CLIENTS)
    left, guard = iter(range(LINES)), threading.Lock()

    def go_on() -> bool:
        with guard:
            return next(left, None) is not None

    threads = [threading.Thread(target=hand.write, args=(server.port, go_on)) for hand in hands]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    server.kill()
    seconds = sorted(s for hand in hands for s in hand.seconds)
    middle, late = statistics.median(seconds), seconds[int(len(seconds) * 0.95)]
    stored, refused = (
        sum(len(hand.acknowledged) for hand in hands),
        sum(hand.refused for hand in hands),
    )
    print(
        f"{CLIENTS} clients, {LINES} lines at once: {stored} acknowledged, {refused} refused, "
        f"{lost(hands)} lost; p95 / p50 {late / middle:.2f} ({late * 1e3:.1f} ms against "
        f"{middle * 1e3:.1f} ms)"
    )


def killed_while_writing(household: object) -> None:
    hands = sign_in(household, 4)
    chance, acknowledged, missing = random.Random(4), 0, 0
    for _ in range(KILLS):
        server = Server()
        for hand in hands:
            hand.acknowledged.clear()
        threads = [
            threading.Thread(target=hand.write, args=(server.port, lambda: True)) for hand in hands
        ]
        for thread in threads:
            thread.start()
        while not any(hand.acknowledged for hand in hands) and server.process.poll() is None:
            time.sleep(0.01)  # the first answer of a fresh server takes long
        time.sleep(chance.uniform(0.0, 0.5))
        server.kill()
        for thread in threads:
            thread.join()
        acknowledged += sum(len(hand.acknowledged) for hand in hands)
        missing += lost(hands)
    print(
        f"killed {KILLS} times while writing: {acknowledged} lines acknowledged, {missing} of them "
        "lost"
    )
