"""Guests at the bench: known again by link, name and device;
what comes after the link ended waits for a yes.
"""

from __future__ import annotations

import json
from datetime import timedelta

from django.test import Client
from django.urls import reverse
from django.utils import timezone

from kilter.people import clock
from kilter.people.actions import end_bench_link
from kilter.people.guests import guest_of
from kilter.people.history import Actor
from kilter.people.models import BenchLink, Change, Role, User
from kilter.weigh_in.late import MOST_LATE, waiting_late
from kilter.weigh_in.models import LateLine, WeighIn, new_client_id
from tests.conftest import html_of, make_garden, member, signed_in


def come(link, name, *tokens) -> tuple[Client, User]:
    guest = Client()
    address = reverse("people:join_by_link", args=[link.token])
    assert guest.post(address, {"name": name, "known": json.dumps(tokens)}).status_code == 302
    return guest, User.objects.get(pk=guest.session["_auth_user_id"])


def token_shown(guest) -> str:
    return html_of(guest.get("/weigh-in/")).split('data-guest="')[1].split('"')[0]


def event(planting, typed="900 9", **more):
    return {
        "client_id": new_client_id(),
        "planting": planting.pk,
        "grade": "table",
        "typed": typed,
        **more,
    }


def send_late(token, *events):
    lines = [{"event": one, "words": f"Crate: {one.get('typed')}"} for one in events]
    sent = json.dumps({"guest": token, "lines": lines})
    return Client(enforce_csrf_checks=True).post(
        reverse("weigh_in:late_send"), sent, content_type="application/json"
    )


def test_a_guest_who_lost_the_cookie_is_the_same_again_by_link_name_and_device(
    garden, open_planting
):
    guest, nib = come(garden.bench_link, "Nib")
    token = token_shown(guest)
    assert guest_of(token) == (nib, garden.bench_link)
    assert come(garden.bench_link, "nib", "rubbish", token)[1] == nib, "the name in any case"
    assert come(garden.bench_link, "Quill", token)[1] != nib, "somebody else on the same device"
    assert come(garden.bench_link, "Nib")[1] != nib, "the name alone is not enough"
    another = BenchLink.objects.create(household=garden.household, label="another")
    assert come(another, "Nib", token)[1] != nib
    assert come(garden.bench_link, "Nib", "[" * 900)[1] != nib
    assert "data-guest" not in html_of(signed_in(garden.owner).get("/weigh-in/"))


def test_what_comes_after_the_link_ended_waits_for_an_owner(garden, open_planting, client):
    guest, nib = come(garden.bench_link, "Nib")
    token, lines = token_shown(guest), [event(open_planting, f"{n}00") for n in (3, 4, 5)]
    assert send_late(token, *lines).status_code == 409, "while the link stands they come by it"
    end_bench_link(Actor(garden.household), garden.bench_link)
    for _ in "ab":
        kept = send_late(token, *lines, {"client_id": "no id"}).json()["kept"]
        assert kept == [line["client_id"] for line in lines]
    assert LateLine.objects.count() == 3
    assert not WeighIn.objects.filter(client_id__in=kept).exists()
    assert "3 late" in html_of(client.get("/weigh-in/"))
    assert "3 late" in html_of(client.get("/"))
    page = html_of(client.get(reverse("weigh_in:late")))
    assert "Crate: 300" in page
    assert "Nib" in page
    first, second, _ = LateLine.objects.order_by("pk")
    client.post(reverse("weigh_in:late_one", args=[first.pk]), {"keep": "yes"})
    made = WeighIn.objects.get(client_id=first.client_id)
    assert (made.mass_mg, made.written_by) == (300_000, nib)
    client.post(reverse("weigh_in:late_one", args=[second.pk]), {"keep": "no"})
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    assert waiting_late(garden.household).count() == 2, "a no can be thought over"
    client.post(reverse("weigh_in:late_all"))
    assert WeighIn.objects.filter(client_id__in=kept).count() == 3
    assert "Nothing waits" in html_of(client.get(reverse("weigh_in:late")))


