"""A form pressed twice makes one thing, also while the first press is still at work."""

from __future__ import annotations

import re
import threading
import time

import pytest
from django.db import connection
from django.test import Client
from django.urls import reverse

from kilter.ground.models import Site
from kilter.people import pages
from tests.conftest import html_of

SAID = {"name": "Slope", "length_m": "3", "width_m": "2"}


def token_of(client):
    return re.search(
        r'name="csrfmiddlewaretoken" value="(\w+)"', html_of(client.get(reverse("ground:new_site")))
    )[1]


@pytest.fixture
def strict(garden):
    client = Client(enforce_csrf_checks=True)
    client.force_login(garden.owner)
    return client


def test_the_same_page_sent_twice_makes_one_thing_and_another_page_another(strict, garden):
    address = reverse("ground:new_site")
    said = {**SAID, "csrfmiddlewaretoken": token_of(strict)}
    first, second = strict.post(address, said), strict.post(address, said)
    assert first.status_code == second.status_code == 302
    assert first["Location"] == second["Location"]
    assert Site.objects.filter(name="Slope").count() == 1
    assert "Undo" in html_of(strict.get(second["Location"]))
    strict.post(address, {**said, "name": "Terrace"})
    strict.post(address, {**SAID, "csrfmiddlewaretoken": token_of(strict)})
    assert Site.objects.filter(name__in=["Slope", "Terrace"]).count() == 3


def test_what_was_refused_may_be_sent_again(strict, garden):
    address, token = reverse("ground:new_site"), token_of(strict)
    bad = {**SAID, "length_m": "much", "csrfmiddlewaretoken": token}
    assert [strict.post(address, bad).status_code for _ in "ab"] == [422, 422]


@pytest.mark.django_db(transaction=True)
def test_a_second_press_waits_for_a_slow_first_one(strict, garden, monkeypatch):
    address, token = reverse("ground:new_site"), token_of(strict)
    began, answers = threading.Event(), []
    flash = pages.flash_change

    def slowly(*args):
        began.set()
        time.sleep(0.3)
        return flash(*args)

    monkeypatch.setattr(pages, "flash_change", slowly)

    def press():
        other = Client(enforce_csrf_checks=True)
        other.cookies = strict.cookies
        answers.append(other.post(address, {**SAID, "csrfmiddlewaretoken": token}))
        connection.close()

    presses = [threading.Thread(target=press) for _ in "ab"]
    presses[0].start()
    began.wait(5)
    presses[1].start()
    for one in presses:
        one.join()
    assert [answer.status_code for answer in answers] == [302, 302]
    assert Site.objects.filter(name="Slope").count() == 1
