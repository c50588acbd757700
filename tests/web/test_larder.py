"""The larder: putting by, using, looking through, and a line that is put right later,
against hand arithmetic.
"""

from __future__ import annotations

import json
from datetime import date, datetime, timedelta
from io import StringIO

import pytest
from django.core.exceptions import ValidationError
from django.core.management import call_command
from django.urls import reverse
from django.utils import timezone

from kilter.larder.actions import put_by
from kilter.larder.ledger import larder
from kilter.larder.models import Crate, PutBy, Store, Supply, Using
from kilter.larder.shelves import whole_larder
from kilter.larder.views import _lot
from kilter.larder.waiting import waiting
from kilter.people.history import Actor
from kilter.people.history import undo as undo_change
from kilter.people.models import Change, Household, Role
from kilter.set_out.models import SeedLot
from kilter.weigh_in.models import new_client_id
from tests.conftest import html_of, member, plant, signed_in
from tests.web.routes import fill_larder


@pytest.fixture(autouse=True)
def _august(settings):
    settings.KILTER_TODAY = "2026-08-10"


def key_of(garden, variety: int, grade: str = "table") -> str:
    return f"{garden.crop.pk}-{garden.varieties[variety].pk}-2026-{grade}"


def put_all(client, garden, word: str = "kind:cellar:fresh"):
    said = {f"to-{key_of(garden, variety)}": word for variety in (0, 1)}
    return client.post(reverse("larder:put_by"), said, follow=True)


def use(client, crate, **said):
    return client.post(
        reverse("larder:use"), {"crate": crate.pk, "use": "eaten", **said}, follow=True
    )


def send(client, *events):
    body = json.dumps({"events": list(events)})
    return client.post(reverse("larder:events"), body, content_type="application/json").json()


def made(crate, **more):
    return {
        "client_id": new_client_id(),
        "crate": crate.pk,
        "use": "eaten",
        "typed": "half",
        **more,
    }


def where(garden, season: int = 2026):
    return larder(garden.household, {season}).of[garden.crop.pk, season]


def lying(garden) -> list[int]:
    return [one.lying_mg for one in larder(garden.household, {2026}).crates.values()]


def test_shallots_are_offered_to_be_cured_and_two_taps_put_them_by(client, garden):
    page = html_of(client.get(reverse("larder:put_by")))
    assert 'value="kind:airy shelf:curing" selected' in page
    answer = put_all(client, garden, "kind:airy shelf:curing")
    assert "Put by: shallot 1.500 kg; shallot 1.700 kg." in html_of(answer)
    crates = list(Crate.objects.of(garden.household).order_by("pk"))
    assert [(one.state, one.cure_until, one.store.name) for one in crates] == [
        ("curing", date(2026, 9, 7), "Airy shelf")
    ] * 2
    found = where(garden)
    assert (found.lifted_mg, found.in_store_mg, found.not_accounted_mg) == (3_200_000, 3_200_000, 0)
    shown = html_of(client.get(reverse("larder:index")))
    assert "3.20 kg put by" in shown
    assert "curing until 7 September" in shown


def test_next_time_it_is_offered_where_it_went_last(client, garden):
    put_all(client, garden, "kind:fridge:fresh")
    later = plant(
        garden, garden.bed, "shallot", variety=garden.varieties[0], planted_on=date(2026, 3, 1)
    )
    later.weigh_ins.create(
        household=garden.household, weighed_on=date(2026, 8, 9), grade="table", mass_mg=500_000
    )
    fridge = Store.objects.of(garden.household).get()
    assert f'value="store:{fridge.pk}:fresh" selected' in html_of(
        client.get(reverse("larder:put_by"))
    )
    put = {f"to-{key_of(garden, 0)}": f"store:{fridge.pk}:fresh"}
    client.post(reverse("larder:put_by"), put)
    assert Crate.objects.of(garden.household).count() == 2  # it joins the crate of days ago


def test_part_of_it_and_the_rest_elsewhere(client, garden):
    key = key_of(garden, 0)
    client.post(
        reverse("larder:put_by"), {f"to-{key}": "kind:cellar:fresh", f"much-{key}": "500 g"}
    )
    client.post(reverse("larder:put_by"), {f"to-{key}": "use:given"})
    found = where(garden)
    assert (found.in_store_mg, found.used_mg["given"], found.not_accounted_mg) == (
        500_000,
        1_000_000,
        1_700_000,
    )
    refused = client.post(
        reverse("larder:put_by"),
        {f"to-{key_of(garden, 1)}": "use:fed", f"much-{key_of(garden, 1)}": "9 kg"},
    )
    assert refused.status_code == 422
    assert "only 1.700 kg waits" in html_of(refused)


