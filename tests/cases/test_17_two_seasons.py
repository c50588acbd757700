"""Two seasons from nothing: the draft's numbers, what was decided, and whether it helped a year
later.

Invented garden. By hand:
2025: leeks, ten in each bed: 2.0 and 4.0 kg, 6.0 / 20 = 300 g a plant. Twenty peas in a pot gave
nothing. 2026: leeks, fifteen in each bed: 6.0 and 3.0 kg, 9.0 / 30 = 300 g a plant, where 20 · 1.5
= 30 were wanted. The short bed gave 3.0 kg where fifteen plants of the long bed give 6.0: 50 in
100; in 2025 4.0 where ten give 2.0: 200 in 100. Peppers, four pots of each: Kite 8.0 kg, Lark 4.0,
twice as much. Two servings of 250 g for 12 weeks are 6 kg at the table; half of a leek is trimmed
off (1 kg before, 500 g after): 12 kg to be lifted, of which 9.0 are 75 in 100. 900 g of the 9.0
went to the compost: 10 in 100. Thirty minutes and forty litres for 9.0 kg: 3 minutes and 4 litres a
kilogram. A fork of 20.00 over four years: 5.00 in 2026.
"""

from __future__ import annotations

import re
from datetime import date

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from kilter.look_back.models import Decision, Remark
from kilter.set_out.models import Crop
from tests.cases.conftest import Newcomer

WEATHER = """day,min,max,rain
2025-05-01,-1,12,0
2025-10-20,-2,9,0
2026-04-20,-1,11,0
2026-11-01,-3,8,0
"""


@pytest.fixture
def g(newcomer) -> Newcomer:
    """Everything of both seasons, entered through the pages."""
    g: Newcomer = newcomer("sorrel")
    site = g.site("Yard")
    g.bed("Long bed", 4, 1)
    g.bed("Short bed", 3, 1)
    g.pots("Pot", 8, 18)
    g.post("next_year:add_eater", {"name": "Wen", "appetite": 1})
    for season, plants, kilos in ((2025, 10, ("2.0", "4.0")), (2026, 15, ("6.0", "3.0"))):
        for bed, kg in zip(("long bed", "short bed"), kilos, strict=True):
            (planting,) = g.set_out(bed, "leek", plants, f"15 June {season}")
            if season == 2026:
                said = {"job": "water", "when": "1 August 2026", "minutes": 15, "litres": 20}
                g.post(
                    "tending:do", said | {"targets": f"planting-{planting.pk}", "shared": "equal"}
                )
            g.weigh(planting, f"{kg} kg", f"{season}-10-20")
            g.finish(planting, f"20 October {season}")
    (peas,) = g.set_out("pot 1", "pea", 20, "1 April 2025", variety_name="Tide")
    g.finish(peas, "1 July 2025", rest="nothing")
    for name, pots, kilos in (
        ("Kite", "1-4", (2.0, 2.1, 1.9, 2.0)),
        ("Lark", "5-8", (1.0, 1.05, 0.95, 1.0)),
    ):
        planted = g.set_out(f"pot {pots}", "pepper", 1, "10 May 2026", variety_name=name)
        for planting, kg in zip(planted, kilos, strict=True):
            g.weigh(planting, f"{kg} kg", "2026-09-20")
            g.finish(planting, "20 September 2026")
    for day, lost in (("9 July 2025", 10), ("20 July 2026", 30)):
        g.happened(
            "pest", "short bed", day, what="pigeons", lost_percent=lost, done="netted", helped="yes"
        )
    leek = Crop.objects.of(g.household).get(name="leek")
    plan = {
        "way": "plate",
        "servings_per_week": 2,
        "serving_g": 250,
        "weeks": 12,
        "store_loss_percent": 0,
    }
    plan |= {"germination_percent": 80, "certainty": 50, "goal": "fresh"}
    g.post("next_year:crop", plan, leek.pk)
    trimmed = {"crop": leek.pk, "before_mg": "1 kg", "after_mg": "500 g", "when": "1 November 2026"}
    g.post("larder:new_trimming", trimmed)
    loose = {
        "crop": leek.pk,
        "season": 2026,
        "use": "composted",
        "typed": "900 g",
        "when": "2 November 2026",
    }
    g.post("larder:use", loose)
    g.post(
        "larder:new_supply",
        {"crop": leek.pk, "said": "ran out", "when": "15 November 2026", "season": 2026},
    )
    fork = {"what": "fork", "price_minor": "20.00", "day": "1 May 2025", "over_years": 4}
    g.post("larder:new_expense", fork)
    g.post("weather:bring", {"record": SimpleUploadedFile("days.csv", WEATHER.encode())}, site.pk)
    return g


