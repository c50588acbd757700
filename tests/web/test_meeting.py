"""Two people at one record: the second is told what changed and by whom,
and loses nothing typed.
"""

from __future__ import annotations

import re

import pytest
from django.urls import reverse

from kilter.people.models import Household, Owned, Role
from tests.conftest import html_of, member, signed_in
from tests.web.routes import ABOUT_A_RECORD, complete

#: Pages that add to a record, or answer a question about it, and so overwrite nothing.
ADDS = {
    *(
        "ground:divide",
        "ground:move",
        "ground:fill",
        "set_out:count",
        "set_out:finish",
        "set_out:cost",
    ),
    *("weigh_in:photo", "weigh_in:weigh", "weigh_in:turn", "weigh_in:rename", "weigh_in:single"),
    *(
        "ground:new_part",
        "tending:add_photo",
        "tending:photo",
        "weigh_up:scores",
        "weigh_up:verdict",
    ),
    *(
        "weigh_up:trial_plant",
        "larder:look",
        "look_back:aside",
        "look_back:sitting",
        "look_back:note",
    ),
}


def seen_in(page: str) -> str | None:
    found = re.search(r'<input[^>]*name="(?:c\d+-)?seen"[^>]*value="(\d+)"', page)
    return found[1] if found else None


def test_the_second_of_two_owners_is_told_and_keeps_what_was_typed(garden, client):
    partner = signed_in(member(garden.household, "Wren", Role.OWNER))
    address = reverse("ground:place", args=[garden.bed.pk])
    typed = {
        "site": garden.site.pk,
        "kind": "bed",
        "name": "Long bed",
        "length_m": "3",
        "width_m": "1.2",
    }
    mine, theirs = (seen_in(html_of(one.get(address))) for one in (client, partner))
    assert mine == theirs
    assert partner.post(address, {**typed, "length_m": "4", "seen": theirs}).status_code == 302
    answer = client.post(address, {**typed, "name": "Mine", "seen": mine})
    assert answer.status_code == 422
    page = html_of(answer)
    assert "Wren changed this at" in page
    assert "and is 4" in page
    assert 'value="Mine"' in page
    garden.bed.refresh_from_db()
    assert (garden.bed.name, garden.bed.length_m) == ("Long bed", 4)
    assert client.post(address, {**typed, "name": "Mine", "seen": seen_in(page)}).status_code == 302
    garden.bed.refresh_from_db()
    assert (garden.bed.name, garden.bed.length_m) == ("Mine", 3)


def test_the_households_own_settings_are_met_too(garden, client):
    partner = signed_in(member(garden.household, "Wren", Role.OWNER))
    begin = html_of(client.get("/household"))
    typed = {
        "name": "Ours",
        "time_zone": "Europe/London",
        "default_unit": "g",
        "date_order": "dmy",
        "sure_fold": "12",
    }
    assert (
        partner.post(
            "/household", {**typed, "is_imperial": "on", "seen": seen_in(begin)}
        ).status_code
        == 302
    )
    page = html_of(client.post("/household", {**typed, "name": "Renamed", "seen": seen_in(begin)}))
    assert "show pounds was no and is yes" in page
    assert Household.objects.get(pk=garden.household.pk).name == "Ours"


def test_a_row_of_the_plan_is_met_and_its_own_next_change_is_not(garden, client):
    address = reverse("next_year:crop", args=[garden.crop.pk])
    plan = {
        "way": "rule",
        "certainty": "80",
        "serving_g": "100",
        "weeks": "20",
        "germination_percent": "80",
    }
    plan |= {"servings_per_week": "2", "store_loss_percent": "1", "goal": "fresh"}

    def save(**more):
        return html_of(client.post(address, plan | more, follow=True))

    first = seen_in(save())
    assert "changed this at" not in save(seen=first)
    assert "changed this at" in save(seen=first)


@pytest.mark.parametrize(
    "route", [r for r in ABOUT_A_RECORD if r.declared.reads], ids=lambda r: r.label
)
def test_every_page_that_changes_a_record_notices(route, garden, client):
    """A stale form is refused by every page that shows what a record is and saves it."""
    complete(garden)
    record = route.declared.records(garden.household, route.kind).order_by("pk").first()
    if route.name in ADDS or not isinstance(record, Owned):
        return
    page = html_of(client.get(route.of(garden), follow=True))
    if re.search(r'<form method="post"(?![^>]*action)', page):
        assert seen_in(page) is not None, (
            f"{route.label}: make its form an OfRecord, or name it in ADDS"
        )
