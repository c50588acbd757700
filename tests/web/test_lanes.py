"""The bench goes before other pages, who does not get in waits outside,
and no page takes more than it says.
"""

from __future__ import annotations

import inspect
import threading
import time

import pytest
from django.conf import settings as django_settings
from django.core.cache import cache
from django.db import connection, transaction
from django.test import Client
from django.urls import get_resolver, reverse
from waitress.adjustments import Adjustments

from kilter.people import signing_in
from kilter.people.signing_in import KNOWN_COOKIE, TooBusyError, patiently
from kilter.site import lanes
from kilter.site.lanes import (
    DOORS,
    FIRST,
    MOST_AT_THE_DOOR,
    PLAIN_BYTES,
    STRANGERS_BYTES,
    BusyError,
    Lanes,
    LimitedParser,
    Turns,
    most_bytes,
)
from tests.conftest import PASSWORD, html_of, member
from tests.web.routes import _patterns

MB = 1024 * 1024


class Channel:
    """A connection with one request ready; it says when it was answered."""

    def __init__(self, path, log):
        self.requests, self.log = [self], log
        self.path, self.error = path, None

    def service(self):
        self.served_by = threading.current_thread()
        self.log.append((self.path, type(self.error).__name__))

    def cancel(self):
        self.log.append((self.path, "cancelled"))


def until(wanted):
    end = time.monotonic() + 5
    while not wanted():
        assert time.monotonic() < end
        time.sleep(0.01)


# -- how much a page takes


@pytest.mark.parametrize(
    ("path", "most"),
    [
        ("/sign-in", STRANGERS_BYTES),
        ("/no/such/page", STRANGERS_BYTES),
        ("/weigh-in/events", PLAIN_BYTES),
        ("/weigh-in/late/send", STRANGERS_BYTES),
        ("/set-out/new", PLAIN_BYTES),
        ("/data/", 50 * MB + 64 * 1024),
        ("/weigh-in/lines/3/photo", 15 * MB + 64 * 1024),
        ("/" + "x" * 100_000, STRANGERS_BYTES),
    ],
)
def test_each_address_takes_what_its_page_says(path, most):
    assert most_bytes(path) == most


def test_whoever_reads_files_says_how_large_they_may_be():
    """Found in the source of each view,
    so that a new page with a file is not refused by the server.
    """
    found = 0
    for name, pattern in _patterns(get_resolver().url_patterns):
        if "request.FILES" in inspect.getsource(inspect.unwrap(pattern.callback)):
            assert pattern.callback.declared.takes_bytes, name
            found += 1
    assert found >= 4


def parsed(head: str, body: bytes = b"") -> LimitedParser:
    parser = LimitedParser(Adjustments())
    left = f"{head}\r\n\r\n".encode()
    parser.received(left)
    taken = 0
    while body[taken:] and not parser.completed:
        taken += parser.received(body[taken : taken + 8192])
    parser.taken = taken
    return parser


IN = "Cookie: sessionid=abc\r\n"


@pytest.mark.parametrize(
    ("path", "cookie", "length", "is_taken"),
    [
        ("/sign-in", "", 1000, True),
        ("/sign-in", "", STRANGERS_BYTES + 1, False),
        ("/sign-in", IN, 150 * MB, False),
        ("/weigh-in/events", IN, PLAIN_BYTES, True),
        ("/weigh-in/events", IN, PLAIN_BYTES + 1, False),
        ("/data/", IN, 40 * MB, True),
        ("/data/", "", 40 * MB, False),
        ("/data/", IN, 60 * MB, False),
    ],
)
def test_a_body_is_refused_by_the_length_it_declares(path, cookie, length, is_taken):
    parser = parsed(
        f"POST {path} HTTP/1.1\r\nHost: x\r\n{cookie}Content-Length: {length}\r\nExpect: "
        "100-continue"
    )
    assert (parser.error is None) == is_taken
    assert parser.completed != is_taken
    assert parser.expect_continue == is_taken, "who asks first is not told to go on"
    if not is_taken:
        status, head, page = parser.error.to_response()
        assert status.startswith("413")
        assert ("Connection", "close") in head
        assert b"takes at most" in page


