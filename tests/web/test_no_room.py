"""Where nothing can be written it is said plainly and nothing half written is left;
licences beside what ships.
"""

from __future__ import annotations

import errno
import json
import stat
import threading
import time
from pathlib import Path

import pytest
from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.storage import FileSystemStorage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.urls import reverse

from kilter.ground.models import Site
from kilter.tending import pictures
from kilter.tending.models import Photo, WholeFiles
from kilter.weigh_in.models import WeighIn, new_client_id
from tests.conftest import html_of, tiny_jpeg

STATIC = Path(__file__).resolve().parents[2] / "kilter" / "site" / "static" / "kilter"


@pytest.fixture
def plain(client) -> Client:
    client.raise_request_exception = False
    client.get("/")
    return client


@pytest.fixture
def full(transactional_db, garden):
    """A database that has no room for another page."""
    with connection.cursor() as cursor:
        cursor.execute("VACUUM")  # what other tests left free would be room too
        cursor.execute("PRAGMA max_page_count")
        before = cursor.fetchone()[0]
        cursor.execute("PRAGMA page_count")
        cursor.execute(f"PRAGMA max_page_count = {cursor.fetchone()[0]}")
    yield
    with connection.cursor() as cursor:
        cursor.execute(f"PRAGMA max_page_count = {before}")


def test_a_full_disk_is_said_and_what_was_there_stays(plain, garden, open_planting, full):
    answers = []
    for number in range(400):
        answers.append(
            plain.post(
                reverse("ground:new_site"),
                {"name": f"Slope {number}" + "x" * 60, "notes": "x" * 900},
            )
        )
        if answers[-1].status_code == 507:
            break
    assert answers[-1].status_code == 507
    page = html_of(answers[-1])
    assert "The disk of this server is full" in page
    assert "Everything written before is there" in page
    assert Site.objects.filter(name__startswith="Slope").count() == len(answers) - 1, (
        "all that was taken, no more"
    )


def test_a_disk_that_cannot_be_written_is_said_and_no_line_leaves_the_device(
    plain, garden, open_planting
):
    event = {
        "client_id": new_client_id(),
        "planting": open_planting.pk,
        "grade": "table",
        "typed": "900",
    }
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only = ON")
        try:
            sent = json.dumps({"events": [event]})
            answer = plain.post(reverse("weigh_in:events"), sent, content_type="application/json")
        finally:
            cursor.execute("PRAGMA query_only = OFF")
    assert answer.status_code == 507, "no answer that the device takes for one"
    assert "cannot write to its disk" in html_of(answer)
    assert not WeighIn.objects.filter(client_id=event["client_id"]).exists()


def test_a_full_disk_lets_the_data_out(plain, garden):
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only = ON")
        try:
            answers = {
                name: plain.get(reverse(name))
                for name in ("exchange:download", "today:index", "weigh_in:lines")
            }
        finally:
            cursor.execute("PRAGMA query_only = OFF")
    assert {name: answer.status_code for name, answer in answers.items()} == dict.fromkeys(
        answers, 200
    )
    assert b"PK" in answers["exchange:download"].content[:2]


def test_a_photograph_that_finds_no_room_leaves_no_file(plain, garden, tmp_path, monkeypatch):
    store = WholeFiles(location=tmp_path)

    def half(self, name, content):
        Path(self.path(name)).write_bytes(b"half of it")
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(FileSystemStorage, "_save", half)
    with pytest.raises(OSError, match="No space"):
        store.save("one.jpg", ContentFile(b"a picture"))
    assert list(tmp_path.iterdir()) == []
    before = Photo.objects.count()
    sent = {
        "photo": SimpleUploadedFile("a.jpg", tiny_jpeg()),
        "day": "2026-08-01",
        "caption": "kept",
    }
    answer = plain.post(
        reverse("tending:add_photo", args=["planting", garden.plantings[0].pk]), sent
    )
    assert answer.status_code == 507
    assert Photo.objects.count() == before
    assert not [
        path
        for path in Path(settings.PHOTOS_DIR).rglob("*")
        if path.is_file() and not path.stat().st_size
    ]


def test_a_new_photograph_is_its_owners_alone(tmp_path, settings):
    store = WholeFiles(location=tmp_path / "photos")
    kept = Path(store.path(store.save("3/one.jpg", ContentFile(tiny_jpeg()))))
    assert stat.S_IMODE(kept.stat().st_mode) == 0o600
    assert stat.S_IMODE(kept.parent.stat().st_mode) == 0o700


def test_photographs_are_unpacked_one_at_a_time(monkeypatch):
    inside, most = [], []
    unpack = pictures._plain_jpeg

    def slowly(source):
        inside.append(source)
        most.append(len(inside))
        time.sleep(0.05)
        inside.remove(source)
        return unpack(source)

    monkeypatch.setattr(pictures, "_plain_jpeg", slowly)
    many = [
        threading.Thread(target=pictures.plain_jpeg, args=(ContentFile(tiny_jpeg()),))
        for _ in range(4)
    ]
    for one in many:
        one.start()
    for one in many:
        one.join()
    assert most == [1] * 4


def test_a_picture_of_more_than_forty_million_pixels_is_refused_before_it_is_unpacked(
    client, garden
):
    raw = bytearray(tiny_jpeg())
    frame = raw.index(b"\xff\xc0")
    raw[frame + 5 : frame + 9] = (9000).to_bytes(2, "big") + (9000).to_bytes(2, "big")
    sent = {"photo": SimpleUploadedFile("a.jpg", bytes(raw)), "day": "2026-08-01", "caption": ""}
    answer = client.post(
        reverse("tending:add_photo", args=["planting", garden.plantings[0].pk]), sent
    )
    assert "more than 40 million pixels" in html_of(answer)


def test_the_licence_of_each_font_and_script_stands_beside_it():
    licences = {path.stem for path in (STATIC / "licences").iterdir()}
    ships = {path.name.partition("-latin")[0] for path in (STATIC / "fonts").iterdir()}
    ships |= {path.name.partition(".min")[0] for path in STATIC.glob("*.min.js")}
    assert ships <= licences
    assert all((STATIC / "licences" / f"{name}.txt").stat().st_size > 300 for name in ships)
