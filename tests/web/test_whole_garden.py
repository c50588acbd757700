"""A garden entered from nothing through the pages' own forms, and what is odd about real ones."""

from __future__ import annotations

import re
from datetime import date

import pytest
from django.test import Client
from django.urls import reverse

from kilter.core.yields.measures import measure_yield
from kilter.ground.models import Move, Place, Site
from kilter.people.models import Household
from kilter.records.facts import facts
from kilter.set_out.models import PlantCount, Planting
from kilter.set_out.queries import lot_lines, standing_of, window_of, with_all_names
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.question.question import Question, attributes_of
from tests.conftest import TODAY, html_of

SITES = (
    {"name": "Yard", "length_m": 20, "width_m": 6, "light": "part shade"},
    {"name": "Plot", "light": "full sun"},
    {"name": "Balcony", "shelter": "wall"},
)
SETS = (("Yard", "Crock", 14, 32), ("Plot", "Crate", 12, 45), ("Balcony", "Pot", 8, 12))
CROPS = ("tomato", "leek", "shallot", "kale", "pea", "potato")


@pytest.fixture
def gardener(db) -> Client:
    client = Client()
    words = {"password1": "rope and slate 9", "password2": "rope and slate 9"}
    client.post(
        reverse("people:sign_up"),
        {"username": "n", "household_name": "Bare", "time_zone": "UTC", **words},
    )
    return client


def write(client, route, data, *args):
    response = client.post(reverse(route, args=args), data)
    page = html_of(response)
    assert response.status_code == 302, re.findall(r'class="problem">([^<]+)', page)
    return response


def test_three_sites_forty_places_and_a_hundred_and_twenty_plantings_from_nothing(gardener):
    for site in SITES:
        write(gardener, "ground:new_site", site)
    sites = {site.name: site.pk for site in Site.objects.all()}
    for site, name, count, litres in SETS:
        spot = {"x_m": 0.5, "y_m": 3, "gap_m": 0.6, "per_row": 7, "layout": "block"}
        write(
            gardener,
            "ground:new_set",
            {
                "site": sites[site],
                "kind": name.lower(),
                "name": name,
                "how_many": count,
                "first_number": 1,
                "volume_l": litres,
                **spot,
            },
        )
    for i in range(6):
        bed = {
            "site": sites["Plot"],
            "kind": "bed",
            "name": "Bed",
            "number": i + 1,
            "length_m": 4,
            "width_m": 1.2,
        }
        write(gardener, "ground:new_bed", {**bed, "x_m": i * 4.5, "y_m": 0})
    places = list(Place.objects.in_order())
    for season in (2024, 2025, 2026):
        for i, crop in enumerate(CROPS):
            sentence = {
                "units": 4,
                "unit_kind": "module",
                "crop_name": crop,
                "variety_name": f"{crop} {i}",
                "planted": f"mid-April {season}",
                "methods_text": "mulch=straw",
            }
            picked = [f"place-{p.pk}" for p in places[i::6]]
            write(gardener, "set_out:new", {**sentence, "places": picked})
    household = Household.objects.get(name="Bare")
    assert (
        Site.objects.of(household).count(),
        len(places),
        Planting.objects.of(household).count(),
    ) == (3, 40, 120)
    page = html_of(gardener.get(reverse("atlas:index")))
    assert page.count("data-place=") == 40
    for address in (
        reverse("atlas:index") + "?colour=family:Solanaceae&season=2026",
        "/set-out/?season=2026",
        "/",
    ):
        assert gardener.get(address).status_code == 200


@pytest.fixture
def vague(client, garden) -> Planting:
    """About mid-May, variety unknown, four or so of them."""
    write(
        client,
        "set_out:new",
        {
            "units": 4,
            "units_pm": 1,
            "unit_kind": "plant",
            "crop_name": "courgette",
            "planted": "about mid-May",
            "places": [f"place-{garden.bed.pk}"],
        },
    )
    return Planting.objects.get(crop__name="courgette")


