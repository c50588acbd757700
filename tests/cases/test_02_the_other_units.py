"""Two bags weighed in pounds with a zeroed bag, foliage cut back against disease, part of a bed
row: bags or bed?

Invented garden. Bags: 3 seed potatoes each, 6 lb 10 oz and 5 lb 6 oz. Bed: 12 plants, 4 of them
lifted for 3.2 kg. By hand: 6 lb 10 oz = 106 oz = 3.0050 kg, 5 lb 6 oz = 86 oz = 2.4381 kg; 5.4431
kg of 6 = 0.9072 a plant; the bed 3.2 / 4 = 0.8; 0.9072 / 0.8 = 1.134.
"""

from __future__ import annotations

from datetime import date

from tests.cases.conftest import Newcomer

OUNCE_KG = 0.028349523125
BAGS_KG = (106 * OUNCE_KG, 86 * OUNCE_KG)


def test_bags_or_bed(newcomer):
    g: Newcomer = newcomer("dock")
    g.site("Back lane", length_m=8, width_m=4)
    g.pots("Sack", 2, 40, kind="fabric pot")
    bed = g.bed("Lane bed", 4, 1)
    set_out = {"variety_name": "Blue Hawser", "unit_kind": "seed potato"}
    sacks = g.set_out("sacks", "potato", 3, "12 April 2026", **set_out)
    (row,) = g.set_out(
        [bed], "potatoes", 12, "12 April 2026", in_row_cm="33,3", row_gap_cm=70, **set_out
    )
    said = g.happened(
        "cut back", "sacks, lane bed", "1 August 2026", what="blight", done="tops cut and binned"
    )
    assert "To be lifted from 15 August: 3 plantings." in said
    assert "Dispose of blighted foliage as local" in g.read("atlas:planting", row.pk)
    bag = g.kit("bowl", name="old bag", mass_mg="4 oz")
    g.weigh(sacks[0], "6 lb 14 oz", "2026-08-25", bowl=bag.pk)  # 4 oz of it is the bag
    g.weigh(sacks[1], "5 lb 6 oz", "2026-08-25")  # zeroed with the bag on it
    g.weigh(row, "3.2kg", "2026-08-26", plants=4)
    for sack in sacks:
        g.finish(sack, "25 August 2026")
    g.finish(row, "26 August 2026", rest="left")
    assert [planting.lift_from for planting in type(row).objects.filter(pk=row.pk)] == [
        date(2026, 8, 15)
    ]
    bags_kg, bed_kg = sum(BAGS_KG) / 6, 3.2 / 4
    page = g.ask("place_kind", "kg_per_plant", crop="potato", season=2026)
    assert f"{bags_kg:.2f} kg per plant" in page
    assert f"{bed_kg:.2f} kg per plant" in page
    assert "‘fabric pot’ and ‘bed’ cannot be told apart yet." in page
    assert f"{bags_kg / bed_kg:.3f}" in page  # 1.134
    own = g.read("atlas:planting", row.pk)
    assert "Only 4 of 12 plants were lifted" in own
