"""Eight tubs of one variety from two seed lots, counted by grade without a scale, some lifted
earlier: which is better?

Invented garden. Ten roots sown in each tub. Table roots: own seed 8, 7, 9, 8 = 32 of 40; swapped 5,
6, 4, 5 = 20 of 40. By hand: 32/40 = 0.8 and 20/40 = 0.5 a seed, 0.8/0.5 = 1.6.
"""

from __future__ import annotations

from tests.cases.conftest import Newcomer

OWN, SWAPPED = (8, 7, 9, 8), (5, 6, 4, 5)


def test_which_seed_lot_was_better(newcomer):
    g: Newcomer = newcomer("alder")
    g.site("Balcony")
    g.pots("Tub", 8, 18)
    sown = {"variety_name": "Quay Red", "unit_kind": "seed"}
    own = g.set_out("tub 1-4", "beetroot", 10, "20 April 2026", lot_name="own 25", **sown)
    swapped = g.set_out("tubs 5-8", "beetroot", 10, "20 April 2026", lot_name="swapped 25", **sown)
    lifted = [
        ("2026-07-10", "2026-08-02")[i % 2] for i in range(4)
    ]  # every other tub three weeks earlier
    for plantings, counts in ((own, OWN), (swapped, SWAPPED)):
        for planting, count, day in zip(plantings, counts, lifted, strict=True):
            g.weigh(planting, f"c{count}", day, is_never_weighed=True)
            if count < 6:
                g.weigh(planting, "c2", day, grade="hurt", cause="split", is_never_weighed=True)
            g.finish(planting, day)
    first = g.read("weigh_up:index")
    assert (
        "own 25" in first
    )  # what they differ in is what is asked first, by number as nothing was weighed
    page = g.ask("lot", "count_per_piece", grade="table", crop="beetroot", season=2026)
    assert "‘own 25’ gave about 60 % more than ‘swapped 25’." in page
    assert "own 25 4 0.80 per piece set out" in page
    assert "swapped 25 4 0.50 per piece set out" in page
    assert "own 25 swapped 25 1.600" in page
    planting = g.read("atlas:planting", own[0].pk)
    assert "not weighed" in planting
    assert "0 g" not in planting
