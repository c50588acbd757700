"""Weigh up, whole: measures, grades, two things, own replicates, so far, exports,
kept questions, verdicts, trials.
"""

from __future__ import annotations

import csv
import io
import json
import re
from datetime import date
from html import unescape

import pytest
from django.core.management import call_command
from django.urls import reverse
from PIL import Image

from kilter.ground.models import Part, Place, Site
from kilter.people import clock
from kilter.people.models import Role
from kilter.set_out.models import Crop, MethodTag, Planting, Variety
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.land.queries import shared_beds, sharing_pays
from kilter.weigh_up.models import SavedQuestion, Score, Trial, TrialUnit, Verdict
from kilter.weigh_up.question.question import Question, attributes_of
from kilter.weigh_up.varieties.queries import ranking
from tests.conftest import html_of, member, signed_in


def answered(garden, compare="method:setting", by="kg_per_plant", **more):
    return ask(
        garden.household,
        Question(crops=(garden.crop,), compare=compare, by=by, **more),
        attributes_of(garden.household),
    )


def grown(garden, place, variety, setting, grams, season=2026, **more):
    """One finished planting with one line."""
    given = {
        "household": garden.household,
        "place": place,
        "crop": garden.crop,
        "variety": variety,
        "season": season,
        "units": 9,
        "unit_kind": "set",
        "planted_on": date(season, 3, 21),
        "finished_on": date(season, 8, 4),
        **more,
    }
    planting = Planting.objects.create(**given)
    if setting:
        MethodTag.objects.create(planting=planting, name="setting", value=setting)
    if grams is not None:
        WeighIn.objects.create(
            household=garden.household,
            planting=planting,
            weighed_on=date(season, 8, 4),
            grade="table",
            mass_mg=grams * 1000,
            count=18,
        )
    return planting


def page(client, **asked):
    response = client.get(
        reverse("weigh_up:index"), {"by": "kg_per_plant", "crop": "shallot", **asked}
    )
    return " ".join(unescape(html_of(response)).split())