def test_a_line_put_right_later_moves_through_and_a_struck_one_blocks_nothing(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, typed="1.2 kg")
    first, third = garden.lines[0], garden.lines[2]
    first.mass_mg = 700_000
    first.save()
    assert lying(garden)[0] == 100_000
    third.struck_at = "2026-08-09T10:00Z"
    third.save()
    found = where(garden)
    assert found.not_accounted_mg == -500_000
    assert (
        found.lifted_mg == sum(found.used_mg.values()) + found.in_store_mg + found.not_accounted_mg
    )
    assert "more was taken than there was" in html_of(client.get(reverse("larder:index")))
    assert client.get(reverse("larder:crate", args=[crate.pk])).status_code == 200


def test_a_planting_that_turns_out_another_crop_breaks_no_page(client, garden):
    put_all(client, garden)
    leek = plant(garden, garden.bed, "leek").crop
    garden.plantings[0].crop = leek
    garden.plantings[0].variety = None
    garden.plantings[0].save()
    for name in ("index", "account", "weeks", "put_by"):
        assert client.get(reverse(f"larder:{name}")).status_code == 200
    assert larder(garden.household, {2026}).of[leek.pk, 2026].in_store_mg == 900_000


def test_what_is_eaten_by_weight_half_and_the_rest(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, typed="300 g")
    use(client, crate, typed="half", use="given")
    use(client, crate, typed="some", use="fed")
    use(client, crate, typed="the rest", use="composted")
    crate.refresh_from_db()
    assert [one.mass_mg for one in Using.objects.of(garden.household).order_by("pk")] == [
        300_000,
        600_000,
        150_000,
        450_000,
    ]
    assert Using.objects.of(garden.household).get(use="fed").pm_mg == 75_000
    assert crate.emptied_on == date(2026, 8, 10)


def test_a_count_takes_the_same_share_of_the_mass(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, typed="c6")
    # 1500 g over 36 pieces: a sixth.
    using = Using.objects.of(garden.household).get()
    assert (using.mass_mg, using.count) == (None, 6)
    found = larder(garden.household, {2026})
    assert found.crates[crate.pk].left == 1_250_000
    assert found.crates[crate.pk].pieces == 30


