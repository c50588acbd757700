"""A garden in which each word of the recipes is used, walked from the bench to a package and back.

Run by `test_recipes.py` in a copy in which the recipes were carried out; here no such words exist.
"""

from __future__ import annotations

import json
from datetime import date
from io import StringIO

import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.core.yields.measures import measure_yield
from kilter.ground.models import Place
from kilter.larder.account import account
from kilter.larder.ledger import larder
from kilter.larder.models import Crate, Using
from kilter.people.models import Change, Household
from kilter.records.facts import facts
from kilter.set_out.models import Planting
from kilter.weigh_in.models import WeighIn
from tests.conftest import event, html_of, plant, signed_in

pytestmark = pytest.mark.django_db


@pytest.fixture
def walked(garden, settings):
    """The test garden on a day in August, with a terrace of bulbils that are weighed as Show."""
    settings.KILTER_TODAY = "2026-08-10"
    mine = {"household": garden.household}
    garden.bed = Place.objects.create(
        **mine, site=garden.site, name="Terrace", kind="stone terrace", length_m=2, width_m=1
    )
    garden.plantings.append(
        plant(
            garden, garden.bed, "shallot", planted_on=date(2026, 3, 1), units=24, unit_kind="bulbil"
        )
    )
    client = signed_in(garden.owner)
    body = json.dumps({"events": [event(garden.plantings[-1], "1200 c24", "show")]})
    answer = client.post(reverse("weigh_in:events"), body, content_type="application/json").json()
    assert answer["refused"] == []
    garden.plantings[-1].finished_on = date(2026, 8, 10)
    garden.plantings[-1].save()
    return garden


@pytest.fixture
def client(walked):
    return signed_in(walked.owner)


def put_by(walked, client) -> Crate:
    crop = walked.crop.pk
    client.post(reverse("larder:put_by"), {f"to-{crop}-0-2026-show": "kind:cellar:fresh"})
    return Crate.objects.get(household=walked.household)


def test_the_bench_offers_the_grade_by_its_key_and_the_tape_shows_it(walked, client):
    page = html_of(client.get(reverse("weigh_in:bench")))
    assert 'data-grade="show" data-key="o"' in page
    assert (
        WeighIn.objects.get(household=walked.household, grade="show").get_grade_display() == "Show"
    )
    assert "Show" in html_of(client.get(reverse("atlas:planting", args=[walked.plantings[-1].pk])))


def test_the_grade_is_food_everywhere(walked, client):
    of = facts(walked.household, Planting.objects.filter(pk=walked.plantings[-1].pk))[0]
    measured = measure_yield(of.record, "kg_per_dozen")
    assert (measured.amount, measured.exposure, of.record.is_small_food) == (1.2, 2.0, False)
    assert (
        larder(walked.household, {2026}).of[walked.crop.pk, 2026].lifted_mg == 3_200_000 + 1_200_000
    )
    (of_crop,) = account(walked.household, 2026).crops
    assert of_crop.account.food_mg == 3_200_000 + 1_200_000
    assert "4.40 kg" in html_of(
        client.get(reverse("look_back:crop", args=[walked.crop.pk]), {"season": 2026})
    )


def test_the_use_is_offered_taken_and_told(walked, client):
    crate = put_by(walked, client)
    page = html_of(client.get(reverse("larder:crate", args=[crate.pk])))
    assert 'value="swapped"' in page
    assert 'data-use-key="p"' in page
    client.post(reverse("larder:use"), {"crate": crate.pk, "use": "swapped", "typed": "200 g"})
    assert Using.objects.get(household=walked.household).use == "swapped"
    assert larder(walked.household, {2026}).of[walked.crop.pk, 2026].used_mg["swapped"] == 200_000
    assert "swapped" in html_of(client.get(reverse("larder:index")))


def test_the_place_is_ground_and_the_unit_is_seed(walked, client):
    assert walked.bed.is_bed
    assert walked.plantings[-1].is_sown
    assert walked.plantings[-1].amount == "24 bulbils"
    assert 'value="terrace"' in html_of(client.get(reverse("ground:new_bed")))


def test_the_measure_is_asked_by(walked, client):
    asked = {
        "compare": "setting",
        "by": "kg_per_dozen",
        "crop": "shallot",
        "grades": ["show", "table"],
    }
    answer = client.get(reverse("weigh_up:index"), {**asked, "compare": "method:setting"})
    assert answer.status_code == 200
    assert "weight per dozen plants" in html_of(answer)


def test_every_room_opens(walked, client):
    put_by(walked, client)
    for name in (
        "today:index",
        "larder:index",
        "look_back:index",
        "next_year:index",
        "weigh_in:lines",
        "larder:weeks",
    ):
        assert client.get(reverse(name), follow=True).status_code == 200, name


def test_a_package_carries_the_words(walked, client, tmp_path):
    crate = put_by(walked, client)
    client.post(reverse("larder:use"), {"crate": crate.pk, "use": "swapped", "typed": "200 g"})
    call_command(
        "dump", str(tmp_path / "garden.zip"), household=walked.household.name, stdout=StringIO()
    )
    there = Household.objects.create(name="Another")
    call_command(
        "load",
        str(tmp_path / "garden.zip"),
        household=there.name,
        stdout=StringIO(),
        stderr=StringIO(),
    )
    assert WeighIn.objects.of(there).get(grade="show").mass_mg == 1_200_000
    assert Using.objects.of(there).get().use == "swapped"
    assert Planting.objects.of(there).get(unit_kind="bulbil").place.is_bed


def test_a_record_has_its_page_its_undo_and_its_table(walked, client, tmp_path):
    from kilter.larder.models import Tool  # made by the recipe

    assert "Add tool" in html_of(client.get(reverse("larder:new_tool")))
    client.post(reverse("larder:new_tool"), {"name": "dibber"})
    tool = Tool.objects.of(walked.household).get()
    page = reverse("larder:tool", args=[tool.pk])
    client.post(page, {"name": "long dibber"})
    assert "The tool long dibber" in html_of(client.get(page))
    call_command(
        "dump", str(tmp_path / "garden.zip"), household=walked.household.name, stdout=StringIO()
    )
    there = Household.objects.create(name="Another")
    call_command(
        "load",
        str(tmp_path / "garden.zip"),
        household=there.name,
        stdout=StringIO(),
        stderr=StringIO(),
    )
    assert Tool.objects.of(there).get().name == "long dibber"
    client.post(reverse("larder:strike", args=["tool", tool.pk]))
    assert not Tool.objects.of(walked.household).exists()
    client.post(reverse("people:undo", args=[Change.objects.latest("pk").pk]))
    assert Tool.objects.of(walked.household).exists()