def test_own_replicates_replace_the_rule_right_when_records_change(garden, client):
    assert answered(garden).comparison.prior.source == "rule"
    for n in range(8):  # four pairs of twins in another season, nearly alike
        grown(
            garden,
            garden.crates[n % 4],
            garden.varieties[n // 2 % 2],
            ("autumn", "spring")[n // 4],
            800 + n % 2,
            2025,
        )
    asked = {"seasons": (2026,)}
    four = answered(garden, **asked).comparison.prior
    assert (four.source, four.units) == (
        "own, all crops",
        8,
    )  # four degrees of freedom are too few for the crop alone
    for n in range(4):
        grown(garden, garden.crates[n], garden.varieties[0], "spring", 800, 2024)
    prior = answered(garden, **asked).comparison.prior
    assert (prior.source, prior.units, prior.weight) == ("own, this crop", 12, 7.5)
    assert prior.kappa == pytest.approx(4 / 11, rel=1e-3)
    assert "from 12 of this crop grown twice alike" in page(
        client, compare="method:setting", season=2026
    )
    Planting.objects.filter(season=2024).update(struck_at="2026-11-01T00:00Z")
    assert answered(garden, **asked).comparison.prior.units == 8


def test_two_things_at_once_on_the_page_and_in_the_json(garden, client, capsys):
    shown = page(client, compare="method:setting", also="variety")
    assert "Setting and variety together" in shown
    assert "Nothing shows that the answer on setting depends on the variety (F = " in shown
    call_command(
        "weigh_up",
        household="Ours",
        crop=["shallot"],
        compare="method:setting",
        also="variety",
        by="kg_per_plant",
        json=True,
    )
    values = json.loads(capsys.readouterr().out)
    assert values["interaction"]["test"]["q"] == 1
    assert [c["mean"] * 9 for c in values["interaction"]["combinations"]] == pytest.approx(
        [0.9, 1.0, 0.6, 0.7]
    )
    assert isinstance(values["anova"], str)  # one of each combination: nothing is left over
    assert "second thing is the same" in html_of(
        client.get("/weigh-up/?compare=variety&also=variety&by=kg_per_plant&crop=shallot")
    )


def test_any_grades_size_share_and_days(garden):
    WeighIn.objects.create(
        household=garden.household,
        planting=garden.plantings[0],
        weighed_on=date(2026, 8, 9),
        grade="hurt",
        mass_mg=100_000,
        count=2,
    )
    rate = {
        u.ref: u.amount / u.exposure for u in answered(garden, grades=("hurt",)).comparison.units
    }
    assert rate[garden.plantings[0].ref] == pytest.approx(0.1 / 9)
    size = answered(garden, by="piece_size").comparison
    assert size.levels[0].mean == pytest.approx(
        (1.0 + 1.0) / (20 + 18)
    )  # hurt is food, so it counts
    share = {
        u.ref: u.amount / u.exposure for u in answered(garden, by="share_spoilt").comparison.units
    }
    assert share[garden.plantings[0].ref] == pytest.approx(0.1)
    days = answered(garden, by="days_bearing").comparison
    assert {u.ref: u.amount for u in days.units}[garden.plantings[0].ref] == 6
    assert answered(garden, by="days_to_first").comparison.levels[0].mean == pytest.approx(136)
    assert answered(garden, by="count_per_l").comparison.levels[0].mean == pytest.approx(
        (20 + 18) / 90
    )


def test_words_go_with_the_measure(garden, client):
    WeighIn.objects.filter(planting=garden.plantings[0]).update(weighed_on=date(2026, 6, 1))
    shown = page(client, compare="method:setting", by="days_to_first")
    assert "longer to its first lift" in shown or "cannot be told apart" in shown
    assert "days</p>" not in shown
    WeighIn.objects.filter(planting__in=garden.plantings[2:]).update(mass_mg=5_000_000)
    assert "‘spring’ was about" in page(client, compare="method:setting", by="piece_size")
    assert "times as heavy in the piece as ‘autumn’" in page(
        client, compare="method:setting", by="piece_size"
    )


def test_what_still_bears_is_left_out_and_put_in_up_to_the_same_date(garden, client):
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    shown = page(client, compare="method:setting")
    assert "is not finished, so it may still give more" in shown
    link = re.search(r'href="(\?[^"]+)">Compare all up to the same date', shown)[1]
    put_in = " ".join(client.get("/weigh-up/" + link).content.decode().split())
    assert "is not finished" not in put_in.split('id="answer"')[1]
    assert len(answered(garden, cut_off="age").comparison.units) == 4
    grown(
        garden,
        garden.bed,
        garden.varieties[0],
        "autumn",
        None,
        2027,
        planted_on=date(2026, 10, 1),
        finished_on=None,
    )
    later = answered(garden, cut_off="date")
    assert len(later.comparison.units) == 4
    assert [out.reason for out in later.left_out] == ["its season has not begun"]


def test_a_place_is_left_out_by_hand_and_put_in_again(garden, client):
    shown = page(client, compare="method:setting")
    address = re.findall(r'href="(\?[^"]+)">Do not count it', shown)[0]
    without = unescape(html_of(client.get("/weigh-up/" + address)))
    assert "1 planting left out" in without
    assert "you left it out" in without
    again = re.search(r'href="(\?[^"]+)">Put it in', without)[1]
    assert (
        "left out"
        not in client.get("/weigh-up/" + again)
        .content.decode()
        .split('id="answer"')[1]
        .split("Leave")[0]
    )


def test_what_cannot_be_asked_says_what_is_missing(garden, client):
    shown = page(client, compare="method:setting")
    assert '<option value="site" disabled>site: only “Ours site” is written down</option>' in shown
    assert (
        '<option value="kg_per_minute" disabled>weight per minute of work: no minutes of work were '
        "noted"
    ) in shown
    assert '<option value="variety">variety</option>' in shown


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"finished_on": None}, "No finished planting can be measured this way yet."),
        ({"variety_id": None}, "No finished planting can be measured this way yet."),
    ],
)
def test_an_empty_question_has_its_sentence(garden, client, change, says):
    Planting.objects.all().update(**change)
    assert says in page(client, compare="variety")


