"""A year over several sites with setbacks, money and gifts: which site paid the walk?

Invented garden. Chard in one bed of 4 m² at home and one of 4 m² at the far plot, each cut four
times: home 1.2 kg each time, far 0.8 kg. By hand: 4.8 / 4 = 1.20 and 3.2 / 4 = 0.80 kg a m²; 1.20 /
0.80 = 1.5. Of 8.0 kg 1.5 kg were given away; at 4.50 a kilogram the rest saved 29.25. What the
year's page adds comes with its room.
"""

from __future__ import annotations

from tests.cases.conftest import Newcomer


def test_two_sites(newcomer):
    g: Newcomer = newcomer("larch")
    home = g.site("Home", light="full sun")
    far = g.site("Far plot", light="full sun", away_min=25)
    g.bed("Home bed", 4, 1, site=home)
    g.bed("Far bed", 4, 1, site=far)
    (here,) = g.set_out("home bed", "chard", 12, "2 May 2026", variety_name="Beacon", price="2,50")
    (there,) = g.set_out("far bed", "chard", 12, "2 May 2026", variety_name="Beacon", price="2,50")
    for day in ("2026-06-28", "2026-07-20", "2026-08-16", "2026-09-12"):
        g.weigh(here, "1.2 kg", day)
        g.weigh(there, "0,8 kg", day)
    g.happened(
        "pest", "far bed", "July 2026", what="pigeons", lost_percent=20, done="netted", helped="yes"
    )
    g.happened("drought", "far bed", "1 August 2026", until="20 August 2026")
    for one in (here, there):
        g.finish(one, "12 September 2026")
    page = g.ask("site", "kg_per_m2", crop="chard", season=2026)
    assert "Home 1 1.20 kg per square metre" in page
    assert "Far plot 1 0.80 kg per square metre" in page
    assert "1.500" in page
    fair = page[page.index("How fair it is") : page.index("What would settle it")]
    assert "Pest: “yes” for 1 of 1 of ‘Far plot’, “no” for 1 of 1 of ‘Home’" in fair
    assert "Drought" in fair
    assert "20 in the middle for ‘Far plot’, 0 in the middle for ‘Home’" in fair  # % lost
    paid = g.ask("site", "kg_per_money", crop="chard", season=2026)
    assert "1.92 kg per unit of money (0.52 of money a kg)" in paid  # 4.8 / 2.50
    assert "1.28 kg per unit of money (0.78 of money a kg)" in paid  # 3.2 / 2.50
    once = g.ask("site", "kg_per_place", crop="chard", season=2026)
    assert "How fair it is" in once
    g.post(
        "larder:new_price",
        {"crop": here.crop_id, "price_minor": "4.50", "per": "kg", "from_day": "1 May 2026"},
    )
    loose = {
        "crop": here.crop_id,
        "season": 2026,
        "use": "given",
        "typed": "1.5 kg",
        "when": "17 August 2026",
    }
    g.post(
        "larder:use", loose
    )  # never put by: greens are eaten within their days, and some of it was given
    (one,) = g.told("account", season=2026)["crops"]
    assert (one["value"], one["saved"], one["given"], one["cost"]) == (3600, 2925, 675, 500)
    assert g.went("chard")["assumed_eaten"] == 6_500_000
    _looked_back_at(g, here.crop_id)


def _looked_back_at(g: Newcomer, chard: int) -> None:
    """The year on one page, what each site remembers, and what changes:
    chard all the year round, nearer home.
    """
    page = g.read("look_back:index", season=2026, whole="on")
    for words in (
        # by hand: 8.0 kg off 24 plants, 333 g each; 3.2 kg where the same plants at home give 4.8,
        # 67 in 100
        "Chard gave 333 g a plant over 2 plantings.",
        "Pest: pigeons in Far bed (20 in 100 lost), some time in July 2026. Netted: it helped.",
        "29.25 € were not spent at the shop, 6.75 € given away, 5.00 € laid out.",
    ):
        assert words in page, (words, page[page.index("Pest") :][:400])
    assert "Far bed chard ‘Beacon’, 3.20 kg 67 %" in g.read("look_back:places", season=2026)
    hits = g.read("look_back:setbacks", season=2026)
    assert "Far bed: drought in August 2026, its only year on record; pigeons in July 2026" in hits
    said = {
        "season": 2026,
        "aim": "move",
        "crop": chard,
        "detail": "all of it home",
        "reason": "the walk",
    }
    g.post("look_back:new_decision", said)
    g.post(
        "larder:new_supply",
        {"crop": chard, "said": "ran out", "when": "1 November 2026", "season": 2026},
    )
    assert "Chard ran out on 1 November 2026." in g.read("look_back:index", season=2026, whole="on")
    assert "move it (all of it home). Because the walk." in g.read("next_year:crop", chard)