def test_more_than_lies_there_is_asked_about_and_kept_where_it_is_sure(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    asked = client.post(reverse("larder:use"), {"crate": crate.pk, "use": "eaten", "typed": "2 kg"})
    assert asked.status_code == 422
    assert "Only 1.500 kg lies there now" in html_of(asked)
    assert 'name="is_sure"' in html_of(asked)
    assert 'value="2 kg"' in html_of(asked)
    use(client, crate, typed="2 kg", is_sure="on")
    assert lying(garden)[0] == -500_000


@pytest.mark.parametrize("typed", ["", "plenty", "c6000000", "0"])
def test_what_is_no_amount_is_said_beside_it_and_stays_typed(client, garden, typed):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    answer = client.post(reverse("larder:use"), {"crate": crate.pk, "use": "eaten", "typed": typed})
    assert answer.status_code == 422
    assert 'class="problem"' in answer.content.decode()
    assert not Using.objects.of(garden.household).exists()


@pytest.mark.parametrize(
    ("name", "wrong"), [("when", "the third of Nevember"), ("to", "999999"), ("note", "n" * 300)]
)
def test_what_is_wrong_beside_the_amount_loses_nothing_either(client, garden, name, wrong):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    typed = {
        "typed": "125 g",
        "when": "yesterday",
        "note": "for soup",
        "to": crate.store_id,
        name: wrong,
    }
    answer = client.post(reverse("larder:use"), {"crate": crate.pk, "use": "eaten", **typed})
    page = html_of(answer)
    assert (answer.status_code, page.count('class="problem"')) == (422, 1)
    kept = [f'value="{typed[one]}"' for one in ("typed", "when", "note")]
    kept += [f'value="{crate.store_id}" selected'] if name != "to" else []
    assert all(one in page for one in kept)


def test_a_day_still_to_come_is_refused_and_what_was_said_stays(client, garden):
    key = key_of(garden, 0)
    said = {f"to-{key}": "kind:cellar:fresh", f"much-{key}": "100 g", "when": "11 August 2026"}
    answer = client.post(reverse("larder:put_by"), said)
    assert answer.status_code == 422
    assert "11 August 2026 is still to come." in html_of(answer)
    assert 'value="100 g"' in html_of(answer)
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    looked = client.post(
        reverse("larder:look", args=[crate.store_id]),
        {f"bad-{crate.pk}": "1 g", "when": "tomorrow"},
    )
    assert "is still to come." in html_of(looked)


def test_what_two_people_put_by_at_once_is_put_by_once(client, garden):
    found = larder(garden.household, {2026})
    lots = [
        _lot(
            one,
            {f"to-{one.key}": "kind:cellar:fresh"}
            | {f"{n}-{one.key}": None for n in ("much", "jars", "added", "when")}
            | {"when": None},
            "",
            date(2026, 8, 10),
        )
        for one in waiting(found)
    ]
    actor = Actor(garden.household, garden.owner)
    put_by(actor, lots)
    with pytest.raises(ValidationError, match="Somebody put shallot by a moment ago"):
        put_by(actor, lots)
    assert sorted(lying(garden)) == [1_500_000, 1_700_000]


def test_a_device_whose_clock_is_off_is_asked_about(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    one = made(crate, at="2026-08-01T12:00:00+01:00")
    body = {
        "events": [one],
        "now": (timezone.now() - timedelta(days=9)).isoformat(),
    }  # nine days behind

    def sent():
        return client.post(
            reverse("larder:events"), json.dumps(body), content_type="application/json"
        ).json()

    refused = sent()["refused"][0]
    meant = datetime.fromisoformat("2026-08-10T12:00:00+01:00")
    assert abs(datetime.fromisoformat(refused["meant"]) - meant) < timedelta(minutes=1)
    body["events"] = [one | {"is_clock_sure": True}]
    assert sent()["stored"] == [one["client_id"]]
    assert Using.objects.of(garden.household).get().day == date(2026, 8, 1)


def test_in_pounds_and_ounces_all_of_it_is(client, garden):
    Household.objects.filter(pk=garden.household.pk).update(is_imperial=True)
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, typed="200 g")
    page = html_of(client.get(reverse("larder:index")))
    # 200 g are 7.05 oz; 3 kg are 6.61 lb.
    assert 'data-usual="7 oz"' in page
    assert "6.61 lb" in page
    assert " kg" not in page[page.index("<main") : page.index("</main")]
    asked = client.post(reverse("larder:use"), {"crate": crate.pk, "use": "eaten", "typed": "4 lb"})
    assert "Only 2 lb 13.9 oz lies there now; 4 lb 0.0 oz was said" in html_of(asked)


def test_events_are_stored_once_in_order_and_a_shortfall_is_asked_about(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    here = made(crate, mass_mg=750_000, balance_mg=1_500_000)
    there = made(crate, typed="the rest", mass_mg=1_500_000, balance_mg=1_500_000)
    first = send(client, here, there)
    assert first["stored"] == [here["client_id"]]
    assert first["refused"][0]["is_unusual"]
    assert "Only 750 g lies there now" in first["refused"][0]["reason"]
    again = send(client, here, there | {"is_sure": True})
    assert again == {"stored": [here["client_id"], there["client_id"]], "refused": []}
    assert send(client, here, there)["stored"] == [here["client_id"], there["client_id"]]
    assert Using.objects.of(garden.household).count() == 2
    assert lying(garden)[0] == 0  # it was said to be empty
    strike = {"client_id": new_client_id(), "kind": "strike", "target": there["client_id"]}
    assert send(client, strike)["stored"] == [strike["client_id"]]
    assert lying(garden)[0] == 750_000


def test_what_is_no_event_is_refused_with_a_sentence(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    for wrong in (
        {"client_id": "x"},
        made(crate, use="danced"),
        made(crate, kind="sing"),
        made(crate) | {"crate": "1"},
        made(crate) | {"crate": 9_999_999},
        made(crate, at="yesterday"),
        made(crate, typed="x" * 99),
        made(crate, at="2027-08-10T10:00:00+00:00"),
        made(crate, use="moved"),
        {**made(crate), "crate": None},
        {"client_id": new_client_id(), "kind": "strike", "target": "gone"},
    ):
        answer = send(client, wrong)
        assert answer["stored"] == []
        assert answer["refused"][0]["reason"].endswith((".", "there now", "taken."))
    assert (
        client.post(reverse("larder:events"), "[]", content_type="application/json").status_code
        == 400
    )


def test_frozen_goes_into_a_crate_of_its_own_and_back_when_struck(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, use="froze", typed="600 g")
    frozen = Crate.objects.of(garden.household).get(state="frozen")
    assert (frozen.store.kind, frozen.season, frozen.variety) == (
        "freezer",
        2026,
        garden.varieties[0],
    )
    assert where(garden).in_store_mg == 3_200_000
    moved = Using.objects.of(garden.household).get()
    use(client, frozen, typed="100 g")
    answer = client.post(reverse("larder:strike_using", args=[moved.pk]), follow=True)
    assert "strike that first" in html_of(answer)
    client.post(
        reverse(
            "larder:strike_using", args=[Using.objects.of(garden.household).get(use="eaten").pk]
        )
    )
    client.post(reverse("larder:strike_using", args=[moved.pk]))
    assert not Crate.objects.of(garden.household).filter(state="frozen").exists()
    assert sorted(lying(garden)) == [1_500_000, 1_700_000]


def test_weighed_again_is_what_dried_away(client, garden):
    put_all(client, garden, "kind:airy shelf:curing")
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, use="weighed", typed="1.32 kg")
    assert where(garden).used_mg["dried_away"] == 180_000
    client.post(reverse("larder:cured", args=[crate.pk]), {"when": "1 May 2020"})
    client.post(reverse("larder:cured", args=[crate.pk]), {"when": "1 May 2199"})
    crate.refresh_from_db()
    assert crate.state == "curing", "neither before it was put there nor ahead"
    client.post(reverse("larder:cured", args=[crate.pk]))
    crate.refresh_from_db()
    assert (crate.state, crate.cure_until) == ("cured", date(2026, 8, 10))
    asked = client.post(
        reverse("larder:use"), {"crate": crate.pk, "use": "weighed", "typed": "2 kg"}
    )
    assert "cannot have gained" in html_of(asked)


def test_seed_kept_is_a_lot_to_plant_from(client, garden):
    line = garden.lines[0]
    line.grade = "seed"
    line.save()
    page = html_of(client.get(reverse("larder:put_by")))
    assert 'value="use:kept_to_plant" selected' in page
    client.post(reverse("larder:put_by"), {f"to-{key_of(garden, 0, 'seed')}": "use:kept_to_plant"})
    lot = SeedLot.objects.of(garden.household).get(kept_from=garden.plantings[0])
    assert (lot.variety, lot.bought_mg, lot.packed_year) == (garden.varieties[0], 900_000, 2026)
    assert where(garden).used_mg["kept_to_plant"] == 900_000
    # Kept again, of the same planting: the same lot grows, and the next offer knows it.
    more = line.planting.weigh_ins.create(
        household=garden.household, weighed_on=line.weighed_on, grade="seed", mass_mg=100_000
    )
    client.post(reverse("larder:put_by"), {f"to-{key_of(garden, 0, 'seed')}": "use:kept_to_plant"})
    lot.refresh_from_db()
    assert lot.bought_mg == 1_000_000
    offered = client.get(reverse("set_out:new_lot") + f"?kept_from={line.planting_id}")
    assert offered.url == reverse("set_out:lot", args=[lot.pk])
    again = PutBy.objects.of(garden.household).get(line=more)
    client.post(reverse("larder:strike_put", args=[again.pk]))
    lot.refresh_from_db()
    assert (lot.bought_mg, lot.struck_at) == (900_000, None)
    client.post(reverse("larder:strike_put", args=[PutBy.objects.of(garden.household).get().pk]))
    assert not SeedLot.objects.of(garden.household).filter(kept_from__isnull=False).exists()


def test_unripe_lies_on_the_ripening_shelf_of_the_bench(client, garden):
    line = garden.lines[0]
    line.grade = "unripe"
    line.save()
    assert where(garden).in_store_mg == 900_000
    assert "Unripe" not in html_of(client.get(reverse("larder:put_by")))
    turned = {"planting": line.planting, "weighed_on": date(2026, 8, 9), "turned_from": line}
    line.turned.create(household=garden.household, grade="table", mass_mg=300_000, **turned)
    line.turned.create(household=garden.household, grade="lost", mass_mg=100_000, **turned)
    found = where(garden)
    assert (found.in_store_mg, found.lifted_mg) == (500_000, 500_000 + 300_000 + 2_300_000)


def test_what_perishes_is_eaten_within_its_days_as_an_assumption(client, garden):
    lettuce = plant(garden, garden.bed, "lettuce", finished_on=date(2026, 11, 1))
    for day, mg in ((date(2026, 7, 20), 800_000), (date(2026, 8, 5), 500_000)):
        lettuce.weigh_ins.create(
            household=garden.household, weighed_on=day, grade="table", mass_mg=mg
        )
    found = larder(garden.household, {2026}).of[lettuce.crop_id, 2026]
    assert (found.used_mg["eaten"], found.assumed_mg, found.not_accounted_mg) == (
        800_000,
        800_000,
        500_000,
    )
    lettuce.crop.own_fresh_days = 3
    lettuce.crop.save()
    found = larder(garden.household, {2026}).of[lettuce.crop_id, 2026]
    assert (found.assumed_mg, found.not_accounted_mg) == (1_300_000, 0)
    said = {"crop": lettuce.crop_id, "season": 2026, "use": "given", "typed": "400 g"}
    client.post(reverse("larder:use"), said)
    found = larder(garden.household, {2026}).of[lettuce.crop_id, 2026]
    assert (found.used_mg["given"], found.assumed_mg) == (400_000, 900_000)


def test_looking_through_learns_what_is_lost(client, garden, settings):
    put_all(client, garden)
    store = Store.objects.of(garden.household).get()
    crates = list(Crate.objects.of(garden.household).order_by("pk"))
    settings.KILTER_TODAY = "2026-09-07"
    assert "Look it through" not in html_of(client.get(reverse("larder:index")))
    settings.KILTER_TODAY = "2026-09-14"
    assert "Look through" in html_of(client.get(reverse("larder:index")))
    nothing = client.post(reverse("larder:look", args=[store.pk]), {})
    assert nothing.status_code == 422
    said = {f"bad-{crates[0].pk}": "150 g", f"all-{crates[1].pk}": "on"}
    client.post(reverse("larder:look", args=[store.pk]), said)
    looks = list(Using.objects.of(garden.household).filter(is_look=True).order_by("pk"))
    assert [(one.mass_mg, one.balance_mg) for one in looks] == [
        (150_000, 1_500_000),
        (0, 1_700_000),
    ]
    page = html_of(client.get(reverse("larder:crop", args=[garden.crop.pk])))
    # Five weeks: h = -ln(0.9) = 0.10536 and 0; shallots keep 20 weeks in a cellar, at 1 %:
    # (0.2 + 0.10536)/30 = 0.010179.
    assert '<td>cellar</td><td class="n"> 1.0 %</td>' in page
    too_much = client.post(reverse("larder:look", args=[store.pk]), {f"bad-{crates[0].pk}": "9 kg"})
    assert "Only 1.350 kg lies in" in html_of(too_much)


def test_ran_out_is_an_entry_of_its_own_also_of_what_was_never_put_by(client, garden):
    said = {"crop": garden.crop.pk, "said": "ran out", "when": "about mid-January", "season": 2025}
    client.post(reverse("larder:new_supply"), said)
    one = Supply.objects.of(garden.household).get()
    assert (one.said, one.season, one.when.precision) == ("ran out", 2025, "third")
    assert "Ran out" in html_of(client.get(reverse("larder:crop", args=[garden.crop.pk])))


def test_trimming_teaches_what_reaches_the_table(client, garden):
    for before, after in (("900 g", "610 g"), ("600 g", "440 g")):
        said = {"crop": garden.crop.pk, "before_mg": before, "after_mg": after, "when": "today"}
        client.post(reverse("larder:new_trimming"), said)
    assert "70 % of what is weighed, from 2 weighings" in html_of(
        client.get(reverse("larder:crop", args=[garden.crop.pk]))
    )
    wrong = client.post(
        reverse("larder:new_trimming"),
        {"crop": garden.crop.pk, "before_mg": "1 g", "after_mg": "2 g", "when": "today"},
    )
    assert "more than before" in html_of(wrong)


def test_who_may(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    helper = signed_in(member(garden.household, "helper", Role.HELPER))
    onlooker = signed_in(member(garden.household, "onlooker", Role.ONLOOKER))
    assert use(helper, crate, typed="100 g").status_code == 200
    assert (
        onlooker.post(
            reverse("larder:use"), {"crate": crate.pk, "use": "eaten", "typed": "1 g"}
        ).status_code
        == 403
    )
    for route in ("larder:new_store", "larder:new_price", "larder:new_expense"):
        assert helper.post(reverse(route), {}).status_code == 403
    assert helper.post(reverse("larder:new_supply"), {"note": "a"}).status_code == 422
    assert 'data-use-key="a"' not in html_of(onlooker.get(reverse("larder:index")))


def test_a_blinded_trial_is_not_told_by_the_larder(client, garden, monkeypatch):
    from kilter.set_out import blinding

    hidden = blinding.Blinded(1, "secret", 0, 4)
    monkeypatch.setattr(
        blinding.BLINDED_BY,
        "_answers",
        [lambda _: dict.fromkeys((p.pk for p in garden.plantings), hidden)],
    )
    page = html_of(client.get(reverse("larder:put_by")))
    assert "Ours One" not in page
    assert "3.200 kg" in page
    client.post(
        reverse("larder:put_by"), {f"to-{garden.crop.pk}-0-2026-table": "kind:cellar:fresh"}
    )
    assert Crate.objects.of(garden.household).get().variety is None


def test_undo_puts_back_what_was_put_by(client, garden):
    put_all(client, garden)
    change = Change.objects.filter(household=garden.household).first()
    undo_change(Actor(garden.household, garden.owner), change)
    assert where(garden).in_store_mg == 0
    assert not Crate.objects.of(garden.household).exists()


def test_eat_first_is_what_is_hurt_then_what_is_near_its_end(client, garden, settings):
    hurt = garden.lines[3]
    hurt.grade = "hurt"
    hurt.save()
    put_all(client, garden, "kind:fridge:fresh")
    fridge = Store.objects.of(garden.household).get()
    client.post(
        reverse("larder:put_by"), {f"to-{key_of(garden, 1, 'hurt')}": f"store:{fridge.pk}:fresh"}
    )
    settings.KILTER_TODAY = "2027-03-20"
    first = whole_larder(larder(garden.household, {2026})).first
    assert first[0].due == "hurt: eat first"
    assert all("past" in one.due or "keeps" in one.due for one in first[1:])


def test_the_command_adds_up_to_the_milligram(client, garden):
    put_all(client, garden)
    use(client, Crate.objects.of(garden.household).first(), typed="333 g")
    out = StringIO()
    call_command("larder", household="Ours", json=True, stdout=out)
    (one,) = json.loads(out.getvalue())["crops"]
    uses = (
        "eaten",
        "given",
        "fed",
        "kept_to_plant",
        "composted",
        "spoiled",
        "dried_away",
        "in_store",
        "not_accounted",
    )
    assert one["lifted_mg"] == sum(one[name] for name in uses) == 3_200_000
    assert one["eaten"] == 333_000
    call_command("larder", household="Ours", stdout=out)


def test_the_account_by_hand(client, garden):
    """A crock of 14.00 over 10 years with a fill of 3.20 over 3 uses: 1.40 + 1.07;
    3.2 kg at 4.80 are 15.36.
    """
    put_all(client, garden)
    use(client, Crate.objects.of(garden.household).get(variety=garden.varieties[0]), typed="1 kg")
    crate = garden.crates[0]
    crate.costs.create(
        household=garden.household,
        what="crock",
        price_minor=1400,
        over_years=10,
        day=date(2026, 3, 1),
    )
    crate.fills.create(
        household=garden.household,
        kind="filled",
        litres=40,
        price_minor=320,
        over_uses=3,
        day=date(2026, 3, 1),
    )
    client.post(
        reverse("larder:new_price"),
        {"crop": garden.crop.pk, "price_minor": "4.80", "per": "kg", "from_day": "1 January 2026"},
    )
    client.post(
        reverse("larder:new_expense"),
        {"what": "hoe", "price_minor": "10", "day": "1 March 2026", "over_years": 4, "crop": ""},
    )
    out = StringIO()
    call_command("account", household="Ours", season=2026, json=True, stdout=out)
    (one,) = json.loads(out.getvalue())["crops"]
    assert (one["value"], one["saved"], one["given"]) == (1536, 480, 0)
    assert {item["what"].partition(",")[0]: item["minor"] for item in one["items"]} == {
        "crock": 140,
        "medium": 107,
        "hoe": 250,
    }
    assert one["cost"] == 497
    assert one["break_even_minor"] == pytest.approx(497 / 3.2)
    page = html_of(client.get(reverse("larder:account")))
    assert "4.80 € not spent at the shop" in page
    assert "1.55 €/kg" in page


def test_a_price_by_the_piece_is_of_what_pieces_weighed(client, garden):
    client.post(
        reverse("larder:new_price"),
        {
            "crop": garden.crop.pk,
            "price_minor": "0.10",
            "per": "piece",
            "from_day": "1 January 2026",
        },
    )
    out = StringIO()
    call_command("account", household="Ours", season=2026, json=True, stdout=out)
    (one,) = json.loads(out.getvalue())["crops"]
    assert one["value"] == pytest.approx(720, abs=1)  # 72 shallots at 10


def test_week_by_week_with_bulk_apart_unless_it_is_said_otherwise(client, garden):
    bean = plant(garden, garden.bed, "climbing bean", finished_on=date(2026, 11, 1))
    for day, mg in ((1, 300_000), (3, 300_000), (6, 300_000), (8, 2_000_000), (9, 300_000)):
        bean.weigh_ins.create(
            household=garden.household, weighed_on=date(2026, 8, day), grade="table", mass_mg=mg
        )
    page = html_of(client.get(reverse("larder:weeks")))
    assert "1.20 kg in baskets, 2.00 kg in bulk" in page
    client.post(reverse("larder:bulk"), {"crop": bean.crop_id, "day": "2026-08-08"})
    assert "3.20 kg in baskets; most in a week" in html_of(client.get(reverse("larder:weeks")))


def test_what_was_lost_in_store_is_compared(client, garden):
    """A crate of 900 g and 600 g of which 150 g spoil."""
    from kilter.records.kept import kept_of

    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    use(client, crate, use="spoiled", typed="150 g")
    found = kept_of(garden.household, {one.pk for one in garden.plantings})
    # The crate of the first variety holds 900 g and 600 g; they bear 90 and 60 g.
    assert [round(found[one.pk].lost_mg) for one in garden.plantings] == [90_000, 0, 60_000, 0]
    page = html_of(
        client.get(
            reverse("weigh_up:index"),
            {"compare": "variety", "by": "share_lost", "crop": "shallot", "in": "2026"},
        )
    )
    assert "Only ‘Ours One’ lost anything in store." in page
    assert '<td>Ours One</td><td class="n">2</td><td class="n">10.00 %</td>' in page


def test_found_by_its_store(client, garden):
    put_all(client, garden)
    assert "crate" in html_of(client.get(reverse("find:index"), {"q": "cellar shallot"}))


def test_the_empty_larder_teaches_its_next_step(db):
    from kilter.people.models import Household

    new = signed_in(member(Household.objects.create(name="New"), "new"))
    page = html_of(new.get(reverse("larder:index")))
    assert "The larder is empty" in page
    assert "What you lift is put by here" in page
    for name in ("put_by", "weeks", "account", "stores"):
        assert new.get(reverse(f"larder:{name}")).status_code == 200


def test_moved_to_a_store_it_joins_the_crate_of_the_same_thing_there(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).get(variety=garden.varieties[0])
    sand = Store.objects.create(household=garden.household, name="Sand box", kind="sand")
    for typed in ("300 g", "200 g"):
        use(client, crate, use="moved", typed=typed, to=sand.pk)
    there = Crate.objects.of(garden.household).get(store=sand)
    found = larder(garden.household, {2026}).crates
    assert (found[there.pk].lying_mg, found[crate.pk].lying_mg) == (500_000, 1_000_000)
    last = Using.objects.of(garden.household).last()
    client.post(reverse("larder:strike_using", args=[last.pk]))
    assert larder(garden.household, {2026}).crates[there.pk].lying_mg == 300_000
    assert (
        client.post(
            reverse("larder:use"), {"crate": crate.pk, "use": "moved", "typed": "1 g"}
        ).status_code
        == 422
    )


def test_a_guess_and_a_part_of_a_basket_carry_their_doubt_into_the_crate(client, garden):
    garden.lines[0].pm_mg = 200_000
    garden.lines[0].save()
    put_all(client, garden)
    marked = {
        one.crate.variety.name: one.is_estimated
        for one in larder(garden.household, {2026}).crates.values()
    }
    assert marked == {"Ours One": True, "Ours Two": False}
    assert "~1.50 kg of" in html_of(client.get(reverse("larder:index")))


def test_next_year_reckons_with_what_the_larder_learnt(client, garden, settings):
    put_all(client, garden)
    settings.KILTER_TODAY = "2026-09-14"
    store, crate = (
        Store.objects.of(garden.household).get(),
        Crate.objects.of(garden.household).first(),
    )
    client.post(reverse("larder:look", args=[store.pk]), {f"bad-{crate.pk}": "150 g"})
    said = {"crop": garden.crop.pk, "before_mg": "1 kg", "after_mg": "800 g", "when": "today"}
    client.post(reverse("larder:new_trimming"), said)
    page = html_of(client.get(reverse("next_year:crop", args=[garden.crop.pk])))
    # Five weeks with a tenth spoiled: (0.2 + 0.10536)/25 = 0.01221.
    assert "1.2 % a week is lost in the cellar" in page
    assert "80 % reaches the table, from 1 weighing." in page


def test_a_day_in_words_reaches_an_event_too(client, garden):
    put_all(client, garden)
    crate = Crate.objects.of(garden.household).first()
    vague = made(crate, when="about mid-July", typed="100 g", meal="m" * 32)
    assert send(client, vague)["stored"]
    one = Using.objects.of(garden.household).get()
    assert (one.when.precision, one.meal) == ("third", "m" * 32)
    assert "date" in send(client, made(crate, when="whenever"))["refused"][0]["reason"]


def test_a_store_outdoors_that_is_too_cold_says_what_people_do(client, garden):
    from kilter.weather.models import Day

    for n in range(4):
        Day.objects.create(
            household=garden.household,
            site=garden.site,
            day=date(2026, 8, 5 + n),
            min_c=4,
            max_c=12,
            ref=f"d{n}",
        )
    Store.objects.create(
        household=garden.household,
        name="Rack",
        kind="airy shelf",
        site=garden.site,
        damp_percent=90,
    )
    rack = Store.objects.get()
    put_all(client, garden, f"store:{rack.pk}:curing")
    page = html_of(client.get("/"))
    assert (
        "8 °C is colder than the 18 to 30 °C it wants. 90 % damp is not the 40 to 70 % it wants."
        in page
    )
    assert "People then cure indoors" in page


def test_what_a_device_sent_is_undone_like_any_other_change_and_goes_with_all_that_a_person_wrote(
    client, garden
):
    put_all(client, garden)
    helper = member(garden.household, "helper", Role.HELPER)
    crate = Crate.objects.of(garden.household).first()
    assert (
        send(signed_in(helper), made(crate, typed="100 g"), made(crate, typed="the rest"))[
            "refused"
        ]
        == []
    )
    assert where(garden).used_mg["eaten"] == 1_500_000
    page = client.post(
        reverse("weigh_in:by_person"), {"person": helper.pk, "since": "today"}, follow=True
    )
    assert "2 changes are undone" in html_of(page)
    crate.refresh_from_db()
    assert (where(garden).used_mg["eaten"], crate.emptied_on) == (0, None)


def test_a_household_with_a_larder_can_be_deleted(garden):
    from kilter.people.leaving import delete_household

    fill_larder(garden)
    delete_household(garden.household)
    assert not Using.objects.exists()


def test_half_a_character_is_refused_and_holds_up_no_other(client, garden):
    put_all(client, garden)
    crate = Crate.objects.first()
    bad, good = made(crate, note="\ud800"), made(crate)
    answer = send(client, bad, good)
    assert answer["stored"] == [good["client_id"]]
    (refused,) = answer["refused"]
    assert refused["client_id"] == bad["client_id"]
    assert "half of a character" in refused["reason"]
