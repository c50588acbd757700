"""A plan for four people and twelve crops from nothing.

Invented household: two grown, two children at 0.5, so 3 appetites. Worked by hand for one of them,
carrots: 2 servings of 90 g a week for 30 weeks, kept, 1 % lost a week: 2 · 90 · 30 · 3 / 1000 =
16.2 kg at the table. At 1 % a week over 30 weeks, what is eaten in week w was laid in as 1 /
0.99^w; 85 % of a carrot is eaten. Rules of thumb per person (common practice, no source): potatoes
6 m of row, squash 2 to 3 plants. Dates by hand: last frost on average 20 April, in all but one year
in ten 10 · 1.2816 days later: 3 May. Potatoes three weeks before it: 12 April. Courgettes two weeks
after it: 17 May, under lights five weeks: 12 April.
"""

from __future__ import annotations

import csv
import io
import json
import re
from datetime import date

import icalendar
import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.core.fit.find import first_fit
from kilter.core.fit.limits import broken
from kilter.core.fit.order import problem_of
from kilter.core.fit.problem import lay_out
from kilter.core.handbook import handbook
from kilter.next_year.fit.ordering import ordered
from kilter.next_year.garden import usual_plan
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
CARROTS = {
    "way": "plate",
    "servings_per_week": 2,
    "serving_g": 90,
    "weeks": 30,
    "goal": "winter",
    "store_loss_percent": 1,
    "germination_percent": 75,
    "certainty": 80,
}


@pytest.fixture
def g(newcomer) -> Newcomer:
    one: Newcomer = newcomer("juniper")
    for name, appetite in (("Ada", "1"), ("Bo", "1"), ("Cy", "0,5"), ("Di", "0.5")):
        one.post("next_year:add_eater", {"name": name, "appetite": appetite})
    for crop in CROPS:
        one.post("next_year:add_crop", {"crop_name": crop})
    return one


def crop(g: Newcomer, name: str) -> int:
    return Crop.objects.of(g.household).get(name=name).pk


def test_a_plan_for_four(g):
    g.post("next_year:crop", CARROTS, crop(g, "carrots"))
    page = g.read("next_year:index", whole="on")
    for name in CROPS:
        assert name in page
    assert "For 3 appetites at the table: 12 crops" in page
    assert "Reckoning what a plant of each of" not in page
    carrots = g.read("next_year:crop", crop(g, "carrots"))
    lifted = 16.2 / handbook()["carrot"].edible_share * sum(0.99**-week for week in range(30)) / 30
    assert f"from servings 16.2 kg {lifted:.1f} kg" in carrots
    assert "Without a harvest of your own yet, being surer nearly doubles the planting." in carrots
    g.post("next_year:leave_out", {}, crop(g, "kale"))
    assert "Left out kale" in g.read("next_year:index")


def test_rules_of_thumb_are_kept_to_the_metre(g):
    rule = {**CARROTS, "way": "rule", "goal": "fresh"}
    g.post("next_year:crop", rule, crop(g, "potatoes"))
    potatoes = g.read("next_year:crop", crop(g, "potatoes"))
    assert "18.0 m, 6.0 m a person" in potatoes  # 6 m · 3
    assert "60 seed potatoes or 30 cut in 2 pieces" in potatoes  # every 30 cm
    g.post("next_year:crop", rule, crop(g, "squash"))
    squash = g.read("next_year:crop", crop(g, "squash"))
    assert re.search(r"\b8 plants", squash)  # 2.5 · 3 = 7.5
    assert "or 4 mounds of 6 seeds, thinned to 2" in squash


def test_who_eats_what_and_for_how_long(g):
    def needed() -> float:
        said = g.read("next_year:crop", crop(g, "carrots"))
        return float(re.search(r"from servings ([\d.]+) kg", said)[1])

    g.post("next_year:crop", {**CARROTS, "goal": "fresh"}, crop(g, "carrots"))
    assert needed() == 16.2
    eaters = {one.name: one.pk for one in g.household.eater_set.all()}
    g.post(
        "next_year:crop",
        {**CARROTS, "goal": "fresh", "without": [eaters["Di"]]},
        crop(g, "carrots"),
    )
    assert needed() == 13.5  # 2 · 0.09 · 30 · 2.5
    g.post("next_year:eater", {"name": "Bo", "appetite": 1, "weeks": 26}, eaters["Bo"])
    assert needed() == 10.8  # Bo for half of the year: 2 · 0.09 · 30 · 2
    g.post("next_year:add_eater", {"name": "guests", "appetite": 3, "weeks": 2, "is_guest": "on"})
    assert needed() == pytest.approx(10.8 + 2 * 0.09 * 2 * 3, abs=0.051)  # three for two weeks
    g.post("next_year:crop", {**CARROTS, "goal": "self", "given_kg": 4}, crop(g, "carrots"))
    page = g.read("next_year:crop", crop(g, "carrots"))
    # Di is asked for again: 52 weeks · 0.18 · 2.5 (Ada 1, Bo ½, Cy ½, Di ½), and guests 3 for 2
    # weeks
    assert float(re.search(r"from servings ([\d.]+) kg", page)[1]) == pytest.approx(
        52 * 0.18 * 2.5 + 1.08, abs=0.051
    )
    assert "Beside that 4.00 kg to give away or for animals." in page
    assert "For 52 weeks, all that we eat in a year." in page