def test_single_level_all_zero_and_one_unit_each_have_their_sentence(garden, client):
    assert "Only ‘Ours site’ can be measured here; a comparison needs two." in page(
        client, compare="site"
    )
    WeighIn.objects.filter(planting__in=garden.plantings[2:]).delete()
    assert "‘spring’: 0 of 2 gave anything." in page(client, compare="method:setting")
    WeighIn.objects.all().delete()
    assert "nothing is written of it" in page(client, compare="method:setting")
    Planting.objects.all().update(rest="nothing")
    assert "Nothing came from any of these" in page(client, compare="method:setting")
    for planting, grams in zip(garden.plantings[::2], (900, 600), strict=True):
        WeighIn.objects.create(
            household=garden.household,
            planting=planting,
            weighed_on=date(2026, 8, 4),
            grade="table",
            mass_mg=grams * 1000,
        )
    Planting.objects.filter(pk__in=[p.pk for p in garden.plantings[1::2]]).update(
        struck_at="2026-11-01T00:00Z"
    )
    one_each = page(client, compare="method:setting")
    assert "cannot be told apart yet" in one_each or "not certain" in one_each


def test_position_is_compared_and_held_alike(garden):
    found = answered(garden, "edge").comparison
    assert {level.level: level.n for level in found.levels} == {"edge": 2, "middle": 2}
    assert answered(garden, within=("edge",)).comparison.block_names == ("edge or middle",)


def test_take_it_away_as_csv_svg_png_and_report(garden, client):
    asked = {
        "compare": "method:setting",
        "by": "kg_per_plant",
        "crop": "shallot",
        "within": "variety",
    }
    rows = list(
        csv.DictReader(io.StringIO(client.get(reverse("weigh_up:units"), asked).content.decode()))
    )
    assert [row["setting"] for row in rows] == ["autumn", "autumn", "spring", "spring"]
    assert float(rows[0]["kg per plant"]) == pytest.approx(0.1)
    svg = client.get(reverse("weigh_up:picture", args=["balance", "svg"]), asked)
    name = f"ours-setting-by-kg-per-plant-balance-{clock.today(garden.household)}.svg"
    assert svg["Content-Disposition"] == f'attachment; filename="{name}"'
    assert svg.content.startswith(b'<svg xmlns="http://www.w3.org/2000/svg"')
    png = Image.open(
        io.BytesIO(client.get(reverse("weigh_up:picture", args=["blocks", "png"]), asked).content)
    )
    assert png.width == 1280
    assert (
        len(png.convert("RGB").getcolors(1_000_000)) > 50
    )  # something is drawn on it, letters too
    assert (
        client.get(reverse("weigh_up:picture", args=["steelyard", "svg"]), asked).status_code == 404
    )
    report = " ".join(unescape(html_of(client.get(reverse("weigh_up:report"), asked))).split())
    for text in (
        "Compare setting by weight per plant for shallot",
        "McCullagh & Nelder",
        "this household's own records",
    ):
        assert text in report
    assert "Term" in html_of(
        client.get(reverse("weigh_up:difference"), asked, headers={"HX-Request": "true"})
    )


def test_a_question_is_kept_pinned_and_answered_anew(garden, client):
    kept = " ".join(unescape(html_of(client.get(reverse("weigh_up:saved")))).split())
    assert "Leaning.</b> ‘autumn’ looks better than ‘spring’" in kept
    assert ">Ours question</a>" in html_of(client.get(reverse("weigh_up:index")))
    WeighIn.objects.all().delete()
    Planting.objects.all().update(rest="nothing")
    assert "Nothing came from any" in html_of(client.get(reverse("weigh_up:saved")))
    assert (
        client.post(
            reverse("weigh_up:save"), {"name": "x", "address": "compare=nonsense"}
        ).status_code
        == 404
    )
    SavedQuestion.objects.filter(pk=garden.question.pk).update(address="compare=gone&by=x")
    assert "no longer there" in html_of(client.get(reverse("weigh_up:saved")))


TRIAL = {
    "name": "Does it matter when?",
    "crop_name": "shallot",
    "season": 2027,
    "first": "setting",
    "alike": "water",
    "first_text": "autumn, spring",
    "second": "",
    "second_text": "",
    "is_blinded": "on",
}


