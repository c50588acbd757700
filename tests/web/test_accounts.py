"""Passwords, sign-ins, roles and links: each way back in, and nobody kept in who should be out."""

from __future__ import annotations

import re

import pytest
from django.contrib.auth.hashers import get_hasher
from django.core.cache import cache
from django.test import Client
from django.urls import reverse

from kilter.people.models import Household, Invite, Membership, Role, SignIn, User
from tests.conftest import PASSWORD, html_of, member, signed_in

NEW = "green twine over 4"


@pytest.fixture
def ada(garden) -> User:
    return member(garden.household, "Ada", Role.HELPER)


def sign_in(name: str, password: str = PASSWORD, client: Client | None = None) -> Client:
    client = client or Client()
    client.post(reverse("people:sign_in"), {"username": name, "password": password})
    return client


def is_in(client: Client) -> bool:
    return client.get(reverse("today:index")).status_code == 200


@pytest.mark.parametrize("typed", ["Ada", "ada", "ADA"])
def test_a_name_is_the_same_in_any_case(ada, typed):
    assert is_in(sign_in(typed))


def test_two_of_before_whose_names_differ_only_in_case_each_sign_in_as_written(ada, garden):
    member(garden.household, "ADA", Role.HELPER)
    assert [is_in(sign_in(typed)) for typed in ("Ada", "ADA", "ada")] == [True, True, False]


def test_nobody_is_called_like_somebody_else_but_for_the_case(ada):
    said = {
        "username": "aDa",
        "household_name": "x",
        "time_zone": "UTC",
        "password1": NEW,
        "password2": NEW,
    }
    assert "Somebody is called that here already" in html_of(
        Client().post(reverse("people:sign_up"), said)
    )


@pytest.mark.parametrize("password", ["12345678901234", "password123", "short 1"])
def test_a_weak_password_is_refused_with_the_reason(db, password):
    said = {
        "username": "x",
        "household_name": "x",
        "time_zone": "UTC",
        "password1": password,
        "password2": password,
    }
    answer = Client().post(reverse("people:sign_up"), said)
    assert answer.status_code == 422
    assert 'class="problem"' in html_of(answer)


def test_a_changed_password_signs_the_others_out_and_keeps_this_one(ada):
    here, there = sign_in("ada"), sign_in("ada")
    said = {"old_password": PASSWORD, "new_password1": NEW, "new_password2": NEW}
    assert here.post(reverse("people:account"), said).status_code == 302
    assert (is_in(here), is_in(there)) == (True, False)
    assert not is_in(sign_in("ada"))
    assert is_in(sign_in("ada", NEW))
    wrong = here.post(reverse("people:account"), said)
    assert wrong.status_code == 422


def test_one_sees_where_one_is_signed_in_and_ends_it(ada, garden):
    here, there = sign_in("ada"), sign_in("ada")
    page = html_of(here.get(reverse("people:account")))
    assert page.count("(here)") == 1
    other = SignIn.objects.get(session_key=there.cookies["sessionid"].value)
    stranger = signed_in(garden.owner)
    assert stranger.post(reverse("people:end_sign_in", args=[other.pk])).status_code == 404
    here.post(reverse("people:end_sign_in", args=[other.pk]))
    assert (is_in(here), is_in(there)) == (True, False)


def test_signing_out_everywhere_ends_what_is_not_on_record_too(ada):
    here, there = sign_in("ada"), sign_in("ada")
    SignIn.objects.all().delete()  # sessions from before they were written down
    here.post(reverse("people:sign_out_everywhere"))
    assert not is_in(here)
    assert not is_in(there)
    assert is_in(sign_in("ada"))


def test_an_owner_makes_a_link_to_a_new_password_that_works_once(ada, client, garden):
    old = sign_in("ada")
    mine = Membership.objects.get(user=ada)
    page = html_of(client.post(reverse("people:make_password_link", args=[mine.pk]), follow=True))
    link = re.search(r'id="password-link">([^<]+)<', page)[1]
    assert 'id="password-link"' not in html_of(
        client.get(reverse("people:household"))
    )  # shown once
    fresh = Client()
    assert fresh.post(link, {"new_password1": NEW, "new_password2": NEW}).status_code == 302
    assert (is_in(fresh), is_in(old)) == (True, False)
    again = Client().get(link)
    assert again.status_code == 404
    assert "was used or has run out" in html_of(again)
    assert Client().get(reverse("people:set_password", args=["x", "y"])).status_code == 404


