"""Whatever is put into any address, field or event: a sentence or a page, never a failure of ours."""

from __future__ import annotations

import json
from itertools import cycle

import pytest
from django.test import Client
from django.urls import reverse

from kilter.weigh_in.models import new_client_id

NASTY = (
    "", "0", "-1", "1e400", "nan", "inf", "9" * 23, "9223372036854775808", "\x00", "٣", "½", "a" * 5000, "<script>",
    "2026-02-30", "0001-01-01", "9999-12-31", "😀", "1.5", "true", "' OR 1=1", "1/0 lb", "c999999", "2lb3", "%00",
)  # fmt: skip
ADDRESSES = {
    "/ground/": ("zoom",),
    "/set-out/": ("season",),
    "/weigh-in/": ("crop", "pot"),
    "/weigh-in/read": ("typed",),
    "/weigh-up/": ("compare", "by", "crop", "season", "within"),
    "/find/": ("q",),
}
PLANTING = {
    "units": 3, "unit_kind": "set", "crop_name": "x", "variety_name": "y", "lot": "", "planted_on": "2026-01-01",
    "season": 2026, "in_row_cm": 3, "row_gap_cm": 4, "methods_text": "a=b",
}  # fmt: skip
PLACE = {"kind": "bed", "name": "b", "volume_l": 1, "material": "", "x_m": 1, "y_m": 1}


def forms_of(g):
    prefix = f"c{g.crop.pk}-"
    plan = {"way": "plate", "servings_per_week": 1, "serving_g": 1, "weeks": 1, "store_loss_percent": 1}
    return {
        reverse("ground:new_site"): {"name": "x", "length_m": 1, "width_m": 1, "notes": ""},
        reverse("ground:new_bed"): {**PLACE, "site": g.site.pk, "number": 1, "length_m": 1, "width_m": 1},
        reverse("ground:new_set"): {
            **PLACE, "site": g.site.pk, "first_number": 1, "how_many": 2, "gap_m": 1, "per_row": 3,
        },
        reverse("set_out:new"): {**PLANTING, "places": g.bed.pk},
        reverse("set_out:planting", args=[g.plantings[0].pk]): {**PLANTING, "place": g.bed.pk, "finished_on": ""},
        reverse("set_out:finish", args=[g.plantings[0].pk]): {"finished_on": "2026-08-08"},
        reverse("weigh_in:write"): {
            "client_id": "a" * 32, "planting": g.plantings[0].pk, "grade": "table", "typed": "5", "tare": "",
        },
        reverse("next_year:add_eater"): {"name": "x", "appetite": 1},
        reverse("next_year:eater", args=[g.eater.pk]): {"name": "x", "appetite": 1},
        reverse("next_year:add_crop"): {"crop_name": "x"},
        reverse("next_year:crop", args=[g.crop.pk]): {
            prefix + name: value for name, value in {**plan, "germination_percent": 1, "certainty": 50}.items()
        },
        reverse("people:household"): {"name": "x", "time_zone": "UTC", "default_unit": "g"},
        reverse("people:invite"): {"role": "helper"},
        reverse("look"): {"units": "metric", "mode": "sun", "back": "/"},
        reverse("people:sign_in"): {"username": "x", "password": "y"},
        reverse("people:sign_up"): {"username": "x", "household_name": "y", "time_zone": "UTC", "password1": "z"},
    }  # fmt: skip


@pytest.fixture
def quiet(client):
    client.raise_request_exception = False
    return client


@pytest.mark.parametrize("start", range(3))
def test_no_address_field_or_event_breaks_it(quiet: Client, garden, start):
    """Every field gets three of the values in turn, so that each value meets many kinds of field."""
    values, failed = cycle(NASTY[start * 8 :] + NASTY[: start * 8]), []

    def check(response, *what):
        if response.status_code >= 500:
            failed.append(what)

    whole = {"compare": "variety", "by": "kg_per_plant", "crop": garden.crop.pk}
    for path, names in ADDRESSES.items():
        for name in names:
            for headers in ({}, {"HX-Request": "true"}):
                nasty = next(values)
                asked = {**(whole if path == "/weigh-up/" else {}), name: nasty}
                check(quiet.get(path, asked, headers=headers), path, name, nasty)
    for path, fields in forms_of(garden).items():
        for name in fields:
            nasty = next(values)
            check(quiet.post(path, {**fields, name: nasty}), path, name, nasty)
            if start == 0:
                check(quiet.post(path, {k: v for k, v in fields.items() if k != name}), path, "without", name)
            quiet.force_login(garden.owner)  # a form may have signed somebody else in
    event = {
        "client_id": "", "kind": "write", "planting": garden.plantings[0].pk, "grade": "table", "typed": "5",
        "tare": "", "device": "d", "pile": "", "number": 1, "at": "2026-01-01T10:00:00+01:00", "target": "",
    }  # fmt: skip
    odd = ([], None, 10**30, True, "0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-12:00")
    sent = [{**event, "client_id": new_client_id(), name: value} for name in event for value in (*odd, next(values))]
    for one in sent:
        body = json.dumps({"events": [one]})
        check(quiet.post("/weigh-in/events", body, content_type="application/json"), "event", one)
    assert failed == []


@pytest.mark.parametrize(
    "path", ["/ground/places/{n}", "/set-out/{n}", "/next-year/crops/{n}", "/weigh-in/lines/{n}/strike"]
)
def test_numbers_beyond_the_database_are_not_there(quiet, path):
    for method in (quiet.get, quiet.post):
        assert method(path.format(n="9" * 23)).status_code in {404, 405}
