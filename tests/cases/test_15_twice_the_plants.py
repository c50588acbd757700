"""Twice the plants in the same bed as last year, a second bed left in the ground: did it pay?

Invented garden. A bed of 4 m²: 16 plants gave 9.6 kg last year, 32 plants 12.8 kg this year. By
hand: 2.4 and 3.2 kg a m² (a third more), but 0.60 and 0.40 kg a plant. The second bed of 32 was not
lifted and never counts as nothing.
"""

from __future__ import annotations

from tests.cases.conftest import Newcomer


def test_did_twice_the_plants_pay(newcomer):
    g: Newcomer = newcomer("sorrel")
    g.site("Slope")
    g.bed("Upper bed", 4, 1)
    g.bed("Lower bed", 4, 1)
    sown = {"variety_name": "Deep Keel"}
    (last,) = g.set_out(
        "upper bed", "parsnip", 16, "10 April 2025", in_row_cm=25, row_gap_cm=100, **sown
    )
    (now,) = g.set_out(
        "upper bed", "parsnip", 32, "10 April 2026", in_row_cm="12,5", row_gap_cm=100, **sown
    )
    (left,) = g.set_out(
        "lower bed", "parsnip", 32, "10 April 2026", in_row_cm="12,5", row_gap_cm=100, **sown
    )
    for one, kg, day in ((last, "9.6 kg", "2025-11-10"), (now, "12.8 kg", "2026-11-10")):
        g.weigh(one, kg, day, is_sure=True)
        g.finish(one, day)
    page = g.ask("density", "kg_per_m2", crop="parsnip")
    assert "8 per m² 1 3.20 kg per square metre" in page
    assert "4 per m² 1 2.40 kg per square metre" in page
    assert "1.333" in page
    plant = g.ask("density", "kg_per_plant", crop="parsnip")
    assert "4 per m² 1 0.60 kg per plant" in plant
    assert "8 per m² 1 0.40 kg per plant" in plant
    assert "1 planting left out" in page
    assert "in Lower bed, 2026: is not finished, so it may still give more" in page
    close = g.read("weigh_up:crowding", crop=last.crop_id)
    assert (
        "This needs three plantings at two spacings" in close
    )  # two are not enough, and it says so
    assert "counts as 0" not in g.read("atlas:planting", left.pk)
    assert "may stay until it is wanted, good until" in g.read("today:index")
    # Of this year's 12.8 kg 10 kg lie in sand; 4 kg are eaten, 1 kg spoils; where 2.8 kg went
    # nobody said.
    g.put(now, "kind:sand:fresh", much="10 kg", when="11 November 2026")
    crate = g.crate("parsnip")
    g.use(crate, "eaten", "4 kg", "14 November 2026")
    g.use(crate, "spoiled", "1 kg", "18 November 2026")
    assert "Only 5.000 kg lies there now" in g.refused(
        "larder:use", {"crate": crate.pk, "use": "fed", "typed": "6 kg"}
    )
    found = g.went("parsnip")
    assert (found["eaten"], found["spoiled"], found["in_store"], found["not_accounted"]) == (
        4_000_000,
        1_000_000,
        5_000_000,
        2_800_000,
    )
    g.post(
        "larder:new_supply",
        {"crop": now.crop_id, "said": "ran out", "when": "20 January 2026", "season": 2025},
    )
    assert g.went("parsnip", 2025)["said"][0]["said"] == "ran out"
    assert "parsnip" in g.read("larder:index")
