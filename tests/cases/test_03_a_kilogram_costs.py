"""One large crate, two early part lifts, the rest piled on one scale, moved for light in between:
what a kilogram cost.

Invented garden. 6 plants; one lifted for 410 g, one for 530 g, then a pile read 900, 1900, 3060 g =
3.06 kg for four. By hand: 0.41 + 0.53 + 3.06 = 4.00 kg. Paid: tubers 4.40, and a crate of 24.00
over six years = 4.00; 8.40 / 4.00 = 2.10.
"""

from __future__ import annotations

from tests.cases.conftest import Newcomer


def test_what_a_kilogram_cost(newcomer):
    g: Newcomer = newcomer("fern")
    g.site("Yard", light="part shade")
    g.pots("Great crate", 1, 120, kind="crate", light="shade")
    (planting,) = g.set_out(
        "great crate 1", "potato", 6, "15 March 2026", variety_name="Tarred Oak", price="4,40"
    )
    g.post(
        "set_out:cost",
        {"what": "crate", "price": 24, "day": "1 March 2026", "over_years": 6},
        "place",
        planting.place_id,
    )
    crate, site = planting.place, planting.place.site
    g.post(
        "ground:move",
        {"when": "20 May 2026", "site": site.pk, "x_m": 2, "y_m": 1, "light": "full sun"},
        crate.pk,
    )
    g.weigh(planting, "410", "2026-06-20", plants=1)
    g.weigh(planting, "530", "2026-07-01", plants=1)
    asked = g.post("weigh_in:finish", {"rest": ""}, planting.pk)
    assert "what became of the other 4?" in asked
    for number, shown in enumerate(("900", "1900", "3060"), start=1):
        g.weigh(planting, shown, "2026-08-15", pile="a" * 16, number=number)
    g.finish(planting, "15 August 2026")  # the pile says no number: it was all the rest
    page = g.read("atlas:planting", planting.pk)
    assert "4.00 kg" in page
    assert "Weight per unit of money 0.48 kg (2.10 of money a kg)" in page
    assert "66 days in Yard, shade; then 87 days in Yard, full sun" in page
    # Into the larder: 4.00 kg at 1.60 are 6.40; eaten 2.5 kg are 4.00, given 0.5 kg 0.80; it cost
    # 8.40, 2.10 a kg.
    g.put(planting, "kind:cellar:fresh", when="15 August 2026")
    potatoes = g.crate("potato")
    g.use(potatoes, "eaten", "2.5 kg", "1 September 2026")
    g.use(potatoes, "given", "500 g", "2 September 2026")
    g.post(
        "larder:new_price",
        {"crop": planting.crop_id, "price_minor": "1,60", "per": "kg", "from_day": "1 May 2026"},
    )
    (one,) = g.told("account", season=2026)["crops"]
    assert (one["value"], one["saved"], one["given"], one["cost"]) == (640, 400, 80, 840)
    assert one["break_even_minor"] == 210
    assert "2.10 €/kg" in g.read("larder:account", season=2026)
    assert g.went("potato")["in_store"] == 1_000_000
