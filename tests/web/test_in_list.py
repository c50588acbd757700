"""Lines are put right in the list: many at once, one change, one undo."""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.people.models import Change
from kilter.weigh_in.models import WeighIn
from tests.conftest import event, html_of, plant

LIST = reverse("weigh_in:correct_list")


@pytest.fixture
def leeks(garden, send):
    """Two leek plantings; of the first three lines were written."""
    one = plant(garden, garden.bed, "leek", units=30, planted_on=date(2026, 4, 20))
    other = plant(garden, garden.crates[0], "leek", units=5, planted_on=date(2026, 5, 20))
    lines = [
        event(one, typed, at=f"2026-10-{day}T09:00:00+00:00")
        for typed, day in (("900 3", 20), ("700", 21), ("500 2", 22))
    ]
    assert not send(*lines)["refused"]
    return one, other


def filled(client, address=LIST) -> dict[str, str]:
    """What the page would send as it stands."""
    said = {}
    for row in client.get(address).context["rows"]:
        said |= {row.add_prefix(name): html_value(row, name) for name in row.fields}
    return {**said, "to": ""}


def html_value(row, name) -> str:
    value = row[name].field.widget.format_value(row[name].value())
    value = value[0] if isinstance(value, list) else value
    return "" if value is None else str(value)


def of(planting):
    lines = WeighIn.objects.filter(planting=planting).order_by("pk")
    return [(str(one.weighed_on)[5:], one.grade, one.count, one.mass_mg) for one in lines]


def test_day_grade_count_and_weight_are_put_right_at_once(client, garden, leeks):
    one, _ = leeks
    address = f"{LIST}?crop={one.crop_id}"
    first, second, third = WeighIn.objects.filter(planting=one).order_by("pk")
    said = filled(client, address) | {
        f"{first.pk}-shown": "950 g",
        f"{second.pk}-grade": "small",
        f"{second.pk}-count": "4",
        f"{third.pk}-when": "23 October 2026",
    }
    assert client.post(address, said).status_code == 302
    now = [
        ("10-20", "table", 3, 950_000),
        ("10-21", "small", 4, 700_000),
        ("10-23", "table", 2, 500_000),
    ]
    assert of(one) == now
    change = Change.objects.filter(household=garden.household).latest("pk")
    assert change.says.endswith("3 lines.")
    client.post(reverse("people:undo", args=[change.pk]))
    assert of(one)[0] == ("10-20", "table", 3, 900_000)
    assert of(one)[2][0] == "10-22"


def test_a_line_of_a_pile_keeps_its_weight(client, garden, leeks, send):
    """300 g, then 700 g on the scale: 300 and 400; the grade of the first is put right."""
    other = leeks[1]
    pile = {"pile": "a" * 32, "device": "d" * 32, "at": "2026-10-23T09:00:00+00:00"}
    for number, total in enumerate(("300", "700"), 1):
        assert not send(event(other, total, number=number, **pile))["refused"]
    address = f"{LIST}?pot={other.pk}"
    assert "weighed in a pile" in html_of(client.get(address))
    first = WeighIn.objects.filter(planting=other).earliest("pk")
    assert client.post(address, filled(client, address)).status_code == 302
    said = filled(client, address) | {f"{first.pk}-grade": "small"}
    assert client.post(address, said).status_code == 302
    assert [line[1::2] for line in of(other)] == [("small", 300_000), ("table", 400_000)]


def test_sent_as_it_stands_nothing_is_written(client, garden, leeks):
    before = Change.objects.count()
    assert client.post(LIST, filled(client)).status_code == 302
    assert Change.objects.count() == before


def test_several_lines_move_to_another_planting_of_their_crop(client, garden, leeks):
    one, other = leeks
    address = f"{LIST}?crop={one.crop_id}"
    first, second, _ = WeighIn.objects.filter(planting=one).order_by("pk")
    said = filled(client, address) | {"moved": [first.pk, second.pk]}
    response = client.post(address, said)
    assert response.status_code == 422
    assert "Say to which planting." in html_of(response)
    assert client.post(address, said | {"to": other.pk}).status_code == 302
    assert len(of(one)) == 1
    assert [line[3] for line in of(other)] == [900_000, 700_000]
    shallots = garden.plantings[0]
    rest = filled(client) | {"moved": [first.pk], "to": shallots.pk}
    assert "can be moved there." in html_of(client.post(LIST, rest))


def test_what_cannot_be_is_said_beside_its_line_and_nothing_is_written(client, garden, leeks):
    one, _ = leeks
    address = f"{LIST}?crop={one.crop_id}"
    first, second, _ = WeighIn.objects.filter(planting=one).order_by("pk")
    said = filled(client, address) | {
        f"{first.pk}-when": "1 March 2026",
        f"{second.pk}-shown": "",
    }
    page = html_of(client.post(address, said))
    assert "A line is a weight, a count, or both." in page
    said = filled(client, address) | {f"{first.pk}-when": "1 March 2026"}
    response = client.post(address, said)
    assert response.status_code == 422
    assert 'value="1 March 2026"' in html_of(response), "what was typed is still there"
    assert of(one)[0] == ("10-20", "table", 3, 900_000)
