"""The plan's rows follow appetite and certainty at once; today's sheet sorts what is due."""

from __future__ import annotations

import io
import json
from datetime import date

import lxml.html
import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.core.plan.appetite import WeekEaten, own_appetite
from kilter.core.plan.need import plate_need_kg
from kilter.larder.models import Using
from kilter.next_year.garden import garden as plan_garden
from kilter.next_year.held import held
from kilter.next_year.records import stored
from kilter.next_year.rows import rows
from kilter.people.models import Change, Eater
from kilter.plans.models import PlannedCrop
from kilter.set_out.models import Crop, Planting, Variety
from kilter.tending.models import Happening
from kilter.today.queries import today_sheet
from kilter.weigh_in.models import WeighIn
from tests.conftest import TODAY, html_of, plant
from tests.web.routes import fill_larder


def plan(**changes):
    return {
        "way": "plate",
        "servings_per_week": 2,
        "serving_g": 100,
        "goal": "fresh",
        "weeks": 10,
        "store_loss_percent": 1,
        "germination_percent": 80,
        "certainty": 50,
        **changes,
    }


def only_row(garden):
    (row,) = rows(garden.household)
    return row


def test_the_row_is_the_chain_of_reasoning_by_hand(client, garden):
    client.post(reverse("next_year:crop", args=[garden.crop.pk]), plan())
    row = only_row(garden)
    assert row.needed.plate.chain.table_kg == pytest.approx(plate_need_kg(2, 100, 10, [1.0]))
    assert row.needed.lift_kg == pytest.approx(2 / 0.88)  # edible share of shallots, handbook
    assert row.plants == row.at_half < row.at_eighty
    assert row.one_plant.own_kg == pytest.approx(3.2 / 36)
    assert row.takes.row_m == pytest.approx(row.plants * 0.15)
    assert (row.takes.pieces, row.takes.piece) == (row.plants, "set")
    assert row.needed.rule.plants == round(1 / 0.15)
    assert row.surplus_kg == pytest.approx(row.expected_kg - row.needed.lift_kg)


@pytest.mark.parametrize(
    ("way", "goal"), [("plate", "winter"), ("rule", "fresh"), ("rule", "winter")]
)
def test_ways_and_keeping(client, garden, way, goal):
    client.post(reverse("next_year:crop", args=[garden.crop.pk]), plan(way=way, goal=goal))
    row = only_row(garden)
    assert row.needed.by == way
    assert row.plants == (row.needed.rule.plants if way == "rule" else row.at_half)
    if goal == "winter":
        assert row.needed.plate.chain.laid_in_kg > row.needed.plate.chain.kitchen_kg


def test_certainty_and_appetite_update_the_row_at_once(client, garden):
    htmx = {"HX-Request": "true"}
    slider = reverse("next_year:sure", args=[garden.crop.pk])
    client.post(reverse("next_year:crop", args=[garden.crop.pk]), plan())
    before = only_row(garden).plants
    tried = html_of(client.get(slider, {"certainty": 80}, headers=htmx))
    assert "<html" not in tried
    assert only_row(garden).plants == before  # it was only tried
    saved = html_of(client.post(slider, {"certainty": 80}, headers=htmx))
    surer = only_row(garden).plants
    assert surer > before
    for page in (tried, saved):
        assert f">{surer}</b>" in page
        assert "80 % sure" in page
    assert 'hx-swap-oob="true"' in saved
    eater = reverse("next_year:eater", args=[garden.eater.pk])
    page = html_of(client.post(eater, {"name": garden.eater.name, "appetite": 2}, headers=htmx))
    assert only_row(garden).plants > surer
    assert f">{only_row(garden).plants}</b>" in page


@pytest.mark.parametrize("certainty", ["", "49", "96", "much"])
@pytest.mark.parametrize("headers", [{}, {"HX-Request": "true"}])
def test_a_bad_certainty_changes_nothing_and_is_no_error_page(client, garden, certainty, headers):
    for ask in (client.get, client.post):
        answer = ask(
            reverse("next_year:sure", args=[garden.crop.pk]),
            {"certainty": certainty},
            headers=headers,
        )
        assert answer.status_code == (200 if headers else 302)
        assert not headers or "problem" in html_of(answer)
    assert not PlannedCrop.objects.exists()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"servings_per_week": -1}, "greater than or equal to 0"),
        ({"weeks": 999}, "less than or equal to 104"),
        ({"certainty": 101}, "less than or equal to 95"),
        ({"goal": "until"}, "Say until when"),
        ({"lifts_per_week": 2}, "How often and how many go together"),
        (
            {"pull_from": "1 July 2027", "pull_until": "1 June 2027"},
            "before the day it is pulled from",
        ),
        ({"germination_percent": 0}, "greater than or equal to 1"),
        ({"serving_g": "lots"}, "whole number"),
    ],
)
def test_a_bad_row_says_so_and_loses_nothing(client, garden, change, says):
    address = reverse("next_year:crop", args=[garden.crop.pk])
    response = client.post(address, plan(**{"serving_g": 77, **change}))
    assert response.status_code == 422
    page = html_of(response)
    assert says in page
    assert "serving_g" in change or 'value="77"' in page
    assert not PlannedCrop.objects.exists()


