"""Makes the demo garden "Ropewalk Yard" in the open format: invented, seeded, with a garden's
spread.

Run: .venv/bin/python -m demo.make_ropewalk_yard
"""

from __future__ import annotations

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kilter.site.settings_test")
django.setup()

from demo.bench import at_the_bench, special_lines
from demo.crops import bed_crops, lots, odd_ones, potatoes, tomatoes, vague_ones
from demo.garden import SEASON_EFFECT, Garden
from demo.ground import ground_in_time, make_ground, squares
from demo.happenings import happenings, weather
from demo.larder import larder
from demo.look_back import look_back
from demo.package import names, write
from demo.plans import plans
from demo.trials import bean_trial, crowding, judged, shallot_trial


def main() -> None:
    g = Garden()
    make_ground(g)
    for name, appetite in (
        ("Odile", 1),
        ("Bram", 1.25),
        ("Ines", 1),
        ("Wen", 0.75),
        ("Tilly", 0.5),
        ("the lodger", 1),
    ):
        g.add("eaters", id=name.split()[-1].lower(), name=name, appetite=appetite)
    g.add("eaters", id="ducks", name="four ducks", appetite=0.5)
    g.add("eaters", id="cousins", name="the cousins", appetite=4, weeks=2, guest="yes")
    for season in SEASON_EFFECT:
        bed_crops(g, season)
        potatoes(g, season, [11, 12] if season == 2026 else list(range(7, 13)))
        tomatoes(g, season, list(range(1, 11)) if season == 2026 else list(range(1, 7)))
    shallot_trial(g, 2025, list(range(1, 13)))
    shallot_trial(g, 2026, list(range(1, 25)))
    bean_trial(g, 2025)
    bean_trial(g, 2026)
    odd_ones(g)
    lots(g)
    ground_in_time(g)
    vague_ones(g)
    at_the_bench(g)
    special_lines(g)
    happenings(g)
    crowding(g)
    squares(g)
    judged(g)
    larder(g)
    look_back(g)
    plans(g)
    names(g)
    weather(g)
    write(g)


if __name__ == "__main__":
    main()
