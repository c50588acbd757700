"""What is left to lift is the same on Today and in the larder, and no page asks another way."""

from __future__ import annotations

import subprocess
from datetime import date
from pathlib import Path

from django.urls import reverse

from tests.conftest import event, html_of, plant

ROOT = Path(__file__).parents[2]


def test_leeks_lifted_in_part_leave_the_same_on_every_page(client, garden, send):
    """3 of 10 gave 1.9 kg of food: 7 are left, about 4.43 kg."""
    leek = plant(garden, garden.bed, "leek", units=10, planted_on=date(2026, 4, 10))
    lines = [
        event(leek, "1200 2", plants=2, visit="same"),
        event(leek, "300 2", "small", visit="same"),
        event(leek, "700 1", plants=1, visit="others"),
    ]
    assert not send(*lines)["refused"]
    larder = " ".join(html_of(client.get(reverse("larder:index"))).split())
    assert "about 4.43 kg, 7 plants" in larder
    assert "~4.43 kg" in html_of(client.get(reverse("today:index")))
    bench = html_of(client.get(f"{reverse('weigh_in:bench')}?pot={leek.pk}"))
    assert "7 of 10 still in the ground" in bench


def test_what_a_plant_may_still_give_is_reckoned_in_one_place():
    asks = subprocess.run(
        ["grep", "-rln", "left_to_lift(", "--include=*.py", "kilter"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    )
    assert set(asks.stdout.split()) == {"kilter/core/yields/left.py", "kilter/records/left.py"}
