"""A root crop in a pot and in cells: came up, sown again into the gaps, three varieties judged,
sown every so often.

Invented garden. 40 seeds in a pot, 26 came up; 12 more into the gaps, 9 came up. By hand: 26/40 =
65 %, 9/12 = 75 %. Weighed per plant that stood: Reef 26 plants 1.17 kg = 0.045 kg; Sand 20 plants
0.70 kg = 0.035; Tide 24 plants 0.96 kg = 0.040.
"""

from __future__ import annotations

from kilter.weigh_up.models import Criterion
from tests.cases.conftest import Newcomer


def test_three_varieties_by_eye_and_by_scale(newcomer, settings):
    g: Newcomer = newcomer("kelp")
    g.site("Steps")
    g.pots("Trough", 3, 60)
    planted = {}
    for i, (name, up, kg) in enumerate(
        (("Reef", 26, "1170"), ("Sand", 20, "700"), ("Tide", 24, "960")), start=1
    ):
        (one,) = g.set_out(
            f"trough {i}",
            "carrot",
            40,
            "3 April 2026",
            unit_kind="seed",
            variety_name=name,
            layout="cells" if i == 3 else "",
        )
        g.count(one, "up", up, "24 April 2026")
        g.weigh(one, kg, "2026-07-20")
        planted[name] = one
    assert "Came up 65 % of 40" in g.read("atlas:planting", planted["Reef"].pk)
    (gap,) = g.set_out(
        "trough 1",
        "carrot",
        12,
        "28 April 2026",
        unit_kind="seed",
        variety_name="Reef",
        kin=planted["Reef"].pk,
        kinship="cohort",
    )
    g.count(gap, "up", 9, "15 May 2026")
    assert "Came up 75 % of 12" in g.read("atlas:planting", gap.pk)
    g.post("weigh_up:new_criterion", {"name": "looks", "weight": 1})
    looks = Criterion.objects.of(g.household).get(name="looks")
    for name, score in (("Reef", 3), ("Sand", 5), ("Tide", 4)):
        g.post("weigh_up:scores", {"season": 2026, f"c{looks.pk}": score}, g.variety(name).pk)
    for one in planted.values():
        g.finish(one, "20 July 2026")
    page = g.ask("variety", "kg_per_plant", crop="carrot")
    for figure in ("0.045 kg per plant", "0.035 kg per plant", "0.040 kg per plant"):
        assert figure in page, figure
    ranked = g.read("weigh_up:ranking")
    assert "looks" in ranked
    # Sown every three weeks until the middle of August, and once more by what was said of the
    # first.
    settings.KILTER_TODAY = "2026-07-25"
    said = {
        "job": "sow again",
        "first_on": "in 2 days",
        "every_days": 21,
        "until": "15 August 2026",
    }
    query = f"?target=planting-{planted['Sand'].pk}"
    g.post("tending:repeat", said | {"targets": f"planting-{planted['Sand'].pk}"}, query=query)
    assert "Sow again carrot ‘Sand’ Trough 2 27 Jul" in g.read("today:index")
    begun = g.read("set_out:new", again=planted["Sand"].pk)
    assert "In each of" in begun
    g.set_out("trough 2", "carrot", 40, "27 July 2026", unit_kind="seed", variety_name="Sand")
    settings.KILTER_TODAY = "2026-07-28"
    assert "Sow again" not in g.read("today:index")  # done; the next is 21 days on, after the end


def test_how_many_seeds_of_the_very_packet(newcomer, settings):
    """By hand: of 60 seeds of the packet 36 came up, 60 in 100; for 30 plants 58 seeds (N7),
    40 are left, 18 to get.
    """
    g: Newcomer = newcomer("whelk")
    g.site("Steps")
    g.pots("Trough", 2, 60)
    g.post(
        "set_out:new_lot",
        {"name": "shed tin", "crop_name": "carrot", "bought_count": 100, "price": "3"},
    )
    (sown,) = g.set_out(
        "trough 1", "carrot", 60, "3 April 2026", unit_kind="seed", lot_name="shed tin"
    )
    g.count(sown, "up", 36, "24 April 2026")
    g.weigh(sown, "1440", "2026-07-20")
    g.finish(sown, "20 July 2026")
    g.post("next_year:add_eater", {"name": "Kit", "appetite": 1})
    said = {
        "way": "plate",
        "servings_per_week": 1,
        "serving_g": 50,
        "weeks": 10,
        "goal": "fresh",
        "certainty": 50,
    }
    said |= {"store_loss_percent": 0, "germination_percent": 90, "own_plants": 30}
    g.post("next_year:crop", said, sown.crop_id)
    page = g.read("next_year:crop", sown.crop_id)
    assert "58 seeds of 100, 60 come up; 90 % sure that enough do, on top" in page
    assert "In stock: 40 of shed tin, 60 % came up." in page
    assert "To get: 18, that is 1 pack of 100, as last bought (3.00 €)." in page
    assert "2 of your 2 pots of 60 L" not in page  # thirty stand in one trough of 60 L: 28 to 30 L
    assert "1 of your 2 pots of 60 L" in page
    listed = g.read("next_year:shopping")
    assert "carrot 58 seeds 40 18 1 × 100 3.00 €" in listed
