"""The maps painted by what one asks for, a place's history and medium,
what a planting cost, and Today's order.
"""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse

from kilter.atlas.places import place_page
from kilter.atlas.plantings import planting_page
from kilter.atlas.queries import atlas
from kilter.ground.models import Fill, Mix, Move, Part, Place, Site
from kilter.set_out.models import Cost, Planting, SeedLot
from kilter.set_out.queries import with_all_names
from kilter.today.queries import today_sheet
from kilter.weigh_in.models import WeighIn
from tests.conftest import TODAY, html_of, plant


def painted(garden, colour="crop", season=2026):
    found = atlas(garden.household, colour, season, TODAY)
    return {place.label: place for sheet in found.sheets for place in sheet.map.places}, found


def test_the_map_shows_what_stands_today_in_its_part_and_share(garden):
    plant(garden, garden.bed, "kale", part=garden.part, rows=2)
    plant(garden, garden.bed, "leek", share=0.25)
    plant(garden, garden.bed, "pea")
    places, found = painted(garden)
    bed = places["Ours bed"]
    assert [mark.label for mark in found.legend] == ["kale", "leek", "pea"]
    assert len({(mark.series, mark.texture) for mark in found.legend}) == 3
    widths = [
        max(x) - min(x)
        for x in ([float(p.split(",")[0]) for p in paint.shape.split()] for paint in bed.painted)
    ]
    whole = bed.width_m * found.sheets[0].map.px_per_m
    assert sorted(w / whole for w in widths) == pytest.approx([0.25, 0.5, 0.75], abs=0.01)
    assert len(bed.rows) == 2
    assert places["Ours crate 1"].painted == ()  # lifted in August


def test_a_season_that_is_over_shows_all_that_stood_in_it(garden):
    Planting.objects.update(season=2025, planted_on=date(2025, 3, 21), finished_on=date(2025, 8, 4))
    places, _ = painted(garden, season=2025)
    assert [paint.label for paint in places["Ours crate 2"].painted] == ["shallot ‘Ours Two’"]


def test_years_since_a_family_are_counted_and_printed(garden):
    plant(
        garden,
        garden.bed,
        "onion",
        season=2024,
        planted_on=date(2024, 3, 1),
        finished_on=date(2024, 8, 1),
    )
    places, found = painted(garden, "family:Amaryllidaceae")
    assert places["Ours bed"].painted[0].label == "onion family 2 years ago"
    assert places["Ours bed"].note == "2"
    assert places["Ours crate 1"].painted[0].strength > places["Ours bed"].painted[0].strength
    assert "onion family" in found.about


def test_yield_is_by_square_metre_of_bed_and_ten_litres_of_vessel(garden):
    bed = plant(garden, garden.bed, "leek", planted_on=date(2026, 4, 1))
    WeighIn.objects.create(
        household=garden.household,
        planting=bed,
        weighed_on=date(2026, 10, 1),
        grade="table",
        mass_mg=6_000_000,
    )
    places, _ = painted(garden, "yield")
    assert places["Ours bed"].painted[0].label == "2.00 kg/m²"  # 6 kg on 3 m²
    assert places["Ours crate 2"].painted[0].label == "0.22 kg/10 L"  # 1 kg in 45 L
    strengths = [places[f"Ours crate {i}"].painted[0].strength for i in (1, 2, 3, 4)]
    assert strengths[1] == pytest.approx(1)
    assert strengths[1] > strengths[0] > strengths[3] > strengths[2]


def test_a_full_vessel_is_drawn_to_its_real_fill(garden):
    crate = garden.crates[0]
    plant(garden, crate, "kale")
    Fill.objects.create(
        household=garden.household, place=crate, day=date(2026, 3, 1), kind="filled", litres=22.5
    )
    places, _ = painted(garden)
    shape = [
        tuple(map(float, p.split(","))) for p in places["Ours crate 1"].painted[0].shape.split()
    ]
    outline = [tuple(map(float, p.split(","))) for p in places["Ours crate 1"].outline.split()]
    heights = [max(y for _, y in points) - min(y for _, y in points) for points in (shape, outline)]
    assert heights[0] / heights[1] == pytest.approx(0.5, abs=0.02)


