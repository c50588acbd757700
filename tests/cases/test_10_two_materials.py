"""Two materials of pot by two varieties in uneven numbers, laid out by chance, against last year's
bed per m².

Invented garden. Five cloth pots and four clay ones, each round, 0.40 m across: 0.12566 m². By hand:
what a pot gives is set here by what it holds, Kite 0.50 and Lark 0.40 kg in cloth, 0.40 and 0.32 in
clay: cloth is 1.25 of clay and Kite 1.25 of Lark everywhere. Last year's bed of 2 m² gave 5.0 kg =
2.5 a m²; a Kite in cloth 0.50 / 0.12566 = 3.98.
"""

from __future__ import annotations

from collections import Counter

from kilter.weigh_up.models import Trial, TrialUnit
from tests.cases.conftest import Newcomer

KG = {("cloth", "Kite"): 0.5, ("cloth", "Lark"): 0.4, ("clay", "Kite"): 0.4, ("clay", "Lark"): 0.32}


def test_material_and_variety(newcomer):
    g: Newcomer = newcomer("maple")
    g.site("Flat roof")
    bed = g.bed("Old bed", 2, 1)
    (last,) = g.set_out([bed], "pepper", 8, "10 May 2025", variety_name="Kite")
    g.weigh(last, "5 kg", "2025-09-20")
    g.finish(last, "20 September 2025")
    g.pots("Cloth", 5, 20, material="cloth", diameter_m="0,4", kind="fabric pot")
    g.pots("Clay", 4, 20, material="clay", diameter_m="0,4")
    asked = {
        "name": "Cloth or clay?",
        "crop_name": "peppers",
        "season": 2026,
        "first": "material",
        "first_text": "",
        "second": "variety",
        "second_text": "Kite, Lark",
        "alike": "water",
        "spots_typed": "cloth, clay",
    }
    said = g.post("weigh_up:new_trial", asked)
    assert "material (clay, cloth) and variety (Kite, Lark)" in said
    trial = Trial.objects.of(g.household).get()
    units = list(TrialUnit.objects.of(g.household).filter(trial=trial).select_related("place"))
    assert all(unit.first == unit.place.material for unit in units)  # read, not drawn
    assert sorted(Counter((u.first, u.second) for u in units).values()) == [2, 2, 2, 3]
    g.post(
        "weigh_up:trial_plant", {"units": 1, "unit_kind": "plant", "when": "10 May 2026"}, trial.pk
    )
    for unit in TrialUnit.objects.of(g.household).filter(trial=trial).select_related("planting"):
        g.weigh(unit.planting, f"{KG[unit.first, unit.second]} kg", "2026-09-20")
        g.finish(unit.planting, "20 September 2026")
    page = g.ask("material", "kg_per_plant", crop="pepper", season=2026, also="variety")
    assert "‘cloth’ gave about 25 % more than ‘clay’." in page
    assert "cloth clay 1.250" in page
    assert "Kite clay 0.400; cloth 0.500 yes" in page
    assert "Lark clay 0.320; cloth 0.400 yes" in page
    kite = trial.units.filter(first="cloth", second="Kite").first().planting
    assert f"{0.5 / 0.1256637:.2f} kg" in g.read("atlas:planting", kite.pk)
    against = g.ask("place_kind", "kg_per_m2", crop="pepper", within="variety")
    assert "Kite bed 2.500; fabric pot 3.979; pot 3.183 yes" in against
