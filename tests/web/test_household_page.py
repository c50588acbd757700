"""The household's page says what each choice changes, as the bench and the pages read it."""

from __future__ import annotations

import re

import pytest

from tests.conftest import html_of


def shown(html, field):
    """The example that stands beside a field."""
    block = re.search(rf'data-example="id_{field}">(.*?)</span></span>', html, re.DOTALL)
    return [
        words
        for hidden, words in re.findall(r'data-when="[^"]*"( hidden)?>([^<]*)', block[1])
        if not hidden
    ]


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({}, "default_unit", "At the bench 940 is read as 940 g, and 1.2 is read as 1.200 kg."),
        ({"default_unit": "lb"}, "default_unit", "1.2 is read as 544 g"),
        ({}, "date_order", "3/4/2026 is read as 3 April 2026."),
        ({"date_order": "mdy"}, "date_order", "3/4/2026 is read as 4 March 2026."),
        ({"is_imperial": True}, "is_imperial", "weighs 2 lb 11.5 oz"),
        ({"is_small_food": True}, "is_small_food", "Table, Small or Hurt"),
        ({}, "is_moon_shown", "Nothing is said of the moon."),
    ],
)
def test_what_a_choice_changes_is_said_beside_it(client, garden, changes, field, words):
    type(garden.household).objects.filter(pk=garden.household.pk).update(**changes)
    client.force_login(garden.owner)
    (said,) = shown(html_of(client.get("/household")), field)
    assert words in said


def test_what_was_refused_shows_what_was_chosen(client, garden):
    client.force_login(garden.owner)
    wrong = {
        "name": "",
        "time_zone": "Europe/London",
        "default_unit": "oz",
        "date_order": "mdy",
        "sure_fold": "0",
    }
    html = html_of(client.post("/household", wrong))
    assert "3/4/2026 is read as 4 March 2026." in shown(html, "date_order")
    assert "one of less than 2.5 g or more than 360 g is asked about" in html
