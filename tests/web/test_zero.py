"""Nothing is a value: 0 coins, 0 litres, 0 weeks and 0 kilograms are known,
and told apart from what nobody wrote.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from types import SimpleNamespace

import pytest
from django.urls import reverse

from kilter.atlas.queries import FILLED_SHARE, _spot
from kilter.core.growing.medium import fill_of
from kilter.core.handbook import handbook
from kilter.core.handbook.storing import A_DAY, keeps
from kilter.ground.models import Fill
from kilter.larder.models import Crate, Store
from kilter.look_back.draft.harvests import lines
from kilter.look_back.draft.line import BADLY
from kilter.look_back.season import Season
from kilter.next_year.fit.lasting import Lasting
from kilter.records.facts import facts
from kilter.set_out.costs import costs_of, has_costs
from kilter.set_out.models import Cost, Planting, SeedLot
from kilter.weigh_in.models import WeighIn
from tests.conftest import html_of, plant


def record(garden, planting, *needs):
    return facts(garden.household, Planting.objects.filter(pk=planting.pk), frozenset(needs))[
        0
    ].record


def test_what_was_free_cost_nothing(client, garden):
    planting = garden.plantings[0]
    assert record(garden, planting, "cost").cost_minor is None
    lot = SeedLot.objects.create(
        household=garden.household, crop=garden.crop, name="gift", bought_count=9, price_minor=0
    )
    Planting.objects.filter(pk=planting.pk).update(lot=lot)
    assert has_costs(garden.household)
    assert record(garden, planting, "cost").cost_minor == 0
    borne = costs_of(garden.household).of[planting.pk, planting.season]
    assert [(share.what, share.minor) for share in borne] == [("from lot gift", 0)]
    Cost.objects.create(household=garden.household, planting=planting, what="net", price_minor=300)
    assert record(garden, planting, "cost").cost_minor == 300


def test_an_emptied_pot_has_no_litres_and_is_drawn_empty(garden):
    crate, mine = garden.crates[0], {"household": garden.household}
    assert record(garden, garden.plantings[0]).place_volume_l == 45
    assert _spot(crate, None, [], [], 0).fill_share == FILLED_SHARE
    fills = [Fill.objects.create(**mine, place=crate, day=date(2026, 1, 1), kind="emptied")]
    assert fill_of([one.event for one in fills]).litres == 0
    assert record(garden, garden.plantings[0]).place_volume_l == 0
    assert _spot(crate, None, [], fills, 0).fill_share == 0


def test_what_does_not_keep_is_there_for_a_day(client, garden):
    book = replace(handbook()["shallot"], keep_weeks=0.0, own=frozenset({"keep_weeks"}))
    assert keeps(book, "cellar").weeks == A_DAY
    assert keeps(book, "cellar").loss_per_week == 0.5
    garden.crop.own_keep_weeks = 0
    garden.crop.save()
    store = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    of = {"store": store, "crop": garden.crop, "season": 2026, "day": date(2026, 8, 4)}
    Crate.objects.create(household=garden.household, **of)
    assert client.get(reverse("larder:index")).status_code == 200


@pytest.mark.parametrize(
    ("lift_kg", "sure_kg", "reached"),
    [(0, 2.0, 1.0), (None, 2.0, 1.0), (None, 0.0, 0.0), (4.0, 2.0, 0.5), (1.0, 2.0, 1.0)],
)
def test_a_need_of_nothing_is_met(lift_kg, sure_kg, reached):
    row = SimpleNamespace(
        one_plant=SimpleNamespace(span_kg=lambda plants, chance: (sure_kg,)),
        needed=SimpleNamespace(lift_kg=lift_kg),
        said=SimpleNamespace(certainty=80),
    )
    assert Lasting(row, 9, "bed", None).reached == reached


def test_what_waits_for_the_scale_did_not_give_nothing(client, garden):
    planting = plant(garden, garden.bed, "leek", units=10, finished_on=date(2026, 11, 1))
    mine = {"household": garden.household, "planting": planting, "grade": "table"}
    line = WeighIn.objects.create(
        **mine, weighed_on=date(2026, 11, 1), measure=garden.measure, measures=2
    )
    assert "Leek gave nothing" not in html_of(
        client.get(reverse("look_back:index") + "?season=2026&whole=on")
    )
    line.delete()
    assert "Nothing is written of leek in Ours bed" in html_of(
        client.get(reverse("look_back:index") + "?season=2026&whole=on")
    )
    Planting.objects.filter(pk=planting.pk).update(rest="nothing")
    assert "Leek gave nothing" in html_of(
        client.get(reverse("look_back:index") + "?season=2026&whole=on")
    )


def test_a_year_of_nothing_after_a_good_one_is_told_as_worse(client, garden):
    for season, grams in ((2025, 3000), (2026, 0)):
        planting = plant(
            garden,
            garden.bed,
            "leek",
            season=season,
            units=10,
            planted_on=date(season, 4, 1),
            finished_on=date(season, 11, 1),
            rest="" if grams else "nothing",
        )
        if grams:
            WeighIn.objects.create(
                household=garden.household,
                planting=planting,
                weighed_on=date(season, 11, 1),
                grade="table",
                mass_mg=grams * 1000,
                count=10,
            )
    found = {line.key: line for line in lines(Season(garden.household, 2026))}
    assert (found["came:leek"].side, found["came:leek"].telling) == (BADLY, 48.0)
