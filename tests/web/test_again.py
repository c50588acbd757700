"""A season's plantings planned once more: what each gave, what was decided, ticked and changed."""

from __future__ import annotations

import re
from datetime import date

import pytest
from django.urls import reverse

from kilter.look_back.models import Decision
from kilter.plans.models import PlannedPlanting
from tests.conftest import event, html_of, plant

AGAIN = reverse("next_year:again")


@pytest.fixture
def leeks(garden, send):
    """30 leeks in the bed from 20 April, of which 4 kg came."""
    leeks = plant(garden, garden.bed, "leek", units=30, planted_on=date(2026, 4, 20))
    assert not send(event(leeks, "4000", at="2026-10-20T09:00:00+00:00"))["refused"]
    Decision.objects.create(
        household=garden.household,
        season=2026,
        aim="more",
        crop=leeks.crop,
        percent=50,
        reason="gone by Christmas",
    )
    return leeks


def planned(garden):
    return PlannedPlanting.objects.of(garden.household).order_by("pk")


def test_a_planting_is_planned_again_with_what_was_changed(client, garden, leeks):
    page = html_of(client.get(AGAIN))
    assert "gave 4.000 kg" in page
    assert "gone by Christmas" in page
    assert re.search(r"family stands? in Ours bed into that year: leek", page), "until April"
    said = {
        f"on-{leeks.pk}": "on",
        f"n-{leeks.pk}": "45",
        f"s-{leeks.pk}": "7",
        f"p-{leeks.pk}": garden.crates[0].pk,
        "later": "15",
    }
    assert client.post(AGAIN, said).url == reverse("next_year:planned")
    (one,) = planned(garden)
    assert (one.crop, one.place, one.plants) == (leeks.crop, garden.crates[0], 45)
    assert (one.start, one.is_pinned) == (8, True)  # late April and fifteen days: early May
    assert one.plan.season == 2027
    assert "45 leek" in html_of(client.get(reverse("next_year:planned")))
    client.post(AGAIN, said)
    assert planned(garden).count() == 1, "pressed twice it is planned once"


def test_left_as_it_was_it_stands_as_it_stood(client, garden, leeks):
    """From late April; a leek of 20 April is good until the middle of April after."""
    client.post(AGAIN, {f"on-{leeks.pk}": "on"})
    (one,) = planned(garden)
    assert (one.place, one.plants, one.start, one.end) == (garden.bed, 30, 7, 23)


def test_nothing_ticked_and_odd_numbers_are_refused_beside_the_form(client, garden, leeks):
    response = client.post(AGAIN, {"later": ""})
    assert response.status_code == 422
    assert "Tick what is to come again." in html_of(response)
    response = client.post(AGAIN, {f"on-{leeks.pk}": "on", f"n-{leeks.pk}": "0"})
    assert response.status_code == 422
    assert not planned(garden).exists()


def test_a_season_with_nothing_in_it_says_so(client, garden):
    assert "Nothing was set out in 2001" in html_of(client.get(f"{AGAIN}?season=2001"))
    assert client.get(f"{AGAIN}?season=x").status_code == 200
