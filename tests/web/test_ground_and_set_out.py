"""Making the ground, planting by the sentence, changing, finishing, striking and putting back."""

from __future__ import annotations

import pytest
from django.test import Client
from django.urls import reverse

from kilter.ground.models import Place, Site
from kilter.people.models import Change
from kilter.set_out.models import Crop, Planting
from kilter.set_out.queries import lanes, plantings_of
from kilter.set_out.wording import name_places
from tests.conftest import TODAY, html_of

SET = {
    "kind": "crock",
    "name": "Crock",
    "first_number": 1,
    "how_many": 14,
    "volume_l": 32,
    "gap_m": 0.6,
    "per_row": 7,
}
SENTENCE = {
    "units": "24",
    "unit_kind": "clove",
    "crop_name": "Garlic",
    "variety_name": "Old Hemp",
    "lot_name": "own 2025",
    "planted": "2026-10-16",
    "season": "2027",
    "in_row_cm": "15",
    "row_gap_cm": "30",
    "methods_text": "mulch=straw; setting=autumn",
}


def undo_last(client: Client):
    """As the Undo of the last message does."""
    return client.post(
        reverse("people:undo", args=[Change.objects.first().pk]), {"back": "/changes"}, follow=True
    )


def test_a_numbered_set_in_one_step(client: Client, garden):
    data = {**SET, "site": garden.site.pk, "x_m": 1, "y_m": 2, "material": "glazed"}
    assert client.post(reverse("ground:new_set"), data).status_code == 302
    crocks = list(Place.objects.of(garden.household).filter(name="Crock").order_by("number"))
    assert [c.number for c in crocks] == list(range(1, 15))
    assert (crocks[7].x_m, crocks[7].y_m) == (1, 2.6)
    again = client.post(reverse("ground:new_set"), data)
    assert again.status_code == 422
    assert "There is a Crock 1 already" in html_of(again)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"how_many": 0}, "greater than or equal to 1"),
        ({"how_many": 5000}, "less than or equal to 200"),
        ({"volume_l": -3}, "greater than or equal to"),
        ({"volume_l": ""}, "required"),
        ({"volume_l": "much"}, "Enter a number"),
        ({"name": ""}, "required"),
    ],
)
def test_a_bad_set_says_so_and_loses_nothing(client: Client, garden, change, says):
    response = client.post(
        reverse("ground:new_set"), {**SET, "site": garden.site.pk, "material": "slatted", **change}
    )
    assert response.status_code == 422
    assert says in html_of(response)
    assert 'value="slatted"' in html_of(response)


def test_a_place_is_changed_struck_and_put_back(client: Client, garden):
    bed = garden.bed
    data = {
        "site": garden.site.pk,
        "kind": "raised bed",
        "name": "Long bed",
        "length_m": 5.2,
        "width_m": 1.1,
    }
    client.post(reverse("ground:place", args=[bed.pk]), data)
    bed.refresh_from_db()
    assert (bed.name, bed.area_m2) == ("Long bed", pytest.approx(5.72))
    page = html_of(client.post(reverse("ground:strike", args=["place", bed.pk]), follow=True))
    assert "Undo" in page
    assert not Place.objects.of(garden.household).filter(pk=bed.pk).exists()
    undo_last(client)
    assert Place.objects.of(garden.household).filter(pk=bed.pk).exists()


def test_a_site_with_places_is_kept_and_an_empty_one_goes(client: Client, garden):
    refused = client.post(reverse("ground:strike", args=["site", garden.site.pk]), follow=True)
    assert "strike those first" in html_of(refused)
    client.post(reverse("ground:new_site"), {"name": "Balcony"})
    balcony = Site.objects.get(name="Balcony")
    client.post(reverse("ground:strike", args=["site", balcony.pk]))
    assert not Site.objects.of(garden.household).filter(pk=balcony.pk).exists()
    undo_last(client)
    assert Site.objects.of(garden.household).filter(pk=balcony.pk).exists()


def test_a_crop_the_handbook_does_not_know_is_asked_what_it_is_like(client: Client, garden):
    said = {**SENTENCE, "crop_name": "oca", "places": [f"place-{garden.bed.pk}"]}
    asked = client.post(reverse("set_out:new"), said)
    assert asked.status_code == 422
    assert "The handbook does not know “oca”" in html_of(asked)
    assert client.post(reverse("set_out:new"), {**said, "like": "sunchoke"}).status_code == 302
    oca = Crop.objects.get(name="oca")
    assert oca.in_handbook.name == "sunchoke"
    assert (
        client.post(reverse("set_out:new"), {**said, "season": "2028"}).status_code == 302
    )  # asked once


@pytest.mark.parametrize(
    ("typed", "crop"), [("Peas", "pea"), ("SHALLOTS", "shallot"), ("spuds", "spuds")]
)
def test_one_or_many_of_a_crop_is_the_same_crop(client: Client, garden, typed, crop):
    Crop.objects.create(household=garden.household, name="pea")
    said = {
        **SENTENCE,
        "crop_name": typed,
        "variety_name": "",
        "lot_name": "",
        "places": [f"place-{garden.bed.pk}"],
    }
    assert client.post(reverse("set_out:new"), said).status_code == 302
    assert Planting.objects.latest("pk").crop.name == crop
    assert Planting.objects.latest("pk").crop.in_handbook is not None


