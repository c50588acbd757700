"""What happened, what was done and photographs: for many places at once, kept to the household."""

from __future__ import annotations

import io
from datetime import date

import pytest
from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from kilter.people.models import Role
from kilter.set_out.models import Crop, Planting
from kilter.tending.models import Happening, Job, Photo
from kilter.tending.pictures import MAX_SIDE_PX, plain_jpeg
from kilter.tending.queries import happened_to
from tests.conftest import html_of, member, signed_in, tiny_jpeg


@pytest.fixture
def potato(garden) -> Planting:
    crop = Crop.objects.create(household=garden.household, name="potato")
    return Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        part=garden.part,
        crop=crop,
        season=2026,
        units=4,
        planted_on=date(2026, 9, 1),
    )


def keys(kind, records):
    return [f"{kind}-{record.pk}" for record in records]


def test_one_happening_for_many_places(client, garden, open_planting):
    targets = [
        *keys("place", garden.crates),
        *keys("planting", [open_planting]),
        *keys("part", [garden.part]),
    ]
    sent = {
        "kind": "pest",
        "what": "slugs",
        "when": "about 20 November",
        "lost_percent": 15,
        "targets": targets,
    }
    page = html_of(client.post(reverse("tending:new"), sent, follow=True))
    assert "pest: slugs is noted for 6 places, about 20 November 2026" in page
    found = Happening.objects.of(garden.household).filter(what="slugs")
    assert found.count() == 6
    assert {entry.lost_share for entry in found} == {0.15}
    assert "Ours bed, Ours end" in page
    of_planting = {entry.target for entry in happened_to(garden.household, open_planting)}
    assert "shallot ‘Ours One’ in Ours bed" in of_planting


@pytest.mark.parametrize(
    ("happened", "is_told"),
    [
        ({"place": "bed"}, True),
        ({"site": "site"}, True),
        ({"part": "part"}, True),
        ({"place": "crate"}, False),
        ({"place": "bed", "day": date(2026, 1, 1)}, False),  # before it was planted
        (
            {"place": "bed", "day": date(2026, 1, 1), "until": date(2026, 11, 1)},
            True,
        ),  # lasted into its time
    ],
)
def test_a_planting_is_told_what_happened_around_it_in_its_time(
    garden, open_planting, happened, is_told
):
    records = {
        "bed": garden.bed,
        "site": garden.site,
        "part": garden.part,
        "crate": garden.crates[0],
    }
    given = {name: records.get(value, value) for name, value in happened.items()}
    entry = Happening.objects.create(
        household=garden.household, kind="frost", **{"day": date(2026, 10, 20), **given}
    )
    assert (entry in happened_to(garden.household, open_planting)) == is_told


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"targets": []}, "Pick at least one"),
        ({"targets": ["place-999999"]}, "not one of the available"),
        ({"lost_percent": 120}, "less than or equal to 100"),
        ({"when": "whenever"}, "no date that can be read"),
        ({"until": "2026-01-01"}, "cannot have ended"),
        ({"lost_each": "Ours crate 1: 40"}, "not among those chosen"),
        ({"kind": "magic"}, "not one of the available"),
    ],
)
def test_a_bad_happening_says_so_and_loses_nothing(client, garden, change, says):
    good = {
        "kind": "pest",
        "what": "keep this",
        "when": "yesterday",
        "targets": keys("place", [garden.bed]),
    }
    response = client.post(reverse("tending:new"), {**good, **change})
    assert response.status_code == 422
    page = html_of(response)
    assert says in page
    assert 'value="keep this"' in page
    if "targets" not in change:
        assert "checked" in page


@pytest.mark.parametrize("target", ["planting", "place", "part", "site"])
def test_a_cut_back_sets_the_day_to_lift_from_and_says_so(
    client, garden, potato, open_planting, target
):
    record = {"planting": potato, "place": garden.bed, "part": garden.part, "site": garden.site}[
        target
    ]
    sent = {
        "kind": "cut back",
        "what": "blight",
        "when": "20 November",
        "targets": keys(target, [record]),
    }
    page = html_of(client.post(reverse("tending:new"), sent, follow=True))
    assert "To be lifted from 4 December: 1 planting" in page
    potato.refresh_from_db()
    open_planting.refresh_from_db()
    assert (potato.lift_from, open_planting.lift_from) == (date(2026, 12, 4), None)
    today = html_of(client.get("/"))
    assert "Cut back; lift later" in today
    assert "4 December" in today
    assert "as local rules say" in html_of(client.get(reverse("atlas:planting", args=[potato.pk])))


