"""The bench's contract: each line stored exactly once,
what cannot be stored said, nothing held up.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.people.events import EventError
from kilter.people.models import Household
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.models import WeighIn, new_client_id
from kilter.weigh_in.queries import tape
from tests.conftest import TODAY, event, html_of


@pytest.fixture
def written(garden):
    return lambda: list(WeighIn.objects.of(garden.household).filter(typed__gt="").order_by("pk"))


def test_a_line_is_stored_as_typed_and_as_read(send, open_planting, written):
    one = event(open_planting, at="2026-11-22T18:30:00+01:00")
    assert send(one) == {"stored": [one["client_id"]], "refused": []}
    (line,) = written()
    assert (line.mass_mg, line.count, line.typed, line.grade) == (940_000, 12, "940 12", "table")
    assert line.weighed_on == date(2026, 11, 22)
    assert line.written_by.username == "Ours-owner"


def test_the_same_line_twice_is_stored_once_and_echoed_twice(send, open_planting, written):
    one = event(open_planting)
    assert send(one, one)["stored"] == [one["client_id"]] * 2
    assert send({**one, "typed": "1 1"})["stored"] == [one["client_id"]]
    assert [line.mass_mg for line in written()] == [940_000]


def test_a_bare_count_waits_for_the_scale(send, client, open_planting, written):
    send(event(open_planting, "c12"))
    assert (written()[0].mass_mg, written()[0].count) == (None, 12)
    assert "Waits for the scale" in html_of(client.get("/"))


def test_a_refused_line_does_not_hold_up_the_others(send, garden, open_planting, written):
    gone = {**event(open_planting), "planting": 999_999}
    bad = event(open_planting, "2 kg 3 oz")
    good = event(open_planting, "500")
    said = send(gone, bad, {"no": "event"}, "nonsense", good)
    assert said["stored"] == [good["client_id"]]
    reasons = {refusal["client_id"]: refusal["reason"] for refusal in said["refused"]}
    assert "removed" in reasons[gone["client_id"]]
    assert "mixes units" in reasons[bad["client_id"]]
    assert len(written()) == 1


@pytest.mark.parametrize(
    "change",
    [
        {"grade": "best"},
        {"kind": "burn"},
        {"planting": "five"},
        {"planting": None},
        {"number": -1},
        {"number": "x"},
        {"at": "yesterday"},
        {"at": "2026-11-22T18:30:00"},
        {"client_id": "short"},
    ],
)
def test_an_event_of_another_shape_is_refused(change):
    raw = {"client_id": new_client_id(), "planting": 1, "grade": "table", "typed": "5", **change}
    with pytest.raises(EventError):
        BENCH.event(raw)


@pytest.mark.parametrize(
    "body", ["", "[]", "{}", '{"events": 5}', '{"events": [' + "1," * 600 + "1]}", "\x00"]
)
def test_a_body_of_another_shape_gets_a_sentence(client, body):
    response = client.post(reverse("weigh_in:events"), body, content_type="application/json")
    assert response.status_code == 400
    assert "events" in response.json()["problem"]


def test_tare_is_taken_off_and_may_not_exceed_the_load(send, open_planting, written):
    send(event(open_planting, "1.24 9", tare="300"))
    assert (written()[0].mass_mg, written()[0].tare_mg) == (940_000, 300_000)
    refused = send(event(open_planting, "200", tare="300"))["refused"]
    assert "more than the whole load" in refused[0]["reason"]


def test_piling_on_takes_differences_and_asks_when_the_reading_falls(send, open_planting, written):
    pile = {"pile": "a" * 32, "device": "d" * 32}
    send(
        *(
            event(open_planting, typed, number=n, **pile)
            for n, typed in enumerate(("310", "655", "1040"), 1)
        )
    )
    assert [line.mass_mg for line in written()] == [310_000, 345_000, 385_000]
    fell = send(event(open_planting, "120", number=4, **pile))["refused"][0]
    assert "emptied" in fell["reason"]
    send(event(open_planting, "120", number=1, pile="b" * 32, device="d" * 32))
    assert written()[-1].mass_mg == 120_000


def test_two_phones_at_one_pot_are_two_piles(send, open_planting, written):
    for device in ("d" * 32, "e" * 32):
        send(event(open_planting, "300", number=1, pile="a" * 32, device=device))
    assert [line.mass_mg for line in written()] == [300_000, 300_000]


def test_after_an_undo_the_pile_goes_on_from_the_reading_before(send, open_planting, written):
    pile = {"pile": "a" * 32, "device": "d" * 32}
    send(event(open_planting, "310", number=1, **pile))
    wrong = event(open_planting, "6550", number=2, **pile)
    send(wrong, {"client_id": new_client_id(), "kind": "strike", "target": wrong["client_id"]})
    send(event(open_planting, "655", number=3, **pile))
    assert [line.mass_mg for line in written()] == [310_000, 345_000]


def test_striking_is_an_event_and_can_be_taken_back(send, client, open_planting, written):
    one = event(open_planting)
    send(one)
    send({"client_id": new_client_id(), "kind": "strike", "target": one["client_id"]})
    assert written() == []
    line = WeighIn.objects.get(client_id=one["client_id"])
    client.post(reverse("weigh_in:strike", args=[line.pk]))
    assert len(written()) == 1
    client.post(reverse("weigh_in:strike", args=[line.pk]))
    assert written() == []
    assert (
        "is not here"
        in send({"client_id": new_client_id(), "kind": "strike", "target": "f" * 32})["refused"][0][
            "reason"
        ]
    )


def test_a_strike_sent_again_does_not_undo_a_putting_back(send, open_planting, written):
    one = event(open_planting)
    strike = {"client_id": new_client_id(), "kind": "strike", "target": one["client_id"]}
    send(
        one, strike, {"client_id": new_client_id(), "kind": "unstrike", "target": one["client_id"]}
    )
    assert send(strike)["stored"] == [strike["client_id"]]
    (line,) = written()
    assert [(s.is_struck, s.by.username) for s in line.strikings.order_by("pk")] == [
        (True, "Ours-owner"),
        (False, "Ours-owner"),
    ]


def test_the_tape_sums_what_stands(send, garden, open_planting):
    one, two = event(open_planting), event(open_planting, "88 3", "small")
    send(one, two, event(open_planting, "c5", "hurt"))
    found = tape(garden.household, TODAY)
    assert found.total.total.mass_mg == 1_028_000
    assert [
        (s.label, s.total.known_count, s.total.known_mg, s.waiting) for s in found.subtotals
    ] == [
        ("Table", 12, 940_000, 0),
        ("Small", 3, 88_000, 0),
        ("Hurt", 5, None, 1),
    ]
    send({"client_id": new_client_id(), "kind": "strike", "target": one["client_id"]})
    found = tape(garden.household, TODAY)
    assert (found.total.total.mass_mg, len(found.lines)) == (88_000, 3)


def test_the_plain_form_writes_once_and_says_what_is_wrong(client, open_planting, written):
    data = {
        "client_id": new_client_id(),
        "planting": open_planting.pk,
        "grade": "table",
        "typed": "0,94 kg 12",
    }
    for _ in range(2):
        assert client.post(reverse("weigh_in:write"), data).status_code == 302
    assert [line.mass_mg for line in written()] == [940_000]
    bad = client.post(
        reverse("weigh_in:write"), {**data, "client_id": new_client_id(), "typed": "2 kg 3 oz"}
    )
    assert bad.status_code == 422
    assert "mixes units" in html_of(bad)
    assert 'value="2 kg 3 oz"' in html_of(bad)
    assert client.post(reverse("weigh_in:write"), {}).status_code == 422


@pytest.mark.parametrize(
    ("typed", "unit", "system", "shown"),
    [
        (
            "1.284 9",
            "scale",
            "metric",
            {"big": "1.284", "unit": "kg", "small": " · 2 lb 13.3 oz", "count": 9},
        ),
        ("3", "oz", "imperial", {"big": "3.0 oz", "small": " · 85 g", "count": None}),
        ("c4", "scale", "metric", {"big": "", "count": 4}),
        ("", "scale", "metric", {"big": "0", "small": ""}),
    ],
)
def test_the_dial_reads_as_the_line_will(client, garden, typed, unit, system, shown):
    Household.objects.filter(pk=garden.household.pk).update(
        default_unit=unit, is_imperial=system == "imperial"
    )
    said = client.get(reverse("weigh_in:read"), {"typed": typed}).json()
    assert shown.items() <= said.items()


def test_the_dial_says_what_cannot_be_read(client):
    assert "no number" in client.get(reverse("weigh_in:read"), {"typed": "heavy"}).json()["problem"]
    far = client.get(reverse("weigh_in:read"), {"typed": "900 kg"}).json()
    assert far["angle"] == 135


def test_all_lifted_at_the_bench_and_back(client, open_planting, send):
    send(event(open_planting, "940 12"))
    for finished in (TODAY, None):
        client.post(reverse("weigh_in:finish", args=[open_planting.pk]))
        open_planting.refresh_from_db()
        assert open_planting.finished_on == finished


def test_the_strip_holds_what_stands_and_what_was_weighed_today(client, garden, open_planting):
    page = html_of(client.get(reverse("weigh_in:bench")))
    assert page.count("data-pot=") == 1
    garden.lines[0].weighed_on = TODAY
    garden.lines[0].save()
    fragment = html_of(client.get(reverse("weigh_in:bench"), headers={"HX-Request": "true"}))
    assert fragment.count("data-pot=") == 2
    assert "<html" not in fragment
    assert "The tape" in fragment


def test_what_stands_into_the_new_year_can_still_be_weighed(
    client, garden, open_planting, settings
):
    settings.KILTER_TODAY = "2027-01-20"
    page = html_of(client.get(reverse("weigh_in:bench")))
    assert f'data-pot="{open_planting.pk}"' in page
    assert f'href="/set-out/{open_planting.pk}"' in html_of(client.get("/"))


def test_with_everything_lifted_the_bench_shows_what_waits_and_opens_a_pot_again(client, garden):
    """It once said that there was nothing to weigh yet."""
    line = {"household": garden.household, "planting": garden.plantings[3], "grade": "table"}
    WeighIn.objects.create(**line, weighed_on=date(2026, 8, 4), count=9, waits=True)
    page = html_of(client.get(reverse("weigh_in:bench")))
    assert "Everything is lifted" in page
    assert "1 waits for the scale" in page
    assert page.count(">Open again<") == 1 + len(garden.plantings)
    response = client.post(reverse("weigh_in:finish", args=[garden.plantings[2].pk]), follow=True)
    page = html_of(response)
    assert "Everything is lifted" not in page
    assert 'id="pot-in-hand">Ours crate 3, shallot' in page
