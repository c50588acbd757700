"""No page, fragment or file of another household can be reached, whatever the address,
method or form says.
"""

from __future__ import annotations

import json
from datetime import timedelta

import pytest
from django.test import Client
from django.urls import reverse

from kilter.people import clock
from kilter.people.models import Invite, Role
from kilter.set_out.models import Planting
from kilter.weigh_in.guests import NOT_YOURS
from kilter.weigh_in.models import WeighIn, new_client_id
from tests.conftest import html_of, member, signed_in
from tests.web.routes import ABOUT_A_RECORD, MINE, OPEN_TO_ALL, ROUTES, WORDS, complete


def test_every_route_says_who_may_read_and_write_by_it():
    """A view without `page_for` is open to all, and that takes a reason in OPEN_TO_ALL."""
    assert {route.name for route in ROUTES if route.declared is None} == OPEN_TO_ALL
    for route in MINE:
        assert route.declared.reads or route.declared.writes, route.name
        assert route.has_record == bool(route.declared.of or route.declared.kinds) or optional(
            route
        ), route.name


def optional(route):
    """The same view makes a new record where the address has no key."""
    return any(other.has_record and other.declared is route.declared for other in MINE)


@pytest.mark.parametrize(
    "route", [*ABOUT_A_RECORD, *(r for r in MINE if r.name in WORDS)], ids=lambda r: r.label
)
def test_objects_of_another_household_are_not_there(route, client, other):
    if route.name in {"weigh_up:picture", "exchange:season"}:
        return  # about a question, and about a season of one's own; not about a record
    address = route.of(complete(other))
    for method in (client.get, client.post, client.head, client.put, client.delete):
        response = method(address)
        assert response.status_code in {404, 405}, method
        assert "Theirs" not in html_of(response)
    other.plantings[0].refresh_from_db()
    assert other.plantings[0].finished_on is not None
    assert other.plantings[0].struck_at is None


@pytest.mark.parametrize("route", [r for r in MINE if not r.words], ids=lambda r: r.label)
def test_ones_own_pages_hold_nothing_of_another_household(route, client, other):
    for headers in ({}, {"HX-Request": "true"}):
        response = client.get(reverse(route.name), headers=headers)
        assert response.status_code in {200, 302, 405}
        assert "Theirs" not in response.content.decode(errors="replace")


def test_signed_out_leads_to_the_sign_in(garden):
    complete(garden)
    for route in MINE:
        if route.name != "look":
            response = Client().get(route.of(garden))
            assert response.status_code == 302, route
            assert response["Location"].startswith("/sign-in"), route


def test_form_choices_and_foreign_keys_stop_at_the_household(client, garden, other):
    sentence = {
        "units": 5,
        "unit_kind": "set",
        "crop_name": "kale",
        "planted": "2026-05-01",
        "season": 2026,
    }
    signed_in(other.owner).get(reverse("set_out:new"))  # what they were offered must not be ours
    response = client.post(
        reverse("set_out:new"), {**sentence, "places": [f"place-{other.bed.pk}"]}
    )
    assert response.status_code == 422
    assert not Planting.objects.filter(crop__name="kale").exists()
    response = client.post(
        reverse("ground:new_bed"), {"site": other.site.pk, "kind": "bed", "name": "Sneaked"}
    )
    assert response.status_code == 422
    assert "Theirs" not in html_of(response)
    dry = {
        "kind": "drought",
        "when": "today",
        "targets": [f"site-{other.site.pk}", f"planting-{other.plantings[0].pk}"],
    }
    assert client.post(reverse("tending:new"), dry).status_code == 422
    fill = reverse("ground:fill", args=[garden.crates[0].pk])
    for field in ("kept_from", "mix", "came_from", "part", "kin"):
        sent = {
            "kept_from": other.plantings[0],
            "mix": other.mix,
            "came_from": other.bed,
            "part": other.part,
            "kin": other.plantings[0],
        }[field].pk
        address, data = {
            "kept_from": (reverse("set_out:new_lot"), {"name": "Sneaked", "crop_name": "kale"}),
            "mix": (fill, {"kind": "filled", "when": "today", "litres": 3}),
            "came_from": (fill, {"kind": "reused", "when": "today"}),
            "part": (
                reverse("set_out:planting", args=[garden.plantings[0].pk]),
                {**sentence, "place": garden.bed.pk},
            ),
            "kin": (
                reverse("set_out:new"),
                {**sentence, "places": [f"place-{garden.bed.pk}"], "kinship": "cohort"},
            ),
        }[field]
        refused = client.post(address, {"over_uses": 1, **data, field: sent})
        assert refused.status_code == 422, field
        assert "Theirs" not in html_of(refused)
    correct = reverse("weigh_in:correct", args=[garden.lines[0].pk])
    line = {"planting": garden.plantings[0].pk, "when": "today", "grade": "table", "shown": "1 kg"}
    for field, sent in (
        ("planting", other.plantings[0]),
        ("bowl", other.bowl),
        ("scale", other.scale),
    ):
        assert client.post(correct, {**line, field: sent.pk}).status_code == 422, field
    for address, data in (
        (
            "weigh_in:remember",
            {"planting": other.plantings[0].pk, "when": "today", "grade": "table", "line": "3"},
        ),
        ("weigh_in:tare_after", {"bowl": other.bowl.pk, "lines": [other.lines[0].pk]}),
        (
            "weigh_in:basket",
            {"picked": [p.pk for p in other.plantings], "typed": "9", "client_id": "b" * 32},
        ),
    ):
        refused = client.post(reverse(address), data)
        assert refused.status_code == 422, address
        assert "Theirs" not in html_of(refused)
    question = {"compare": "variety", "by": "kg_per_plant", "site": other.site.ref}
    assert client.get(reverse("weigh_up:index"), question).status_code == 422
    theirs = {**question, "site": [], "crop": garden.crop.name, "without": other.plantings[0].ref}
    assert "Theirs" not in html_of(client.get(reverse("weigh_up:index"), theirs))
    bench = client.get(
        reverse("weigh_in:bench"), {"crop": other.crop.pk, "pot": other.plantings[0].pk}
    )
    assert "Theirs" not in html_of(bench)