def test_a_vague_planting_shows_its_doubt_everywhere(client, garden, vague):
    assert (vague.planted_on, vague.planted_precision, vague.season) == (
        date(2026, 5, 15),
        "third",
        2026,
    )
    shown = {
        reverse("atlas:planting", args=[vague.pk]): (
            "about mid-May 2026",
            "~192",
            "give or take 5",
            "4 ± 1",
            "unknown",
        ),
        reverse("atlas:place", args=[garden.bed.pk]): (
            "about mid-May 2026",
            "4 ± 1",
            "variety unknown",
        ),
        "/set-out/?season=2026": ("about mid-May 2026", "4 ± 1", "variety unknown"),
        "/": ("Is it over?", "variety unknown"),
        reverse("set_out:planting", args=[vague.pk]): ("about mid-May 2026",),
    }
    for address, texts in shown.items():
        page = html_of(client.get(address))
        for text in texts:
            assert text in page, (address, text)
    window = window_of(vague, TODAY)
    exact = window_of(
        Planting(crop=vague.crop, place=vague.place, planted_on=vague.planted_on), TODAY
    )
    assert (exact.first - window.first).days == (window.last - exact.last).days == 5


def test_doubt_goes_into_comparisons(client, garden):
    first, second = garden.plantings[:2]
    Planting.objects.filter(pk=first.pk).update(units_pm=3)
    Planting.objects.filter(pk=second.pk).update(is_variety_doubtful=True)
    household = garden.household
    words = attributes_of(household)
    by_variety = ask(
        household, Question(crops=(garden.crop,), compare="variety", by="kg_per_plant"), words
    )
    assert [out.reason for out in by_variety.left_out] == ["its variety is in doubt"]
    by_setting = Question(crops=(garden.crop,), compare="method:setting", by="kg_per_plant")
    wider = ask(household, by_setting, words).comparison.levels[0]
    Planting.objects.filter(pk=first.pk).update(units_pm=None)
    assert ask(household, by_setting, words).comparison.levels[0].high < wider.high


def test_a_mislabelled_and_replaced_planting(client, garden, open_planting):
    page = reverse("set_out:new") + f"?kin={open_planting.pk}&kinship=replaces"
    begun = html_of(client.get(page))
    assert 'value="replaces"' in begun
    assert "checked" in begun
    new = {
        "units": 5,
        "unit_kind": "set",
        "crop_name": "shallot",
        "variety_name": "Ours Two",
        "planted": "20 October",
    }
    write(
        client,
        "set_out:new",
        {
            **new,
            "places": [f"place-{garden.bed.pk}"],
            "kin": open_planting.pk,
            "kinship": "replaces",
        },
    )
    old = with_all_names(Planting.objects.filter(pk=open_planting.pk)).get()
    assert standing_of(old).now == 7
    assert PlantCount.objects.get(planting=old).kind == "replaced"
    shown = html_of(client.get(reverse("atlas:planting", args=[old.pk])))
    assert "shallot ‘Ours Two’</a> replaces it" in shown
    refused = client.post(
        reverse("set_out:count", args=[old.pk]), {"kind": "died", "count": 9, "when": "today"}
    )
    assert "only 7 stood" in html_of(refused)


def test_a_cohort_sown_into_the_gaps_is_a_planting_of_its_own(client, garden, open_planting):
    new = {
        "units": 10,
        "unit_kind": "seed",
        "crop_name": "shallot",
        "planted": "1 November",
        "lot_name": "seed 26",
    }
    write(
        client,
        "set_out:new",
        {**new, "places": [f"place-{garden.bed.pk}"], "kin": open_planting.pk, "kinship": "cohort"},
    )
    cohort = Planting.objects.get(kin=open_planting)
    write(client, "set_out:count", {"kind": "up", "count": 8, "when": "20 November"}, cohort.pk)
    write(
        client,
        "set_out:lot",
        {"name": "seed 26", "crop_name": "shallot", "bought_count": 50},
        cohort.lot_id,
    )
    (line,) = [line for line in lot_lines(garden.household, TODAY) if line.lot == cohort.lot]
    assert (line.left, line.germination) == (40, 0.8)
    assert "80 %" in html_of(client.get(reverse("set_out:lots")))
    assert "was sown into the gaps of" in html_of(
        client.get(reverse("atlas:planting", args=[cohort.pk]))
    )


