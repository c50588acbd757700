"""A visit shares its plants; a line belongs to a day on which its planting stood; what waits is
weighed as one basket; sizes, hands and the scale's own unit."""

from __future__ import annotations

import re
from datetime import date, timedelta

import pytest
from django.urls import reverse
from django.utils import timezone

from kilter.core.yields.measures import measure_yield
from kilter.ground.models import Place
from kilter.people.look import system_of
from kilter.people.models import BenchLink, Change
from kilter.records.facts import facts
from kilter.set_out.models import CropSize, Planting
from kilter.set_out.telling import told_apart
from kilter.weigh_in.models import Scale, WeighIn
from tests.conftest import TODAY, event, html_of, plant


def record_of(planting):
    """The record that every room reads."""
    rows = facts(planting.household, Planting.objects.filter(pk=planting.pk))
    return rows[0].record


def line_of(made):
    return WeighIn.objects.get(client_id=made["client_id"])


@pytest.fixture
def two_grades(send, open_planting):
    """Table and Small off two of twelve plants, at one visit."""
    first = event(open_planting, "1200 8", plants=2, visit="same")
    second = event(open_planting, "300 6", "small", visit="same")
    assert not send(first, second)["refused"]
    return first, second


def test_two_grades_off_two_plants_are_two_plants(two_grades, open_planting):
    assert record_of(open_planting).plants_lifted == 2
    assert [line_of(one).visit for one in two_grades] == [1, 1]


def test_the_last_number_said_holds_and_only_others_begin_another_visit(
    send, two_grades, open_planting
):
    send(event(open_planting, "400 2", plants=3, visit="same"))
    assert record_of(open_planting).plants_lifted == 3, "said again, not added"
    others = event(open_planting, "900 7", plants=4, visit="others")
    after = event(open_planting, "100 2", "small", visit="same")
    send(others, after)
    assert record_of(open_planting).plants_lifted == 7
    assert (line_of(others).visit, line_of(after).visit) == (2, 2)


def test_edit_remove_and_undo_of_a_visit_follow(client, send, two_grades, open_planting):
    line = line_of(two_grades[0])
    said = {"planting": open_planting.pk, "when": "today", "grade": "table", "count": 8}
    edit = reverse("weigh_in:correct", args=[line.pk])
    assert client.post(edit, {**said, "shown": "1200 g", "plants": 5}).status_code == 302
    assert record_of(open_planting).plants_lifted == 5
    client.post(reverse("weigh_in:strike", args=[line.pk]))
    assert record_of(open_planting).plants_lifted is None, "no line says it any more"
    client.post(reverse("weigh_in:strike", args=[line.pk]))
    assert record_of(open_planting).plants_lifted == 5


def test_a_line_moved_to_another_day_joins_the_visit_there(client, send, open_planting):
    there = event(open_planting, "500 3", plants=1, visit="same", at="2026-11-20T09:00:00+00:00")
    others = event(open_planting, "600 3", plants=2, visit="others", at="2026-11-20T10:00:00+00:00")
    moved = event(open_planting, "700 3", visit="same")
    assert not send(there, others, moved)["refused"]
    said = {"planting": open_planting.pk, "when": "20 Nov 2026", "grade": "table"}
    client.post(
        reverse("weigh_in:correct", args=[line_of(moved).pk]),
        {**said, "shown": "700 g", "count": 3},
    )
    assert line_of(moved).visit == 2
    assert record_of(open_planting).plants_lifted == 3


def test_lines_of_before_there_were_visits_count_the_grade_with_most_plants(send, open_planting):
    old = [
        event(open_planting, f"{n}00 2", grade, plants=2)
        for n, grade in ((5, "table"), (3, "table"))
    ]
    send(*old, event(open_planting, "100 2", "small", plants=2))
    assert {line.visit for line in WeighIn.objects.filter(planting=open_planting)} == {None}
    assert record_of(open_planting).plants_lifted == 4


def test_the_bench_says_the_plants_of_the_visit_that_is_on(client, send, two_grades, open_planting):
    address = f"{reverse('weigh_in:bench')}?pot={open_planting.pk}"
    assert 'data-plants="2"' in html_of(client.get(address))
    send(event(open_planting, "900 7", visit="others"))
    assert 'data-plants=""' in html_of(client.get(address)), "of the others nothing was said"