def test_events_reach_no_planting_and_no_line_of_another_household(client, garden, other):
    write = {
        "client_id": new_client_id(),
        "planting": other.plantings[0].pk,
        "grade": "table",
        "typed": "900",
    }
    strike = {"client_id": new_client_id(), "kind": "strike", "target": other.lines[0].client_id}
    response = client.post(
        reverse("weigh_in:events"),
        json.dumps({"events": [write, strike]}),
        content_type="application/json",
    )
    assert response.json()["stored"] == []
    assert len(response.json()["refused"]) == 2
    mine = {
        "client_id": new_client_id(),
        "planting": garden.plantings[0].pk,
        "grade": "table",
        "typed": "900",
        "is_sure": True,
    }
    basket = {
        **write,
        "client_id": new_client_id(),
        "plantings": [garden.plantings[0].pk, other.plantings[0].pk],
    }
    sent = {"events": [{**mine, "bowl": other.bowl.pk, "scale": other.scale.pk}, basket]}
    answer = client.post(
        reverse("weigh_in:events"), json.dumps(sent), content_type="application/json"
    ).json()
    assert answer["stored"] == [mine["client_id"]]
    line = WeighIn.objects.get(client_id=mine["client_id"])
    assert (line.bowl, line.scale, line.tare_mg) == (None, None, 0)
    assert WeighIn.objects.ever_of(other.household).filter(struck_at=None).count() == 4


def test_a_helper_may_write_and_an_onlooker_may_not(garden, open_planting):
    for role, stored in ((Role.HELPER, 1), (Role.ONLOOKER, 0)):
        event = {
            "client_id": new_client_id(),
            "planting": open_planting.pk,
            "grade": "table",
            "typed": "900 4",
        }
        client = signed_in(member(garden.household, role, role))
        client.post(
            reverse("weigh_in:events"),
            json.dumps({"events": [event]}),
            content_type="application/json",
        )
        assert (
            WeighIn.objects.of(garden.household).filter(client_id=event["client_id"]).count()
            == stored
        )


def test_an_invite_works_once(garden):
    invite = Invite.objects.create(household=garden.household, role=Role.HELPER)
    address = reverse("people:join", args=[invite.token])
    person = {
        "username": "neighbour",
        "password1": "willow fence 33",
        "password2": "willow fence 33",
    }
    assert Client().post(address, person).status_code == 302
    assert garden.household.memberships.get(user__username="neighbour").role == Role.HELPER
    second = Client().get(address)
    assert second.status_code == 404
    assert "ask an owner" in html_of(second)


#: All that a guest at the bench can reach.
FOR_GUESTS = {
    f"weigh_in:{name}"
    for name in (
        *(
            "bench",
            "events",
            "token",
            "worker",
            "write",
            "read",
            "round",
            "finish",
            "finish_many",
            "zero",
            "hand",
        ),
        *(
            "lines",
            "correct",
            "strike",
            "photo",
            "weigh",
            "leave_counted",
            "leave_all_counted",
            "together",
            "waiting",
            "labels",
        ),
        *("basket", "tare_after"),
    )
} | {"people:undo"}