@pytest.mark.parametrize(
    ("kind", "expected"),
    [("stretch", 0.5), ("edge", 1 - 2.4 * 0.4 / 3), ("middle", 2.4 * 0.4 / 3)],
)
def test_a_part_has_its_share_of_the_area(garden, kind, expected):
    part = Part(place=garden.bed, kind=kind, start=0.25, end=0.75)
    assert part.share_of(garden.bed) == pytest.approx(expected)


def test_the_chain_of_crops_follows_the_medium_into_another_place(garden):
    household, first, second = garden.household, garden.crates[0], garden.crates[3]
    mix = Mix.objects.create(household=household, name="M", recipe="compost 2; loam 1")
    fills = {"household": household}
    Fill.objects.create(
        **fills, place=first, day=date(2026, 3, 1), kind="filled", litres=40, mix=mix
    )
    Fill.objects.create(
        **fills, place=second, day=date(2026, 9, 1), kind="reused", litres=30, came_from=first
    )
    plant(garden, second, "leek")
    page = place_page(household, second, TODAY)
    assert page.medium.chain == ("shallot", "leek")
    assert (page.medium.now.litres, page.medium.now.uses, page.medium.to_fill_l) == (30, 1, 15)
    own = place_page(household, first, TODAY)
    assert own.medium.set_to_fill_l == pytest.approx(5 + 45 + 45 + 15)
    assert dict(own.medium.parts) == pytest.approx({"compost": 110 * 2 / 3, "loam": 110 / 3})


def test_a_wet_container_says_how_many_lift_it(client, garden):
    crate = garden.crates[0]
    page = html_of(client.get(reverse("atlas:place", args=[crate.pk])))
    assert "about 41 kg" in page
    assert "two people" in page
    assert "the volume on its label" in page
    Fill.objects.create(
        household=garden.household, place=crate, day=date(2026, 3, 1), kind="filled", litres=15
    )
    Place.objects.filter(pk=crate.pk).update(empty_kg=3)
    page = html_of(client.get(reverse("atlas:place", args=[crate.pk])))
    assert "with care" in page
    assert "caution" not in html_of(client.get(reverse("atlas:place", args=[garden.bed.pk])))


def test_costs_are_shared_over_years_uses_and_neighbours(client, garden):
    household, crate, planting = garden.household, garden.crates[0], garden.plantings[0]
    lot = SeedLot.objects.create(
        household=household, crop=garden.crop, name="bag", bought_count=45, price_minor=500
    )
    Planting.objects.filter(pk=planting.pk).update(lot=lot)
    plant(garden, crate, "leek")
    Cost.objects.create(household=household, planting=planting, what="net", price_minor=300)
    Cost.objects.create(
        household=household,
        place=crate,
        what="crate",
        price_minor=1200,
        day=date(2024, 3, 1),
        over_years=6,
    )
    Cost.objects.create(
        household=household,
        place=crate,
        what="old",
        price_minor=900,
        day=date(2019, 1, 1),
        over_years=3,
    )
    Fill.objects.create(
        household=household,
        place=crate,
        day=date(2026, 3, 1),
        kind="filled",
        litres=40,
        price_minor=800,
        over_uses=2,
    )
    found = with_all_names(Planting.objects.filter(pk=planting.pk)).get()
    shares = {
        share.what.split(",")[0]: share.minor
        for share in planting_page(household, found, TODAY).costs
    }
    # 9 of 45 sets; a sixth of the crate and half of the medium, shared by half-months: ten here,
    # six of the leeks.
    assert shares == {"net": 300, "from lot bag": 100, "crate": 125, "medium": 250}
    page = html_of(client.get(reverse("atlas:planting", args=[planting.pk])))
    assert "7.75 €" in page


def test_the_moon_is_off_until_it_is_wanted_and_then_a_method_like_any_other(client, garden):
    address = reverse("atlas:planting", args=[garden.plantings[0].pk])
    assert "Moon" not in html_of(client.get(address))
    question = {"compare": "moon", "by": "kg_per_plant", "crop": garden.crop.name}
    assert client.get(reverse("weigh_up:index"), question).status_code == 422
    type(garden.household).objects.filter(pk=garden.household.pk).update(is_moon_shown=True)
    assert "waxing, nearest to new moon" in html_of(
        client.get(address)
    )  # 21 March 2026, two days after new
    assert "moon waxing" in html_of(client.get("/"))
    Planting.objects.filter(pk__in=[p.pk for p in garden.plantings[:2]]).update(
        planted_on=date(2026, 3, 10)
    )
    page = html_of(client.get(reverse("weigh_up:index"), question))
    assert "‘waning’" in page
    assert "‘waxing’" in page


