"""A plan for four people and twelve crops from nothing.

Invented household: two grown, two children at 0.5, so 3 appetites. Worked by hand for one of them, carrots:
2 servings of 90 g a week for 30 weeks, kept, 1 % lost a week: 2 · 90 · 30 · 3 / 1000 = 16.2 kg at the table.
The chain back to the soil stands in the row (edible share, store), and is checked against the handbook's own figures.
"""

from __future__ import annotations

import re

from kilter.core.handbook import handbook
from kilter.set_out.models import Crop
from tests.cases.conftest import Newcomer

CROPS = (
    "carrots",
    "beetroot",
    "potatoes",
    "onions",
    "garlic",
    "leeks",
    "peas",
    "broad beans",
    "zucchini",
    "tomatoes",
    "kale",
    "squash",
)


def test_a_plan_for_four(newcomer):
    g: Newcomer = newcomer("juniper")
    for name, appetite in (("Ada", "1"), ("Bo", "1"), ("Cy", "0,5"), ("Di", "0.5")):
        g.post("next_year:add_eater", {"name": name, "appetite": appetite})
    for crop in CROPS:
        g.post("next_year:add_crop", {"crop_name": crop})
    carrot = Crop.objects.of(g.household).get(name="carrots")
    prefix = f"c{carrot.pk}-"
    said = {
        "way": "plate",
        "servings_per_week": 2,
        "serving_g": 90,
        "weeks": 30,
        "is_kept": "on",
        "store_loss_percent": 1,
        "germination_percent": 75,
        "certainty": 80,
    }
    g.post("next_year:crop", {prefix + name: value for name, value in said.items()}, carrot.pk)
    page = g.read("next_year:index")
    for crop in CROPS:
        assert crop in page
    row = page[page.index("carrots") :][:900]
    assert "16.2 kg" in row
    book = handbook()["carrot"]
    # At 1 % a week over 30 weeks, what is eaten in week w was laid in as 1 / 0.99^w.
    lifted = 16.2 / book.edible_share * sum(0.99**-week for week in range(30)) / 30
    shown = [float(figure) for figure in re.findall(r"(\d+\.\d+) kg", row)]
    assert any(abs(figure - lifted) < 0.051 for figure in shown), (lifted, shown)
    g.post("next_year:leave_out", {}, Crop.objects.of(g.household).get(name="kale").pk)
    assert "Left out kale" in g.read("next_year:index")
