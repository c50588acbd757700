"""Every address, by everybody, in every method: what the view declares of them,
and never a failure of ours.
"""

from __future__ import annotations

import pytest
from django.db import transaction
from django.test import Client

from kilter.people.models import Role
from tests.conftest import html_of, make_garden, member, signed_in
from tests.web.routes import ROUTES, complete, may

#: Who tries methods that no page takes; the others get and post. (A stranger tries them in
#: tests/web/test_isolation.)
TRY_ALL = {"nobody", Role.OWNER}
#: A helper may do less than an owner, and an onlooker nothing: both are tried in the sweep.
ACTORS = (
    "nobody",
    "stranger",
    *(
        pytest.param(role, marks=pytest.mark.sweep if role in {Role.HELPER, Role.ONLOOKER} else ())
        for role in Role.values
    ),
)


@pytest.fixture
def actor(request, garden, transactional_db):
    if request.param == "nobody":
        client = Client()
    elif request.param == "stranger":
        client = signed_in(make_garden("Theirs").owner)
    else:
        client = signed_in(member(garden.household, "somebody", request.param))
    client.raise_request_exception = False
    return client


def taken_back(client, method, address):
    """One request; whatever it wrote is taken back, so that the next one meets the same garden."""
    session = dict(client.cookies)
    with transaction.atomic():
        response = getattr(client, method)(address)
        transaction.set_rollback(True)
    client.cookies.update(session)
    return response


#: Whom a view's own declaration does not tell of: undoing is for what they wrote; whoever is there
#: at all may go.
TOLD_ELSEWHERE = {"people:undo", "people:leave", "people:sign_out_everywhere"}


def refused_wrongly(route, role, read, wrote):
    """Each answer to a member that the view's declaration does not promise, with its status."""
    for answer, who in ((read, route.declared.reads), (wrote, route.declared.writes)):
        is_right = (
            answer.status_code == 405
            if who is None
            else (answer.status_code != 403) == may(role, who)
        )
        if not is_right:
            yield route.label, answer.request["REQUEST_METHOD"], answer.status_code
    if (
        role != Role.OWNER
        and not may(role, route.declared.writes)
        and b">Save</button>" in content(read)
    ):
        yield route.label, "GET", "shows a button that would refuse"


def content(response):
    return b"" if response.streaming else response.content


@pytest.mark.parametrize("actor", ACTORS, indirect=True)
def test_every_route_keeps_what_it_declares_and_tells_of_no_other_garden(actor, garden, request):
    complete(garden)
    who, wrong = request.node.callspec.params["actor"], []
    is_outside, tries_all = who in {"nobody", "stranger"}, who in TRY_ALL
    told = [(route, route.of(garden)) for route in ROUTES]
    reads = []
    for route, address in told:
        read = actor.get(address) if route.declared else taken_back(actor, "get", address)
        reads.append(read)
        assert read.status_code < 500, route.label
        if is_outside and route.declared and read["Content-Type"].startswith("text/html"):
            assert "Ours" not in html_of(read), route.label
        if is_outside and route.has_record:
            assert read.status_code in {302, 404, 405}, route.label
        if tries_all:
            head = actor.head(address) if route.declared else taken_back(actor, "head", address)
            assert (head.status_code, head.content) == (read.status_code, b""), (
                f"{route.label}: HEAD answers as GET"
            )
    for (route, address), read in zip(told, reads, strict=True):
        wrote = taken_back(actor, "post", address)
        assert wrote.status_code < 500, route.label
        if is_outside and route.has_record and route.name != "people:join_by_link":
            assert wrote.status_code in {302, 404, 405}, route.label
        if (
            not is_outside
            and who != Role.BENCH
            and route.declared
            and route.name not in TOLD_ELSEWHERE
        ):
            wrong += refused_wrongly(route, who, read, wrote)
        if tries_all:
            assert taken_back(actor, "options", address).status_code < 500, route.label
            for method in ("put", "patch", "delete"):
                assert taken_back(actor, method, address).status_code in {
                    302,
                    403,
                    404,
                    405,
                    413,
                }, (
                    route.label,
                    method,
                )
    assert wrong == []
