"""A season is closed: what stands is finished or kept, one by one or together, and undone."""

from __future__ import annotations

from datetime import date

from django.urls import reverse

from kilter.people.models import Change
from kilter.weather.models import Day
from tests.conftest import event, html_of, plant

CLOSING = reverse("today:closing")


def press(client, do, **more):
    return client.post(CLOSING, {"do": do, **more})


def again(planting):
    planting.refresh_from_db()
    return planting


def test_each_planting_is_finished_or_kept_with_one_press(client, garden, send):
    """Chard is good until the end of April; of the tomato the last lift is its end."""
    chard = plant(garden, garden.bed, "chard", planted_on=date(2026, 5, 1))
    tomato = plant(garden, garden.crates[0], "tomato", planted_on=date(2026, 5, 20))
    assert not send(event(tomato, "940", at="2026-09-12T09:00:00+00:00"))["refused"]
    page = html_of(client.get(CLOSING))
    assert "last lifted 12 September 2026" in page
    assert f'value="winter:{chard.pk}"' in page
    assert press(client, f"finish:{tomato.pk}").status_code == 302
    assert again(tomato).finished_on == date(2026, 9, 12)
    assert again(chard).finished_on is None
    assert press(client, f"winter:{chard.pk}").status_code == 302
    assert again(chard).until == date(2027, 4, 30)
    assert "stands until 30 April 2027, as was said" in html_of(client.get(CLOSING))
    for change in Change.objects.filter(household=garden.household).order_by("-pk")[:2]:
        client.post(reverse("people:undo", args=[change.pk]))
    assert again(tomato).finished_on is None
    assert again(chard).until is None


def test_what_has_no_last_good_day_is_kept_until_the_winter_ends(client, garden):
    odd = plant(garden, garden.bed, "oca", planted_on=date(2026, 5, 1))
    press(client, f"winter:{odd.pk}")
    assert again(odd).until == date(2027, 3, 31)
    garden.site.latitude = -38.0
    garden.site.save()
    press(client, f"winter:{odd.pk}")
    assert again(odd).until == date(2027, 9, 30)


def test_all_that_is_ticked_is_said_at_once_and_nothing_ticked_is_asked_for(client, garden):
    one = plant(garden, garden.bed, "chard", planted_on=date(2026, 5, 1))
    two = plant(garden, garden.crates[0], "tomato", planted_on=date(2026, 5, 20))
    response = press(client, "keep", keep_until="1 Feb 2027")
    assert response.status_code == 422
    assert "Tick at least one." in html_of(response)
    response = press(client, "keep", over=[one.pk, two.pk], keep_until="1 Feb 2026")
    assert "Say a day ahead until which they stand." in html_of(response)
    assert press(client, "keep", over=[one.pk, two.pk], keep_until="1 Feb 2027").status_code == 302
    assert again(one).until == again(two).until == date(2027, 2, 1)


def test_a_button_of_another_garden_finishes_nothing(client, garden, other):
    theirs = plant(other, other.bed, "chard", planted_on=date(2026, 5, 1))
    assert press(client, f"finish:{theirs.pk}").status_code == 422
    assert again(theirs).finished_on is None
    assert press(client, "burn").status_code == 422


def test_what_frost_ended_is_finished_together(client, garden):
    tomato = plant(garden, garden.crates[0], "tomato", planted_on=date(2026, 8, 1))
    courgette = plant(garden, garden.bed, "courgette", planted_on=date(2026, 8, 1))
    chard = plant(garden, garden.crates[1], "chard", planted_on=date(2026, 5, 1))
    for day, low in ((date(2026, 10, 1), 4.0), (date(2026, 10, 9), -2.5)):
        Day.objects.create(
            household=garden.household, site=garden.site, day=day, min_c=low, max_c=12
        )
    found = client.get(CLOSING).context["closing"]
    assert {one.first.pk for one in found.frosted} == {tomato.pk, courgette.pk}
    press(client, f"finish:{found.frosted_keys}")
    assert again(tomato).finished_on == again(courgette).finished_on == date(2026, 10, 9)
    assert again(chard).finished_on is None
