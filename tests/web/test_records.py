"""One harvest over the pages: the same plants,
the same part lifts and the same gaps wherever a figure stands.
"""

from __future__ import annotations

import io
import json
from datetime import date

import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.core.yields.measures import measure_yield
from kilter.next_year.garden import garden as plan_garden
from kilter.records.facts import facts
from kilter.set_out.models import PlantCount, Planting
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.question.question import Question, attributes_of
from tests.conftest import html_of


def planted(garden, **values):
    values = {
        "units": 10,
        "unit_kind": "set",
        "planted_on": date(2026, 3, 1),
        "place": garden.bed,
    } | values
    return Planting.objects.create(
        household=garden.household, crop=garden.crop, season=2026, **values
    )


def weigh(planting, grams, day=date(2026, 8, 1), **values):
    values = {"grade": "table", "count": 4} | values
    mass_mg = None if grams is None else round(grams * 1000)
    return WeighIn.objects.create(
        household=planting.household, planting=planting, weighed_on=day, mass_mg=mass_mg, **values
    )


def record_of(planting):
    return facts(planting.household, Planting.objects.filter(pk=planting.pk))[-1].record


def per_plant(planting):
    return measure_yield(record_of(planting), "kg_per_plant", so_far=date(2026, 11, 23)).rate


def test_two_of_ten_plants_are_the_same_on_every_page(garden, client):
    planting = planted(garden)
    weigh(planting, 1900, plants=2)
    assert per_plant(planting) == pytest.approx(0.95)
    page = html_of(client.get(reverse("atlas:planting", args=[planting.pk])))
    assert "0.95 kg" in page
    assert "Only 2 of 10 plants were lifted" in page
    out = io.StringIO()
    call_command("figures", "--household", "Ours", "--json", stdout=out)
    rates = {(f["planting"], f["measure"]): f.get("value") for f in json.loads(out.getvalue())}
    assert rates[planting.ref, "kg_per_plant"] == pytest.approx(0.95)
    words = attributes_of(garden.household)
    answer = ask(
        garden.household,
        Question(crops=(garden.crop,), compare="place_kind", by="kg_per_plant", cut_off="date"),
        words,
    )
    assert {unit.level: unit.amount / unit.exposure for unit in answer.comparison.units}[
        "bed"
    ] == pytest.approx(0.95)


@pytest.mark.parametrize(("rest", "rate"), [("lifted", 0.19), ("nothing", 0.19), ("left", 0.95)])
def test_finishing_after_a_part_lift_asks_what_became_of_the_others(garden, client, rest, rate):
    planting = planted(garden)
    weigh(planting, 1900, plants=2)
    finish = reverse("weigh_in:finish", args=[planting.pk])
    asked = html_of(client.post(finish))
    assert "what became of the other 8?" in asked
    planting.refresh_from_db()
    assert planting.finished_on is None
    client.post(finish, {"rest": rest})
    assert per_plant(Planting.objects.get(pk=planting.pk)) == pytest.approx(rate)
    client.post(finish)  # open again
    planting.refresh_from_db()
    assert (planting.finished_on, planting.rest) == (None, "")
    page = html_of(client.get(reverse("atlas:planting", args=[planting.pk])))
    assert "of 10 plants 2 were lifted, and the others" in " ".join(page.split())


def test_finishing_without_saying_what_became_of_them_never_dilutes_what_was_lifted(garden, client):
    planting = planted(garden)
    weigh(planting, 1900, plants=2)
    client.post(reverse("set_out:finish", args=[planting.pk]), {"finished_on": "2026-11-01"})
    assert per_plant(Planting.objects.get(pk=planting.pk)) == pytest.approx(0.95)


def test_replaced_slips_leave_the_planting_and_seeds_count_as_they_came_up(garden):
    slips = planted(garden, units=3, unit_kind="slip", finished_on=date(2026, 9, 1))
    PlantCount.objects.create(
        household=garden.household, planting=slips, kind="replaced", count=2, day=date(2026, 6, 1)
    )
    weigh(slips, 800)
    assert (record_of(slips).plants, record_of(slips).plants_known_by) == (1, "set out")
    assert per_plant(slips) == pytest.approx(0.8)
    counted, not_counted = (
        planted(garden, units=40, unit_kind="seed", finished_on=date(2026, 9, 1)) for _ in range(2)
    )
    for kind, count in (("up", 35), ("thinned", 5)):
        PlantCount.objects.create(
            household=garden.household,
            planting=counted,
            kind=kind,
            count=count,
            day=date(2026, 5, 1),
        )
    for planting in (counted, not_counted):
        weigh(planting, 3000)
    assert (record_of(counted).plants, record_of(counted).plants_known_by) == (30, "counted")
    reckoned = record_of(not_counted)
    assert (reckoned.plants, reckoned.plants_known_by) == (pytest.approx(40 * 30 / 40), "reckoned")
    assert reckoned.plants_sd == pytest.approx((0.25 / 30) ** 0.5)
    # Next year divides by the same plants as Weigh up and the planting's page.
    past = plan_garden(garden.household).past[garden.crop.pk]
    assert sorted(round(one.plants, 6) for one in past.grown) == [1, 9, 9, 9, 9, 30, 30]


