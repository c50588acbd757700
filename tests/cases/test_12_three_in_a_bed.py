"""Three crops in one bed, one of them counted, given away and fed; a volunteer; a failure: did
sharing pay?

Invented garden. A bed of 6 m²: sweet corn 24 cobs, climbing beans 3.6 kg, squash nothing. Alone, in
beds of 3 m²: corn 15 cobs, beans 3.0 kg, squash never. By hand, each per m² of ground: corn 24/6
over 15/3 = 4/5 = 0.80; beans 0.6 / 1.0 = 0.60; together 1.40 without the squash.
"""

from __future__ import annotations

from kilter.set_out.models import Crop
from tests.cases.conftest import Newcomer


def test_did_sharing_the_bed_pay(newcomer):
    g: Newcomer = newcomer("oak")
    g.site("Long garden")
    g.bed("Shared bed", 6, 1)
    g.bed("Corn bed", 3, 1)
    g.bed("Bean bed", 3, 1)
    day = "20 May 2026"
    (corn,) = g.set_out("shared bed", "sweet corn", 16, day, variety_name="Gold Buoy")
    (beans,) = g.set_out("shared bed", "climbing bean", 16, day, variety_name="Sheet Bend")
    (squash,) = g.set_out("shared bed", "winter squash", 2, day, variety_name="Grey Hull")
    (alone_corn,) = g.set_out("corn bed", "sweet corn", 10, day, variety_name="Gold Buoy")
    (alone_beans,) = g.set_out("bean bed", "climbing bean", 12, day, variety_name="Sheet Bend")
    (stray,) = g.set_out("bean bed", "potato", None, "June 2026", is_volunteer="on")
    for planting, cobs in ((corn, (14, 10)), (alone_corn, (9, 6))):
        for number, on in zip(cobs, ("2026-08-20", "2026-09-01"), strict=True):
            g.weigh(planting, f"c{number}", on)  # cobs are counted; nothing waits for the scale
    g.weigh(beans, "3.6 kg", "2026-08-15", is_sure=True)
    g.weigh(alone_beans, "3 kg", "2026-08-15", is_sure=True)
    g.weigh(stray, "800", "2026-09-10")
    g.happened("fed", "shared bed", "1 July 2026", what="nettle water")
    for planting in (corn, beans, alone_corn, alone_beans, stray):
        g.finish(planting, "20 September 2026")
    g.finish(squash, "20 September 2026", rest="nothing")
    asked = Crop.objects.of(g.household).filter(
        name__in=("sweet corn", "climbing bean", "winter squash")
    )
    key = "-".join(str(crop.pk) for crop in asked.order_by("name"))
    page = g.read("weigh_up:sharing", bed=key)
    assert "climbing bean 0.60 1 1" in page
    assert "sweet corn by number 0.80 1 1" in page
    assert "these alone 1.40" in page
    assert "No winter squash that is finished and measured was grown alone." in page
    assert "Land equivalent ratio without winter squash 1.40" in page
    assert "potato" not in page.partition("left out")[0]  # the volunteer is nobody's company
    assert "Came up by itself" in g.read("atlas:planting", stray.pk)
    assert "finished and gave nothing: it counts as 0" in g.read("atlas:planting", squash.pk)
    # Cobs were never weighed: they are given and fed as they were counted, and weigh what nobody
    # knows.
    shown = g.read("larder:put_by")
    assert "39 pieces" in shown
    g.put(corn, "use:given", "table-eaten")
    g.put(beans, "kind:freezer:frozen", "table-eaten", jars="8")
    frozen = g.crate("climbing bean", "frozen")
    assert frozen.jars == 8
    g.use(frozen, "fed", "600 g")
    g.use(frozen, "eaten", "a third")
    found = g.went("climbing bean")
    assert (found["fed"], found["eaten"], found["in_store"]) == (600_000, 2_000_000, 4_000_000)
    assert "39 pieces" in g.read("larder:crop", corn.crop_id)
