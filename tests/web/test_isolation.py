"""No page, fragment or file of another household can be reached, whatever the address, method or form says."""

from __future__ import annotations

import json

import pytest
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver, reverse

from kilter.exchange import jobs
from kilter.people.models import Invite, Role
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn, new_client_id
from tests.conftest import member, signed_in

#: Route → how to make its arguments from a garden; None where it has none and so shows one's own.
ROUTES = {
    "today:index": None,
    "find:index": None,
    "atlas:index": None,
    "atlas:place": lambda g: [g.bed.pk],
    "atlas:planting": lambda g: [g.plantings[0].pk],
    "people:changes": None,
    "people:undo": lambda g: [g.change.pk],
    "ground:new_site": None,
    "ground:site": lambda g: [g.site.pk],
    "ground:strike": lambda g: ["place", g.bed.pk],
    "ground:spot": lambda g: [g.bed.pk],
    "ground:move": lambda g: [g.bed.pk],
    "ground:new_part": lambda g: [g.bed.pk],
    "ground:divide": lambda g: [g.bed.pk],
    "ground:fill": lambda g: [g.crates[0].pk],
    "ground:part": lambda g: [g.part.pk],
    "ground:new_mix": None,
    "ground:mix": lambda g: [g.mix.pk],
    "weather:site": lambda g: [g.site.pk],
    "weather:read": lambda g: [g.site.pk],
    "weather:bring": lambda g: [g.site.pk],
    "tending:index": None,
    "tending:new": None,
    "tending:do": None,
    "tending:happening": lambda g: [g.happening.pk],
    "tending:add_photo": lambda g: ["planting", g.plantings[0].pk],
    "tending:photo": lambda g: [g.photo.pk],
    "tending:strike": lambda g: ["happening", g.happening.pk],
    "ground:new_bed": None,
    "ground:new_set": None,
    "ground:place": lambda g: [g.bed.pk],
    "set_out:index": None,
    "set_out:new": None,
    "set_out:planting": lambda g: [g.plantings[0].pk],
    "set_out:finish": lambda g: [g.plantings[0].pk],
    "set_out:reopen": lambda g: [g.plantings[0].pk],
    "set_out:strike": lambda g: ["planting", g.plantings[0].pk],
    "set_out:count": lambda g: [g.plantings[0].pk],
    "set_out:lots": None,
    "set_out:new_lot": None,
    "set_out:lot": lambda g: [g.lot.pk],
    "set_out:variety": lambda g: [g.varieties[0].pk],
    "set_out:cost": lambda g: ["planting", g.plantings[0].pk],
    "weigh_in:bench": None,
    "weigh_in:events": None,
    "weigh_in:write": None,
    "weigh_in:read": None,
    "weigh_in:finish": lambda g: [g.plantings[0].pk],
    "weigh_in:token": None,
    "weigh_in:worker": None,
    "weigh_in:round": None,
    "weigh_in:zero": None,
    "weigh_in:hand": None,
    "weigh_in:lines": None,
    "weigh_in:correct": lambda g: [g.lines[0].pk],
    "weigh_in:weigh": lambda g: [g.lines[0].pk],
    "weigh_in:leave_counted": lambda g: [g.lines[0].pk],
    "weigh_in:turn": lambda g: [g.lines[0].pk],
    "weigh_in:waiting": None,
    "weigh_in:labels": None,
    "weigh_in:shelf": None,
    "weigh_in:remember": None,
    "weigh_in:basket": None,
    "weigh_in:tare_after": None,
    "weigh_in:rename": lambda g: [g.plantings[0].pk],
    "weigh_in:single": lambda g: [g.plantings[0].pk],
    "weigh_in:strike_single": lambda g: [g.single.pk],
    "weigh_in:kit": None,
    "weigh_in:kit_one": lambda g: ["scale", g.scale.pk],
    "weigh_in:kit_strike": lambda g: ["measure", g.measure.pk],
    "weigh_in:counted": lambda g: [g.crop.pk],
    "weigh_in:strike": lambda g: [g.lines[0].pk],
    "weigh_in:photo": lambda g: [g.lines[0].pk],
    "weigh_up:index": None,
    "weigh_up:difference": None,
    "weigh_up:units": None,
    "weigh_up:report": None,
    "weigh_up:saved": None,
    "weigh_up:save": None,
    "weigh_up:saved_one": lambda g: [g.question.pk],
    "weigh_up:strike_saved": lambda g: [g.question.pk],
    "weigh_up:crowding": None,
    "weigh_up:sharing": None,
    "weigh_up:ranking": None,
    "weigh_up:scores": lambda g: [g.varieties[0].pk],
    "weigh_up:verdict": lambda g: [g.varieties[0].pk],
    "weigh_up:new_criterion": None,
    "weigh_up:criterion": lambda g: [g.criterion.pk],
    "weigh_up:strike": lambda g: ["score", g.score.pk],
    "weigh_up:trials": None,
    "weigh_up:new_trial": None,
    "weigh_up:trial": lambda g: [g.trial.pk],
    "weigh_up:trial_sheet": lambda g: [g.trial.pk],
    "weigh_up:trial_draw": lambda g: [g.trial.pk],
    "weigh_up:trial_plant": lambda g: [g.trial.pk],
    "weigh_up:trial_show": lambda g: [g.trial.pk],
    "weigh_up:trial_strike": lambda g: [g.trial.pk],
    "next_year:index": None,
    "next_year:add_crop": None,
    "next_year:crop": lambda g: [g.crop.pk],
    "next_year:add_eater": None,
    "next_year:eater": lambda g: [g.eater.pk],
    "next_year:strike_eater": lambda g: [g.eater.pk],
    "exchange:index": None,
    "exchange:download": None,
    "exchange:job": lambda g: [_job(g)],
    "exchange:stop": lambda g: [_job(g)],
    "people:household": None,
    "people:invite": None,
    "people:remove_member": lambda g: [g.owner.membership.pk],
    "people:make_bench_link": None,
    "people:end_bench_link": lambda g: [g.bench_link.pk],
    "people:sign_out": None,
    "look": None,
}
#: Without a sign-in: the live scale is behind a signed key, the manifest says nothing of anybody.
OPEN_TO_ALL = {
    "people:sign_in",
    "people:sign_up",
    "people:join",
    "people:join_by_link",
    "weigh_in:live",
    "weigh_in:manifest",
}