def test_one_sentence_plants_in_each_of_a_set(client: Client, garden):
    places = [f"place-{crate.pk}" for crate in garden.crates[:3]]
    assert client.post(reverse("set_out:new"), {**SENTENCE, "places": places}).status_code == 302
    planted = list(Planting.objects.of(garden.household).filter(season=2027))
    assert len(planted) == 3
    first = planted[0]
    assert (first.units, first.crop.name, first.variety.name, first.in_row_m) == (
        24,
        "Garlic",
        "Old Hemp",
        0.15,
    )
    assert {str(tag) for tag in first.methods.all()} == {"mulch=straw", "setting=autumn"}
    (lane,) = lanes(plantings_of(garden.household, 2027), TODAY)
    assert lane.places == "Ours crate 1–3"
    assert lane.units == 72


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"places": []}, "Pick at least one place"),
        ({"units": "0"}, "greater than or equal to 1"),
        ({"units": "a dozen"}, "whole number"),
        ({"planted": "some May"}, "no date that can be read"),
        ({"methods_text": "straw"}, "no method"),
        ({"methods_text": "a=1;a=2"}, "said twice"),
        ({"crop_name": ""}, "required"),
        ({"season": "12"}, "greater than or equal to 1900"),
        ({"in_row_cm": "-4"}, "greater than or equal to"),
    ],
)
def test_a_bad_sentence_says_so_in_its_gap_and_loses_nothing(client: Client, garden, change, says):
    data = {**SENTENCE, "places": [f"place-{garden.bed.pk}"], **change}
    response = client.post(reverse("set_out:new"), data)
    assert response.status_code == 422
    page = html_of(response)
    assert says in page
    assert 'value="own 2025"' in page
    if "places" not in change:
        assert "checked" in page
    assert not Planting.objects.filter(season=2027).exists()


def test_an_unknown_variety_stays_unknown(client: Client, garden):
    client.post(
        reverse("set_out:new"),
        {**SENTENCE, "variety_name": " ", "places": [f"place-{garden.bed.pk}"]},
    )
    planting = Planting.objects.get(season=2027)
    assert planting.variety is None
    assert "variety unknown" in planting.label


def test_a_planting_is_changed_finished_reopened_struck_and_put_back(
    client: Client, garden, open_planting
):
    page = reverse("set_out:planting", args=[open_planting.pk])
    changed = {**SENTENCE, "place": garden.bed.pk, "season": "2026", "finished_on": ""}
    assert client.post(page, changed).status_code == 302
    open_planting.refresh_from_db()
    assert (open_planting.crop.name, open_planting.units) == ("Garlic", 24)

    finish = reverse("set_out:finish", args=[open_planting.pk])
    early = client.post(finish, {"finished_on": "2020-01-01"}, follow=True)
    assert "cannot be done on" in html_of(early)
    nonsense = client.post(finish, {"finished_on": "soon"}, follow=True)
    assert "as a date" in html_of(nonsense)
    done = client.post(finish, {"finished_on": "2026-11-20"}, follow=True)
    assert "Undo" in html_of(done)
    client.post(reverse("set_out:reopen", args=[open_planting.pk]))
    open_planting.refresh_from_db()
    assert open_planting.finished_on is None

    client.post(reverse("set_out:strike", args=["planting", open_planting.pk]))
    assert client.get(page).status_code == 404
    undo_last(client)
    assert client.get(page).status_code == 200


def test_a_finish_before_the_planting_is_refused_beside_its_field(
    client: Client, garden, open_planting
):
    data = {**SENTENCE, "place": garden.bed.pk, "season": "2026", "finished_on": "2026-01-01"}
    response = client.post(reverse("set_out:planting", args=[open_planting.pk]), data)
    assert response.status_code == 422
    assert "It cannot be done on" in html_of(response)


def test_places_are_named_together(garden):
    assert name_places([garden.plantings[i] for i in (0, 1, 3)]) == "Ours crate 1–2, 4"


def test_empty_pages_teach_the_next_step(db):
    client = Client()
    client.post(
        reverse("people:sign_up"),
        {
            "username": "n",
            "household_name": "Bare",
            "time_zone": "UTC",
            "password1": "rope and slate 9",
            "password2": "rope and slate 9",
        },
    )
    for address, step in (
        ("/ground/", "Name the first site"),
        ("/set-out/", "Nothing was set out"),
        ("/weigh-in/", "There is nothing to weigh yet"),
        ("/weigh-up/", "needs two finished plantings"),
        ("/next-year/", "Name a crop below"),
    ):
        assert step in html_of(client.get(address))
    assert client.get("/set-out/new")["Location"] == "/ground/"
    assert client.get("/ground/sets/new")["Location"] == "/ground/sites/new"


def test_another_like_it_follows_with_the_next_number(client, garden):
    """A bed 3 m by 1.2 m: the next one is filled as it was, once, and numbered on."""
    address = reverse("ground:new_bed")
    said = {
        "site": garden.site.pk,
        "kind": "bed",
        "name": "Long bed",
        "number": 4,
        "length_m": 3,
        "width_m": 1.2,
        "volume_unit": "L",
    }
    assert client.post(address, {**said, "another": "on"}).url == address
    form = client.get(address).context["form"]
    assert [form[name].value() for name in ("name", "number", "length_m")] == ["Long bed", 5, "3"]
    again = client.get(address).context["form"]
    assert again["name"].value() == "Bed", "a page opened later begins anew"
    assert client.post(address, said).url == reverse("atlas:index")
    page = html_of(client.get(reverse("ground:place", args=[garden.bed.pk])))
    assert "another like it" not in page, "what is changed is not made"
