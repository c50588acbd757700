"""What is asked first, what a question that cannot be asked shows, and what else differed."""

from __future__ import annotations

from datetime import date

import pytest
from django.urls import reverse
from django.utils import timezone

from kilter.ground.models import Place
from kilter.records.facts import facts
from kilter.set_out.models import Cost, MethodTag, Planting, SeedLot, Variety
from kilter.tending.models import Happening
from kilter.weigh_in.models import WeighIn
from kilter.weigh_up.answer.ask import ask
from kilter.weigh_up.answer.fairness import follows_of, happened_to
from kilter.weigh_up.models import Verdict
from kilter.weigh_up.question.first import first_question
from kilter.weigh_up.question.question import Question, attributes_of
from kilter.weigh_up.varieties.queries import _had_no_chance, ranking
from tests.conftest import html_of, plant


def answer(garden, **more):
    question = Question(crops=(garden.crop,), compare="method:setting", by="kg_per_plant").but(
        **more
    )
    return ask(garden.household, question, attributes_of(garden.household))


def unfair(garden, **more):
    return {one.attribute: one for one in answer(garden, **more).fairness.unfair}


@pytest.fixture
def one_variety(garden):
    """Four crates of one variety, counted and not weighed, from two seed lots."""
    MethodTag.objects.all().delete()
    lots = [
        SeedLot.objects.create(household=garden.household, crop=garden.crop, name=n)
        for n in ("swap", "shop")
    ]
    for i, planting in enumerate(garden.plantings):
        Planting.objects.filter(pk=planting.pk).update(variety=garden.varieties[0], lot=lots[i % 2])
    WeighIn.objects.update(mass_mg=None, count=9)
    return garden


def test_one_variety_is_compared_by_what_its_pots_differ_in_and_by_number_where_nothing_was_weighed(
    client, one_variety
):
    first = first_question(one_variety.household)
    assert (first.compare, first.by) == ("lot", "count_per_plant")
    page = html_of(client.get(reverse("weigh_up:index")))
    assert "‘shop’" in page
    assert "‘swap’" in page


def test_nothing_finished_still_shows_the_sentence_with_its_gaps(client, garden):
    Planting.objects.update(finished_on=None)
    page = html_of(client.get(reverse("weigh_up:index")))
    assert 'id="ask-compare"' in page
    Planting.objects.update(struck_at=timezone.now())
    assert 'href="/set-out/new"' in html_of(client.get(reverse("weigh_up:index")))


def test_a_question_that_cannot_be_asked_keeps_its_sentence_and_opens_the_gap_to_untick(
    client, garden
):
    asked = {
        "compare": "variety",
        "within": "variety",
        "by": "kg_per_plant",
        "crop": garden.crop.name,
    }
    response = client.get(reverse("weigh_up:index"), asked)
    page = html_of(response)
    assert response.status_code == 422
    assert "You cannot compare a thing and also keep to one of it" in page
    box = page[page.index('id="gap-within"') :]
    assert " open>" in box[:80]
    assert 'id="ask-within-variety" value="variety" checked' in box


def test_money_can_be_asked_for_as_soon_as_a_cost_is_noted(client, garden):
    def offered():
        page = html_of(
            client.get(reverse("weigh_up:index"), {"compare": "variety", "by": "kg_per_plant"})
        )
        option = page[page.index('<option value="kg_per_money"') :]
        return "disabled" not in option[:60]

    Cost.objects.all().delete()
    SeedLot.objects.update(price_minor=None)
    assert not offered()
    for planting in garden.plantings:
        Cost.objects.create(
            household=garden.household, planting=planting, what="sets", price_minor=150
        )
    assert offered()


def test_density_a_loss_shade_and_a_verdict_of_no_fair_chance_are_told(garden):
    autumn, spring = garden.plantings[:2], garden.plantings[2:]
    Place.objects.update(length_m=1, width_m=1)
    Verdict.objects.all().delete()
    assert {"density", "lost", "happened:shaded", "no_chance"}.isdisjoint(unfair(garden))
    for planting in autumn:
        where = {"household": garden.household, "planting": planting, "day": date(2026, 5, 1)}
        Happening.objects.create(kind="shaded", lost_share=0.4, **where)
    Planting.objects.filter(pk__in=[p.pk for p in spring]).update(units=90)
    found = unfair(garden)
    assert {"density", "lost", "happened:shaded"} <= set(found)
    assert (found["lost"].a_value, found["lost"].b_value) == (40.0, 0.0)
    assert found["happened:shaded"].a_of == (2, 2)
    autumn[0].refresh_from_db()
    Planting.objects.filter(pk__in=[p.pk for p in autumn]).update(variety=garden.varieties[0])
    Planting.objects.filter(pk__in=[p.pk for p in spring]).update(variety=garden.varieties[1])
    kind = Verdict.Kind.ELSEWHERE
    Verdict.objects.create(
        household=garden.household, variety=garden.varieties[0], season=2026, kind=kind
    )
    assert "no_chance" in unfair(garden)


def test_what_follows_from_what_is_compared_is_told_apart_in_one_line(client, garden):
    Planting.objects.filter(pk__in=[p.pk for p in garden.plantings[:2]]).update(
        planted_on=date(2025, 10, 20)
    )
    found = answer(garden).fairness
    assert {"planting_time", "days"} <= {one.attribute for one in found.goes_with}
    assert {"planting_time", "days"}.isdisjoint({one.attribute for one in found.unfair})
    page = html_of(
        client.get(reverse("weigh_up:index"), {"compare": "method:setting", "by": "kg_per_plant"})
    )
    assert "Goes with it: " in page


def test_the_yield_of_a_season_without_a_fair_chance_is_out_of_the_ranking(garden):
    def placed():
        rows = ranking(garden.household, garden.crop, {"yield": 1.0}).rows
        return {row.variety.name for row in rows if row.placed}

    Verdict.objects.all().delete()
    assert placed() == {variety.name for variety in garden.varieties}
    kind = Verdict.Kind.ELSEWHERE
    Verdict.objects.create(
        household=garden.household, variety=garden.varieties[0], season=2026, kind=kind
    )
    assert garden.varieties[0].name not in placed()


def test_another_variety_in_another_season_is_unfair_and_does_not_only_go_with_it(garden):
    """Seasons are compared: lots follow from them, varieties do not."""
    assert "variety" not in follows_of("season")
    assert {"planting_time", "days", "last_lift"} <= follows_of("method:setting")
    assert follows_of("method:mulch") == set()


def test_of_what_stays_over_years_each_year_has_its_own_happenings_and_verdict(garden):
    """A shaded year and a verdict of 2025 say nothing of 2026."""
    kept = plant(
        garden,
        garden.bed,
        "strawberry",
        season=2025,
        planted_on=date(2025, 3, 1),
        is_perennial=True,
    )
    kind = Variety.objects.create(household=garden.household, crop=kept.crop, name="Ours One")
    Planting.objects.filter(pk=kept.pk).update(variety=kind)
    Happening.objects.create(
        household=garden.household, planting=kept, day=date(2025, 6, 1), kind="shaded"
    )
    said = {"variety": kind, "season": 2025, "kind": Verdict.Kind.ELSEWHERE}
    Verdict.objects.create(household=garden.household, **said)
    rows = facts(garden.household, Planting.objects.filter(pk=kept.pk))
    found = happened_to(garden.household, rows)
    first = f"{kept.ref}/2025"
    assert set(found["happened:shaded"][1]) == set(found["no_chance"][1]) == {first}
    assert _had_no_chance(garden.household, kept.crop) == (first,)
    assert _had_no_chance(garden.household, garden.crop) != (first,)