def test_eaters_come_change_and_go(client, garden):
    client.post(reverse("next_year:add_eater"), {"name": "Tilly", "appetite": 0.5})
    tilly = Eater.objects.of(garden.household).get(name="Tilly")
    bad = client.post(reverse("next_year:add_eater"), {"name": "", "appetite": 0.5})
    assert bad.status_code == 422
    gone = client.post(reverse("next_year:strike_eater", args=[tilly.pk]), follow=True)
    assert "Undo" in html_of(gone)
    client.post(reverse("people:undo", args=[Change.objects.first().pk]))
    assert Eater.objects.of(garden.household).count() == 2


def test_nobody_eats_is_said_not_hidden(client, garden):
    Eater.objects.all().delete()
    assert "Nobody is named as eating" in html_of(
        client.get(reverse("next_year:crop", args=[garden.crop.pk]))
    )
    assert "For <b>nobody yet</b>" in html_of(client.get(reverse("next_year:index")))


def test_a_crop_never_grown_speaks_from_the_handbook(client, garden):
    client.post(reverse("next_year:add_crop"), {"crop_name": "carrot"})
    row = next(r for r in rows(garden.household) if r.crop.name == "carrot")
    assert row.one_plant.own_share == 0
    assert row.takes.piece == "seed"
    assert row.takes.pieces > row.plants
    assert "recalled from memory" in html_of(
        client.get(reverse("next_year:crop", args=[row.crop.pk]))
    )


def test_a_crop_nobody_knows_asks_for_a_harvest(client, garden):
    client.post(reverse("next_year:add_crop"), {"crop_name": "moon root"})
    row = next(r for r in rows(garden.household) if r.crop.name == "moon root")
    assert row.plants is None
    assert "weigh a harvest" in row.problem
    assert client.get(reverse("next_year:index")).status_code == 200


def test_the_command_prints_what_the_page_shows(garden):
    out = io.StringIO()
    call_command("next_year", "--household", "Ours", "--json", stdout=out)
    (crop,) = json.loads(out.getvalue())["crops"]
    assert crop["plants"] == only_row(garden).plants
    out = io.StringIO()
    call_command("next_year", "--household", "Ours", stdout=out)
    assert "shallot" in out.getvalue()


@pytest.mark.parametrize(
    ("planted", "state"),
    [("2026-10-20", "growing"), ("2026-08-10", "due"), ("2026-07-10", "overdue")],
)
def test_today_sorts_by_the_handbooks_days(garden, planted, state):
    Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=garden.crop,
        season=2026,
        units=5,
        planted_on=planted,
    )
    found = today_sheet(garden.household, date(2026, 11, 23))
    (entry,) = (*found.to_lift, *found.growing)
    assert (entry.turn.reason.split()[0] if found.to_lift else "growing") == state
    assert entry.age_days == (date(2026, 11, 23) - date.fromisoformat(planted)).days


def test_what_stays_over_years_speaks_by_each_year_that_is_over(garden):
    crop = Crop.objects.create(household=garden.household, name="strawberry")
    bed = Planting.objects.create(
        household=garden.household,
        place=garden.bed,
        crop=crop,
        season=2024,
        units=20,
        is_perennial=True,
        planted_on=date(2024, 3, 30),
    )
    for year, kg in ((2024, 1), (2025, 5), (2026, 4)):
        WeighIn.objects.create(
            household=garden.household,
            planting=bed,
            weighed_on=date(year, 6, 20),
            grade="table",
            mass_mg=kg * 10**6,
        )
    past = plan_garden(garden.household).past[crop.pk]
    assert [(one.season, one.mass_kg) for one in past.grown] == [
        (2024, 1.0),
        (2025, 5.0),
    ]  # this year is not over


def test_what_was_eaten_here_is_a_way_of_its_own(client, garden):
    """By hand: 1.6 kg put by on 3 August; 0.7 kg eaten in its week,
    0.9 in the next, when it was gone.
    """
    fill_larder(garden)
    Using.objects.all().delete()
    mine = {"household": garden.household, "crate": garden.store_crate, "use": "eaten"}
    WeighIn.objects.filter(pk=garden.lines[0].pk).update(mass_mg=1_600_000)
    Using.objects.create(**mine, day=date(2026, 8, 6), mass_mg=700_000)
    Using.objects.create(**mine, day=date(2026, 8, 12), mass_mg=900_000)
    eaten = stored(garden.household, TODAY).eaten[garden.crop.pk]
    assert eaten == [WeekEaten(0.7, year=2026), WeekEaten(0.9, is_gone=True, year=2026)]
    answer = client.post(
        reverse("next_year:crop", args=[garden.crop.pk]), plan(way="own"), follow=True
    )
    assert "Eaten up in 1 of 2 weeks, so you would probably have eaten more." in " ".join(
        html_of(answer).split()
    )
    row = only_row(garden)
    # servings of 2 · 100 g at the table are 0.2 · 900 / 700 kg a week before trimming
    a_week = own_appetite(eaten, 0.2 * 900 / 700).a_week_kg
    assert row.needed.own.chain.table_kg == pytest.approx(a_week * 10 * 700 / 900)
    assert row.needed.chosen == row.needed.own
    assert row.needed.own.chain.table_kg > row.needed.plate.chain.table_kg
    assert (row.last.ran_out_week, row.last.is_so_far) == (2, False)
    assert "ran out in week 2" in " ".join(
        html_of(client.get(reverse("next_year:crop", args=[garden.crop.pk]))).split()
    )


