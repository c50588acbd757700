"""Slips at the bench: a line far from the usual is asked about,
and what is all lifted is said of the right pots.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from kilter.ground.models import Place
from kilter.people import clock
from kilter.people.models import Change
from kilter.set_out.models import Planting
from kilter.set_out.queries import with_all_names
from kilter.weigh_in.models import WeighIn, new_client_id
from kilter.weigh_in.queries import lifted_so_far
from tests.conftest import TODAY, event, html_of, plant


@pytest.fixture
def usual(send, open_planting):
    """Three lines of 940 g and 12 pieces: twelve-fold is 11.28 kg, 144 pieces, 940 g a piece."""
    assert not send(*(event(open_planting) for _ in range(3)))["refused"]


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("940,12", "940.120 kg is 1,000 times as much as usual here (940 g)."),
        ("0.5g", "0.5 g is 1,880 times less than usual here (940 g)."),
        ("c145", "145 pieces is 12 times as much as usual here (12 pieces)."),
        ("11000 11", "1.000 kg a piece is 13 times as much as usual here (78 g)."),
    ],
)
def test_a_line_far_from_the_usual_is_asked_about_once_and_kept_when_sure(
    send, usual, open_planting, typed, says
):
    asked = event(open_planting, typed)
    (refused,) = send(asked)["refused"]
    assert refused["is_unusual"]
    assert refused["reason"] == f"{says} Right?"
    assert send({**asked, "is_sure": True})["stored"] == [asked["client_id"]]


@pytest.mark.parametrize("typed", ["11.28 144", "78.4g 1", "0 0", "11.28"])
def test_up_to_twelve_fold_nothing_is_asked(send, usual, open_planting, typed):
    assert not send(event(open_planting, typed))["refused"]


def test_before_there_are_lines_the_handbook_says_what_is_too_much_and_a_household_sets_how_far(
    send, open_planting
):
    (refused,) = send(event(open_planting, "940,12"))["refused"]
    assert refused["is_unusual"]
    assert "what the handbook gives for the whole" in refused["reason"]
    assert not send(event(open_planting, "0.5g"))["refused"]  # a first picking may be small
    household = open_planting.household
    household.sure_fold = 1000
    household.save()
    assert not send(event(open_planting, "940,12"))["refused"]


def test_without_script_the_question_stands_beside_the_line_with_a_button_to_keep_it(
    client, usual, open_planting
):
    said = {
        "client_id": new_client_id(),
        "planting": open_planting.pk,
        "grade": "table",
        "typed": "940,12",
    }
    asked = client.post(reverse("weigh_in:write"), said)
    assert asked.status_code == 422
    assert 'value="940,12"' in html_of(asked)
    assert 'name="is_sure"' in html_of(asked)
    assert client.post(reverse("weigh_in:write"), {**said, "is_sure": "on"}).status_code == 302
    assert WeighIn.objects.filter(mass_mg=940_120_000).count() == 1


def test_a_pot_with_no_line_is_asked_about_before_it_is_finished(client, open_planting):
    address = reverse("weigh_in:finish", args=[open_planting.pk])
    assert "nothing has been written" in html_of(client.post(address))
    assert not Planting.objects.filter(pk=open_planting.pk, finished_on=TODAY).exists()
    client.post(address, {"is_sure": "on"})
    assert Planting.objects.filter(pk=open_planting.pk, finished_on=TODAY).exists()


@pytest.mark.parametrize(("which", "done"), [("written", {1, 2}), ("set", {1, 2, 3})])
def test_all_written_today_or_a_whole_set_is_finished_in_one_press_and_undone(
    client, garden, send, which, done
):
    """Four crocks: two written today, one yesterday, one never;
    the one never written is named and stays open.
    """
    crocks = [
        Place.objects.create(
            household=garden.household, site=garden.site, kind="crock", name="Crock", number=n
        )
        for n in (1, 2, 3, 4)
    ]
    pots = [plant(garden, crock, "shallot", planted_on=date(2026, 3, 1)) for crock in crocks]
    for pot in pots[:3]:
        assert not send(event(pot))["refused"]
    WeighIn.objects.filter(planting=pots[2]).update(weighed_on=date(2026, 11, 22))
    assert "Finish the whole set" in html_of(
        client.get("/weigh-in/", {"crop": garden.crop.pk, "pot": pots[0].pk})
    )
    client.post(reverse("weigh_in:finish_many", args=[pots[0].pk]), {"which": which})
    finished = Planting.objects.filter(pk__in=[pot.pk for pot in pots], finished_on=TODAY)
    assert set(finished.values_list("place__number", flat=True)) == done
    shown = html_of(client.get("/weigh-in/"))
    assert ("Left open" in shown and "Crock 4" in shown) == (which == "set")
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    assert not finished.exists()


def test_a_count_that_will_never_be_weighed_does_not_wait_nor_do_all_after_one_press(
    client, send, open_planting
):
    send(
        event(open_planting, "c9", is_never_weighed=True),
        event(open_planting, "c7"),
        event(open_planting, "c8"),
    )
    waits = WeighIn.objects.filter(waits=True)
    assert set(waits.values_list("count", flat=True)) == {7, 8}
    assert "None of these will be weighed" in html_of(client.get(reverse("weigh_in:waiting")))
    client.post(reverse("weigh_in:leave_all_counted"))
    assert not waits.exists()
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    assert waits.count() == 2


def test_yesterdays_weighing_is_a_weighing_of_yesterday(client, open_planting):
    """The bench of another day shifts its clock, shows that day's tape,
    and finishes pots on that day.
    """
    page = html_of(client.get("/weigh-in/", {"day": "yesterday", "crop": open_planting.crop_id}))
    shift = clock.shift_days(open_planting.household)
    assert f'data-shift-days="{shift - 1}"' in page
    assert 'data-day="2026-11-22"' in page
    assert "22 Nov" in page
    assert "That day is still ahead" in html_of(client.get("/weigh-in/", {"day": "2026-12-24"}))
    finished = client.post(
        reverse("weigh_in:finish", args=[open_planting.pk]), {"day": "2026-11-22", "is_sure": "on"}
    )
    assert "day=2026-11-22" in finished["Location"]
    open_planting.refresh_from_db()
    assert open_planting.finished_on == date(2026, 11, 22)


def test_without_script_a_line_of_another_day_is_dated_so_and_stays_on_its_day(
    client, garden, open_planting
):
    said = {
        "client_id": new_client_id(),
        "planting": open_planting.pk,
        "grade": "table",
        "typed": "940 12",
    }
    stored = client.post(reverse("weigh_in:write"), {**said, "day": "2026-11-22"})
    assert "day=2026-11-22" in stored["Location"]
    assert WeighIn.objects.get(client_id=said["client_id"]).weighed_on == date(2026, 11, 22)
    page = html_of(client.get(stored["Location"]))
    assert page.count("&amp;day=2026-11-22") >= 2  # its pots, and the way to hide which is which
    client.post(
        reverse("weigh_in:finish_many", args=[open_planting.pk]),
        {"which": "written", "day": "2026-11-22"},
    )
    open_planting.refresh_from_db()
    assert open_planting.finished_on == date(2026, 11, 22)


def test_many_pots_are_finished_with_no_more_queries_for_looking_at_them(garden, send):
    crates = [
        plant(garden, crate, "shallot", planted_on=date(2026, 3, 1)) for crate in garden.crates
    ]
    assert not send(*map(event, crates))["refused"]
    counts = []
    for some in (crates[:1], crates):
        with CaptureQueriesContext(connection) as captured:
            beside = with_all_names(Planting.objects.filter(pk__in=[one.pk for one in some]))
            assert all(
                one.is_clear for one in lifted_so_far(garden.household, list(beside)).values()
            )
        counts.append(len(captured))
    assert counts[0] == counts[1]
