"""Leaving for good and taking back: a household or account deleted after a week,
all that one person wrote undone.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from types import SimpleNamespace

import pytest
from django.apps import apps
from django.core import mail
from django.core.files.base import ContentFile
from django.db import connection
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from kilter.exchange.loading import load
from kilter.people import clock, server
from kilter.people.leaving import DAYS_TO_UNDO, delete_what_is_due
from kilter.people.models import Change, Household, Membership, Role, User
from kilter.set_out.models import Planting
from kilter.site.serving import keep_deleting
from kilter.tending.models import Photo
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, make_garden, member, signed_in
from tests.hostile.test_packages import SMALL
from tests.web.routes import complete


def rows() -> dict[str, int]:
    """How many rows every table has."""
    return {
        model._meta.label: model._default_manager.count()
        for model in apps.get_models(include_auto_created=True)
    }


def a_week_on(**of) -> None:
    past = timezone.now() - timedelta(minutes=1)
    for model, pk in of.items():
        {"household": Household, "user": User}[model].objects.filter(pk=pk).update(goes_at=past)


def test_a_household_is_deleted_whole_after_a_week_and_another_is_not_touched(garden, client):
    before = rows()
    theirs = complete(make_garden("Theirs"))
    photo = Photo.objects.filter(household=theirs.household).first()
    photo.file.save("one.jpg", ContentFile(b"a picture"))
    owner = signed_in(theirs.owner)
    ask = reverse("people:delete_household")
    assert "Type the name" in html_of(owner.post(ask, {"typed": "theirs"}, follow=True))
    assert "This household is to be deleted on" in html_of(
        owner.post(ask, {"typed": "Theirs"}, follow=True)
    )
    assert "Think it over" in html_of(owner.get("/"))
    assert "Think it over" in html_of(owner.get("/weigh-in/"))
    theirs.household.refresh_from_db()
    assert theirs.household.goes_at - timezone.now() > timedelta(days=DAYS_TO_UNDO - 1)
    assert delete_what_is_due() == (0, 0), "not before its week is over"
    owner.post(ask, {"keep": "yes"})
    a_week_on(household=theirs.household.pk)
    owner.post(ask, {"keep": "yes"})
    assert delete_what_is_due() == (0, 0), "thought over"
    a_week_on(household=theirs.household.pk)
    file, storage = photo.file.name, photo.file.storage
    assert storage.exists(file)
    with connection.cursor() as cursor:
        assert delete_what_is_due() == (1, 0)
        cursor.execute("PRAGMA foreign_key_check")
        assert cursor.fetchall() == []
    kept = {"people.User", "people.SignIn", "sessions.Session", "people.Change"}
    assert {name: n for name, n in rows().items() if name not in kept} == {
        name: n for name, n in before.items() if name not in kept
    }
    assert "no household" in html_of(owner.get("/household"))
    assert client.get("/").status_code == 200


def test_the_pictures_of_a_deleted_household_go_with_it(garden, django_capture_on_commit_callbacks):
    photo = Photo.objects.filter(household=garden.household).first()
    photo.file.save("one.jpg", ContentFile(b"a picture"))
    a_week_on(household=garden.household.pk)
    with django_capture_on_commit_callbacks(execute=True):
        delete_what_is_due()
    assert not photo.file.storage.exists(photo.file.name)


def test_an_account_goes_after_a_week_and_what_it_wrote_stays(garden, open_planting):
    wren = member(garden.household, "Wren", Role.HELPER)
    browser = signed_in(wren)
    line = WeighIn.objects.create(
        household=garden.household,
        planting=open_planting,
        weighed_on="2026-11-20",
        grade="table",
        count=3,
        written_by=wren,
    )
    ask = reverse("people:delete_account")
    assert "Type the name" in html_of(browser.post(ask, {"typed": "somebody"}, follow=True))
    browser.post(ask, {"typed": wren.username})
    assert "Your account is to be deleted on" in html_of(browser.get("/"))
    browser.post(ask, {"keep": "yes"})
    wren.refresh_from_db()
    assert wren.goes_at is None
    browser.post(ask, {"typed": wren.username})
    a_week_on(user=wren.pk)
    assert delete_what_is_due() == (0, 1)
    line.refresh_from_db()
    assert line.written_by is None
    assert not User.objects.filter(pk=wren.pk).exists()


def test_the_last_owner_does_not_go_before_the_household(garden, client):
    ask = reverse("people:delete_account")
    said = html_of(client.post(ask, {"typed": garden.owner.username}, follow=True))
    assert "A household keeps at least one owner" in said
    partner = member(garden.household, "Wren", Role.OWNER)
    client.post(ask, {"typed": garden.owner.username})
    partner.delete()
    a_week_on(user=garden.owner.pk)
    assert delete_what_is_due() == (0, 0), "the last one meanwhile"
    a_week_on(household=garden.household.pk)
    assert delete_what_is_due() == (1, 1)


def test_all_that_one_person_wrote_since_a_day_is_taken_back(garden, open_planting, client):
    wren = member(garden.household, "Wren", Role.OWNER)
    theirs = signed_in(wren)
    now = clock.now(garden.household)
    made = [
        WeighIn.objects.create(
            household=garden.household,
            planting=open_planting,
            weighed_on=(now - timedelta(days=days)).date(),
            grade="table",
            mass_mg=1000,
            written_by=by,
            written_at=now - timedelta(days=days),
        )
        for by, days in ((wren, 0), (wren, 0), (wren, 9), (garden.owner, 0))
    ]
    theirs.post(
        reverse("set_out:finish", args=[open_planting.pk]),
        {"finished_on": "today", "is_sure": "on"},
    )
    open_planting.refresh_from_db()
    assert open_planting.finished_on is not None
    address = reverse("weigh_in:by_person")
    page = html_of(client.get(address, {"person": wren.pk, "since": "today"}))
    assert "2 lines of the bench" in page
    assert "1 change " in page
    assert html_of(client.get(address, {"person": 999, "since": "today"})).count("problem") >= 1
    done = html_of(client.post(address, {"person": wren.pk, "since": "today"}, follow=True))
    assert "2 lines of Wren are struck and 1 change is undone." in done
    assert [WeighIn.objects.get(pk=line.pk).struck_at is None for line in made] == [
        False,
        False,
        True,
        True,
    ]
    assert Planting.objects.get(pk=open_planting.pk).finished_on is None
    client.post(reverse("people:undo", args=[Change.objects.get(says__startswith="Struck: 2").pk]))
    assert WeighIn.objects.of(garden.household).filter(written_by=wren).count() == 3, (
        "and the taking back too"
    )
    assert theirs.get(address).status_code == 200
    assert signed_in(member(garden.household, "Quill", Role.HELPER)).get(address).status_code == 403


def test_what_others_built_on_stays_and_is_named(garden, client):
    wren = member(garden.household, "Wren", Role.OWNER)
    address = reverse("ground:place", args=[garden.bed.pk])
    typed = {
        "site": garden.site.pk,
        "kind": "bed",
        "name": "Long bed",
        "length_m": "3",
        "width_m": "1.2",
    }
    signed_in(wren).post(address, typed)
    client.post(address, {**typed, "length_m": "4"})
    done = html_of(
        client.post(
            reverse("weigh_in:by_person"), {"person": wren.pk, "since": "today"}, follow=True
        )
    )
    assert "undo that first" in done
    garden.bed.refresh_from_db()
    assert garden.bed.length_m == 4


def test_who_came_in_and_in_which_role_is_told_beside_what_was_written(garden, client):
    wren = member(garden.household, "Wren", Role.HELPER)
    client.post(reverse("people:change_role", args=[wren.membership.pk]), {"role": "onlooker"})
    Client().post(reverse("people:sign_in"), {"username": "WREN", "password": "wrong"})
    client.post(reverse("people:make_bench_link"), {"label": "the children"})
    client.get(reverse("exchange:download"))
    client.post(reverse("people:remove_member", args=[wren.membership.pk]))
    page = html_of(client.get(reverse("people:changes"), {"kind": "comings"}))
    for words in (
        "Wren is now onlooker",
        "A wrong password was given for Wren.",
        "for the children",
        "The data was taken out.",
        "Wren is no member any more.",
    ):
        assert words in page
    assert "Undo<" not in page
    assert "onlooker" not in html_of(client.get(reverse("people:changes"), {"kind": "written"}))
    note = Change.objects.filter(is_note=True).first()
    assert client.post(reverse("people:undo", args=[note.pk])).status_code == 404


def test_an_onlooker_takes_data_out_where_an_owner_allows_it(garden):
    onlooker = signed_in(member(garden.household, "Wren", Role.ONLOOKER))
    download = reverse("exchange:download")
    assert onlooker.get(download).status_code == 403
    assert download not in html_of(onlooker.get("/household"))
    Household.objects.filter(pk=garden.household.pk).update(may_onlookers_take_out=True)
    assert onlooker.get(download).status_code == 200
    guest = signed_in(member(garden.household, "Nib", Role.BENCH))
    assert guest.get(download).status_code == 302


@pytest.fixture
def with_mail(settings):
    settings.KILTER_MAIL = "smtp://localhost"
    settings.EMAIL_BACKEND = "django.core.mail.backends.locmem.EmailBackend"


def test_a_forgotten_password_is_set_anew_by_a_letter(garden, client, with_mail):
    address = reverse("people:forgotten")
    stranger = signed_in(garden.owner)
    stranger.post(reverse("people:sign_out"))
    assert "Forgotten your password?" in html_of(stranger.get(reverse("people:sign_in")))
    said = [
        html_of(stranger.post(address, {"username": name}, follow=True))
        for name in ("nobody", garden.owner.username)
    ]
    assert all("If there is such a person" in page for page in said)
    assert mail.outbox == [], "no address is known yet"
    assert "Enter a valid email" in html_of(
        client.post(reverse("people:mail"), {"email": "x"}, follow=True)
    )
    client.post(reverse("people:mail"), {"email": "gardener@home.example"})
    for _ in "ab":
        stranger.post(address, {"username": garden.owner.username.upper()})
    (letter,) = mail.outbox
    assert letter.to == ["gardener@home.example"]
    link = next(word for word in letter.body.split() if word.startswith("http")).partition(
        "testserver"
    )[2]
    new = {"new_password1": "nine-purple-lanterns", "new_password2": "nine-purple-lanterns"}
    assert stranger.post(link, new).status_code == 302
    assert User.objects.get(pk=garden.owner.pk).check_password("nine-purple-lanterns")
    assert Membership.objects.filter(user=garden.owner).exists()


def test_without_mail_nothing_is_promised(garden, client):
    assert client.get(reverse("people:forgotten")).status_code == 404
    assert "Where to write to" not in html_of(client.get(reverse("people:account")))


def test_undoing_an_older_change_of_the_settings_deletes_no_household_and_keeps_none(
    garden, client
):
    typed = {
        "name": "Ours",
        "time_zone": "Europe/London",
        "default_unit": "g",
        "date_order": "dmy",
        "sure_fold": "12",
    }
    client.post(reverse("people:household"), {**typed, "currency": "£"})
    change = Change.objects.filter(is_note=False).first()
    client.post(reverse("people:delete_household"), {"typed": "Ours"})
    client.post(reverse("people:undo", args=[change.pk]))
    garden.household.refresh_from_db()
    assert garden.household.currency == "€"
    assert garden.household.goes_at is not None, (
        "what was asked for by name is thought over by name"
    )
    again = Change.objects.filter(is_note=False).first()
    client.post(reverse("people:delete_household"), {"keep": "yes"})
    client.post(reverse("people:undo", args=[again.pk]))
    garden.household.refresh_from_db()
    assert (garden.household.currency, garden.household.goes_at) == ("£", None)


def test_links_roles_and_loads_are_in_the_log_too(garden, client, caplog):
    with caplog.at_level("INFO", "kilter.people"):
        client.post(reverse("people:make_bench_link"), {"label": "the children"})
        load(SMALL, garden.household)
    assert "A link to the bench was made for the children." in caplog.text
    assert "A package was loaded: version-1" in caplog.text


def test_guests_of_ended_links_go_with_the_household_too(garden, open_planting, client):
    guest = Client()
    guest.post(reverse("people:join_by_link", args=[garden.bench_link.token]), {"name": "Nib"})
    client.post(reverse("people:end_bench_link", args=[garden.bench_link.pk]))
    assert User.objects.filter(first_name="Nib").exists()
    a_week_on(household=garden.household.pk)
    assert delete_what_is_due() == (1, 0)
    assert not User.objects.filter(first_name="Nib").exists()
    assert User.objects.filter(pk=garden.owner.pk).exists(), "who has a password keeps the name"


# -- a clock that jumps


@pytest.mark.parametrize("jump", [8, 90, -8, -4000])
def test_nothing_is_deleted_after_a_jump_of_the_clock_until_an_owner_calls_it_right(
    client, garden, jump, monkeypatch
):
    today = date(2026, 11, 23)
    assert server.is_day_sure(today)
    assert server.is_day_sure(today + timedelta(days=7)), "a week without the server is no jump"
    assert server.is_day_sure(today)
    assert server.doubted_day() is None
    jumped = today + timedelta(days=jump)
    assert not server.is_day_sure(jumped)
    assert not server.is_day_sure(jumped + timedelta(days=1 if jump > 0 else -1)), (
        "nor the day after"
    )
    page = html_of(client.get(reverse("people:household")))
    assert "The date is right" in page
    assert "The server's date has jumped" in html_of(client.get(reverse("today:index")))
    monkeypatch.setattr(
        "kilter.people.accounts.timezone", SimpleNamespace(localdate=lambda: jumped)
    )
    client.post(reverse("people:trust_day"))
    assert server.is_day_sure(jumped)
    assert "date has jumped" not in html_of(client.get(reverse("today:index")))


def test_a_clock_that_is_set_right_again_is_believed_by_itself(db):
    today = date(2026, 11, 23)
    assert server.is_day_sure(today)
    assert not server.is_day_sure(today + timedelta(days=400))
    assert server.is_day_sure(today + timedelta(days=1))
    assert server.doubted_day() is None


def test_what_is_due_stays_while_the_day_is_in_doubt(garden, monkeypatch):
    Household.objects.filter(pk=garden.household.pk).update(
        goes_at=timezone.now() - timedelta(days=1)
    )
    works = []
    monkeypatch.setattr("kilter.site.serving.now_and_then", lambda work, *_: works.append(work))
    monkeypatch.setattr("kilter.site.serving.connection", SimpleNamespace(close=lambda: None))
    keep_deleting(print)
    server.is_day_sure(timezone.localdate() - timedelta(days=30))
    works[0]()
    assert Household.objects.filter(pk=garden.household.pk).exists()
    server.trust_day(timezone.localdate())
    works[0]()
    assert not Household.objects.filter(pk=garden.household.pk).exists()


def test_only_an_owner_says_that_the_day_is_right_and_sees_the_backups(client, garden, settings):
    helper = signed_in(member(garden.household, "help", Role.HELPER))
    assert helper.post(reverse("people:trust_day")).status_code == 403
    assert "This server" not in html_of(helper.get(reverse("people:household")))
    assert "No backup is made by itself" in html_of(client.get(reverse("people:household")))
    settings.KILTER_BACKUPS = "/somewhere"
    assert "No backup was made yet" in html_of(client.get(reverse("people:household")))
    server.backup_ended(datetime(2026, 11, 22, 2, 10, tzinfo=UTC))
    server.backup_ended(datetime(2026, 11, 23, 2, 10, tzinfo=UTC), "no room")
    page = html_of(client.get(reverse("people:household")))
    assert "Last good backup: 22 November 2026, 02:10" in page
    assert "The last one failed: no room" in page
