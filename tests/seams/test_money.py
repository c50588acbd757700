"""What was paid is borne once, in the seasons that it serves."""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.ground.models import Place
from kilter.larder.account import account
from kilter.larder.models import Price
from kilter.records.facts import facts
from kilter.set_out.costs import costs_of
from kilter.set_out.models import Cost, Planting
from kilter.tending.models import Job
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, plant


@pytest.mark.parametrize(
    ("over_years", "day", "borne"),
    [
        (1, None, {2024: 1200, 2025: 0, 2026: 0}),  # once, where it first served
        (3, None, {2024: 400, 2025: 400, 2026: 400}),
        (2, date(2025, 4, 1), {2024: 0, 2025: 600, 2026: 600}),
    ],
)
def test_a_cost_without_a_day_falls_where_its_place_first_served(garden, over_years, day, borne):
    crate = garden.crates[3]
    garden.plantings[3].weigh_ins.all().delete()
    garden.plantings[3].delete()
    grown = {
        season: plant(garden, crate, "leek", season=season, planted_on=date(season, 4, 1))
        for season in borne
    }
    Cost.objects.create(
        household=garden.household,
        place=crate,
        what="a tub",
        price_minor=1200,
        over_years=over_years,
        day=day,
    )
    found = costs_of(garden.household)
    assert {
        season: sum(share.minor for share in found.of.get((one.pk, season), ()))
        for season, one in grown.items()
    } == borne
    assert found.unshared == ()


def test_a_years_part_is_of_the_place_where_nothing_stood_in_it(client, garden):
    """10.00 over 3 years are 3.34, 3.33 and 3.33; in 2025 the pot stood empty."""
    pot = Place.objects.create(
        household=garden.household, site=garden.site, kind="pot", name="Wide pot", volume_l=40
    )
    grown = [
        plant(
            garden,
            pot,
            "pea",
            season=year,
            planted_on=date(year, 3, 1),
            finished_on=date(year, 7, 1),
        )
        for year in (2024, 2026)
    ]
    Cost.objects.create(
        household=garden.household, place=pot, what="pot", price_minor=1000, over_years=3
    )
    found = costs_of(garden.household)
    borne = [found.of[one.pk, one.season][0].minor for one in grown]
    assert borne == [334, 333]
    assert [(one.year, one.minor) for one in found.unshared] == [(2025, 333)]
    (item,) = account(garden.household, 2025).unshared
    assert (item.what, item.minor) == ("pot, over 3 years, Wide pot, with nothing in it", 333)
    page = html_of(client.get(reverse("larder:account"), {"season": 2025}))
    assert "pot, over 3 years, Wide pot, with nothing in it" in page


def test_the_crowns_of_a_lasting_bed_are_paid_over_its_years_and_mulch_in_its_own(garden):
    """numbers-n5, B4: 31.20 over 15 years are 2.08 each; with mulch of 4.00 the 2.7 kg of 2025 cost
    2.2519 a kilogram.
    """
    bed = lasting(garden, "asparagus", 2017)
    mine = {"household": garden.household, "planting": bed}
    Cost.objects.create(**mine, what="24 crowns", price_minor=3120)
    for year in (2024, 2025):
        Cost.objects.create(**mine, what="mulch", price_minor=400, day=date(year, 3, 1))
    of = costs_of(garden.household).of
    assert {year: sum(one.minor for one in of[bed.pk, year]) for year in (2017, 2023, 2025)} == {
        2017: 208,
        2023: 208,
        2025: 608,
    }
    WeighIn.objects.create(
        household=garden.household,
        planting=bed,
        weighed_on=date(2025, 5, 1),
        grade="table",
        mass_mg=2_700_000,
    )
    found = {one.crop.name: one for one in account(garden.household, 2025).crops}["asparagus"]
    assert found.account.cost == 608
    assert found.account.break_even_minor == pytest.approx(225.19, abs=0.005)


def test_what_ended_early_bears_the_rest_in_its_last_year(garden):
    """50.00 over the ten years of raspberries, ended in the seventh: 5.00 six times, then 20.00."""
    row = lasting(garden, "raspberry", 2019, finished_on=date(2025, 9, 1))
    Cost.objects.create(household=garden.household, planting=row, what="canes", price_minor=5000)
    of = costs_of(garden.household).of
    borne = [sum(one.minor for one in of.get((row.pk, year), ())) for year in range(2019, 2027)]
    assert borne == [500] * 6 + [2000, 0]
    assert any("as it ended" in one.what for one in of[row.pk, 2025])


def test_work_belongs_to_the_year_in_which_it_was_done(garden):
    bed = lasting(garden, "asparagus", 2023)
    for year, minutes in ((2024, 120), (2025, 30)):
        Job.objects.create(
            household=garden.household,
            planting=bed,
            day=date(year, 5, 1),
            job="weed",
            seconds=minutes * 60,
        )
    rows = facts(garden.household, Planting.objects.filter(pk=bed.pk), frozenset({"work"}))
    assert [row.record.minutes for row in rows] == [None, 120, 30, None]
    assert {
        season: {one.crop.name: one.minutes for one in account(garden.household, season).crops}[
            "asparagus"
        ]
        for season in (2024, 2025)
    } == {2024: 120, 2025: 30}


def test_a_price_by_the_piece_is_rounded_once_and_counts_what_was_never_weighed(garden):
    """24 cobs at 0.70 are 16.80. Of shallots 3 weighed 1 kg and 64 g were not counted: 3 pieces and
    64 of 1000/3 g, at 5.60 a piece 17.8752 together: 17.88.
    """
    cobs = plant(garden, garden.bed, "sweet corn", units=20, planted_on=date(2026, 5, 1))
    beans = plant(garden, garden.bed, "dwarf bean", planted_on=date(2026, 5, 1))
    mine = {"household": garden.household, "weighed_on": date(2026, 8, 1), "grade": "table"}
    WeighIn.objects.create(**mine, planting=cobs, count=24, waits=False)
    WeighIn.objects.create(**mine, planting=beans, count=3, mass_mg=1_000_000)
    WeighIn.objects.create(**mine, planting=beans, mass_mg=64_000)
    for crop, price in ((cobs.crop, 70), (beans.crop, 560)):
        Price.objects.create(
            household=garden.household,
            crop=crop,
            price_minor=price,
            per="piece",
            from_day=date(2026, 1, 1),
        )
    found = {one.crop.name: one for one in account(garden.household, 2026).crops}
    assert (found["sweet corn"].account.value, found["sweet corn"].is_worth_estimated) == (
        1680,
        False,
    )
    assert (found["dwarf bean"].account.value, found["dwarf bean"].is_worth_estimated) == (
        1788,
        True,
    )


def lasting(garden, crop, season, **more):
    return plant(
        garden,
        garden.bed,
        crop,
        season=season,
        planted_on=date(season, 4, 1),
        is_perennial=True,
        **more,
    )