def test_a_body_of_no_declared_length_is_refused_at_the_first_byte_too_many():
    chunk = b"2000\r\n" + b"x" * 0x2000 + b"\r\n"
    parser = parsed("POST /sign-in HTTP/1.1\r\nHost: x\r\nTransfer-Encoding: chunked", chunk * 100)
    assert parser.error.to_response()[0].startswith("413")
    assert parser.taken <= STRANGERS_BYTES + 2 * 8192


def test_another_server_is_held_to_the_same_limits(client, garden):
    large = {"events": "x" * (PLAIN_BYTES + 1)}
    refused = client.post(reverse("weigh_in:events"), large)
    assert refused.status_code == 413
    assert "takes at most 512 KB" in html_of(refused)
    assert client.post(reverse("weigh_in:events"), {"events": "x" * 1000}).status_code == 400


# -- who goes first


def test_names_of_pages_in_lanes_are_addresses():
    named = {name for name in FIRST | DOORS if ":" in name}
    assert all(reverse(name) for name in named - {"weigh_in:finish"})
    assert get_resolver().reverse_dict.getlist("health")


def test_lines_doors_and_pages_have_threads_of_their_own():
    log: list[tuple[str, str]] = []
    made = Lanes()
    channels = {
        path: Channel(path, log)
        for path in ("/weigh-in/events", "/weigh-in/scale/live", "/sign-in", "/", "/x")
    }
    for one in channels.values():
        made.add_task(one)
    until(lambda: len(log) == len(channels))
    threads = [channels[path].served_by for path in ("/weigh-in/events", "/sign-in", "/")]
    assert len(set(threads)) == 3
    made.shutdown(timeout=1)


def test_who_comes_to_a_full_door_is_told_after_a_while_and_the_others_come_in(monkeypatch):
    monkeypatch.setattr(lanes, "ANSWERED_AFTER_S", 0.2)
    log: list[tuple[str, str]] = []
    held = threading.Event()
    made = Lanes()
    first = Channel("/sign-in", log)
    first.service = lambda: held.wait(5)
    made.add_task(first)
    until(lambda: not made.door.queue)
    began = time.monotonic()
    for _ in range(MOST_AT_THE_DOOR + 2):
        made.add_task(Channel("/sign-in", log))
    until(lambda: len(log) == 2)
    assert log == [("/sign-in", "BusyError")] * 2
    assert time.monotonic() - began >= 0.2
    held.set()
    until(lambda: len(log) == MOST_AT_THE_DOOR + 2)
    assert log[2:] == [("/sign-in", "NoneType")] * MOST_AT_THE_DOOR
    status, head, page = BusyError("").to_response()
    assert status.startswith("503")
    assert ("Retry-After", "5") in head
    assert b"Many are signing in" in page
    made.shutdown(timeout=1)


class Clock:
    now = 100.0

    def __call__(self):
        return self.now


def test_pages_wait_for_each_other_only_while_the_bench_is_in_use(db):
    clock = Clock()
    turns = Turns(clock)
    with turns.page():
        assert not turns.must_wait(), "nobody is at the bench"
        turns.bench_asks()
        turns.bench_answered()
        assert turns.must_wait()
        clock.now += lanes.LONG_S
        assert not turns.must_wait(), "one that takes long lets the next begin"
    turns.bench_asks()
    turns.bench_answered()
    with turns.page():
        assert turns.must_wait()
        clock.now += lanes.IN_USE_S
        assert not turns.must_wait()


def test_a_page_stands_still_before_its_queries_while_a_line_is_answered_but_not_where_it_writes(
    db,
):
    turns = Turns()

    def asked() -> float:
        began = time.monotonic()
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
        return time.monotonic() - began

    connection.in_atomic_block = False  # a test is one transaction; a page is none
    try:
        with turns.page():
            assert asked() < 0.05
            turns.bench_asks()
            assert asked() >= 0.09
            assert sum(asked() for _ in range(20)) < lanes.STANDS_STILL_S, (
                "all its queries together stand still so long"
            )
            turns.bench_answered()
            assert asked() < 0.05
    finally:
        connection.in_atomic_block = True
    with turns.page(), transaction.atomic():
        turns.bench_asks()
        assert asked() < 0.05, "who is about to write holds what the bench waits for"


