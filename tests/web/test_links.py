"""Every link of every page of the demo leads somewhere, for everybody who is shown it."""

from __future__ import annotations

from urllib.parse import parse_qsl, urljoin, urlsplit

import lxml.html
import pytest
from django.urls import resolve

from kilter.people.models import Role
from kilter.site.demo import ensure_demo
from tests.conftest import html_of, member, signed_in

#: At least so many kinds of address are reached from the front page by an owner.
REACHED = 60


def kind_of(address, role):
    """What makes two addresses alike: their route,
    and for owners and at the bench which questions they hold.
    """
    parts = urlsplit(address)
    asked = {name for name, _ in parse_qsl(parts.query)} if role in {Role.OWNER, Role.BENCH} else ()
    return resolve(parts.path).view_name, tuple(sorted(asked))


def links_of(page, base):
    for link in lxml.html.fromstring(page).iter("a"):
        address = urljoin(base, link.get("href") or "#")
        if address.startswith("/") and not address.startswith("/static/"):
            yield address.partition("#")[0]


#: What a helper and an onlooker are led to, owners are too: theirs are followed in the sweep.
FOLLOWED = [
    pytest.param(role, marks=pytest.mark.sweep if role in {Role.HELPER, Role.ONLOOKER} else ())
    for role in Role.values
]


@pytest.mark.parametrize("role", FOLLOWED)
def test_every_link_of_the_demo_leads_somewhere(transactional_db, role):
    client = signed_in(member(ensure_demo(), f"reader-{role}", role))
    waiting, seen = ["/" if role != Role.BENCH else "/weigh-in/"], set()
    while waiting:
        address = waiting.pop()
        if (kind := kind_of(address, role)) in seen:
            continue
        seen.add(kind)
        response = client.get(address, follow=True)
        assert response.status_code == 200, (address, response.redirect_chain)
        if response["Content-Type"].startswith("text/html"):
            waiting += links_of(html_of(response), response.request["PATH_INFO"])
    assert len(seen) > (REACHED if role == Role.OWNER else 9)
