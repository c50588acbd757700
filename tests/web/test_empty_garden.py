"""A garden that is just begun: each page teaches its one next step,
and offers no form that cannot be filled.
"""

from __future__ import annotations

import pytest

from kilter.ground.models import Place, Site
from kilter.people.models import Household
from tests.conftest import html_of, member

SITE, CONTAINERS, SET_OUT = "/ground/sites/new", "/ground/sets/new", "/set-out/new"


@pytest.fixture
def begun(client, db):
    household = Household.objects.create(name="New")
    client.force_login(member(household, "New-owner"))
    return client, household


def main_of(client, path):
    return html_of(client.get(path, follow=True)).partition("<main")[2].partition("<footer")[0]


FORMS = {
    "/happenings/new": "site",
    "/happenings/do": "site",
    "/happenings/repeat": "site",
    "/weigh-in/remember": "planting",
    "/weigh-up/trials/new": "place",
    "/weigh-up/trials/afterwards": "planting",
    "/weigh-up/crowding": "planting",
}


@pytest.mark.parametrize("path", FORMS)
def test_a_form_waits_for_what_it_is_about(begun, path):
    client, household = begun
    assert SITE in main_of(client, path)
    assert "<form" not in main_of(client, path)
    site = Site.objects.create(household=household, name="Yard")
    if FORMS[path] != "site":
        assert CONTAINERS in main_of(client, path)
        Place.objects.create(household=household, site=site, kind="bed", name="Bed")
    if FORMS[path] == "planting":
        assert SET_OUT in main_of(client, path)
        assert "<form" not in main_of(client, path)
    else:
        assert "<form" in main_of(client, path)


def test_ground_and_set_out_lead_from_nothing_to_the_first_planting(begun):
    client, household = begun
    assert main_of(client, "/ground/").count("btn-main") == 1
    assert SITE in main_of(client, "/ground/")
    assert SITE in main_of(client, "/set-out/")
    assert SET_OUT not in main_of(client, "/set-out/")
    site = Site.objects.create(household=household, name="Yard")
    assert CONTAINERS in main_of(client, "/ground/")
    assert CONTAINERS in main_of(client, "/set-out/")
    Place.objects.create(household=household, site=site, kind="bed", name="Bed")
    assert SET_OUT in main_of(client, "/set-out/")
    assert "<form" not in main_of(client, "/weigh-in/lines"), "nothing to narrow down"