def test_a_volunteer_needs_no_number_and_no_date(client, garden):
    volunteer = {
        "unit_kind": "plant",
        "crop_name": "potato",
        "is_volunteer": "on",
        "places": [f"place-{garden.bed.pk}"],
    }
    write(client, "set_out:new", {**volunteer, "planted": ""})
    planting = Planting.objects.get(crop__name="potato")
    (fact,) = facts(garden.household, Planting.objects.filter(pk=planting.pk))
    assert fact.attribute("origin") == "came up by itself"
    assert "Came up by itself" in html_of(client.get(reverse("atlas:planting", args=[planting.pk])))
    refused = client.post(reverse("set_out:new"), {**volunteer, "is_volunteer": "", "planted": ""})
    assert "How many?" in html_of(refused)


def test_a_strawberry_bed_over_three_years(client, garden):
    write(
        client,
        "set_out:new",
        {
            "units": 24,
            "unit_kind": "runner",
            "crop_name": "strawberry",
            "planted": "30 March 2024",
            "is_perennial": "on",
            "places": [f"place-{garden.bed.pk}"],
            "rows": 3,
        },
    )
    bed = Planting.objects.get(crop__name="strawberry")
    for year, kg, kind, count in (
        (2024, 1.2, "died", 4),
        (2025, 5, "renewed", 2),
        (2026, 4, "standing", 22),
    ):
        WeighIn.objects.create(
            household=garden.household,
            planting=bed,
            weighed_on=date(year, 6, 20),
            grade="table",
            mass_mg=int(kg * 1e6),
            count=100,
        )
        write(
            client,
            "set_out:count",
            {"kind": kind, "count": count, "when": f"1 September {year}"},
            bed.pk,
        )
    by_year = {f.season: f for f in facts(garden.household, Planting.objects.filter(pk=bed.pk))}
    assert {y: f.record.grades["table"].mass_mg for y, f in by_year.items()} == {
        2024: 1_200_000,
        2025: 5 * 10**6,
        2026: 4 * 10**6,
    }
    assert [f.attribute("year_of_life") for f in by_year.values()] == ["1", "2", "3"]
    assert by_year[2025].record.finished_on == date(2025, 12, 31)
    assert by_year[2026].record.finished_on is None  # this year is not over
    for season in (2024, 2025, 2026):
        assert "strawberry" in html_of(client.get(f"/set-out/?season={season}"))
    page = html_of(client.get(reverse("atlas:planting", args=[bed.pk])))
    assert "<dd>22</dd>" in page
    answer = ask(
        garden.household,
        Question(
            crops=(bed.crop,),
            compare="year_of_life",
            by="kg_per_plant",
            within=(),
            seasons=(2024, 2025),
        ),
        attributes_of(garden.household),
    )
    assert {level.level for level in answer.comparison.levels} == {"1", "2"}


def test_a_moved_container_keeps_where_it_stood_when(client, garden):
    crate = garden.crates[0]
    Place.objects.filter(pk=crate.pk).update(light="shade")
    for when, light in (("1 May", "part shade"), ("1 June", "full sun")):
        write(
            client,
            "ground:move",
            {"when": when, "site": garden.site.pk, "x_m": 5, "y_m": 3, "light": light},
            crate.pk,
        )
    assert [move.left_light for move in Move.objects.filter(place=crate)] == ["shade", "part shade"]
    # It grew from 21 March to 4 August: 136 days, 41 in shade, 31 in part shade, 64 in full sun.
    planting = garden.plantings[0]
    (fact,) = facts(garden.household, Planting.objects.filter(pk=planting.pk))
    assert fact.attribute("light") == "full sun"
    page = html_of(client.get(reverse("atlas:planting", args=[planting.pk])))
    for days in ("41 days", "31 days", "64 days"):
        assert days in page
    assert "Where it stood" in html_of(client.get(reverse("atlas:place", args=[crate.pk])))