def test_last_years_harvest_is_held_against_what_would_have_been_said(client, garden):
    """By hand: 2025 gave 4 · 0.9 = 3.6 kg off 36 plants, and 2026 3.2 kg off 36."""
    for crate in garden.crates:
        lifted = plant(garden, crate, "shallot", season=2025, units=9, planted_on=date(2025, 3, 21))
        Planting.objects.filter(pk=lifted.pk).update(finished_on=date(2025, 8, 4))
        line = {"household": garden.household, "planting": lifted, "weighed_on": date(2025, 8, 4)}
        WeighIn.objects.create(**line, grade="table", mass_mg=900_000)
    (one,) = held(plan_garden(garden.household))
    assert (one.season, one.got_kg) == (2026, pytest.approx(3.2))
    assert one.tenth_kg < one.quarter_kg < one.median_kg < one.three_quarters_kg < one.ninetieth_kg
    assert one.is_in_eighty
    page = html_of(client.get(reverse("next_year:held")))
    assert "Of 1 crop, what came lay in the range of 8 years of 10 for 1" in page
    assert "<b>3.20 kg</b>" in page
    WeighIn.objects.filter(planting__season=2026).update(mass_mg=9_000_000)
    assert "more than said" in html_of(client.get(reverse("next_year:held")))


def test_a_setback_is_reckoned_over_all_plants_of_the_crop_at_its_site(garden):
    """By hand: one of four crates lost 0.4 of its nine plants:
    0.4 · 9 / 36 = 0.1 of the crop, in the one year.
    """
    Happening.objects.create(
        household=garden.household,
        planting=garden.plantings[0],
        kind="pest",
        what="fly",
        day=TODAY,
        lost_share=0.4,
    )
    past = plan_garden(garden.household).past[garden.crop.pk]
    (fly,) = past.setbacks
    assert (fly.site, fly.hits, fly.misses) == (garden.site.name, 1, 0)
    assert fly.losses == pytest.approx((0.1,))
    assert sorted(one.loss for one in past.grown) == [0.0, 0.0, 0.0, 0.4]
    assert [one.plants for one in past.planned] == [9.0] * 4


def test_a_changed_plan_says_so_with_undo(client, garden):
    crop = garden.crop
    address = reverse("next_year:crop", args=[crop.pk])
    page = lxml.html.fromstring(html_of(client.get(address)))
    form = next(one for one in page.forms if one.get("id") == f"plan-{crop.pk}")
    said = {name: value for name, value in form.form_values() if value is not None} | {
        "serving_g": "155"
    }
    answer = html_of(client.post(address, said, follow=True))
    assert f"The plan for {crop} is changed" in answer
    assert PlannedCrop.objects.of(garden.household).get(crop=crop).serving_g == 155
    undo = lxml.html.fromstring(answer).xpath("//form[.//button[@data-undo]]")[0]
    client.post(undo.action)
    assert not PlannedCrop.objects.of(garden.household).filter(crop=crop, serving_g=155).exists()


def test_a_disease_brings_its_cautions_to_the_planting(client, garden):
    address = reverse("atlas:planting", args=[garden.plantings[0].pk])
    assert "A disease was noted" not in html_of(client.get(address))
    where = {"household": garden.household, "planting": garden.plantings[0], "day": TODAY}
    Happening.objects.create(kind="disease", what="blight", **where)
    assert "as local rules say" in html_of(client.get(address))


def test_today_and_the_plantings_page_say_the_same_of_what_may_stand_and_of_autumn(client, garden):
    stands = plant(garden, garden.bed, "sunchoke", planted_on=date(2026, 3, 1))
    assert "may stay until it is wanted" in html_of(client.get("/"))
    page = html_of(client.get(reverse("atlas:planting", args=[stands.pk])))
    assert "overdue" not in page
    autumn = plant(garden, garden.bed, "broad bean", planted_on=date(2026, 10, 20), season=2027)
    Variety.objects.create(
        household=garden.household, crop=autumn.crop, name="Rope", days_min=90, days_max=120
    )
    Planting.objects.filter(pk=autumn.pk).update(variety=Variety.objects.get(name="Rope"))
    page = html_of(client.get(reverse("atlas:planting", args=[autumn.pk])))
    assert "the days are counted from 1 March" in page
    assert "30 May to" in page  # ninety days after the first of March