def test_today_orders_by_threat_and_by_what_the_kitchen_takes(client, garden):
    type(garden.household).objects.filter(pk=garden.household.pk).update(kitchen_kg_per_week=3)
    garden.household.refresh_from_db()
    due = plant(garden, garden.crates[0], "beetroot", units=20, planted_on=date(2026, 9, 1))
    perishable = plant(garden, garden.crates[1], "spinach", units=9, planted_on=date(2026, 10, 5))
    late = plant(garden, garden.crates[2], "onion", units=200, planted_on=date(2026, 7, 1))
    ahead = plant(garden, garden.bed, "pea", planted_on=date(2027, 3, 1), season=2027)
    sheet = today_sheet(garden.household, TODAY)
    assert [entry.lane.first.pk for entry in sheet.to_lift] == [late.pk, perishable.pk, due.pk]
    assert [entry.turn.fits for entry in sheet.to_lift] == [False, False, False]
    assert [lane.first.pk for lane in sheet.planned] == [ahead.pk]
    page = html_of(client.get("/"))
    assert "more than the kitchen takes this week" in page
    assert "overdue by" in page
    assert "To be set out" in page


def test_a_picker_left_too_long_says_for_how_many_days(client, garden):
    chard = plant(garden, garden.bed, "chard", planted_on=date(2026, 9, 25))
    WeighIn.objects.create(
        household=garden.household,
        planting=chard,
        weighed_on=date(2026, 11, 5),
        grade="table",
        mass_mg=200_000,
    )
    assert "not picked for 18 days" in html_of(client.get("/"))


def test_signs_say_what_they_are_worth_and_what_they_resemble(client, garden):
    potato = plant(garden, garden.bed, "potato")
    page = html_of(client.get(reverse("atlas:planting", args=[potato.pk])))
    assert "strong sign" in page
    assert "not to be taken for blight" in page


def test_days_count_from_the_sowing_where_the_handbook_does(garden):
    leek = plant(garden, garden.bed, "leek", unit_kind="module", planted_on=date(2026, 8, 1))
    found = with_all_names(Planting.objects.filter(pk=leek.pk)).get()
    before = planting_page(garden.household, found, TODAY).window
    leek.counts.create(household=garden.household, kind="sown", count=20, day=date(2026, 5, 1))
    found = with_all_names(Planting.objects.filter(pk=leek.pk)).get()
    assert (before.first - planting_page(garden.household, found, TODAY).window.first).days == 92


def test_a_season_that_is_over_is_drawn_as_it_stood_then_and_cannot_be_moved(client, garden):
    crate, far = (
        garden.crates[0],
        Site.objects.create(household=garden.household, name="Far", length_m=5, width_m=5),
    )
    Place.objects.filter(pk=crate.pk).update(x_m=8.0)
    moved = {"household": garden.household, "place": crate, "left_light": "shade"}
    Move.objects.create(**moved, day=date(2026, 5, 1), left_site=far, left_x_m=2.0, left_y_m=1.0)
    Move.objects.create(
        **moved, day=date(2024, 9, 1), left_site=garden.site, left_x_m=0.0, left_y_m=0.0
    )

    def where(season):
        found = atlas(garden.household, "crop", season, TODAY)
        return {
            (s.site.name, p.x_m, p.y_m)
            for s in found.sheets
            for p in s.map.places
            if p.label == "Ours crate 1"
        }

    assert where(2026) == {("Ours site", 8.0, 2.0)}
    assert where(2025) == {("Far", 2.0, 1.0)}
    assert where(2024) == {("Ours site", 0.0, 0.0)}
    garden.plantings[1].__class__.objects.filter(pk=garden.plantings[1].pk).update(season=2025)
    page = html_of(client.get("/ground/?season=2025"))
    assert "As it stood in July 2025" in page
    assert "data-place" not in page
    assert "data-map-modes" not in page
