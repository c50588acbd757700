"""A few letters find any planting, place or variety of the household, and nothing of another."""

from __future__ import annotations

import pytest
from django.urls import reverse

from kilter.find.queries import find
from kilter.plans.models import Plan, PlannedCrop, Wish
from tests.conftest import html_of


@pytest.mark.parametrize(
    ("words", "kinds"),
    [
        ("crate", {"place", "planting"}),
        ("CRATE 3", {"place", "planting"}),
        ("One", {"variety", "planting", "seed lot"}),
        ("Ours lot", {"seed lot", "variety", "planting"}),
        ("drought ours", {"happening"}),
        ("shallot 2026 autumn", {"planting"}),
        ("bed", {"place"}),
        ("quince", set()),
        ("   ", set()),
    ],
)
def test_every_word_must_be_found(garden, words, kinds):
    assert {one.kind for one in find(garden.household, words)} == kinds


def test_a_number_narrows_to_one_pot(garden):
    labels = [one.label for one in find(garden.household, "crate 3") if one.kind == "place"]
    assert labels == ["Ours crate 3"]


def test_nothing_of_another_household_is_found(garden, other):
    assert find(garden.household, "Theirs") == []


def test_page_and_fragment(client, garden):
    page = html_of(client.get(reverse("find:index"), {"q": "crate"}))
    part = html_of(
        client.get(reverse("find:index"), {"q": "crate"}, headers={"HX-Request": "true"})
    )
    assert "<html" in page
    assert "<html" not in part
    for address in {one.address for one in find(garden.household, "crate")}:
        assert address in part
        assert client.get(address).status_code == 200
    assert "Try fewer letters" in html_of(client.get(reverse("find:index"), {"q": "quince"}))
    assert client.get(reverse("find:index"), {"q": "x" * 200}).status_code == 200


def test_what_is_planned_and_wished_for_is_found(garden):
    plan = Plan.objects.create(household=garden.household, season=2027, is_chosen=True)
    PlannedCrop.objects.create(household=garden.household, plan=plan, crop=garden.crop)
    Wish.objects.create(household=garden.household, crop_name="oca", said_by="Wen")
    (planned,) = (one for one in find(garden.household, "shallot 2027") if one.kind == "planned")
    assert planned.address.endswith(f"?plan={plan.pk}")
    assert [one.kind for one in find(garden.household, "oca wen")] == ["wish"]
