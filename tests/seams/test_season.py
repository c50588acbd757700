"""A planting belongs to the year in which it is expected to be lifted most."""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.exchange.loading import load
from kilter.set_out.forms import NOTHING_LIKE
from kilter.set_out.models import Planting
from tests.conftest import html_of


@pytest.mark.parametrize(
    ("crop", "planted", "season"),
    [
        ("radish", "3 September 2026", 2026),  # 25 to 35 days: eaten on 5 October
        ("garlic", "20 October 2026", 2027),
        ("leek", "10 April 2026", 2026),  # though it may stand until spring
        ("moon pea", "3 September 2026", 2027),  # of days unknown
        ("moon pea", "3 May 2026", 2026),
    ],
)
def test_the_season_is_that_of_the_middle_of_the_window(client, garden, crop, planted, season):
    said = {
        "crop_name": crop,
        "units": 20,
        "unit_kind": "plant",
        "planted": planted,
        "places": [f"place-{garden.bed.pk}"],
        "like": NOTHING_LIKE if crop == "moon pea" else "",
    }
    answer = client.post(reverse("set_out:new"), said)
    assert answer.status_code == 302, html_of(answer)
    assert Planting.objects.get(crop__name=crop).season == season


def test_what_may_belong_to_either_year_is_asked_about(client, garden):
    said = {
        "crop_name": "spinach",
        "units": 20,
        "unit_kind": "plant",
        "planted": "8 November 2026",
        "places": [f"place-{garden.bed.pk}"],
    }
    page = html_of(client.post(reverse("set_out:new"), said))
    assert "of which year is that harvest?" in page
    assert client.post(reverse("set_out:new"), {**said, "season": "2027"}).status_code == 302
    assert Planting.objects.get(crop__name="spinach").season == 2027


def test_a_package_without_seasons_takes_the_middle(garden, tmp_path):
    (tmp_path / "plantings.csv").write_text(
        "id,place,crop,planted_on,units,unit_kind,finished_on\n"
        f"x,{garden.bed.ref},radish,2026-09-03,20,seed,\n"
        f"y,{garden.bed.ref},garlic,2026-10-20,20,clove,\n"
    )
    loaded = load(tmp_path, garden.household)
    assert loaded.problems == ()
    seasons = dict(Planting.objects.filter(ref__in="xy").values_list("ref", "season"))
    assert seasons == {"x": 2026, "y": 2027}


def test_a_finishing_day_ahead_in_a_package_says_until_when_it_stands(garden, tmp_path):
    (tmp_path / "plantings.csv").write_text(
        "id,place,crop,season,planted_on,units,unit_kind,finished_on\n"
        f"x,{garden.bed.ref},leek,2026,2026-04-10,20,plant,2027-03-01\n"
    )
    assert load(tmp_path, garden.household).problems == ()
    leek = Planting.objects.get(ref="x")
    assert (leek.finished_on, leek.until) == (None, date(2027, 3, 1))
