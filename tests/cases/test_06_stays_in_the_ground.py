"""One tuber planted of a crop that stays in the ground: what came back, more left there, some kept
to plant, the moon.

Invented garden. One tuber of 120 g. Lifted as wanted: 1.45 and 1.70 kg for the table, 0.45 kg kept
to plant. By hand: food 1.45 + 1.70 = 3.15 kg; 3.15 / 0.120 = 26.25 of what was planted. It was set
out on 16 February 2026, a day before the new moon of the 17th (calendar, from memory): the moon was
waning.
"""

from __future__ import annotations

from tests.cases.conftest import Newcomer


def test_what_one_tuber_came_back_with(newcomer):
    g: Newcomer = newcomer("ivy")
    g.post(
        "people:household",
        {
            "name": "ivys",
            "time_zone": "UTC",
            "default_unit": "g",
            "date_order": "dmy",
            "sure_fold": 12,
            "is_moon_shown": "on",
            "currency": "€",
        },
    )
    g.site("Edge")
    bed = g.bed("Fence strip", 3, 0.5)
    (planting,) = g.set_out(
        [bed],
        "sunchokes",
        1,
        "16 February 2026",
        unit_kind="tuber",
        lot_mass="120 g",
        variety_name="Old Rope",
    )
    assert planting.crop.in_handbook.name == "sunchoke"
    g.weigh(planting, "1450", "2026-10-30")
    g.weigh(planting, "1700", "2026-11-14")
    g.weigh(planting, "450 5", "2026-11-14", grade="seed")
    g.post(
        "set_out:new_lot",
        {
            "name": "own 2026",
            "crop_name": "sunchokes",
            "variety_name": "Old Rope",
            "kept_from": planting.pk,
            "bought_count": 5,
            "weight": "450 g",
        },
        query=f"?kept_from={planting.pk}",
    )
    today = g.read("today:index")
    assert "overdue" not in today
    assert "moon" in today
    page = g.read("atlas:planting", planting.pk)
    assert "Weight per kilogram set out 26.2 kg 3.150 kg over 0.12" in page
    assert "Moon waning, nearest to new moon" in page
    assert "It may still give more" in page  # more is left in the ground
    assert "Table" in page
    assert "Seed" in page
    assert "own 2026" in g.read("set_out:lots")
    # What was kept to plant goes to the lot that was named already; the rest stands in the ground
    # until it is wanted.
    g.put(planting, "use:kept_to_plant", "seed")
    assert g.read("set_out:lots").count("own 2026") == 1
    assert "Still in the ground" in g.read("larder:index")
    g.put(planting, "kind:sand:fresh", much="2 kg")
    g.put(planting, "use:eaten")
    g.use(g.crate("sunchokes"), "eaten", "half")
    found = g.went("sunchokes")
    assert (found["kept_to_plant"], found["eaten"], found["in_store"]) == (
        450_000,
        2_150_000,
        1_000_000,
    )
    assert (found["lifted_mg"], found["not_accounted"]) == (3_600_000, 0)