def test_a_late_line_that_cannot_be_kept_stays_with_its_reason(garden, open_planting, client):
    guest, _ = come(garden.bench_link, "Nib")
    token = token_shown(guest)
    end_bench_link(Actor(garden.household), garden.bench_link)
    foreign = make_garden("Theirs").plantings[0]
    assert send_late(token, event(foreign), event(open_planting, "much")).json()["kept"]
    for late in LateLine.objects.all():
        client.post(reverse("weigh_in:late_one", args=[late.pk]), {"keep": "yes"})
    page = html_of(client.post(reverse("weigh_in:late_all"), follow=True))
    assert "choose another pot" in page
    assert "0 lines kept" in page
    assert waiting_late(garden.household).count() == 2


def test_the_tray_of_late_lines_is_no_way_in(garden, open_planting):
    guest, _ = come(garden.bench_link, "Nib")
    token = token_shown(guest)
    end_bench_link(Actor(garden.household), garden.bench_link)
    for sent in ("", "[]", "[" * 5000, '{"guest": 1}', '{"guest": "x", "lines": {}}'):
        answer = Client().post(reverse("weigh_in:late_send"), sent, content_type="application/json")
        assert answer.status_code == 400, sent
    assert send_late(token + "x", event(open_planting)).status_code == 403
    many = [{"event": event(open_planting), "words": "x" * 500} for _ in range(MOST_LATE)]
    for part in (many[:60], many[60:120]):
        sent = json.dumps({"guest": token, "lines": part})
        assert (
            Client()
            .post(reverse("weigh_in:late_send"), sent, content_type="application/json")
            .status_code
            == 200
        )
    LateLine.objects.bulk_create(
        LateLine(
            household=garden.household,
            link=garden.bench_link,
            client_id=new_client_id(),
            event={},
            words="x",
        )
        for _ in range(MOST_LATE - 120)
    )
    assert send_late(token, event(open_planting)).json()["kept"] == [], (
        "what finds no room stays on the device"
    )
    helper = signed_in(member(garden.household, "Quill", Role.HELPER))
    assert helper.get(reverse("weigh_in:late")).status_code == 403


def test_a_device_whose_clock_is_far_off_is_asked_which_is_right(garden, open_planting, client):
    now = timezone.now()
    ahead = timedelta(days=400)
    line = event(open_planting, at=(now + ahead).isoformat())

    def send(*events):
        sent = json.dumps({"events": events, "now": (now + ahead).isoformat()})
        return client.post(reverse("weigh_in:events"), sent, content_type="application/json").json()

    (refused,) = send(line)["refused"]
    assert "Which is right?" in refused["reason"]
    assert refused["meant"][:16] == now.isoformat()[:16]
    assert not WeighIn.objects.filter(client_id=line["client_id"]).exists()
    (refused,) = send({**line, "is_clock_sure": True})["refused"]
    assert "not a day on which" in refused["reason"], "sure or not, nothing is lifted next year"
    behind = {**line, "at": clock.now(garden.household).isoformat(), "is_clock_sure": True}
    assert send(behind)["stored"] == [line["client_id"]]
    sent = json.dumps({"events": [event(open_planting)], "now": "no time"})
    assert client.post(reverse("weigh_in:events"), sent, content_type="application/json").json()[
        "stored"
    ]


def test_a_late_striking_is_asked_about_too_and_who_was_taken_out_is_late_as_well(
    garden, open_planting, client
):
    guest, nib = come(garden.bench_link, "Nib")
    token, line = token_shown(guest), event(open_planting, "700")
    sent = json.dumps({"events": [line]})
    guest.post(reverse("weigh_in:events"), sent, content_type="application/json")
    client.post(reverse("people:remove_member", args=[nib.membership.pk]))
    strike = {"client_id": new_client_id(), "kind": "strike", "target": line["client_id"]}
    assert send_late(token, strike).json()["kept"] == [strike["client_id"]], (
        "the link stands, but not for them"
    )
    assert WeighIn.objects.get(client_id=line["client_id"]).struck_at is None
    client.post(reverse("weigh_in:late_all"))
    assert WeighIn.objects.get(client_id=line["client_id"]).struck_at is not None