def test_units_whose_plants_are_known_otherwise_are_left_out_or_named(garden, client):
    seeds = planted(garden, units=40, unit_kind="seed", finished_on=date(2026, 9, 1))
    PlantCount.objects.create(
        household=garden.household, planting=seeds, kind="up", count=30, day=date(2026, 5, 1)
    )
    weigh(seeds, 3000)
    asked = {"compare": "place_kind", "by": "kg_per_plant", "crop": "shallot"}
    shown = html_of(client.get(reverse("weigh_up:index"), asked))
    assert "only the number set out is known" in shown  # the four crates of sets
    PlantCount.objects.create(
        household=garden.household,
        planting=garden.plantings[0],
        kind="standing",
        count=9,
        day=date(2026, 5, 1),
    )
    shown = html_of(client.get(reverse("weigh_up:index"), asked))
    assert "only the number set out is known" not in shown
    assert "How the numbers of plants are known: 2 counted, 3 reckoned from those set out." in shown


def test_part_weighed_is_no_whole_and_lost_things_hold_nothing_up(garden):
    part = planted(garden, finished_on=date(2026, 9, 1))
    weigh(part, 2000)
    weigh(part, None, count=None, measure=garden.measure, measures=2, waits=True)
    lost = planted(garden, finished_on=date(2026, 9, 1))
    weigh(lost, 2000)
    weigh(lost, None, grade="lost", count=3)
    past = plan_garden(garden.household).past[garden.crop.pk]
    assert [one.mass_kg for one in past.grown if one.plants == 10] == [
        2.0
    ]  # the second alone, the Lost line apart


def test_not_weighed_not_counted_and_not_lifted_are_said_not_zero(garden, client):
    waiting, growing = planted(garden), planted(garden)
    for place in (waiting, growing):
        Planting.objects.filter(pk=place.pk).update(place=garden.bed)
    WeighIn.objects.exclude(planting=waiting).update(grade="small")  # nothing to reckon a Table by
    weigh(waiting, None, count=6, waits=True)
    weigh(waiting, 100, count=None, grade="hurt")
    page = " ".join(
        client.get(reverse("atlas:planting", args=[waiting.pk])).content.decode().split()
    )
    assert "not weighed" in page
    assert "not counted" in page
    assert "0 g" not in page.replace("100 g", "")
    bed = html_of(client.get(reverse("atlas:place", args=[garden.bed.pk])))
    assert "not lifted yet" in bed
    assert "85.000" not in page


def test_each_year_of_a_perennial_counts_its_own_days(garden):
    lasting = Planting.objects.create(
        household=garden.household,
        crop=garden.crop,
        place=garden.bed,
        season=2024,
        units=4,
        is_perennial=True,
        planted_on=date(2024, 4, 10),
    )
    for year, day in ((2024, 20), (2026, 21)):
        weigh(lasting, 500, date(year, 6, day))
    found = facts(garden.household, Planting.objects.filter(pk=lasting.pk), frozenset({"lifts"}))
    days = [measure_yield(f.record, "days_to_first", so_far=date(2026, 11, 23)) for f in found]
    assert (days[0].amount, days[2].amount) == (
        71,
        171,
    )  # from 10 April 2024, and from 1 January 2026


def test_what_is_planted_ahead_or_finished_today_does_not_stand_here(garden, client):
    planted(garden, planted_on=date(2026, 12, 24))
    planted(garden, finished_on=date(2026, 11, 23))
    page = html_of(client.get(reverse("atlas:place", args=[garden.bed.pk])))
    assert "Stands here" not in page
    planted(garden)
    assert "Stands here" in html_of(client.get(reverse("atlas:place", args=[garden.bed.pk])))