def test_a_household_keeps_an_owner_and_another_may_be_made(ada, client, garden):
    own, hers = Membership.objects.get(user=garden.owner), Membership.objects.get(user=ada)
    last = client.post(reverse("people:change_role", args=[own.pk]), {"role": "helper"})
    assert last.status_code == 403
    assert "keeps at least one owner" in html_of(last)
    assert client.post(reverse("people:leave")).status_code == 403
    client.post(reverse("people:change_role", args=[hers.pk]), {"role": "owner"})
    client.post(reverse("people:leave"))
    assert not Membership.objects.filter(user=garden.owner).exists()
    hers.refresh_from_db()
    assert hers.is_owner


def test_who_left_comes_in_again_by_a_link_with_the_same_name(ada, client, garden):
    hers = sign_in("ada")
    hers.post(reverse("people:leave"))
    invite = Invite.objects.create(household=garden.household, role=Role.ONLOOKER)
    hers = sign_in("ada")
    assert hers.get(reverse("today:index")).status_code == 403
    link = reverse("people:join", args=[invite.token])
    assert "with the name you have" in html_of(hers.get(link))
    hers.post(link)
    assert Membership.objects.get(user=ada).role == Role.ONLOOKER
    assert is_in(hers)


def test_a_link_to_join_is_listed_and_can_be_withdrawn(client, garden):
    client.post(reverse("people:invite"), {"role": "helper"})
    page = html_of(client.get(reverse("people:household")))
    assert "not used yet" in page
    invite = Invite.objects.get(household=garden.household)
    client.post(reverse("people:withdraw_invite", args=[invite.pk]))
    assert Client().get(reverse("people:join", args=[invite.token])).status_code == 404


@pytest.mark.parametrize(
    ("mode", "first", "later"), [("open", 200, 200), ("invite", 200, 403), ("closed", 403, 403)]
)
def test_who_may_begin_a_garden_here(db, settings, mode, first, later):
    settings.KILTER_SIGNUP = mode
    assert Client().get(reverse("people:sign_up")).status_code == first
    User.objects.create_user("somebody")
    answer = Client().get(reverse("people:sign_up"))
    assert answer.status_code == later
    page = html_of(Client().get(reverse("people:sign_in")))
    assert ("Start one" in page) == (later == 200)
    assert Household.objects.count() == 0


def test_wrong_passwords_are_counted_by_name_and_address(ada, settings):
    settings.AXES_ENABLED = True
    cache.clear()
    client = Client()
    address = reverse("people:sign_in")
    for _ in range(settings.AXES_FAILURE_LIMIT - 1):
        assert client.post(address, {"username": "ada", "password": "wrong"}).status_code == 200
    locked = client.post(address, {"username": "ada", "password": "wrong"})
    assert locked.status_code == 429
    assert "Too many wrong passwords" in html_of(locked)
    assert client.post(address, {"username": "ada", "password": PASSWORD}).status_code == 429
    elsewhere = Client(REMOTE_ADDR="192.0.2.9")
    elsewhere.post(address, {"username": "ada", "password": PASSWORD})
    assert is_in(elsewhere)


def test_the_real_hasher_is_argon2_and_takes_a_few_at_a_time(settings):
    settings.PASSWORD_HASHERS = ["kilter.people.signing_in.PatientHasher"]
    hasher = get_hasher("default")
    encoded = hasher.encode(NEW, "salt and more")
    assert encoded.startswith("argon2$")
    assert hasher.verify(NEW, encoded)


def test_what_is_ones_own_is_kept_by_no_cache_and_by_no_other_site(client, garden):
    page = client.get(reverse("today:index"))
    assert page["Cache-Control"] == "no-store"
    assert page["Cross-Origin-Resource-Policy"] == "same-origin"
    assert "geolocation=()" in page["Permissions-Policy"]
    assert "no-store" in client.get(reverse("weigh_in:read"), {"typed": "940"})["Cache-Control"]


def test_a_strangers_large_body_is_refused_before_it_is_read(db):
    answer = Client().post(reverse("people:sign_in"), {"username": "x" * 70_000, "password": "y"})
    assert answer.status_code == 413
    small = Client().post(reverse("people:sign_in"), {"username": "x" * 7_000, "password": "y"})
    assert small.status_code == 200


def test_it_says_that_it_is_well(db):
    assert Client().get("/healthz").content == b"ok"
    assert Client().head("/healthz").status_code == 200