def _job(garden) -> str:
    job = jobs.Job(garden.household.pk)
    jobs._jobs[job.key] = job
    return job.key


def all_routes(patterns, namespace=""):
    for pattern in patterns:
        if isinstance(pattern, URLResolver):
            yield from all_routes(pattern.url_patterns, pattern.namespace + ":" if pattern.namespace else namespace)
        elif isinstance(pattern, URLPattern):
            yield namespace + str(pattern.name)


def test_every_route_is_in_the_table():
    assert set(all_routes(get_resolver().url_patterns)) == set(ROUTES) | OPEN_TO_ALL | {
        "weigh_in:kit_new",
        "weigh_up:picture",
    }


@pytest.mark.parametrize("route", [r for r, make in ROUTES.items() if make])
def test_objects_of_another_household_are_not_there(route, client, other):
    for method in (client.get, client.post, client.head, client.put, client.delete):
        response = method(reverse(route, args=ROUTES[route](other)))
        assert response.status_code in {404, 405}, method
        assert "Theirs" not in response.content.decode()
    other.plantings[0].refresh_from_db()
    assert other.plantings[0].finished_on is not None
    assert other.plantings[0].struck_at is None


@pytest.mark.parametrize("route", [r for r, make in ROUTES.items() if make is None])
def test_ones_own_pages_hold_nothing_of_another_household(route, client, other):
    for headers in ({}, {"HX-Request": "true"}):
        response = client.get(reverse(route), headers=headers)
        assert response.status_code in {200, 302, 405}
        assert "Theirs" not in response.content.decode(errors="replace")


def test_signed_out_leads_to_the_sign_in(garden):
    for route, make in ROUTES.items():
        if route != "look":
            response = Client().get(reverse(route, args=make(garden) if make else []))
            assert response.status_code == 302, route
            assert response["Location"].startswith("/sign-in"), route


