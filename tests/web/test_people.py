"""Signing up, in and out, the household's page, and how things are shown."""

from __future__ import annotations

import pytest
from django.test import Client
from django.urls import reverse

from kilter.people.models import Household, Membership, User
from tests.conftest import PASSWORD, html_of, member

NEW = {
    "username": "wren",
    "household_name": "Wall Garden",
    "time_zone": "Europe/Paris",
    "password1": "rope and slate 9",
    "password2": "rope and slate 9",
}


def test_sign_up_makes_a_household_of_ones_own(db):
    client = Client()
    assert client.post(reverse("people:sign_up"), NEW).status_code == 302
    assert Membership.objects.get(user__username="wren").household.name == "Wall Garden"
    page = html_of(client.get("/"))
    assert "Name the first site" in page


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"password2": "other"}, "match"),
        ({"password1": "short", "password2": "short"}, "too short"),
        ({"time_zone": "Mars/Olympus"}, "Select a valid choice"),
        ({"household_name": ""}, "required"),
        ({"username": "no spaces please"}, "valid username"),
    ],
)
def test_bad_sign_up_says_so_beside_the_field_and_keeps_the_rest(db, change, says):
    response = Client().post(reverse("people:sign_up"), {**NEW, **change})
    assert response.status_code == 422
    assert says in html_of(response)
    assert User.objects.count() == Household.objects.count() == 0


def test_sign_in_and_out_clears_the_browser(garden):
    client = Client()
    client.post(
        reverse("people:sign_in"), {"username": garden.owner.username, "password": PASSWORD}
    )
    assert client.get("/").status_code == 200
    response = client.post(reverse("people:sign_out"))
    assert "storage" in response["Clear-Site-Data"]
    assert client.get("/").status_code == 302


def test_household_settings_and_the_last_owner_stays(client, garden):
    data = {
        "name": "New name",
        "time_zone": "Asia/Tokyo",
        "default_unit": "lb",
        "is_imperial": "on",
    }
    data |= {"date_order": "dmy", "sure_fold": 12}
    assert client.post(reverse("people:household"), data).status_code == 302
    garden.household.refresh_from_db()
    assert (garden.household.name, garden.household.default_unit) == ("New name", "lb")
    own = reverse("people:remove_member", args=[garden.owner.membership.pk])
    assert client.post(own).status_code == 403
    helper = member(garden.household, "helper", "helper")
    assert (
        client.post(reverse("people:remove_member", args=[helper.membership.pk])).status_code == 302
    )
    assert not Membership.objects.filter(user=helper).exists()


def test_invite_link_is_shown_once(client):
    page = client.post(reverse("people:invite"), {"role": "onlooker"}, follow=True)
    assert "/join/" in html_of(page)
    assert "/join/" not in html_of(client.get(reverse("people:household")))


def test_units_one_press_apart_with_sums_unchanged(client, garden):
    before = html_of(client.get(reverse("next_year:index")))
    assert "kg" in before
    client.post(reverse("look"), {"units": "imperial", "back": "/next-year/"})
    assert " lb" in html_of(client.get(reverse("next_year:index")))


@pytest.mark.parametrize(
    "back", ["https://elsewhere.example/", "//elsewhere.example", "javascript:alert(1)"]
)
def test_look_never_leads_elsewhere(client, back):
    assert client.post(reverse("look"), {"mode": "sun", "back": back})["Location"] == "/"


def test_a_user_without_household_is_told(db):
    client = Client()
    client.force_login(User.objects.create_user("nobody"))
    response = client.get("/")
    assert response.status_code == 403
    assert "ask an owner" in html_of(response)
