"""A server that is used for long: does its memory grow,
do threads pile up? ``make soak``, 20 minutes.
"""

from __future__ import annotations

import statistics
import sys
import time
from pathlib import Path

from kilter.people.models import Household
from tests.bench.crowds import HEAVY, Browser, Crowd
from tests.bench.writers import Server, lost, sign_in

EVERY_S = 10.0
#: Browsers on pages, hands at the bench, polls of the live scale.
PAGES, POLLS = 3, 2


def state_of(pid: int) -> tuple[float, int, int]:
    """Megabytes in memory, threads and open files of a process."""
    said = dict(
        line.split(":", 1)
        for line in Path(f"/proc/{pid}/status").read_text().splitlines()
        if ":" in line
    )
    files = len(list(Path(f"/proc/{pid}/fd").iterdir()))
    return int(said["VmRSS"].split()[0]) / 1024, int(said["Threads"]), files


def soak(household: Household, minutes: float = 20.0) -> None:
    """Use a server, look at it every ten seconds, and hold the last third against the second."""
    server, hands = Server(), sign_in(household, 2)
    browser, turns = Browser(server.port, hands[0].cookie), iter(range(10**9))
    pages = ("/weigh-in/", "/weigh-in/lines", "/look-back/", "/set-out/", *HEAVY)

    def page() -> int:
        time.sleep(0.3)
        return browser.ask("GET", pages[next(turns) % len(pages)])[0]

    def poll() -> int:
        time.sleep(0.3)
        return browser.ask("GET", "/weigh-in/scale/live?key=made-up")[0]

    seen: list[tuple[float, int, int]] = []
    until = time.monotonic() + minutes * 60
    with Crowd([page] * PAGES + [poll] * POLLS) as crowd:
        while time.monotonic() < until:
            pause = time.monotonic() + EVERY_S
            hands[1].write(
                server.port, lambda until=pause: not time.sleep(0.2) and time.monotonic() < until
            )
            seen.append(state_of(server.process.pid))
    server.kill()
    third = len(seen) // 3
    middle, last = (
        [statistics.median(one) for one in zip(*seen[a:b], strict=True)]
        for a, b in ((third, -third), (-third, None))
    )
    said = [
        f"{name} {was:.0f} then {now:.0f}"
        for name, was, now in zip(("MB", "threads", "files"), middle, last, strict=True)
    ]
    print(
        f"a soak of {minutes:g} min: {', '.join(said)} (goal: memory ≤ 1.1 times, threads and "
        f"files level); {len(hands[1].acknowledged)} lines, {lost(hands)} lost; pages "
        f"{dict(crowd.answers)}"
    )
    if last[0] > 1.1 * middle[0] or last[1] > middle[1] + 2 or last[2] > middle[2] + 5:
        sys.exit("It grows.")