def test_dates_from_a_stated_frost_are_those_by_hand(g):
    g.site("Yard", latitude=52, last_frost_on="20 April 2026", first_frost_on="15 October 2026")
    page = g.read("next_year:crop", crop(g, "potatoes"))
    assert (
        "Last frost by 3 May, first frost not before 2 October, in all but one year in ten" in page
    )
    assert "your average, give or take 10 days" in page
    assert "12 April to 26 April: plant" in page
    assert "8 March to 5 April: chit" in page  # 35 to 7 days before
    courgettes = g.read("next_year:crop", crop(g, "zucchini"))
    assert "12 April to 19 April: sow under lights" in courgettes
    assert "9 May to 16 May: harden off" in courgettes
    assert "17 May to 31 May: plant out" in courgettes
    assert "26 June" in courgettes  # forty days on
    g.post("next_year:crop", {**CARROTS, "frost_risk": 50}, crop(g, "potatoes"))
    assert (
        "Last frost by 20 April, first frost not before 15 October, in all but five years in ten"
        in g.read("next_year:crop", crop(g, "potatoes"))
    )
    weeks = g.read("next_year:calendar")
    assert "zucchini: sow under lights, until 19 April" in weeks
    sent = g.client.get(reverse("next_year:calendar_ics")).content
    events = icalendar.Calendar.from_ical(sent).walk("VEVENT")
    starts = {str(one["summary"]): one.decoded("dtstart") for one in events}
    assert starts["zucchini: sow under lights"] == date(2027, 4, 12)
    assert len({str(one["uid"]) for one in events}) == len(events)
    trays = list(
        csv.DictReader(io.StringIO(g.client.get(reverse("next_year:trays_csv")).content.decode()))
    )
    zucchini = next(one for one in trays if one["crop"] == "zucchini")
    assert (zucchini["sow"], zucchini["plant_out"], zucchini["days"]) == (
        "2027-04-12",
        "2027-05-17",
        "35",
    )
    assert "zucchini 12 April 17 May 35" in g.read("next_year:trays")


def test_something_to_pull_all_the_time(g):
    """Twice a week, ten at a time; a carrot is cleared after 120 days:
    2 · 10 · 120 / 7 = 343 in rotation.
    """
    g.site("Yard", last_frost_on="20 April 2026")
    said = {
        "lifts_per_week": 2,
        "plants_per_lift": 10,
        "pull_from": "1 August 2027",
        "pull_until": "1 September 2027",
    }
    g.post("next_year:crop", CARROTS | said, crop(g, "carrots"))
    page = g.read("next_year:crop", crop(g, "carrots"))
    assert (
        "keep 343 plants in rotation and sow 10 every 3.4 days" in page
    )  # 120 days over 35 sowings
    assert "3 April to 6 April: sow (one of those in rotation)" in page  # 120 days before 1 August
    assert page.count("one of those in rotation") == 10  # 31 days in steps of 3.43


def test_it_is_fitted_into_a_small_garden(g):
    """Two beds of 6 m² and ten pots of 30 L: 12 m² are too little for twelve crops, and the fit
    says which fall short.

    By hand: potatoes by the rule for 3 appetites alone take 18 m of row 75 cm apart, 13.5 m².
    Nothing stands in more room than there is, in any half-month.
    """
    home = g.site("Home", light="full sun", latitude=52)
    for name in ("North bed", "South bed"):
        g.bed(name, 5, 1.2, site=home)
    g.pots("Pot", 10, 30, site=home)
    said = io.StringIO()
    call_command("next_year", household=g.household.name, fit=True, json=True, tries=4, stdout=said)
    told = json.loads(said.getvalue())
    reached = {one["crop"]: one["reached"] for one in told["crops"]}
    assert len(reached) + len(told["aside"]) == len(CROPS)
    assert 0 < sum(one >= 0.98 for one in reached.values()) < len(reached)
    places = {at["place"] for one in told["crops"] for at in one["standing"]}
    assert places <= {"North bed", "South bed", "10 pots of 30 L"}
    laid = lay_out(problem_of(ordered(g.household, usual_plan(g.household)).order))
    fit, _ = first_fit(laid)
    assert broken(laid, fit.worth.plants) == []
    assert fit.worth.reached.min() < 0.98
