"""The question and its answer: page, fragment, words and pictures,
from the same core as the command.
"""

from __future__ import annotations

import io
import json
import re
from datetime import date
from itertools import pairwise

import pytest
from django.core.management import CommandError, call_command
from django.urls import reverse

from kilter.core.compare import Unit, compare
from kilter.core.compare.kinds import YIELD
from kilter.drawing.balance import balance
from kilter.drawing.scales import log_axis
from kilter.drawing.steelyard import steelyard
from kilter.ground.models import Place
from kilter.set_out.models import Planting
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.answer.gap_words import more_than
from kilter.weigh_up.answer.wording import percent, sentence
from kilter.weigh_up.question.first import first_question
from kilter.weigh_up.question.question import Question, attributes_of
from tests.conftest import html_of


def answered(garden, asked):
    return ask(garden.household, asked, attributes_of(garden.household))


def question(garden, compare_by="method:setting", **more):
    return Question(
        crops=(garden.crop,), compare=compare_by, by=more.pop("by", "kg_per_plant"), **more
    )


def test_the_answer_is_that_of_the_core(garden):
    answer = answered(garden, question(garden))
    rows = [(0.9, "autumn"), (1.0, "autumn"), (0.6, "spring"), (0.7, "spring")]
    by_hand = compare(
        [
            Unit(ref=str(i), amount=y, exposure=9, level=level, plants=9)
            for i, (y, level) in enumerate(rows)
        ]
    )
    assert answer.comparison.pairs == by_hand.pairs
    assert answer.comparison.levels[0].mean == pytest.approx(1.9 / 18)


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"finished_on": None}, "not finished"),
        ({"units": None}, "number of plants"),
        ({"variety": None}, "variety was not recorded"),
    ],
)
def test_what_cannot_be_used_is_left_out_with_its_reason(garden, client, change, reason):
    Planting.objects.filter(pk=garden.plantings[0].pk).update(**change)
    asked = {
        "compare": "method:setting",
        "by": "kg_per_plant",
        "crop": garden.crop.name,
        "within": "variety",
    }
    page = html_of(client.get(reverse("weigh_up:index"), asked))
    assert "1 planting left out" in page
    assert reason in page


def test_untagged_is_not_no(garden):
    garden.plantings[0].methods.all().delete()
    answer = answered(garden, question(garden))
    assert [out.reason for out in answer.left_out] == ["its setting was not recorded"]


def test_struck_lines_and_plantings_do_not_count(garden):
    garden.lines[0].struck_at = "2026-08-05T00:00Z"
    garden.lines[0].save()
    answer = answered(garden, question(garden))
    assert answer.comparison.levels[0].mean == pytest.approx(1.3 / 18)
    Planting.objects.filter(pk=garden.plantings[0].pk).update(struck_at="2026-08-05T00:00Z")
    assert len(answered(garden, question(garden)).comparison.units) == 3


def test_two_things_that_cannot_be_told_apart_are_named_and_offered_unfair(garden, client):
    for planting in garden.plantings[:2]:
        planting.season = 2025
        planting.save()
    asked = {
        "compare": "method:setting",
        "by": "kg_per_plant",
        "crop": garden.crop.name,
        "within": "season",
    }
    page = html_of(client.get(reverse("weigh_up:index"), asked))
    assert "‘autumn’ and ‘spring’ never grew in the same season" in page
    assert "marked as not fair" in page
    link = re.search(r'href="(\?[^"]+)">Ask it without', page)[1].replace("&amp;", "&")
    unfair = html_of(client.get(reverse("weigh_up:index") + link))
    assert "Not a fair comparison" in unfair
    assert "never grew in the same season, which" in unfair
    assert "Not a fair comparison" not in html_of(client.get(reverse("weigh_up:index")))


def test_page_and_fragment_hold_the_same_answer(garden, client):
    asked = {
        "compare": "method:setting",
        "by": "kg_per_plant",
        "crop": garden.crop.name,
        "within": "variety",
    }
    page = html_of(client.get(reverse("weigh_up:index"), asked))
    part = html_of(client.get(reverse("weigh_up:index"), asked, headers={"HX-Request": "true"}))
    assert "<html" in page
    assert "<html" not in part
    for text in (
        "‘autumn’ looks better than ‘spring’",
        "The table behind it",
        "Where they stood",
        '<title id="balance-wide">',
    ):
        assert text in page
        assert text in part
    assert f'href="{reverse("atlas:planting", args=[garden.plantings[0].pk])}"' in part


def test_what_is_compared_cannot_be_held_alike(garden, client):
    asked = {
        "compare": "variety",
        "by": "kg_per_plant",
        "crop": garden.crop.name,
        "within": "variety",
    }
    response = client.get(reverse("weigh_up:index"), asked)
    assert response.status_code == 422
    assert "untick" in html_of(response)


