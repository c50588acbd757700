"""Where nothing is written of what is finished: nothing where that is known, else not known."""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.core.yields.measures import MeasuredYield, measure_yield
from kilter.records.facts import facts
from kilter.set_out.models import PlantCount, Planting
from kilter.tending.models import Happening
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, plant


def measured(garden, planting):
    """What each of its years gave, in kilograms; None where nobody knows."""
    rows = facts(garden.household, Planting.objects.filter(pk=planting.pk))
    found = [(row.season, measure_yield(row.record, "kg_per_place")) for row in rows]
    return {
        year: one.amount if isinstance(one, MeasuredYield) else one.lack.code for year, one in found
    }


@pytest.mark.parametrize(
    ("how", "gave"),
    [("", "not written"), ("said", 0.0), ("died", 0.0), ("setback", 0.0), ("beside", 0.0)],
)
def test_zero_is_said_or_told_by_others_and_never_guessed(garden, how, gave):
    over = {"planted_on": date(2026, 4, 1), "finished_on": date(2026, 9, 1), "units": 4}
    kale = plant(garden, garden.bed, "kale", rest="nothing" if how == "said" else "", **over)
    mine = {"household": garden.household, "day": date(2026, 7, 1)}
    if how == "died":
        PlantCount.objects.create(**mine, planting=kale, kind="died", count=4)
    if how == "setback":
        Happening.objects.create(**mine, planting=kale, kind="pest", lost_share=1.0)
    if how == "beside":
        other = plant(garden, garden.crates[0], "kale", **over)
        WeighIn.objects.create(
            household=garden.household,
            planting=other,
            weighed_on=date(2026, 8, 1),
            grade="table",
            mass_mg=9,
        )
    assert measured(garden, kale) == {2026: gave}


def test_a_lasting_bed_has_a_word_for_each_of_its_years(client, garden):
    """numbers-n5, B1: set in 2017, lifted in 2022, 2024 and 2025; 2023 alone is asked about."""
    bed = plant(
        garden,
        garden.bed,
        "asparagus",
        season=2017,
        planted_on=date(2017, 4, 1),
        is_perennial=True,
    )
    for year in (2022, 2024, 2025):
        WeighIn.objects.create(
            household=garden.household,
            planting=bed,
            weighed_on=date(year, 5, 1),
            grade="table",
            mass_mg=3_000_000,
        )
    unknown = "not written"
    before = {2017: "too young", **dict.fromkeys(range(2018, 2022), unknown), 2022: 3.0}
    after = {2024: 3.0, 2025: 3.0, 2026: "not finished"}
    assert measured(garden, bed) == {**before, 2023: unknown, **after}
    page = html_of(client.get("/"))
    assert "nothing was written in <b>2023</b>" in page
    assert page.count("nothing was written in") == 1
    said = {"year": 2023, "came": "nothing", "back": "/"}
    assert client.post(reverse("set_out:say_year", args=[bed.pk]), said).status_code == 302
    assert measured(garden, bed) == {**before, 2023: 0.0, **after}
    assert "nothing was written in" not in html_of(client.get("/"))
