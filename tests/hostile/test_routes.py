"""Every address, by everybody, in every method: never a failure of ours, never somebody else's garden."""

from __future__ import annotations

import pytest
from django.db import transaction
from django.test import Client

from kilter.people.models import Role
from tests.conftest import html_of, make_garden, member, signed_in
from tests.web.routes import ROUTES, complete

WRITES = ("post", "put", "patch", "delete")
#: Who tries methods that no page takes; the others get and post.
TRY_ALL = {"nobody", "stranger", Role.OWNER}
ACTORS = ("nobody", "stranger", *Role.values)


@pytest.fixture
def actor(request, garden):
    if request.param == "nobody":
        client = Client()
    elif request.param == "stranger":
        client = signed_in(make_garden("Theirs").owner)
    else:
        client = signed_in(member(garden.household, "somebody", request.param))
    client.raise_request_exception = False
    return client


def asked(client, method, address):
    """One request; whatever it wrote is taken back, so that the next one meets the same garden."""
    with transaction.atomic():
        response = getattr(client, method)(address)
        transaction.set_rollback(True)
    return response


@pytest.mark.parametrize("actor", ACTORS, indirect=True)
def test_no_route_fails_or_tells_of_another_garden(actor, garden, request):
    complete(garden)
    who = request.node.callspec.params["actor"]
    is_outside, tries_all = who in {"nobody", "stranger"}, who in TRY_ALL
    session = dict(actor.cookies)
    for route in ROUTES:
        address = route.of(garden)
        read = asked(actor, "get", address)
        assert read.status_code < 500, (route.label, "get")
        if is_outside and route.declared and read["Content-Type"].startswith("text/html"):
            assert "Ours" not in html_of(read), route.label
        if is_outside and route.has_record:
            assert read.status_code in {302, 404, 405}, route.label
        if tries_all:
            head = asked(actor, "head", address)
            assert (head.status_code, head.content) == (read.status_code, b""), f"{route.label}: HEAD answers as GET"
            options = asked(actor, "options", address)
            assert options.status_code < 500, (route.label, "options")
        for method in WRITES if tries_all else WRITES[:1]:
            answer = asked(actor, method, address)
            assert answer.status_code < 500, (route.label, method)
            if method != "post":
                assert answer.status_code in {302, 403, 404, 405, 413}, (route.label, method)
            elif is_outside and route.has_record and route.name not in {"people:join_by_link"}:
                assert answer.status_code in {302, 404, 405}, route.label
        actor.cookies.update(session)
