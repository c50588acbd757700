"""A blinded trial is kept back by every outlet until all of it is in, and then by none."""

from __future__ import annotations

import io
import json
from datetime import date

import pytest
from django.core.management import CommandError, call_command
from django.urls import reverse

from kilter.set_out.blinding import blinded_of
from kilter.set_out.models import MethodTag, Planting
from kilter.tables.brought import sheets_in
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.models import Trial, TrialUnit
from tests.conftest import html_of

#: What is in so far: a figure that nothing else comes to.
GRAMS = 777
#: As the pages, the reports and the commands would write it: the harvest, over nine plants, as
#: kilograms.
LEAKS = ("777 g", "0.777", "0.0863", "0.086")
ASKED = {"compare": "method:mulch", "by": "kg_per_plant", "crop": "shallot", "season": "2026"}


@pytest.fixture
def trial(garden):
    """Two places of four are in."""
    WeighIn.objects.all().delete()
    Planting.objects.update(finished_on=None)
    Trial.objects.filter(pk=garden.trial.pk).update(is_blinded=True, season=2026)
    for n, (unit, planting) in enumerate(
        zip(TrialUnit.objects.order_by("number"), garden.plantings, strict=True)
    ):
        TrialUnit.objects.filter(pk=unit.pk).update(planting=planting)
        MethodTag.objects.create(planting=planting, name="mulch", value=unit.first)
        if n < 2:
            bring_in(garden, planting, GRAMS)
    return garden.trial


def bring_in(garden, planting, grams):
    WeighIn.objects.create(
        household=garden.household,
        planting=planting,
        weighed_on=date(2026, 8, 4),
        grade="table",
        mass_mg=grams * 1000,
        count=18,
    )
    Planting.objects.filter(pk=planting.pk).update(finished_on=date(2026, 8, 4))


def outlets(garden):
    """Every page that would show what a planting or its kind gave."""
    planting = garden.plantings[0]
    asked = "&".join(f"{name}={value}" for name, value in ASKED.items())
    return [
        f"/weigh-up/?{asked}",
        f"/weigh-up/report?{asked}",
        f"/weigh-up/units.csv?{asked}",
        f"/weigh-up/difference?{asked}",
        f"/weigh-up/balance.svg?{asked}",
        "/weigh-up/saved",
        "/weigh-up/varieties",
        f"/weigh-up/varieties?crop={garden.crop.pk}&w0=2",
        "/weigh-up/crowding",
        "/weigh-up/sharing",
        f"/weigh-up/trials/{garden.trial.pk}",
        f"/set-out/{planting.pk}",
        f"/ground/places/{planting.place_id}",
        "/ground/?colour=yield&season=2026",
        "/look-back/?season=2026&whole=on",
        f"/look-back/crops/{garden.crop.pk}?season=2026",
        "/look-back/booklet?season=2026",
        "/look-back/places?season=2026",
        "/look-back/setbacks?season=2026",
        "/look-back/sitting?season=2026",
        "/next-year/",
        "/next-year/held",
        "/next-year/again",
        "/weigh-in/lines/edit",
    ]


def test_no_page_tells_before_all_are_in(garden, client, trial):
    assert set(blinded_of(garden.household)) == {planting.pk for planting in garden.plantings}
    for address in outlets(garden):
        response = client.get(address)
        assert response.status_code in (200, 404), address
        shown = html_of(response)
        assert not [leak for leak in LEAKS if leak in shown], address
    assert "is blinded: what it" in " ".join(
        client.get(f"/set-out/{garden.plantings[0].pk}").content.decode().split()
    )


def test_the_bench_tells_neither_fill_nor_which_is_which(garden, client, trial):
    bench = html_of(client.get(reverse("weigh_in:bench"), {"crop": garden.crop.pk}))
    assert "Ours One" not in bench
    assert "mulch" not in bench
    assert bench.count('class="s1" fill="currentColor"') == 0
    lines = html_of(client.get(reverse("weigh_in:lines"), {"pot": ""}))
    assert "777 g" in lines  # whoever weighs has read the scale; what it was is not said
    assert "Ours One" not in lines


def test_no_sheet_of_the_season_tells_what_a_place_gave(garden, client, trial):
    """Its harvest holds none of its lines; its plantings stand there without their variety."""
    sheets = sheets_in(client.get(reverse("exchange:season", args=[2026])).content)
    assert len(sheets["Harvest"]) == 1
    assert {row[2] for row in sheets["Plantings"][1:]} == {""}
    said = "Day,Crop,Weight\n1/8/2026,shallot,300"
    table = client.post(reverse("exchange:bring"), {"text": said, "kind": ""}).url
    assert "Ours One" not in html_of(client.get(table))


def commands(name, *more):
    out = io.StringIO()
    try:
        call_command(name, "--household", "Ours", *more, stdout=out)
    except CommandError as error:
        out.write(str(error))
    return out.getvalue()


def test_no_command_tells_before_all_are_in(garden, trial):
    asked = [part for name, value in ASKED.items() for part in (f"--{name}", value)]
    said = [
        commands("weigh_up", *asked, "--json"),
        commands("weigh_up", *asked),
        commands("figures", "--json"),
        commands("figures"),
        commands("next_year", "--json"),
        commands("look_back", "--season", "2026", "--json"),
    ]
    for text in said:
        assert not [leak for leak in LEAKS if leak in text]
    values = json.JSONDecoder().raw_decode(said[0])[0]
    assert values["blinded"] == "Ours trial"
    assert {out["reason"] for out in values["left_out"]} == {
        "belongs to a trial that is blinded until all of it is in"
    }


def test_all_in_or_shown_early_nothing_is_kept_back(garden, client, trial):
    for planting in garden.plantings[2:]:
        bring_in(garden, planting, 600)
    assert blinded_of(garden.household) == {}
    assert "777 g" in html_of(client.get(f"/set-out/{garden.plantings[0].pk}"))
    assert client.get("/weigh-up/report", ASKED).status_code == 200
    Planting.objects.filter(pk=garden.plantings[3].pk).update(finished_on=None)
    assert len(blinded_of(garden.household)) == 4
    client.post(reverse("weigh_up:trial_show", args=[trial.pk]))
    assert blinded_of(garden.household) == {}


def test_what_is_not_of_the_trial_is_answered_as_ever(garden, client, trial):
    for n in range(4):
        planting = Planting.objects.create(
            household=garden.household,
            place=garden.bed,
            crop=garden.crop,
            season=2026,
            units=9,
            unit_kind="set",
            planted_on=date(2026, 3, 1),
        )
        MethodTag.objects.create(planting=planting, name="mulch", value=("straw", "none")[n % 2])
        bring_in(garden, planting, 500 + 10 * n)
    shown = html_of(client.get("/weigh-up/", ASKED))
    assert "cannot be told apart" in shown
    assert "belongs to a trial that is blinded" in shown
    assert not [leak for leak in LEAKS if leak in shown]
    # of a crop that is kept back in part, the rest does not stand for all of it
    draft = "look_back", "--season", "2026", "--json"
    assert "Shallot gave" not in commands(*draft)
    client.post(reverse("weigh_up:trial_show", args=[trial.pk]))
    assert "over 6 plantings" in commands(*draft)
