"""A row of pots of several varieties, no scale on site, one mislabelled, one larger, damaged ones,
verdicts.

Invented garden. Two pots each of three varieties of shallot, 6 sets a pot, counted in the garden
and weighed at home. By hand, Table and Hurt over 12 sets: Ember 540 + 660 = 1.2 kg, 0.100 a set;
Flint 480 + 420 = 0.9 kg, 0.075; Gale 300 + 300 = 0.6 kg, 0.050. Pot 6 was taken for Ember until a
bulb was cut.
"""

from __future__ import annotations

from kilter.weigh_in.models import WeighIn
from tests.cases.conftest import Newcomer

GRAMS = {1: 540, 2: 660, 3: 480, 4: 420, 5: 300, 6: 240}


def test_three_varieties_in_a_row(newcomer):
    g: Newcomer = newcomer("gorse")
    g.site("Plot")
    pots = g.pots("Pot", 6, 25)
    g.post(
        "ground:place",
        {
            "site": pots[5].site_id,
            "kind": "pot",
            "name": "Pot",
            "number": 6,
            "volume_l": 35,
            "volume_unit": "L",
        },
        pots[5].pk,
    )
    planted = {}
    for name, where in (("Ember", "pot 1-2, 6"), ("Flint", "pot 3, 4"), ("Gale", "pot 5")):
        for one in g.set_out(
            where, "shallot", 6, "14 March 2026", variety_name=name, unit_kind="set"
        ):
            planted[one.place.number] = one
    for planting in planted.values():
        g.weigh(planting, "c10", "2026-07-28")  # no scale there: it waits
    g.weigh(planted[6], "60 2", "2026-07-29", grade="hurt", cause="broken skin")
    assert "6" in g.read("weigh_in:waiting")
    for line in WeighIn.objects.of(g.household).filter(waits=True):
        g.post("weigh_in:weigh", {"line": f"{GRAMS[line.planting.place.number]}"}, line.pk)
    said = {"variety_name": "Gale", "when": "1 August 2026", "note": "white rings"}
    g.post("weigh_in:rename", said, planted[6].pk)
    for planting in planted.values():
        g.finish(planting, "29 July 2026")
    crop = planted[1].crop_id
    page = g.ask("variety", "kg_per_plant", crop="shallot", season=2026)
    for level in ("0.100 kg per plant", "0.075 kg per plant", "0.050 kg per plant"):
        assert level in page, level
    assert "volume of the container" in page  # one pot is larger
    ranked = g.read("weigh_up:ranking", crop=crop)
    assert ranked.index("Ember") < ranked.index("Flint") < ranked.index("Gale")
    hasty = {"season": 2026, "kind": "not again", "reason": "small"}
    assert "Only one season is on record" in g.refused(
        "weigh_up:verdict", hasty, g.variety("Gale").pk
    )
    g.post(
        "weigh_up:verdict",
        {"season": 2026, "kind": "again", "reason": "sweet"},
        g.variety("Ember").pk,
    )
    own = g.read("atlas:planting", planted[6].pk)
    assert "Until 1 August 2026 it was" in own
    assert "Ember" in own
    # The hurt one is eaten first; Ember is cured and loses a tenth of its 1.2 kg, Flint is not and
    # loses 90 of 900 g.
    planted[6].refresh_from_db()
    hurt = g.put(planted[6], "use:eaten", "hurt", when="30 July 2026")
    assert "Put by: shallot 60 g" in hurt
    g.put(planted[1], "kind:airy shelf:curing", when="30 July 2026")
    g.put(planted[3], "kind:cellar:fresh", when="30 July 2026")
    ember, flint = g.crate("shallot", "curing"), g.crate("shallot")
    assert ember.cure_until is not None
    g.use(ember, "weighed", "1080 g", "20 August 2026")
    g.post("larder:cured", {}, ember.pk)
    g.use(flint, "spoiled", "90 g", "20 August 2026")
    found = g.went("shallot")
    assert (found["dried_away"], found["spoiled"], found["eaten"]) == (120_000, 90_000, 60_000)
    assert found["not_accounted"] == 540_000  # Gale lies nowhere yet, and that is said
    lost = g.ask("variety", "share_lost", crop="shallot", season=2026)
    assert "Ember 10.00 %" in lost
    assert "Flint 10.00 %" in lost