def test_a_trial_from_the_question_to_the_report(garden, client):
    spots = [f"place-{crate.pk}" for crate in garden.crates]
    short = client.post(reverse("weigh_up:new_trial"), {**TRIAL, "spots": spots[:3]})
    assert "3 places cannot hold 2 kinds twice each; take 4 or more" in unescape(html_of(short))
    assert client.post(reverse("weigh_up:new_trial"), {**TRIAL, "spots": spots}).status_code == 302
    trial = Trial.objects.get(name=TRIAL["name"])
    units = list(TrialUnit.objects.of(garden.household).filter(trial=trial))
    assert [unit.block for unit in units] == [1, 1, 2, 2]
    assert all(
        {unit.first for unit in units if unit.block == block} == {"autumn", "spring"}
        for block in (1, 2)
    )
    laid = html_of(client.get(reverse("weigh_up:trial", args=[trial.pk])))
    assert "With 2 places of each setting" in laid
    sheet = html_of(client.get(reverse("weigh_up:trial_sheet", args=[trial.pk])))
    assert sheet.count('class="trial-label"') == 4
    planted = {
        "units": 9,
        "unit_kind": "set",
        "when": "20 October 2026",
        "variety_name": "Ours One",
        "methods": "feed=no",
    }
    clash = client.post(
        reverse("weigh_up:trial_plant", args=[trial.pk]), {**planted, "methods": "setting=late"}
    )
    assert "is what the trial compares" in html_of(clash)
    client.post(reverse("weigh_up:trial_plant", args=[trial.pk]), planted)
    again = client.post(reverse("weigh_up:trial_plant", args=[trial.pk]), planted)
    assert "planted already" in html_of(again)
    made = Planting.objects.of(garden.household).filter(season=2027).order_by("pk")
    assert {tag.name for tag in made[0].methods.all()} == {"setting", "trial", "block", "feed"}
    assert "Does it matter when?" in html_of(
        client.get("/")
    )  # the reminder of what must stay alike
    asked = {"compare": "method:setting", "season": 2027, "within": "method:block"}
    assert "Does it matter when? is still blinded" in page(client, **asked)
    assert (
        client.get(
            reverse("weigh_up:units"), {**asked, "by": "kg_per_plant", "crop": "shallot"}
        ).status_code
        == 404
    )
    Planting.objects.filter(pk=made[0].pk).update(
        finished_on=date(2027, 7, 6)
    )  # one is in: nothing gives it away
    years = [
        year
        for row in ranking(garden.household, garden.crop, {"yield": 1.0}).rows
        for year in row.years
    ]
    assert [year.places for year in years if year.season == 2027] == [0]
    assert "a trial that is blinded until all" in html_of(client.get(reverse("weigh_up:crowding")))
    for n, planting in enumerate(made):
        WeighIn.objects.create(
            household=garden.household,
            planting=planting,
            weighed_on=date(2027, 7, 6),
            grade="table",
            mass_mg=(700 + 100 * n) * 1000,
            count=9,
        )
        Planting.objects.filter(pk=planting.pk).update(finished_on=date(2027, 7, 6))
    shown = page(client, **asked)
    assert "still blinded" not in shown
    assert "blocks of block." in shown
    assert "All are in." in html_of(client.get(reverse("weigh_up:trials")))


def test_a_hidden_trial_can_be_shown_early_and_its_layout_stays_once_planted(garden, client):
    Trial.objects.filter(pk=garden.trial.pk).update(is_blinded=True)
    client.post(
        reverse("weigh_up:trial_plant", args=[garden.trial.pk]),
        {"units": 9, "unit_kind": "set", "when": "today"},
    )
    refused = html_of(
        client.post(reverse("weigh_up:trial_draw", args=[garden.trial.pk]), follow=True)
    )
    assert "its layout stays as it is" in refused
    assert "is still blinded" in page(client, compare="method:mulch", season=2027)
    client.post(reverse("weigh_up:trial_show", args=[garden.trial.pk]))
    assert "is still blinded" not in page(client, compare="method:mulch", season=2027)


