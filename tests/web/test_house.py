"""The house itself: the write queue, durable settings, serving, the demo's door, the clock."""

from __future__ import annotations

import socket
import threading
import time

import pytest
from django.core.exceptions import ImproperlyConfigured
from django.db import connection
from django.test import Client, override_settings

from kilter.people import clock
from kilter.people.models import Household, User
from kilter.people.writing import QueueLock
from kilter.site.apps import assert_durable
from kilter.site.demo import DemoSignInMiddleware, ensure_demo
from kilter.site.serving import free_port, require_secret
from tests.conftest import html_of


def test_writers_are_served_in_the_order_they_came():
    lock, served, threads = QueueLock(), [], []
    lock.acquire()

    def write(n):
        lock.acquire()
        served.append(n)
        lock.release()

    for n in range(8):
        threads.append(threading.Thread(target=write, args=(n,)))
        threads[-1].start()
        end = time.monotonic() + 5
        while len(lock._waiting) <= n and time.monotonic() < end:
            pass
    lock.release()
    for thread in threads:
        thread.join(5)
    assert served == list(range(8))


def test_a_thread_may_take_the_lock_again():
    lock = QueueLock()
    lock.acquire()
    lock.acquire()
    lock.release()
    lock.release()
    lock.acquire()
    lock.release()


def test_a_connection_that_could_lose_a_line_is_refused(db):
    assert_durable(connection)
    with connection.cursor() as cursor:
        assert cursor.execute("PRAGMA journal_mode").fetchone()[0] == "wal"

    class Loose:
        def cursor(self):
            return self

        def __enter__(self):
            return self

        def __exit__(self, *_):
            return None

        def execute(self, _):
            return self

        def fetchone(self):
            return (1,)

    with pytest.raises(ImproperlyConfigured, match="synchronous=FULL"):
        assert_durable(Loose())


def test_it_does_not_serve_without_a_secret(monkeypatch):
    monkeypatch.setenv("KILTER_SECRET_KEY", "short")
    with pytest.raises(SystemExit, match="KILTER_SECRET_KEY"):
        require_secret()
    monkeypatch.setenv("KILTER_SECRET_KEY", "a long one: 0123456789 and some letters")
    require_secret()


def test_another_port_if_one_is_taken():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert free_port("127.0.0.1", port) > port


DEMO_MIDDLEWARE = "kilter.site.demo.DemoSignInMiddleware"


def demo_settings():
    from django.conf import settings

    return override_settings(IS_DEMO=True, MIDDLEWARE=[*settings.MIDDLEWARE, DEMO_MIDDLEWARE])


def test_the_demo_opens_signed_in_and_stays_out_after_signing_out(db):
    household = ensure_demo()
    assert ensure_demo() == household
    with demo_settings():
        client = Client()
        assert "Weigh in" in html_of(client.get("/"))
        client.post("/sign-out")
        assert client.get("/").status_code == 302
        assert "Open the demo garden" in html_of(client.get("/sign-in"))
        assert client.get("/?open-demo=1").status_code == 200
        assert client.get("/").status_code == 200
        away = Client(REMOTE_ADDR="192.0.2.7")
        assert away.get("/").status_code == 302


def test_the_demos_door_opens_into_no_real_household(garden):
    with demo_settings():
        assert Client().get("/").status_code == 302
    with pytest.raises(ImproperlyConfigured, match="demo's settings alone"):
        DemoSignInMiddleware(lambda request: None)


def test_the_demo_user_has_no_password(db):
    ensure_demo()
    assert not User.objects.get(username="gardener").has_usable_password()


@pytest.mark.parametrize(("fixed", "year"), [("2026-11-23", 2026), ("", time.gmtime().tm_year)])
def test_there_is_one_clock_and_it_can_be_fixed(fixed, year):
    with override_settings(KILTER_TODAY=fixed):
        assert clock.today(Household(time_zone="UTC")).year in {year, year + 1}
        assert clock.now(Household(time_zone="Asia/Tokyo")).utcoffset().total_seconds() == 9 * 3600