@pytest.mark.parametrize(
    ("bad", "says"),
    [
        ({"compare": "colour"}, "“colour” is not recorded here."),
        ({"by": "price"}, "“price” is no measure."),
        ({"crop": "x"}, "There is no crop “x” here."),
        ({"season": "soon"}, "Nothing grew here in soon."),
    ],
)
def test_a_bent_address_gets_a_sentence(garden, client, bad, says):
    asked = {"compare": "variety", "by": "kg_per_plant", "crop": garden.crop.name, **bad}
    response = client.get(reverse("weigh_up:index"), asked)
    assert response.status_code == 422
    assert says in html_of(response)


def test_the_first_question_is_one_that_can_be_answered(garden):
    first = first_question(garden.household)
    assert (first.compare, first.within, first.seasons) == ("method:setting", ("variety",), (2026,))
    assert answered(garden, first).comparison is not None


def test_shared_places_are_told_from_alternating_ones(garden):
    first, second = garden.plantings[:2]
    second.place, second.planted_on, second.finished_on = (
        first.place,
        date(2026, 8, 10),
        date(2026, 11, 1),
    )
    second.save()
    assert len(answered(garden, question(garden, by="kg_per_l")).comparison.units) == 4
    second.planted_on = date(2026, 7, 1)
    second.save()
    reasons = {out.reason for out in answered(garden, question(garden, by="kg_per_l")).left_out}
    assert reasons == {"shares its container with others, and no share was stated"}


@pytest.mark.parametrize(
    ("ratio", "words"),
    [
        (1.0, "about as much as"),
        (1.234, "about 23\u00a0% more than"),
        (2.41, "about 2.4 times as much as"),
    ],
)
def test_ratios_in_words(ratio, words):
    assert more_than(ratio, YIELD) == words


def test_a_chance_is_never_a_certainty():
    assert percent(0.9999) == "over 99\u00a0%"


def test_sentences_for_many_levels_and_for_zeros():
    rows = [("a", 3.0), ("a", 3.2), ("b", 1.0), ("b", 1.1), ("c", 0.9), ("c", 1.0), ("d", 0.0)]
    said = sentence(
        compare(
            [
                Unit(ref=str(i), amount=y, exposure=1, level=level, plants=9)
                for i, (level, y) in enumerate(rows)
            ]
        )
    )
    assert said.answer.startswith("‘a’ did best")
    assert "‘d’: 0 of 1 gave anything" in said.doubt
    only = sentence(
        compare(
            [
                Unit(ref="1", amount=1, exposure=1, level="a"),
                Unit(ref="2", amount=0, exposure=1, level="b"),
            ]
        )
    )
    assert only.answer == "Only ‘a’ gave anything."


def test_less_and_more_are_said_from_the_right_side():
    rows = [("a", 1.0), ("a", 1.05), ("a", 0.97), ("b", 0.95), ("b", 0.9), ("b", 0.99)]
    compared = compare(
        [Unit(ref=str(i), amount=y, exposure=1, level=level) for i, (level, y) in enumerate(rows)]
    )
    pair, said = compared.pairs[0], sentence(compared)
    assert pair.high < 3
    assert f"{(1 - pair.low) * 100:.0f}\u00a0% less" in said.doubt


@pytest.mark.parametrize(("a", "b"), [(16.0, 1.0), (1.9, 1.5)])
def test_an_answer_and_its_interval_are_both_in_times_or_both_in_per_cent(a, b):
    rows = [("a", a), ("b", b)]
    compared = compare(
        [Unit(ref=str(i), amount=y, exposure=1, level=level) for i, (level, y) in enumerate(rows)]
    )
    said = sentence(compared)
    assert compared.pairs[0].high >= 3
    assert "times as much" in said.doubt
    assert "%" not in said.answer
    assert said.doubt.count("%") == 1  # the chance


def run(*args):
    out = io.StringIO()
    call_command("weigh_up", *args, stdout=out)
    return out.getvalue()


def test_the_command_prints_the_same_as_json(garden):
    base = (
        "--household",
        "Ours",
        "--crop",
        "Shallot",
        "--compare",
        "method:setting",
        "--by",
        "kg_per_plant",
    )
    values = json.loads(run(*base, "--within", "variety", "--prior-weight", "0", "--json"))
    assert [level["level"] for level in values["levels"]] == ["autumn", "spring"]
    assert set(values) >= {
        "levels",
        "pairs",
        "phi",
        "df",
        "prior",
        "blocks",
        "agree",
        "verdict",
        "left_out",
    }
    assert values["prior"] == {
        "source": "rule",
        "weight": 0.0,
        "kappa": 1.0,
        "units": 0,
        "voices": [{"weight": 1.0, "df": 0.0, "kappa": 1.0}],
    }
    assert values["df"] == 1
    assert values["agree"] == 2
    assert "autumn" in run(*base)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"--household": "Nowhere"}, "no household named"),
        ({"--crop": "quince"}, "no crop “quince” here"),
        ({"--compare": "method:moon"}, "not recorded here"),
        ({"--within": "method:setting"}, "untick"),
        ({"--prior-weight": "-1"}, "zero or more"),
        ({"--season": "1999"}, "Nothing grew here in 1999"),
        ({"--season": "soon"}, "Nothing grew"),
        ({"--by": "stone"}, "no measure"),
        ({"--site": "nowhere"}, "no site"),
        ({"--upto": "noon"}, "cannot be chosen"),
    ],
)
def test_the_command_refuses_with_a_sentence(garden, change, says):
    given = {
        "--household": "Ours",
        "--crop": "shallot",
        "--compare": "method:setting",
        "--by": "kg_per_plant",
        **change,
    }
    with pytest.raises(CommandError, match=says):
        run(*(part for pair in given.items() for part in pair))


