"""Four varieties mixed in one long bed by replacements, one basket of two, damage at one end: drop
one?

Invented garden. Ten of each of three varieties; four of the third were replaced by a fourth. By
hand: the third is divided by the six that stood; a basket of 2.4 kg off ten and six plants is 1.5
and 0.9 kg. North 3.0 kg / 10 = 0.30; Ebb 1.5 / 10 = 0.15; Flow 0.9 / 6 = 0.15; Slack 1.0 / 4 =
0.25. What a basket was shared out by tells nothing of its parts, so Ebb and Flow are not held
against the others.
"""

from __future__ import annotations

from kilter.weigh_in.models import new_client_id
from tests.cases.conftest import Newcomer


def test_drop_one(newcomer):
    g: Newcomer = newcomer("rowan")
    g.site("Drive")
    bed = g.bed("Long bed", 12, 1)
    thirds = g.parts(bed, "thirds")
    planted = {}
    for part, name in zip(
        ("west third", "middle third", "east third"), ("North", "Ebb", "Flow"), strict=True
    ):
        (planted[name],) = g.set_out([thirds[part]], "leek", 10, "15 June 2026", variety_name=name)
    (planted["Slack"],) = g.set_out(
        [thirds["east third"]],
        "leek",
        4,
        "5 July 2026",
        variety_name="Slack",
        kin=planted["Flow"].pk,
        kinship="replaces",
    )
    flow = g.read("atlas:planting", planted["Flow"].pk)
    assert "Stand now 6" in flow
    g.weigh(planted["North"], "3 kg", "2026-11-20")
    basket = {
        "client_id": new_client_id(),
        "picked": [planted["Ebb"].pk, planted["Flow"].pk],
        "grade": "table",
        "typed": "2.4 kg",
        "split_by": "count",
        "counts": "10, 6",
    }
    g.post("weigh_in:basket", basket)
    g.weigh(planted["Slack"], "1 kg", "2026-11-20")
    g.post(
        "tending:new",
        {
            "kind": "damage",
            "when": "1 September 2026",
            "what": "a fox",
            "lost_percent": 15,
            "targets": f"part-{thirds['east third'].pk}",
        },
    )
    for one in planted.values():
        g.finish(one, "23 November 2026")
    page = g.ask("variety", "kg_per_plant", crop="leek", season=2026)
    for level in (
        "North 1 0.30 kg per plant",
        "Slack 1 0.25 kg per plant",
        "One of each: nothing here would show if one went wrong.",
    ):
        assert level in page, level
    assert page.count("a quarter of its harvest is its part of a basket shared with others") == 2
    for name in ("Ebb", "Flow"):
        assert "0.150 kg" in g.read("atlas:planting", planted[name].pk)
    assert "15 in the middle for ‘" in page  # % lost to what happened at that end
    said = {"season": 2026, "kind": "not again", "reason": "thin"}
    assert "Only one season is on record" in g.refused(
        "weigh_up:verdict", said, g.variety("Ebb").pk
    )
    assert (
        "not again"
        in g.post("weigh_up:verdict", said | {"sure": "on"}, g.variety("Ebb").pk).lower()
    )
    _looked_back_at(g)


def _looked_back_at(g: Newcomer) -> None:
    """What the year says of it, and what is decided."""
    leek = g.variety("Ebb").crop_id
    page = g.read("look_back:crop", leek, season=2026)
    # by hand: 3.0 + 1.5 + 0.9 + 1.0 = 6.4 kg off 10 + 10 + 6 + 4 plants
    assert "Leek gave 213 g a plant over 4 plantings." in page
    assert (
        "Damage: nibbled, broken: a fox in Long bed, east third (15 in 100 lost), 1 September 2026."
        in page
    )
    assert "Ebb: not again, thin" in page
    ebb = {
        "season": 2026,
        "aim": "drop",
        "crop": leek,
        "variety": g.variety("Ebb").pk,
        "reason": "thin",
    }
    g.post("look_back:new_decision", ebb)
    split = {"season": 2026, "aim": "split", "crop": leek, "reason": "the fox takes one end"}
    g.post("look_back:new_decision", split)
    page = g.read("look_back:index", season=2026, whole="on")
    assert "Leek ‘Ebb’: do not grow it again. Because thin. open: none is planted so far" in page
    assert "Leek: split it over varieties or places. Because the fox takes one end." in page
    assert "remembers: a fox in September 2026, its only year on record, 15 in 100 lost" in g.read(
        "set_out:before", places_typed="long bed", crop_name="leek", planted="today"
    )