def test_scores_by_several_people_and_for_a_use_enter_the_ranking(garden, client):
    two = garden.varieties[1]
    address = reverse("weigh_up:scores", args=[two.pk])
    flavour = f"c{garden.criterion.pk}"
    assert "at least one score" in html_of(client.post(address, {"season": 2026}))
    for value, use in ((5, ""), (2, "soup"), (1, "soup")):
        client.post(address, {"season": 2026, flavour: value, "use": use, "judge": "Nib"})
    assert Score.objects.of(garden.household).filter(variety=two).count() == 3
    only = {"Ours flavour": 1.0}
    assert [
        row.variety.name for row in ranking(garden.household, garden.crop, only, "bake").rows
    ] == [
        "Ours Two",
        "Ours One",
    ]
    for_soup = ranking(garden.household, garden.crop, only, "soup").rows
    assert [row.variety.name for row in for_soup] == ["Ours One", "Ours Two"]
    assert for_soup[1].placed.total == pytest.approx((1.5 - 1) / 4)
    weighed = ranking(garden.household, garden.crop, {"yield": 1.0}).rows
    # They lie closer than their doubt is wide, so the one ahead has not all the points, nor the
    # other none.
    assert [row.variety.name for row in weighed] == ["Ours Two", "Ours One"]
    assert 0.5 < weighed[0].placed.total == pytest.approx(1 - weighed[1].placed.total)
    assert weighed[0].placed.total < 0.7
    assert "in 100" in html_of(
        client.get(reverse("weigh_up:ranking"), {"crop": garden.crop.pk, "w0": "3"})
    )


def test_dropping_after_one_season_asks_first(garden, client):
    address = reverse("weigh_up:verdict", args=[garden.varieties[0].pk])
    drop = {"season": 2026, "kind": "not again", "reason": "mildew"}
    refused = client.post(address, drop)
    assert "Only one season is on record for it" in html_of(refused)
    client.post(address, {**drop, "sure": "on"})
    standing = Verdict.objects.of(garden.household).get(variety=garden.varieties[0], season=2026)
    assert standing.kind == "not again"
    grown(garden, garden.crates[0], garden.varieties[1], None, 500, 2025)
    assert (
        client.post(reverse("weigh_up:verdict", args=[garden.varieties[1].pk]), drop).status_code
        == 302
    )


def test_crowding_draws_less_each_and_more_together(garden, client):
    for n, spacing in enumerate((0.3, 0.3, 0.2, 0.2, 0.12, 0.12, 0.08, 0.08)):
        d = 1 / spacing**2
        planting = grown(
            garden,
            garden.crates[n % 4],
            garden.varieties[0],
            None,
            round(9000 / (2 + 0.2 * d)),
            2025,
            in_row_m=spacing,
            row_gap_m=spacing,
        )
        assert planting.units == 9
    shown = " ".join(
        client.get(reverse("weigh_up:crowding"), {"crop": garden.crop.pk}).content.decode().split()
    )
    assert "More plants stop paying at about" in shown
    assert (
        "plants per square metre were not written down" in shown
    )  # those without a row gap, left out and said
    assert shown.count('role="img"') == 2


def test_sharing_a_bed_is_a_land_equivalent_ratio(garden, client):
    beds = [
        Place.objects.create(
            household=garden.household,
            site=garden.site,
            kind="bed",
            name="Strip",
            number=n,
            length_m=2,
            width_m=1,
        )
        for n in range(6)
    ]
    pea = Crop.objects.create(household=garden.household, name="pea")
    for n, bed in enumerate(beds):
        for crop, grams in ((garden.crop, 800), (pea, 600)):
            if n < 2 or (crop == pea) == (n < 4):
                together = n < 2
                grown(garden, bed, None, None, round(grams * (0.8 if together else 1.0)), crop=crop)
    bed = next(bed for bed in shared_beds(garden.household) if bed.label == "pea and shallot")
    found = sharing_pays(garden.household, bed).found
    assert found.total == pytest.approx(1.6)
    assert (found.shares[0].together, found.shares[0].alone) == (2, 2)
    assert "1.60 times the ground" in html_of(
        client.get(reverse("weigh_up:sharing"), {"bed": bed.key})
    )