def test_per_litre_is_by_real_fill_and_shared_ground_by_stated_shares(client, garden):
    crate, planting = garden.crates[0], garden.plantings[0]
    write(
        client,
        "ground:fill",
        {"kind": "filled", "when": "1 March", "litres": 30, "over_uses": 1},
        crate.pk,
    )
    write(
        client,
        "ground:fill",
        {"kind": "measured", "when": "2 October", "litres": 20, "over_uses": 1},
        crate.pk,
    )
    (fact,) = facts(garden.household, Planting.objects.filter(pk=planting.pk))
    assert fact.record.place_volume_l == 30
    page = html_of(client.get(reverse("atlas:place", args=[crate.pk])))
    assert "45 L nominal, 20 L real fill" in page
    assert "by 33 %" in page
    assert (
        "To fill it: 25 L. All 4 of the set: 160 L." in page
    )  # 45 − 20, and three empty ones of 45
    for other in (planting, garden.plantings[1]):
        Planting.objects.filter(pk=other.pk).update(place=crate, share=0.4)
    (fact,) = facts(garden.household, Planting.objects.filter(pk=planting.pk))
    assert not fact.record.is_alone
    assert measure_yield(fact.record, "kg_per_l").exposure == pytest.approx(12)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        ({"kind": "filled"}, "how many litres"),
        ({"kind": "filled", "litres": -3}, "greater than or equal"),
        ({"kind": "filled", "litres": 3, "when": "whenever"}, "no date that can be read"),
    ],
)
def test_a_bad_fill_says_so(client, garden, data, says):
    sent = {"when": "today", "over_uses": 1, "note": "keep me", **data}
    response = client.post(reverse("ground:fill", args=[garden.crates[0].pk]), sent)
    assert response.status_code == 422
    assert says in html_of(response)
    assert "keep me" in html_of(response)


@pytest.mark.parametrize(("unit", "litres"), [("L", 5), ("US gal", 18.927), ("imp gal", 22.73)])
def test_gallons_are_two_different_things(client, garden, unit, litres):
    """US gallon 3.785411784 L, imperial gallon 4.54609 L: NIST SP 811, app. B."""
    tub = {
        "site": garden.site.pk,
        "kind": "pail",
        "name": "Pail",
        "volume_l": 5,
        "volume_unit": unit,
    }
    write(client, "ground:new_bed", tub)
    assert Place.objects.get(name="Pail").volume_l == pytest.approx(litres, abs=0.001)


def test_own_seed_is_kept_as_a_lot(client, garden):
    parent = garden.plantings[0]
    page = html_of(client.get(reverse("set_out:new_lot") + f"?kept_from={parent.pk}"))
    assert 'value="own 2026"' in page
    write(
        client,
        "set_out:new_lot",
        {"name": "own 2026", "crop_name": "shallot", "kept_from": parent.pk, "bought_count": 60},
    )
    lots = html_of(client.get(reverse("set_out:lots")))
    assert "own, from Ours crate 1 2026" in lots
    assert (
        client.get(reverse("set_out:new_lot") + "?kept_from=99999999999999999999").status_code
        == 200
    )


def test_what_was_written_lists_every_change_with_who_and_its_undo(client, garden):
    write(client, "ground:new_site", {"name": "Balcony"})
    page = html_of(client.get(reverse("people:changes")))
    assert "Balcony is saved." in page
    assert garden.owner.username in page
    assert page.count("/undo") >= 2