def test_a_handful_of_two_plants_is_not_held_against_whole_pots(send, open_planting):
    whole = [event(open_planting, "4800 60", visit="same") for _ in range(3)]
    assert not send(*whole)["refused"]
    few = event(open_planting, "390 5", plants=1, visit="others")
    assert not send(few)["refused"], "a twelfth of all is what one plant of twelve gives"
    (asked,) = send(event(open_planting, "390 5", visit="others"))["refused"]
    assert "times less than usual here" in asked["reason"]


def test_a_first_lift_of_a_crop_that_the_handbook_does_not_know_asks_nothing(garden, send):
    strange = plant(garden, garden.bed, "moon pea")
    assert strange.crop.in_handbook is None
    assert not send(event(strange, "30 kg"), event(strange, "1 g"))["refused"]


# ---- the day


def test_a_day_before_it_was_set_out_is_said_on_the_page_and_refused(client, send, open_planting):
    early = event(open_planting, "900 9", at="2026-09-03T10:00:00+00:00", is_sure=True)
    (refused,) = send(early)["refused"]
    says = "was set out 1 October 2026; on 3 September 2026 it did not stand."
    assert says in refused["reason"]
    assert not refused["is_unusual"], "sure or not"
    page = f"{reverse('weigh_in:bench')}?pot={open_planting.pk}&day=2026-09-03"
    assert says in html_of(client.get(page))
    said = {
        "planting": open_planting.pk,
        "when": "September 2026",
        "grade": "table",
        "line": "1 kg",
    }
    assert says.partition(";")[0] in html_of(client.post(reverse("weigh_in:remember"), said))


def test_a_line_in_another_season_is_asked_about_once_with_its_year(garden, send, open_planting):
    Planting.objects.filter(pk=open_planting.pk).update(season=2025, planted_on=date(2025, 3, 1))
    asked = event(open_planting, "900 9", visit="same")
    (refused,) = send(asked)["refused"]
    assert refused["is_unusual"]
    assert "is of season 2025. Is" in refused["reason"]
    assert not send({**asked, "is_sure": True})["refused"]
    assert not send(event(open_planting, "900 9", visit="same"))["refused"], "asked once"


def test_a_line_after_all_was_lifted_is_asked_about(send, open_planting):
    Planting.objects.filter(pk=open_planting.pk).update(finished_on=TODAY - timedelta(days=3))
    (refused,) = send(event(open_planting, "900 9", visit="same"))["refused"]
    assert refused["is_unusual"]
    assert "was all lifted on" in refused["reason"]


def test_all_lifted_with_a_day_ahead_says_until_when_it_stands(client, open_planting):
    ahead = TODAY + timedelta(days=60)
    client.post(reverse("set_out:finish", args=[open_planting.pk]), {"finished_on": ahead})
    open_planting.refresh_from_db()
    assert (open_planting.finished_on, open_planting.until) == (None, ahead)


# ---- what waits


@pytest.fixture
def counted(garden, send):
    """Three pots of one crop, counted and not weighed."""
    pots = [plant(garden, place, "moon pea", units=1) for place in garden.crates[:3]]
    send(*(event(pot, f"c{n}", visit="same") for pot, n in zip(pots, (5, 7, 8), strict=True)))
    lines = list(WeighIn.objects.of(garden.household).waiting().order_by("pk"))
    assert [line.count for line in lines] == [5, 7, 8]
    return lines


def test_what_waits_is_weighed_as_one_basket_with_a_day_of_its_own_and_undone(
    client, garden, counted
):
    said = {"lines": [line.pk for line in counted], "line": "2000.001g", "day": "2 Nov 2026"}
    assert client.post(reverse("weigh_in:together"), said).status_code == 302
    lines = list(WeighIn.objects.filter(pk__in=said["lines"]).order_by("pk"))
    assert sum(line.mass_mg for line in lines) == 2_000_001, "to the milligram"
    assert [round(line.mass_mg / 100_000) for line in lines] == [5, 7, 8]
    assert {(line.basket, line.weighed_on) for line in lines} == {
        (lines[0].client_id, date(2026, 11, 2))
    }
    assert WeighIn.objects.of(garden.household).filter(planting=lines[0].planting).count() == 1
    change = Change.objects.filter(household=garden.household).first()
    client.post(reverse("people:undo", args=[change.pk]))
    again = WeighIn.objects.get(pk=lines[0].pk)
    assert (again.waits, again.mass_mg, again.basket) == (True, None, "")