def test_the_balance_leans_to_the_better_side_and_its_pointer_with_it():
    drawn = balance(1.3, 1.1, 1.5, 12, 9)
    left, right = drawn.pans
    assert left.hook_y > right.hook_y
    assert drawn.pointer_x < drawn.pivot_x
    assert (len(left.weights), len(right.weights)) == (12, 9)
    level = balance(1.0, 0.8, 1.25, 1, 1)
    assert level.pans[0].hook_y == level.pans[1].hook_y


@pytest.mark.parametrize("units", [1, 7, 40, 200])
def test_weights_stay_on_their_pan(units):
    pan = balance(1.1, 0.9, 1.3, units, units).pans[0]
    assert len(pan.weights) == pan.weights_path.count("M") == units
    assert all(
        abs(w.x - pan.x) + w.size <= pan.half and pan.hook_y < w.y < pan.y for w in pan.weights
    )


def test_the_steelyard_brackets_what_cannot_be_told_apart():
    levels = [("a", "", 3.0, 2.0, 4.0), ("b", "", 2.5, 1.9, 3.5), ("c", "", 1.0, 0.8, 1.3)]
    drawn = steelyard(levels, [(0, 2), (1, 2)])
    assert [h.x for h in drawn.hung] == sorted((h.x for h in drawn.hung), reverse=True)
    assert len(drawn.brackets) == 1
    assert drawn.brackets[0].y2 < drawn.hung[2].y
    assert all(0 <= h.low_x < h.x < h.high_x <= drawn.width for h in drawn.hung)


@pytest.mark.parametrize("values", [[0.71, 0.98], [0.01, 900.0], [1.0, 1.02], [3.0, 3.0]])
def test_axis_labels_keep_their_distance(values):
    ticks = log_axis(values, 0, 380).ticks()
    at = [tick.at for tick in ticks]
    assert all(b - a >= 39.9 for a, b in pairwise(at))
    assert ticks or values == [3.0, 3.0]


def test_what_would_settle_it_stands_under_the_answer_and_in_the_json(client, garden, capsys):
    page = html_of(
        client.get(f"/weigh-up/?compare=method:setting&by=kg_per_plant&crop={garden.crop.name}")
    )
    assert "What would settle it" in page
    assert "There are 2 and 2 now." in page
    call_command(
        "weigh_up",
        household="Ours",
        crop=["shallot"],
        compare="method:setting",
        by="kg_per_plant",
        json=True,
    )
    values = json.loads(capsys.readouterr().out)
    assert [round(one["size"], 2) for one in values["settle"][1:]] == [1.1, 1.2, 1.5]
    units = [one["units_of_each"] for one in values["settle"][1:]]
    assert units == sorted(units, reverse=True)


def test_what_else_differed_is_said_worst_first_and_a_fair_comparison_says_so(
    client, garden, capsys
):
    address = f"/weigh-up/?compare=method:setting&by=kg_per_plant&crop={garden.crop.name}"
    assert "<b>End or middle along it</b>: “middle” for 1 of 2" in html_of(client.get(address))
    Place.objects.filter(pk__in=[crate.pk for crate in garden.crates]).update(x_m=None)
    assert "it is a fair comparison" in html_of(client.get(address))
    for planting in garden.plantings[:2]:
        place = planting.place
        place.light, place.volume_l, place.x_m = "shade", 90, None
        place.save()
    page = " ".join(client.get(address).content.decode().split())
    assert "“shade” for 2 of 2 of ‘autumn’, not written down for 2 of 2 of ‘spring’" in page
    assert "90 in the middle for ‘autumn’, 45 in the middle for ‘spring’" in page
    held = " ".join(client.get(f"{address}&within=variety").content.decode().split())
    assert "seed lot" not in held.lower().split("how fair it is")[1]
    call_command(
        "weigh_up",
        household="Ours",
        crop=["shallot"],
        compare="method:setting",
        by="kg_per_plant",
        json=True,
    )
    values = json.loads(capsys.readouterr().out)
    assert {one["attribute"] for one in values["fairness"]} == {"light", "volume_l"}
