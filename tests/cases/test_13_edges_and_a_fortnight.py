"""A block whose edges do poorly, a crop to use first, a store crop lifted as the kitchen takes it,
a fortnight away.

Invented garden. Celeriac in the edge and the middle of two beds: edge 6 plants 1.5 kg = 0.25 kg,
middle 10 plants 4.0 kg = 0.40 kg in each. By hand 0.40 / 0.25 = 1.6.
"""

from __future__ import annotations

import math

from tests.cases.conftest import Newcomer


def test_edges_or_middle_and_what_cannot_wait(newcomer, settings):
    settings.KILTER_TODAY = "2026-10-12"
    g: Newcomer = newcomer("pine")
    g.post(
        "people:household",
        {
            "name": "pines",
            "time_zone": "UTC",
            "default_unit": "g",
            "date_order": "dmy",
            "sure_fold": 12,
            "kitchen_kg_per_week": "5",
            "currency": "€",
        },
    )
    g.site("Block")
    for name in ("East block", "West block"):
        bed = g.bed(name, 4, 2)
        parts = g.parts(bed, "edge and middle")
        for part, plants, kg in (("edge", 6, "1.5 kg"), ("middle", 10, "4 kg")):
            (one,) = g.set_out(
                [parts[part]], "celeriac", plants, "10 May 2026", variety_name="Round Buoy"
            )
            g.weigh(one, kg, "2026-10-10")
            g.finish(one, "10 October 2026")
    page = g.ask("edge", "kg_per_plant", crop="celeriac", season=2026, within="place")
    assert "0.40 kg per plant" in page
    assert "0.25 kg per plant" in page
    assert "1.600" in page
    assert "It holds in both places." in page
    g.bed("Bean row", 4, 1)
    g.bed("Carrot row", 6, 1)
    g.bed("Onion row", 3, 1)
    (beans,) = g.set_out("bean row", "climbing bean", 20, "20 June 2026")
    g.weigh(
        beans, "700", "2026-10-08"
    )  # being picked: in a fortnight it will have been left too long
    g.set_out("carrot row", "carrot", 200, "10 June 2026", unit_kind="seed")
    g.set_out("onion row", "onion", 60, "20 March 2026", unit_kind="set")  # overdue, and it keeps
    away = g.read("today:index", until="in 14 days")
    assert "What would suffer by Monday 26 October comes first" in away
    lift = away[away.index("To lift before you go") :]
    assert lift.index("climbing bean") < lift.index("carrot")
    assert "not picked for 18 days by then" in lift
    assert "I am here" in away
    here = g.read("today:index")
    assert "by then" not in here
    assert "more than the kitchen takes" in here  # 5 kg a week is the limit
    # 11 kg of celeriac: 8 kg into sand, 3 kg of it hurt on the way and eaten first; looked through
    # after four weeks.
    g.post("larder:new_store", {"name": "Sand box", "kind": "sand", "look_every_days": 28})
    sand = one.household.store_set.get()
    g.put(one, f"store:{sand.pk}:fresh", much="8 kg")
    g.put(one, "kind:fridge:fresh")
    stored = one.crop.crates.get(store=sand)
    first = one.crop.crates.exclude(store=sand).get()
    g.post(
        "larder:change_crate",
        {"store": first.store_id, "state": "fresh", "when": "12 October 2026", "eat_first": "on"},
        first.pk,
    )
    today = g.read("today:index")
    assert "Eat first" in today
    assert "hurt: eat first" in today
    settings.KILTER_TODAY = "2026-11-10"
    assert "Look through Sand box" in g.read("today:index")
    g.post("larder:look", {f"bad-{stored.pk}": "400 g"}, sand.pk)
    found = g.went("celeriac")
    assert (found["spoiled"], found["in_store"]) == (400_000, 10_600_000)
    # 29 days at 5 %: h = 0.05129 over 4.143 weeks; (20 × 0.01 + 0.05129)/24.143 = 0.01041.
    assert "sand 1.0 %" in g.read("larder:crop", one.crop_id)
    # For twenty weeks from that sand: 120 g a week, 65 % of a celeriac is eaten, 1.041 % a week
    # lost.
    g.post("next_year:add_eater", {"name": "Fir", "appetite": 1})
    said = {
        "way": "plate",
        "servings_per_week": 1,
        "serving_g": 120,
        "weeks": 20,
        "goal": "winter",
        "certainty": 80,
    }
    g.post(
        "next_year:crop", said | {"store_loss_percent": 9, "germination_percent": 70}, one.crop_id
    )
    plan = g.read("next_year:crop", one.crop_id)
    loss = 1 - math.exp(-(20 * 0.01 - math.log(1 - 0.4 / 8)) / (20 + 29 / 7))
    lifted = 0.12 * 20 / 0.65 * sum((1 - loss) ** -week for week in range(20)) / 20
    assert f"from servings 2.40 kg {lifted:.2f} kg" in plan
    assert "1.0 % a week is lost in the sand" in plan
    assert "in place of 9 %" in plan
    # What was told to the review is at hand: the edge and the middle are places, 0.25 and 0.40 kg a
    # plant.
    assert "4 plantings" in plan