# -- strangers at the door


@pytest.fixture
def counted(settings):
    settings.RATELIMIT_ENABLE = settings.AXES_ENABLED = True
    cache.clear()


def tried(client, name, password="wrong"):
    return client.post(
        reverse("people:sign_in"), {"username": name, "password": password}
    ).status_code


def test_a_name_is_counted_as_one_however_it_is_written(garden, counted):
    member(garden.household, "carol")
    ways = (
        "carol",
        "cArol",
        "CAROL",
        "ｃａｒｏｌ",
    )  # the last in wide letters, which the sign-in reads as the same
    answers = [tried(Client(), ways[i % 4]) for i in range(django_settings.AXES_FAILURE_LIMIT)]
    assert answers[:-1] == [200] * (len(answers) - 1)
    assert answers[-1] == 429
    assert tried(Client(), "carol", PASSWORD) == 429


def test_wrong_passwords_over_all_names_are_counted_by_address(garden, counted, monkeypatch):
    monkeypatch.setattr(signing_in, "ADDRESS_LIMIT", "4/10m")
    answers = [tried(Client(), f"name{i}") for i in range(6)]
    assert answers == [200] * 4 + [429] * 2
    assert tried(Client(REMOTE_ADDR="192.0.2.9"), "another") == 200


def test_the_servers_limit_keeps_strangers_out_and_not_who_signed_in_here_before(
    garden, counted, monkeypatch
):
    member(garden.household, "ada")
    hers = Client(REMOTE_ADDR="192.0.2.200")
    assert tried(hers, "ada", PASSWORD) == 302
    hers.post(reverse("people:sign_out"))
    monkeypatch.setattr(signing_in, "SERVER_LIMIT", "4/10m")
    assert [tried(Client(REMOTE_ADDR=f"192.0.2.{i}"), f"name{i}") for i in range(6)] == [
        200
    ] * 4 + [429] * 2
    assert tried(Client(REMOTE_ADDR="192.0.2.99"), "ada", PASSWORD) == 429
    assert tried(hers, "ada", PASSWORD) == 302
    forged = Client(REMOTE_ADDR="192.0.2.99")
    forged.cookies[KNOWN_COOKIE] = "1:made:up"
    assert tried(forged, "ada", PASSWORD) == 429


@pytest.fixture
def hashing():
    """One hash under way, until it is let go."""
    go = threading.Event()
    under_way = signing_in._hashing.submit(go.wait, 60)
    yield
    go.set()
    assert under_way.result(60)
    assert patiently(lambda: 7) == 7


def test_who_would_wait_long_for_a_hash_is_asked_to_come_again(hashing, monkeypatch):
    monkeypatch.setattr(signing_in, "HASH_WAITS_S", 0.1)
    with pytest.raises(TooBusyError):
        patiently(lambda: None)


def test_few_wait_for_a_hash(hashing):
    for _ in range(signing_in.HASHES_HELD):
        assert signing_in._held.acquire(blocking=False)
    began = time.monotonic()
    with pytest.raises(TooBusyError):
        patiently(lambda: None)
    assert time.monotonic() - began < 2
    for _ in range(signing_in.HASHES_HELD):
        signing_in._held.release()


def test_too_many_hashes_are_answered_with_a_page_of_our_own(garden, monkeypatch):
    def busy(*_, **__):
        raise TooBusyError

    monkeypatch.setattr("kilter.people.views.must_wait", busy)
    answer = Client().post(reverse("people:sign_in"), {"username": "a", "password": "b"})
    assert (answer.status_code, answer["Retry-After"]) == (503, "5")
    assert "Many are signing in" in html_of(answer)