def test_form_choices_and_foreign_keys_stop_at_the_household(client, garden, other):
    sentence = {"units": 5, "unit_kind": "set", "crop_name": "kale", "planted": "2026-05-01", "season": 2026}
    signed_in(other.owner).get(reverse("set_out:new"))  # what they were offered must not be ours
    response = client.post(reverse("set_out:new"), {**sentence, "places": [other.bed.pk]})
    assert response.status_code == 422
    assert not Planting.objects.filter(crop__name="kale").exists()
    response = client.post(reverse("ground:new_bed"), {"site": other.site.pk, "kind": "bed", "name": "Sneaked"})
    assert response.status_code == 422
    assert "Theirs" not in response.content.decode()
    dry = {
        "kind": "drought",
        "when": "today",
        "targets": [f"site-{other.site.pk}", f"planting-{other.plantings[0].pk}"],
    }
    assert client.post(reverse("tending:new"), dry).status_code == 422
    fill = reverse("ground:fill", args=[garden.crates[0].pk])
    for field in ("kept_from", "mix", "came_from", "part", "kin"):
        sent = {"kept_from": other.plantings[0], "mix": other.mix, "came_from": other.bed, "part": other.part,
                "kin": other.plantings[0]}[field].pk  # fmt: skip
        address, data = {
            "kept_from": (reverse("set_out:new_lot"), {"name": "Sneaked", "crop_name": "kale"}),
            "mix": (fill, {"kind": "filled", "when": "today", "litres": 3}),
            "came_from": (fill, {"kind": "reused", "when": "today"}),
            "part": (reverse("set_out:planting", args=[garden.plantings[0].pk]), {**sentence, "place": garden.bed.pk}),
            "kin": (reverse("set_out:new"), {**sentence, "places": [garden.bed.pk], "kinship": "cohort"}),
        }[field]  # fmt: skip
        refused = client.post(address, {"over_uses": 1, **data, field: sent})
        assert refused.status_code == 422, field
        assert "Theirs" not in refused.content.decode()
    correct = reverse("weigh_in:correct", args=[garden.lines[0].pk])
    line = {"planting": garden.plantings[0].pk, "when": "today", "grade": "table", "shown": "1 kg"}
    for field, sent in (("planting", other.plantings[0]), ("bowl", other.bowl), ("scale", other.scale)):
        assert client.post(correct, {**line, field: sent.pk}).status_code == 422, field
    for address, data in (
        ("weigh_in:remember", {"planting": other.plantings[0].pk, "when": "today", "grade": "table", "line": "3"}),
        ("weigh_in:tare_after", {"bowl": other.bowl.pk, "lines": [other.lines[0].pk]}),
        ("weigh_in:basket", {"picked": [p.pk for p in other.plantings], "typed": "9", "client_id": "b" * 32}),
    ):
        refused = client.post(reverse(address), data)
        assert refused.status_code == 422, address
        assert "Theirs" not in refused.content.decode()
    question = {"compare": "variety", "by": "kg_per_plant", "site": other.site.ref}
    assert client.get(reverse("weigh_up:index"), question).status_code == 422
    theirs = {**question, "site": [], "crop": garden.crop.name, "without": other.plantings[0].ref}
    assert "Theirs" not in client.get(reverse("weigh_up:index"), theirs).content.decode()
    bench = client.get(reverse("weigh_in:bench"), {"crop": other.crop.pk, "pot": other.plantings[0].pk})
    assert "Theirs" not in bench.content.decode()


def test_events_reach_no_planting_and_no_line_of_another_household(client, garden, other):
    write = {"client_id": new_client_id(), "planting": other.plantings[0].pk, "grade": "table", "typed": "900"}
    strike = {"client_id": new_client_id(), "kind": "strike", "target": other.lines[0].client_id}
    response = client.post(
        reverse("weigh_in:events"), json.dumps({"events": [write, strike]}), content_type="application/json"
    )
    assert response.json()["stored"] == []
    assert len(response.json()["refused"]) == 2
    mine = {"client_id": new_client_id(), "planting": garden.plantings[0].pk, "grade": "table", "typed": "900"}
    basket = {**write, "client_id": new_client_id(), "plantings": [garden.plantings[0].pk, other.plantings[0].pk]}
    sent = {"events": [{**mine, "bowl": other.bowl.pk, "scale": other.scale.pk}, basket]}
    answer = client.post(reverse("weigh_in:events"), json.dumps(sent), content_type="application/json").json()
    assert answer["stored"] == [mine["client_id"]]
    line = WeighIn.objects.get(client_id=mine["client_id"])
    assert (line.bowl, line.scale, line.tare_mg) == (None, None, 0)
    assert WeighIn.objects.ever_of(other.household).filter(struck_at=None).count() == 4


