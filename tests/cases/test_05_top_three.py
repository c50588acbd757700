"""Five varieties of bean picked ten times each, two of them in bad places: a top three.

Invented garden. Picked every week, the same weight each time: Anchor 100 g, Bosun 80, Cable 120
(two plants each in two pots), Deck 60 in deep shade, Eddy 70 under a drip. By hand: ten pickings of
100 g off two plants are 0.50 kg a plant, of 80 g 0.40, of 120 g 0.60; the two in bad places are not
ranked.
"""

from __future__ import annotations

from datetime import date, timedelta

from kilter.weigh_up.models import Criterion
from tests.cases.conftest import Newcomer

#: Grams at each of ten pickings of each of two pots, two plants a pot: kilograms a plant are ten
#: times that over two.
PICKED = {"Anchor": 100, "Bosun": 80, "Cable": 120, "Deck": 60, "Eddy": 70}


def test_a_top_three(newcomer):
    g: Newcomer = newcomer("hazel")
    g.site("Terrace")
    g.pots("Pail", 10, 15)
    planted = {}
    for i, name in enumerate(PICKED):
        where = f"pail {2 * i + 1}-{2 * i + 2}"
        planted[name] = g.set_out(where, "climbing bean", 2, "20 May 2026", variety_name=name)
    first = date(2026, 7, 20)
    for name, grams in PICKED.items():
        for planting in planted[name]:
            for week in range(10):
                g.weigh(planting, str(grams), (first + timedelta(weeks=week)).isoformat())
            g.finish(planting, "21 September 2026")
    g.happened("shaded", "pail 7-8", "1 July 2026", until="21 September 2026", what="the wall")
    for name, reason in (("Deck", "in deep shade"), ("Eddy", "under a drip")):
        g.post(
            "weigh_up:verdict",
            {"season": 2026, "kind": "no fair chance", "reason": reason},
            g.variety(name).pk,
        )
    crop = planted["Anchor"][0].crop_id
    page = g.ask("variety", "kg_per_plant", crop="climbing bean", season=2026)
    for name in ("Anchor", "Bosun", "Cable"):
        assert f"{PICKED[name] * 10 / 2 / 1000:.2f} kg per plant" in page, name  # 0.50, 0.40, 0.60
    ranked = g.read("weigh_up:ranking", crop=crop)
    order = [ranked.index(name) for name in ("Cable", "Anchor", "Bosun")]
    assert order == sorted(order)
    assert "Cable 1.00" in ranked
    assert "no fair chance: try elsewhere: in deep shade" in ranked
    assert ranked.index("Bosun") < ranked.index("Deck neither measured nor judged")
    _to_their_verdicts(g, crop)


def _to_their_verdicts(g: Newcomer, crop: int) -> None:
    """In one sitting two judges score the bean, one of them for those who only eat;
    the season's page has it all.
    """
    g.post("weigh_up:new_criterion", {"name": "flavour", "weight": 1})
    asked = g.read("look_back:sitting", season=2026)
    assert "Cable Place 1 in the ranking" in asked
    criterion = Criterion.objects.of(g.household).get()
    cable, bosun, deck = (g.variety(name) for name in ("Cable", "Bosun", "Deck"))
    for judge, scores in (("hazel", (5, 3)), ("Grandmother", (4, 3))):
        said = {
            f"s{v.pk}-{criterion.pk}": value
            for v, value in zip((cable, bosun), scores, strict=True)
        }
        said |= {
            "judge": judge,
            f"verdict-{cable.pk}": "staple",
            f"verdict-{deck.pk}": "no fair chance",
        }
        g.post(
            "look_back:sitting",
            said | {f"reason-{deck.pk}": "in deep shade"},
            query=f"?season=2026&crop={crop}",
        )
    page = g.read("look_back:crop", crop, season=2026)
    assert "Cable; flavour 4.5 by 2: staple" in page  # (5 + 4) / 2
    assert "Bosun; flavour 3.0 by 2" in page
    assert "Deck: no fair chance: try elsewhere, in deep shade" in page
    # by hand: the best pot gave 10 · 120 / 2 = 600 g a plant, the worst, Deck, 10 · 60 / 2 = 300 g
    assert "Best climbing bean: climbing bean ‘Cable’ in Pail 5, 600 g a plant." in page
    assert (
        "Worst: climbing bean ‘Deck’ in Pail 8, 300 g a plant (no fair chance, by your verdict)."
        in page
    )