def test_the_draft_says_what_hand_arithmetic_says(g: Newcomer):
    page = g.read("look_back:index", season=2026, whole="on")
    for words in (
        (
            "Pepper: ‘Kite’ gave about 2 times as much as ‘Lark’. Clear, in 2026; other years may "
            "differ."
        ),
        "8 places; one of 1 comparison looked at, corrected for that many",
        "Leek ran out on 15 November 2026.",
        "Leek: 9.00 kg came, 12.0 kg are needed; 75 in 100 of it.",
        "Short bed gave 50 in 100 of what the same crops gave elsewhere; 200 in 100 in 2025.",
        "Pest: pigeons in Short bed (30 in 100 lost), 20 July 2026. Netted: it helped.",
        "0.00 € were not spent at the shop, 0.00 € given away, 5.00 € laid out.",
        "last frost on 20 April (1 May in 2025); first frost on 1 November (20 October in 2025)",
        "The garden took 30 minutes and 40 litres of water, as far as it was noted.",
    ):
        assert words in page, words
    leek = Crop.objects.of(g.household).get(name="leek")
    of_crop = g.read("look_back:crop", leek.pk, season=2026)
    for words in (
        "Leek gave 300 g a plant over 2 plantings; 300 g a plant in 2025.",
        "Leek: 900 g went to the compost, 10 in 100 of what was lifted.",
        "Leek took 30 minutes and 40 litres of water: 3 minutes and 4 litres a kilogram.",
        "9.00 kg came; 12.0 kg are needed.",
        "pigeons, 20 July 2026: Short bed (30 % lost).",
    ):
        assert words in of_crop, words
    before = g.read("look_back:index", season=2025, whole="on")
    assert "Pea ‘Tide’ gave nothing in Pot 1." in before
    assert (
        "last frost on 1 May; first frost on 20 October" in before
    )  # of 2026 nothing was known then
    told = g.told("look_back", season=2026)
    assert {line["key"] for line in told["lines"]} >= {
        "needed:leek",
        "came:leek",
        "thrown:leek",
        "money",
    }
    assert [(one["place"], one["of_its_usual"]) for one in told["places"][:2]] == [
        ("Long bed", 2.0),
        ("Pot 1", pytest.approx(1.4)),  # 2.0 kg where one plant of the others gives (12 − 2) / 7
    ]

    _places_remember(g)


def _places_remember(g: Newcomer) -> None:
    """And say so where something is set out."""
    remembers = "Short bed remembers: pigeons here in 2 of 2 Julys, 20 in 100 lost"  # (10 + 30) / 2
    hits = g.read("look_back:setbacks", season=2026)
    assert "Short bed: pigeons here in 2 of 2 Julys, 20 in 100 lost." in hits
    assert "Pest: pigeons 2025, 2026 leek, variety unknown 20 % (2)" in hits
    assert remembers in g.read(
        "set_out:before", places_typed="short bed", crop_name="leek", planted="today"
    )
    bed = g.bed("Third bed", 2, 1)
    assert "remembers" not in g.read("atlas:place", bed.pk)
    leek = Crop.objects.of(g.household).get(name="leek")
    assert "It remembers: pigeons in 2 of 2 Julys" in g.read("next_year:crop", leek.pk)
    places = g.read("look_back:places", season=2026)
    assert "Short bed leek, variety unknown, 3.00 kg 50 % 2025 200 %" in places
    assert "Better not, in 2027" in places
    assert "pigeons took some of it in 2 of its 2 years there" in places


def test_decisions_are_carried_met_put_aside_and_judged(g: Newcomer):
    crops = {crop.name: crop.pk for crop in Crop.objects.of(g.household)}
    for said in (
        {
            "aim": "more",
            "crop": crops["leek"],
            "percent": 50,
            "reason": "they were gone by Christmas",
        },
        {"aim": "drop", "crop": crops["pea"], "reason": "mice"},
        {"aim": "later", "crop": crops["leek"], "reason": "the drought"},
    ):
        g.post("look_back:new_decision", {"season": 2025, **said})
    later = Decision.objects.of(g.household).get(aim="later")
    g.post("look_back:aside", {"aside": "no room in July"}, later.pk)
    page = g.read("look_back:index", season=2026, whole="on")
    assert "Leek: grow more, by 50 %. Done: 20 set out then, 30 now." in page
    helped = page.partition("Did it help? ")[2]
    told = (
        r"(‘\d+’) and ‘\d+’ cannot be told apart yet\. "
        r"Likely \1 gave between .* Chance that \1 truly gave more"
    )
    assert re.match(told, helped)
    assert (
        "What else differed: number set out: 10 in the middle for ‘2025’, 15 in the middle for "
        "‘2026’"
    ) in helped
    assert "Pea: do not grow it again. Open: none is planted so far." in page
    assert "Leek: plant later. Put aside: no room in July." in page
    assert "Decided after 2025: do not grow it again" in g.read("next_year:crop", crops["pea"])
    pea = Decision.objects.of(g.household).get(aim="drop")
    g.post("next_year:decided", {}, pea.pk)
    assert "In the plan: the plan has it since 23 November 2026" in g.read(
        "look_back:index", season=2026, whole="on"
    )
    with override_settings(KILTER_TODAY="2027-02-01"):
        page = g.read("look_back:index", season=2026, whole="on")
        assert "Pea: do not grow it again. Done: it was not grown again." in page
        assert "The record cannot tell yet." in page
        assert (
            "Pea: do not grow it again"
            not in g.read("look_back:decisions").partition("Done, not done")[0]
        )
    (planting,) = g.set_out("pot 2", "pea", 5, "20 November 2026", season=2026)
    page = g.read("look_back:index", season=2026, whole="on")
    assert "Not done: it was grown again: 5 set out." in page
    g.post("set_out:strike", {}, "planting", planting.pk)
    refused = g.refused("look_back:new_decision", {"season": 2026, "aim": "drop", "percent": 10})
    assert "An amount goes with more or less" in refused
    assert "Say of which crop" in refused