@pytest.mark.parametrize(
    ("role", "route", "data", "status"),
    [
        (Role.HELPER, "weigh_in:finish", {}, 302),
        (Role.ONLOOKER, "weigh_in:finish", {}, 403),
        (Role.HELPER, "set_out:strike", {}, 403),
        (Role.ONLOOKER, "weigh_in:strike", {}, 403),
        (Role.HELPER, "ground:strike", {}, 403),
        (Role.HELPER, "ground:spot", {"x_m": 1, "y_m": 1}, 403),
        (Role.HELPER, "people:undo", {}, 403),
        (Role.HELPER, "tending:do", {}, 403),
        (Role.HELPER, "weigh_up:save", {}, 403),
        (Role.HELPER, "weigh_up:trial_plant", {}, 403),
        (Role.ONLOOKER, "weigh_up:strike", {}, 403),
        (Role.HELPER, "weigh_up:saved_one", {}, 403),
        (Role.HELPER, "next_year:eater", {"name": "x", "appetite": 2}, 403),
        (Role.HELPER, "next_year:crop", {}, 403),
        (Role.HELPER, "people:remove_member", {}, 403),
    ],
)
def test_roles(garden, role, route, data, status):
    client = signed_in(member(garden.household, "somebody", role))
    make = ROUTES[route]
    response = client.post(reverse(route, args=make(garden) if make else []), data)
    assert response.status_code == status
    if status == 403:
        assert "ask" in response.content.decode()


@pytest.mark.parametrize("role", [Role.HELPER, Role.ONLOOKER])
@pytest.mark.parametrize(
    "route", ["set_out:planting", "ground:place", "ground:site", "next_year:index", "people:household"]
)
def test_everybody_may_look_but_is_shown_no_button_that_would_refuse(garden, role, route):
    client = signed_in(member(garden.household, "somebody", role))
    make = ROUTES[route]
    response = client.get(reverse(route, args=make(garden) if make else []))
    assert response.status_code == 200
    assert ">Save</button>" not in response.content.decode()


def test_a_helper_may_write_and_an_onlooker_may_not(garden, open_planting):
    for role, stored in ((Role.HELPER, 1), (Role.ONLOOKER, 0)):
        event = {"client_id": new_client_id(), "planting": open_planting.pk, "grade": "table", "typed": "900 4"}
        client = signed_in(member(garden.household, role, role))
        client.post(reverse("weigh_in:events"), json.dumps({"events": [event]}), content_type="application/json")
        assert WeighIn.objects.of(garden.household).filter(client_id=event["client_id"]).count() == stored


def test_an_invite_works_once(garden):
    invite = Invite.objects.create(household=garden.household, role=Role.HELPER)
    address = reverse("people:join", args=[invite.token])
    person = {"username": "neighbour", "password1": "willow fence 33", "password2": "willow fence 33"}
    assert Client().post(address, person).status_code == 302
    assert garden.household.memberships.get(user__username="neighbour").role == Role.HELPER
    second = Client().get(address)
    assert second.status_code == 404
    assert "ask an owner" in second.content.decode()


def test_who_came_by_a_link_weighs_in_and_sees_nothing_else_until_it_is_ended(garden, client):
    helper = Client()
    come = reverse("people:join_by_link", args=[garden.bench_link.token])
    assert "Ours" in helper.get(come).content.decode()
    assert helper.post(come, {"name": ""}).status_code == 422
    assert helper.post(come, {"name": "Nib"})["Location"] == "/weigh-in/"
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    page = helper.get("/weigh-in/").content.decode()
    assert "Weigh up" not in page
    assert "Household" not in page
    event = {"client_id": new_client_id(), "planting": garden.plantings[0].pk, "grade": "table", "typed": "900"}

    def send():
        return helper.post(reverse("weigh_in:events"), json.dumps({"events": [event]}), content_type="application/json")

    assert send().json()["stored"] == [event["client_id"]]
    assert str(WeighIn.objects.get(client_id=event["client_id"]).written_by) == "Nib"
    for route, make in ROUTES.items():
        if not route.startswith("weigh_in:") and route not in {"look", "people:undo", "people:sign_out"}:
            address = reverse(route, args=make(garden) if make else [])
            assert helper.get(address).headers.get("Location") == "/weigh-in/", route
            assert helper.post(address).status_code == 403, route
    assert helper.post(reverse("weigh_in:kit_strike", args=["bowl", garden.bowl.pk])).status_code == 403
    assert client.post(reverse("people:end_bench_link", args=[garden.bench_link.pk])).status_code == 302
    event["client_id"] = new_client_id()
    assert send().status_code in {302, 403}
    assert helper.get("/weigh-in/").status_code in {302, 403}
    assert Client().get(come).status_code == 404
    assert WeighIn.objects.filter(written_by__first_name="Nib").count() == 1
