"""The walk round Kilter: six stops in the demo,
none in a garden of one's own unless it is asked for.
"""

from __future__ import annotations

import pytest
from django.urls import reverse

from kilter.site.walk import STOPS
from tests.conftest import html_of


@pytest.fixture
def demo(client, garden):
    type(garden.household).objects.filter(pk=garden.household.pk).update(is_demo=True)
    client.force_login(garden.owner)
    return client


def test_the_demo_leads_through_six_rooms_and_then_leaves_one_alone(demo):
    assert len(STOPS) == 6
    where = "/"
    for nth, stop in enumerate(STOPS, start=1):
        html = html_of(demo.get(where))
        assert f"{nth} of 6, {stop.label}." in html
        said = demo.post("/walk", {"stop": nth + 1 if nth < 6 else 0, "back": where})
        where = reverse(STOPS[nth].room) if nth < 6 else where
        assert said["Location"] == where
    assert "A walk round Kilter" not in html_of(demo.get("/"))


def test_whoever_strays_is_shown_the_way_back_and_may_leave(demo):
    assert "The walk waits at Today." in html_of(demo.get("/household"))
    assert demo.post("/walk", {"stop": 1})["Location"] == "/"
    assert demo.post("/walk", {"stop": 0, "back": "/household"})["Location"] == "/household"
    assert "The walk waits" not in html_of(demo.get("/household"))


def test_a_garden_of_ones_own_is_walked_round_only_when_asked(client, garden):
    client.force_login(garden.owner)
    html = html_of(client.get("/"))
    assert "A walk round Kilter" not in html
    assert "Walk round Kilter in six stops" in html, "it is offered under the keys"
    assert client.post("/walk", {"stop": 1})["Location"] == "/"
    assert "1 of 6, Today." in html_of(client.get("/"))


@pytest.mark.parametrize(
    "said", [{"stop": 7}, {"stop": "x"}, {}, {"stop": 0, "back": "//elsewhere.example/"}]
)
def test_what_is_no_stop_ends_the_walk_at_home(demo, said):
    assert demo.post("/walk", said)["Location"] == "/"


@pytest.mark.parametrize("cookie", ["99", "x", "-1", "", "1" * 40])
def test_a_broken_cookie_is_no_walk(demo, cookie):
    demo.cookies["kilter_walk"] = cookie
    assert demo.get("/").status_code == 200