def test_a_review_is_kept_reworded_struck_and_stays_as_it_was_written(g: Newcomer):
    say = {"season": 2026}
    g.post(
        "look_back:remark",
        say | {"key": "thrown:leek", "act": "keep", "cause": "lifted too many at once"},
    )
    g.post("look_back:remark", say | {"key": "money", "act": "strike"})
    g.post(
        "look_back:remark", say | {"key": "came:leek", "act": "reword", "words": "Leeks as ever."}
    )
    g.post(
        "look_back:new_remark", say | {"side": "well", "words": "The children weighed everything."}
    )
    g.post("look_back:note", {"note": "Wet, then dry."}, query="?season=2026")
    page = g.read("look_back:booklet", season=2026, paper="letter")
    for words in (
        "Wet, then dry.",
        (
            "Leek: 900 g went to the compost, 10 in 100 of what was lifted. Why: lifted too many "
            "at once."
        ),
        "Leeks as ever.",
        "The children weighed everything.",
    ):
        assert words in page, words
    assert "were not spent at the shop" not in page
    assert "Leek gave 300 g a plant" not in page
    empty = {"key": "came:leek", "act": "reword", "words": "", "of": "crop"}
    refused = g.post("look_back:remark", say | empty)
    assert "Write the line in your own words" in refused
    assert "Leek in 2026" in refused  # back on the page that it was sent from
    g.post("look_back:finish", say)
    assert Remark.objects.of(g.household).filter(season=2026, state="kept").count() > 5
    # what is weighed later changes nothing in it, and is told beside the line
    leek = Crop.objects.of(g.household).get(name="leek")
    g.post(
        "larder:use",
        {
            "crop": leek.pk,
            "season": 2026,
            "use": "composted",
            "typed": "900 g",
            "when": "20 November 2026",
        },
    )
    page = g.read("look_back:index", season=2026, whole="on")
    assert "Leek: 900 g went to the compost, 10 in 100" in page
    assert (
        "The record says now: Leek: 1.80 kg went to the compost, 20 in 100 of what was lifted."
        in page
    )
    assert f"Written on {date(2026, 11, 23).day} November 2026" in page
    assert "keep or change" not in page
    _each_judge_scores(g)


def _each_judge_scores(g: Newcomer) -> None:
    """In one sitting; one season is few to drop."""
    g.post("weigh_up:new_criterion", {"name": "flavour", "weight": 2})
    page = g.read("look_back:sitting", season=2026)
    assert "Kite Place 1 in the ranking" in page
    kite, lark = g.variety("Kite"), g.variety("Lark")
    (criterion,) = [one.pk for one in kite.household.criterion_set.all()]
    said = {"judge": "Wen", f"s{kite.pk}-{criterion}": 5, f"s{lark.pk}-{criterion}": 2}
    address = f"?season=2026&crop={kite.crop_id}"
    hasty = said | {f"verdict-{lark.pk}": "not again", f"reason-{lark.pk}": "thin"}
    answer = g.client.post(f"/look-back/sitting{address}", hasty)
    assert answer.status_code == 422
    assert "Only one season is on record for it" in answer.content.decode()
    g.post(
        "look_back:sitting",
        hasty | {f"sure-{lark.pk}": "on", f"verdict-{kite.pk}": "staple"},
        query=address,
    )
    page = g.read("look_back:crop", kite.crop_id, season=2026)
    assert "Kite; flavour 5.0: staple" in page
    assert "Lark; flavour 2.0: not again, thin" in page
    g.post(
        "look_back:sitting", said | {"judge": "sorrel", f"s{kite.pk}-{criterion}": 4}, query=address
    )
    assert "flavour 4.5 by 2" in g.read("look_back:crop", kite.crop_id, season=2026)