def test_onlookers_see_answers_and_may_not_keep_or_score(garden):
    client = signed_in(member(garden.household, "onlooker", Role.ONLOOKER))
    shown = page(client, compare="method:setting")
    assert "Save this question" not in shown
    assert client.get(reverse("weigh_up:scores", args=[garden.varieties[0].pk])).status_code == 403
    assert client.get(reverse("weigh_up:trial", args=[garden.trial.pk])).status_code == 200


def test_a_variety_that_nobody_named_yet_does_not_break_the_ranking(garden, client):
    Variety.objects.create(household=garden.household, crop=garden.crop, name="Never sown")
    shown = html_of(client.get(reverse("weigh_up:ranking"), {"crop": garden.crop.pk}))
    assert "neither measured nor judged" in shown


def test_a_trial_of_two_things_in_the_parts_of_beds(garden, client):
    """Eight parts of two beds, two things: blocks run along the bed, and the page asks of both."""
    beds = [
        Place.objects.create(
            household=garden.household,
            site=garden.site,
            kind="bed",
            name="Long",
            number=n,
            length_m=8,
            width_m=1,
            x_m=0,
            y_m=6 + 2 * n,
        )
        for n in (1, 2)
    ]
    spots = []
    for bed in beds:
        for n in range(4):
            part = Part.objects.create(
                household=garden.household,
                place=bed,
                name=f"q{n + 1}",
                start=n / 4,
                end=(n + 1) / 4,
            )
            spots.append(f"part-{part.pk}")
    asked = {**TRIAL, "second": "mulch", "second_text": "straw, none", "is_blinded": ""}
    assert client.post(reverse("weigh_up:new_trial"), {**asked, "spots": spots}).status_code == 302
    trial = Trial.objects.get(name=TRIAL["name"])
    units = list(TrialUnit.objects.of(garden.household).filter(trial=trial).select_related("place"))
    for block in (1, 2):
        inside = [unit for unit in units if unit.block == block]
        assert len({unit.treatment for unit in inside}) == 4
        assert len({unit.place for unit in inside}) == 1  # a block of neighbours lies in one bed
    client.post(
        reverse("weigh_up:trial_plant", args=[trial.pk]),
        {"units": 5, "unit_kind": "set", "when": "May 2027"},
    )
    made = Planting.objects.of(garden.household).filter(season=2027)
    assert {planting.planted_precision for planting in made} == {"month"}
    assert all(planting.part is not None for planting in made)
    link = re.search(
        r'href="(/weigh-up/\?[^"]+)">What it says',
        html_of(client.get(f"/weigh-up/trials/{trial.pk}")),
    )
    assert "also=method%3Amulch" in link[1]


def test_questions_reach_over_crops_and_keep_to_sites(garden, client):
    leek = Crop.objects.create(household=garden.household, name="leek")
    away = Site.objects.create(household=garden.household, name="Away")
    far = Place.objects.create(
        household=garden.household, site=away, kind="pot", name="Far", volume_l=30
    )
    grown(garden, garden.bed, None, "autumn", 2000, crop=leek)
    grown(garden, far, None, "spring", 1000, crop=leek)
    everything = page(client, compare="method:setting", within="crop", crop=[])
    assert "It holds in both crops" in everything
    here = client.get(
        "/weigh-up/", {"compare": "crop", "by": "kg_per_plant", "site": garden.site.ref}
    )
    assert "Far" not in here.content.decode().split('id="answer"')[1]


def test_the_command_takes_grades_a_second_thing_and_how_far(garden, capsys):
    call_command(
        "weigh_up",
        household="Ours",
        crop=["shallot"],
        compare="method:setting",
        by="kg_per_plant",
        also="variety",
        grade=["table"],
        upto="date",
        json=True,
    )
    values = json.loads(capsys.readouterr().out)
    assert (values["second_factor"], values["grades"], values["cut_off"]) == (
        "variety",
        ["table"],
        "date",
    )
    assert values["interaction"]["names"] == ["setting", "variety"]
    call_command("weigh_up", household="Ours", compare="method:setting", by="kg_per_plant")
    assert "‘autumn’ looks better" in capsys.readouterr().out