def test_who_came_by_a_link_weighs_in_and_sees_nothing_else_until_it_is_ended(garden, client):
    helper = Client()
    come = reverse("people:join_by_link", args=[garden.bench_link.token])
    assert "Ours" in html_of(helper.get(come))
    assert helper.post(come, {"name": ""}).status_code == 422
    assert helper.post(come, {"name": "Nib"})["Location"] == "/weigh-in/"
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    page = html_of(helper.get("/weigh-in/"))
    assert "Weigh up" not in page
    assert "Household" not in page
    event = {
        "client_id": new_client_id(),
        "planting": garden.plantings[0].pk,
        "grade": "table",
        "typed": "900",
    }

    def send():
        return helper.post(
            reverse("weigh_in:events"),
            json.dumps({"events": [event]}),
            content_type="application/json",
        )

    assert send().json()["stored"] == [event["client_id"]]
    assert str(WeighIn.objects.get(client_id=event["client_id"]).written_by) == "Nib"
    complete(garden)
    assert {route.name for route in MINE if route.declared.guests} == FOR_GUESTS
    for route in MINE:
        if route.declared.guests is None and route.name != "look":
            address = route.of(garden)
            assert helper.get(address).headers.get("Location") == "/weigh-in/", route
            assert helper.post(address).status_code == 403, route
        elif (
            route.has_record and "finish" not in route.name
        ):  # a line or a change of somebody else's
            assert helper.get(route.of(garden)).status_code in {404, 405}, route
            assert helper.post(route.of(garden)).status_code in {403, 404}, route
    assert (
        client.post(reverse("people:end_bench_link", args=[garden.bench_link.pk])).status_code
        == 302
    )
    event["client_id"] = new_client_id()
    assert send().status_code in {302, 403}
    assert helper.get("/weigh-in/").status_code in {302, 403}
    assert Client().get(come).status_code == 404
    assert WeighIn.objects.filter(written_by__first_name="Nib").count() == 1


def test_a_guest_without_a_link_sees_and_changes_what_they_wrote_today_and_no_more(
    garden, open_planting, client, send
):
    guest = signed_in(member(garden.household, "Nib", Role.BENCH))
    old, now = clock.today(garden.household) - timedelta(days=1), clock.now(garden.household)

    def write(by, typed, **more):
        event = {
            "client_id": new_client_id(),
            "planting": open_planting.pk,
            "grade": "table",
            "typed": typed,
            **more,
        }
        sent = json.dumps({"events": [event]})
        assert by.post(reverse("weigh_in:events"), sent, content_type="application/json").json()[
            "stored"
        ]
        return WeighIn.objects.get(client_id=event["client_id"])

    ours = write(client, "777")
    assert guest.post(reverse("weigh_in:finish", args=[open_planting.pk])).status_code == 403
    mine = write(guest, "812")
    before = write(client, "634", at=(now - timedelta(days=1)).isoformat())
    for page in (
        "/weigh-in/",
        "/weigh-in/lines",
        f"/weigh-in/?day={old}",
        f"/weigh-in/lines?day={old}",
    ):
        shown = html_of(guest.get(page))
        assert "777 g" not in shown  # a bare number may stand in a random key
        assert "634 g" not in shown
    assert "812 g" in html_of(guest.get("/weigh-in/"))
    for line, status in ((ours, 404), (before, 404), (mine, 200)):
        assert guest.get(reverse("weigh_in:correct", args=[line.pk])).status_code == status
    strike = [
        {"client_id": new_client_id(), "kind": "strike", "target": one.client_id}
        for one in (ours, before, mine)
    ]
    sent = json.dumps({"events": strike})
    said = guest.post(reverse("weigh_in:events"), sent, content_type="application/json").json()
    assert said["stored"] == [strike[2]["client_id"]]
    assert [one["reason"] for one in said["refused"]] == [NOT_YOURS, NOT_YOURS]
    assert guest.post(reverse("weigh_in:strike", args=[mine.pk])).status_code == 302
    finish = reverse("weigh_in:finish", args=[open_planting.pk])
    assert guest.post(finish).status_code == 302
    assert guest.post(finish).status_code == 403, "who finished a pot does not open it again"
    assert client.post(finish).status_code == 302


def test_a_guest_finishes_many_only_of_what_they_lifted(garden, open_planting, send):
    guest = signed_in(member(garden.household, "Nib", Role.BENCH))
    assert (
        guest.post(
            reverse("weigh_in:finish_many", args=[open_planting.pk]), {"which": "set"}
        ).status_code
        == 302
    )
    open_planting.refresh_from_db()
    assert open_planting.finished_on is None