def test_water_is_shared_by_volume_and_minutes_equally_to_the_last_drop(client, garden):
    crate = garden.crates[0]
    type(crate).objects.filter(pk=crate.pk).update(volume_l=90)
    sent = {
        "job": "Water",
        "when": "today",
        "minutes": 10,
        "litres": 20,
        "shared": "volume",
        "targets": keys("place", garden.crates[:3]),
    }
    client.post(reverse("tending:do"), sent)
    jobs = list(Job.objects.of(garden.household).order_by("pk"))
    assert [job.water_ml for job in jobs] == [10_000, 5_000, 5_000]
    assert sum(job.seconds for job in jobs) == 600
    assert {job.job for job in jobs} == {"water"}
    client.post(reverse("tending:do"), {**sent, "shared": "equal"})
    later = list(Job.objects.of(garden.household).order_by("pk"))[3:]
    assert sum(job.water_ml for job in later) == 20_000
    assert max(job.water_ml for job in later) - min(job.water_ml for job in later) <= 1


def test_a_job_is_ticked_off_today_for_many_places_at_once(client, garden):
    garlic = Crop.objects.create(household=garden.household, name="garlic")
    standing = [
        Planting.objects.create(
            household=garden.household,
            place=place,
            crop=garlic,
            season=2027,
            units=9,
            planted_on=date(2026, 10, 16),
        )
        for place in garden.crates[:3]
    ]
    page = html_of(client.get("/"))
    assert "Weed" in page
    assert "Ours crate 1–3" in page
    sent = {
        "job": "weed",
        "when": "2026-11-23",
        "back": "/",
        "targets": keys("planting", standing),
        "minutes": 9,
    }
    after = html_of(client.post(reverse("tending:do"), sent, follow=True))
    assert "<b>Weed</b>" not in after
    shown = html_of(client.get(reverse("atlas:planting", args=[standing[0].pk])))
    assert "3 minutes" in shown
    client.post(reverse("tending:do"), {**sent, "job": "feed", "is_skipped": "on"})
    assert Job.objects.filter(job="feed", is_skipped=True).count() == 3


def gps() -> bytes:
    exif = Image.Exif()
    exif[0x8825] = {1: "N", 2: (52.0, 24.0, 0.0)}  # GPS
    exif[0x010F] = "Camera"
    exif[0x0112] = 6  # lies on its side
    return exif.tobytes()


def test_a_photograph_loses_its_location_stands_upright_and_is_made_smaller(client, garden):
    raw = tiny_jpeg(size=(3000, 1000), exif=gps())
    assert b"Camera" in raw
    sent = {
        "photo": SimpleUploadedFile("a.jpg", raw),
        "day": "2026-08-01",
        "caption": "the best one",
    }
    client.post(reverse("tending:add_photo", args=["happening", garden.happening.pk]), sent)
    photo = Photo.objects.get(caption="the best one")
    assert (photo.width, photo.height) == (533, MAX_SIDE_PX)
    response = client.get(reverse("tending:photo", args=[photo.pk]))
    body = response.content
    with Image.open(io.BytesIO(body)) as kept:
        assert kept.size == (533, MAX_SIDE_PX)
        assert not kept.getexif()
    assert b"Camera" not in body
    assert response["Content-Type"] == "image/jpeg"
    assert "private" in response["Cache-Control"]


def test_a_photograph_is_for_its_household_alone(client, garden, other):
    stranger = signed_in(other.owner)
    assert stranger.get(reverse("tending:photo", args=[garden.photo.pk])).status_code == 404
    assert client.get(reverse("tending:photo", args=[garden.photo.pk])).status_code == 200


@pytest.mark.parametrize(
    "raw", [b"", b"GIF89a", b"<svg/>", tiny_jpeg()[:40], b"\x89PNG\r\n\x1a\n" + b"\0" * 40]
)
def test_what_is_no_picture_is_refused_with_a_sentence(client, garden, raw):
    with pytest.raises(ValidationError, match="no picture"):
        plain_jpeg(io.BytesIO(raw))
    sent = {
        "photo": SimpleUploadedFile("a.jpg", raw or b" "),
        "day": "2026-08-01",
        "caption": "kept",
    }
    response = client.post(
        reverse("tending:add_photo", args=["planting", garden.plantings[0].pk]), sent
    )
    assert response.status_code == 422
    assert "no picture that can be read" in html_of(response)


def test_a_helper_keeps_a_photograph_with_a_line_of_the_tape(garden):
    helper = signed_in(member(garden.household, "helper", Role.HELPER))
    line = garden.lines[0]
    page = html_of(helper.get(reverse("weigh_in:photo", args=[line.pk])))
    assert ">Save</button>" in page
    sent = {
        "photo": SimpleUploadedFile("a.jpg", tiny_jpeg()),
        "day": "2026-08-04",
        "caption": "the lot of it",
    }
    assert helper.post(reverse("weigh_in:photo", args=[line.pk]), sent).status_code == 302
    assert [photo.caption for photo in line.photos.all()] == ["the lot of it"]
    shown = html_of(helper.get(reverse("atlas:planting", args=[line.planting_id])))
    assert "the lot of it" in shown