@pytest.mark.parametrize(
    ("typed", "how", "says"),
    [
        ("2 kg 21", {}, "These lines say 20"),
        ("c20", {}, "Type what the scale shows"),
        ("2 kg", {"grade": "small"}, "Only pieces of one crop and grade weigh alike"),
        ("2 kg", {"count": None, "measures": 1.0}, "is split by count"),
        ("2 kg", {"day": "2 Sep 2026"}, "it did not stand"),
    ],
)
def test_a_basket_of_what_waits_refuses_what_cannot_be(client, counted, typed, how, says):
    day = how.pop("day", "")
    WeighIn.objects.filter(pk=counted[0].pk).update(**how)
    said = {"lines": [line.pk for line in counted], "line": typed, "day": day}
    assert says in html_of(client.post(reverse("weigh_in:together"), said))
    assert WeighIn.objects.filter(pk__in=said["lines"], waits=True).count() == 3


def test_a_mixed_basket_asks_whether_counted_lines_are_what_lies_in_it(client, garden, counted):
    said = {
        "client_id": "d" * 32,
        "picked": [line.planting_id for line in counted],
        "grade": "table",
        "typed": "2000 20",
        "split_by": "count",
        "counts": "5, 7, 8",
    }
    asked = html_of(client.post(reverse("weigh_in:basket"), said))
    assert "Counted already, and not weighed" in asked
    assert not WeighIn.objects.of(garden.household).filter(mass_mg__gt=0, basket__gt="").exists()
    those = client.post(reverse("weigh_in:basket"), said | {"waits": "those"})
    shown = html_of(client.get(those.url))
    assert len(re.findall(r'name="lines"[^>]* checked', shown)) == 3
    assert 'value="2000 20"' in shown
    others = client.post(
        reverse("weigh_in:basket"), said | {"waits": "others", "day": "2 Nov 2026"}
    )
    assert others.status_code == 302
    made = WeighIn.objects.of(garden.household).filter(basket="d" * 32)
    assert {line.weighed_on for line in made} == {date(2026, 11, 2)}


# ---- sizes, hands, units


def test_a_size_is_a_grade_with_a_word_and_weigh_up_asks_by_either(client, garden, send):
    size = CropSize.objects.create(
        household=garden.household, crop=garden.crop, word="Large", grade="table", from_mm=60
    )
    lines = WeighIn.objects.filter(pk__in=[line.pk for line in garden.lines])
    lines.update(size=size, mass_mg=450_000)
    other = garden.lines[0]
    WeighIn.objects.create(
        household=garden.household,
        planting=other.planting,
        weighed_on=other.weighed_on,
        grade="table",
        mass_mg=150_000,
        count=9,
    )
    record = record_of(other.planting)
    assert record.grades["table"].mass_mg == 600_000
    assert record.sizes["table/Large"].mass_mg == 450_000
    found = measure_yield(record, "kg_per_plant", grades=("table/Large",))
    assert found.amount == pytest.approx(0.45)
    both = measure_yield(record, "kg_per_plant", grades=("table", "table/Large"))
    assert both.amount == pytest.approx(0.6), "a size is part of its grade"
    page = html_of(
        client.get(
            reverse("weigh_up:index"),
            {"compare": "method:setting", "by": "kg_per_plant", "grade": "table/Large"},
        )
    )
    assert "Large, Table" in page
    refused = client.post(reverse("weigh_in:kit_strike", args=["size", size.pk]), follow=True)
    assert "Lines were written of Large; it stays." in html_of(refused)
    edit = reverse("weigh_in:kit_one", args=["size", size.pk])
    said = {"crop": garden.crop.pk, "word": "Large", "grade": "small", "from_mm": 60}
    assert "its crop and grade stay" in html_of(client.post(edit, said))


def test_the_bench_keeps_the_size_of_its_crop_and_grade_only(garden, send, open_planting):
    kept = event(open_planting, "900 9", visit="same", size=garden.size.pk)
    wrong = event(open_planting, "900 9", "small", visit="same", size=garden.size.pk)
    send(kept, wrong)
    assert (line_of(kept).size, line_of(wrong).size) == (garden.size, None)


def test_who_picked_is_asked_where_the_household_wants_it(client, garden, send, open_planting):
    bench = f"{reverse('weigh_in:bench')}?pot={open_planting.pk}"
    assert "Picked by" not in html_of(client.get(bench))
    garden.household.asks_hand = True
    garden.household.save()
    send(event(open_planting, "900 9", visit="same", hand="Ada"))
    page = html_of(client.get(bench))
    assert '<option value="Ada">' in page
    assert "by Ada" in page


def test_a_scale_of_pounds_shows_its_steps_in_pounds_and_a_household_its_weights(
    client, garden, open_planting
):
    said = {"name": "farm scale", "unit": "lb", "step_mg": "0.01 lb", "limit_mg": "33 lb"}
    client.post(reverse("weigh_in:kit_new", args=["scale"]), said)
    scale = Scale.objects.get(name="farm scale")
    assert (scale.step_words, scale.limit_words) == ("0.01 lb", "33 lb")
    assert 'data-unit="lb"' in html_of(client.get(reverse("weigh_in:bench")))
    household = garden.household
    household.is_imperial = household.is_decimal_pounds = True
    household.save()
    client.post(reverse("weigh_in:kit_new", args=["bowl"]), {"name": "tub", "mass_mg": "2.43 lb"})
    assert "2.43 lb" in html_of(client.get(reverse("weigh_in:kit")))
    request = client.get(reverse("weigh_in:kit")).wsgi_request
    request.COOKIES["kilter_units"] = "metric"
    assert system_of(request) == "metric"


# ---- lists of plantings


def test_plantings_of_a_list_are_told_apart_by_no_more_than_it_takes(garden):
    bed = garden.bed
    one = plant(garden, bed, "moon pea", season=2025, planted_on=date(2025, 3, 1))
    two = plant(garden, bed, "moon pea", planted_on=date(2026, 3, 1))
    three = plant(garden, bed, "moon pea", planted_on=date(2026, 5, 1))
    four = plant(garden, bed, "moon pea", planted_on=date(2026, 5, 1))
    alone = plant(garden, bed, "sea kale")
    said = list(told_apart([one, two, three, four, alone]).values())
    name = f"moon pea, variety unknown in {bed}"
    assert said == [
        f"{name}, 2025",
        f"{name}, 2026, set out 1 March 2026",
        f"{name}, 2026, set out 1 May 2026, row 1",
        f"{name}, 2026, set out 1 May 2026, row 2",
        f"sea kale, variety unknown in {bed}",
    ]


def test_every_choice_of_a_planting_tells_the_season_of_two_that_look_alike(
    client, garden, send, open_planting
):
    twin = Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=garden.crop,
        variety=garden.varieties[0],
        season=2025,
        planted_on=date(2025, 3, 1),
    )
    send(event(open_planting, "900 9", visit="same"))
    line = WeighIn.objects.get(planting=open_planting)
    pages = [
        reverse("weigh_in:remember"),
        reverse("weigh_in:correct", args=[line.pk]),
        reverse("weigh_in:basket"),
        reverse("tending:new"),
        f"{reverse('weigh_in:bench')}?crop={garden.crop.pk}",
        f"{reverse('find:index')}?q=shallot",
    ]
    for address in pages:
        page = html_of(client.get(address))
        assert ", 2025" in page, address
        assert ", 2026" in page, address
    shown = html_of(client.get(pages[0]))
    assert f"{twin}, 2025<" in shown
    assert f"{open_planting}, 2026<" in shown


# ---- by a link


@pytest.fixture
def guest(garden, client):
    link = BenchLink.objects.create(household=garden.household, label="uncle")
    made = timezone.now() - timedelta(days=5)
    BenchLink.objects.filter(pk=link.pk).update(made_at=made)
    client.logout()
    client.post(reverse("people:join_by_link", args=[link.token]), {"name": "Uncle"})
    return client


def test_by_a_link_one_sees_the_whole_yard_and_chooses_a_day_since_it_was_made(
    garden, guest, send, open_planting
):
    other = plant(garden, Place.objects.of(garden.household).in_order()[0], "moon pea")
    page = html_of(guest.get(reverse("weigh_in:bench")))
    assert f'data-pot="{other.pk}"' in page
    assert f'data-pot="{open_planting.pk}"' in page
    assert 'id="bench-day"' in page
    yesterday, before = TODAY - timedelta(days=1), TODAY - timedelta(days=9)
    kept = event(open_planting, "900 9", visit="same", at=f"{yesterday}T10:00:00+00:00")
    early = event(open_planting, "900 9", visit="same", at=f"{before}T10:00:00+00:00")
    answer = send(kept, early)
    assert answer["stored"] == [kept["client_id"]]
    assert "ask the household to write what was lifted before" in answer["refused"][0]["reason"]
    shown = html_of(guest.get(reverse("weigh_in:bench"), {"day": str(yesterday)}))
    assert f'data-line="{kept["client_id"]}"' in shown
    assert "Your link is of" in html_of(guest.get(reverse("weigh_in:bench"), {"day": str(before)}))
    line = line_of(kept)
    guest.post(reverse("weigh_in:strike", args=[line.pk]))
    line.refresh_from_db()
    assert line.struck_at is not None
