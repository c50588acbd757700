"""The whole bench: tares, loads, baskets, waiting, memory, the ripening shelf, corrections,
figures, the live scale.
"""

from __future__ import annotations

import json
import time
from datetime import date

import pytest
from django.core.cache import cache
from django.core.management import call_command
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from kilter.devices.reader import SCALES
from kilter.people.events import EventError
from kilter.people.models import Change
from kilter.records.facts import facts
from kilter.records.harvest import ALL_NEEDS
from kilter.set_out.models import Crop, PlantCount, Planting, Variety
from kilter.tending.models import Job
from kilter.weigh_in import scale_views
from kilter.weigh_in.events import BENCH
from kilter.weigh_in.models import (
    Bowl,
    OwnMeasure,
    Renaming,
    Scale,
    SinglePlant,
    WeighIn,
    new_client_id,
)
from kilter.weigh_in.queries import history_of, picking_round, ripening, strip, tape
from kilter.weigh_in.scale_views import scale_of
from tests.conftest import TODAY, event, html_of, plant, signed_in


@pytest.fixture
def stored(send):
    """Send one event and give its line."""

    def one(*args, **more):
        made = event(*args, **more)
        said = send(made)
        assert said["stored"] == [made["client_id"]], said
        return WeighIn.objects.get(client_id=made["client_id"])

    return one


def post(client, route, *args, **data):
    response = client.post(reverse(f"weigh_in:{route}", args=args), data)
    assert response.status_code == 302, html_of(response)[-3000:]
    return response


def refused(client, route, *args, **data):
    response = client.post(reverse(f"weigh_in:{route}", args=args), data)
    assert response.status_code == 422
    return html_of(response)


def totals(garden, planting):
    (fact,) = facts(garden.household, Planting.objects.filter(pk=planting.pk), ALL_NEEDS)
    return fact.record


def test_a_bowl_by_name_and_a_typed_tare_come_off_each_load(stored, garden, open_planting):
    assert stored(open_planting, "1000", bowl=garden.bowl.pk).mass_mg == 690_000
    line = stored(open_planting, "1000+900 30", bowl=garden.bowl.pk, tare="20")
    assert (line.mass_mg, line.tare_mg, line.loads, line.bowl) == (
        1_240_000,
        660_000,
        2,
        garden.bowl,
    )


def test_a_tare_put_in_afterwards_of_a_pile_on_its_first_line_only(
    client, stored, garden, open_planting
):
    plain = stored(open_planting, "1000")
    pile = [
        stored(open_planting, typed, pile="p", device="d", number=n)
        for n, typed in ((1, "810"), (2, "1200"))
    ]
    post(client, "tare_after", bowl=garden.bowl.pk, lines=[plain.pk, *(line.pk for line in pile)])
    assert [WeighIn.objects.get(pk=line.pk).mass_mg for line in (plain, *pile)] == [
        690_000,
        500_000,
        390_000,
    ]
    assert "is more than the whole load" in refused(
        client,
        "tare_after",
        bowl=Bowl.objects.create(household=garden.household, name="x", mass_mg=10**9).pk,
        lines=[plain.pk],
    )


def test_a_line_is_held_where_the_one_before_it_in_the_pile_was_refused(send, open_planting):
    def piled(number, typed):
        return event(open_planting, typed, pile="p", device="d", number=number)

    said = send(piled(1, "500"), piled(2, "300"), piled(3, "700"))
    assert [(one["is_fall"], "earlier line first" in one["reason"]) for one in said["refused"]] == [
        (True, False),
        (False, True),
    ]
    # Emptied: the two make a new pile in their order, and nothing is counted twice.
    again = [
        event(open_planting, typed, pile="q", device="d", number=n)
        for n, typed in ((1, "300"), (2, "700"))
    ]
    send(*again)
    masses = (
        WeighIn.objects.filter(planting=open_planting)
        .order_by("pk")
        .values_list("mass_mg", flat=True)
    )
    assert list(masses) == [500_000, 300_000, 400_000]


@pytest.mark.parametrize(
    ("split_by", "counts", "masses"),
    [
        ("plants", [], [500_001, 500_000]),
        ("count", [30, 10], [750_001, 250_000]),
        ("area", [], None),
    ],
)
def test_a_mixed_basket_is_split_to_the_milligram_and_struck_as_one(
    client, send, garden, open_planting, split_by, counts, masses
):
    other = Planting.objects.create(
        household=garden.household, place=garden.crates[0], crop=garden.crop, season=2026, units=12
    )
    basket = event(open_planting, "1000.001g 40", split_by=split_by, counts=counts)
    basket["plantings"] = [open_planting.pk, other.pk]
    said = send(basket, basket)
    if masses is None:
        assert "has no length and width" in said["refused"][0]["reason"]
        return
    lines = list(WeighIn.objects.filter(basket=basket["client_id"]).order_by("pk"))
    assert [line.mass_mg for line in lines] == masses
    assert sum(line.count for line in lines) == 40
    assert [line.split_by for line in lines] == [split_by] * 2
    post(client, "strike", lines[1].pk)
    assert not WeighIn.objects.of(garden.household).filter(basket=basket["client_id"]).exists()


def test_the_basket_by_its_form_and_what_it_refuses(client, garden, open_planting):
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    picked = [garden.plantings[0].pk, open_planting.pk]
    same = {"client_id": new_client_id(), "grade": "table", "picked": picked, "split_by": "count"}
    assert "say how many of each" in refused(client, "basket", **same, typed="2400 60")
    assert "two plantings or more" in refused(
        client, "basket", **{**same, "picked": picked[:1]}, typed="2400"
    )
    assert "Write whole numbers" in refused(client, "basket", **same, typed="2400", counts="ten")
    post(client, "basket", **same, typed="2400 60", counts="20, 40")
    assert sorted(WeighIn.objects.filter(split_by="count").values_list("mass_mg", flat=True)) == [
        800_000,
        1_600_000,
    ]


def test_counted_crops_do_not_wait_and_others_do_until_weighed_or_left(
    client, stored, garden, open_planting
):
    waits = [stored(open_planting, "c12"), stored(open_planting, "c30")]
    assert all(line.waits for line in waits)
    page = html_of(client.get(reverse("weigh_in:labels")))
    assert page.count("<svg") == 2
    assert waits[0].tag in page
    assert "Type what the scale shows" in refused(client, "weigh", waits[0].pk, line="c3")
    post(client, "weigh", waits[0].pk, line="1000", bowl=garden.bowl.pk)
    line = WeighIn.objects.get(pk=waits[0].pk)
    assert (line.mass_mg, line.count, line.waits) == (690_000, 12, False)
    assert (
        client.get(reverse("weigh_in:weigh", args=[line.pk])).status_code == 302
    )  # its label was scanned again
    post(client, "leave_counted", waits[1].pk)
    assert not WeighIn.objects.of(garden.household).waiting().exists()
    post(client, "counted", garden.crop.pk)
    assert not stored(open_planting, "c9").waits
    assert Crop(name="Sweet corn").counts_alone


def test_what_was_counted_is_reckoned_from_what_was_weighed_and_marked(
    client, stored, garden, open_planting
):
    # The garden's own lots: 900, 1000, 600 and 700 g of 18 each; variety One gave 900 and 600.
    stored(open_planting, "c36")
    written = tape(garden.household, TODAY).lines[0]
    assert written.estimate.mass_mg == pytest.approx(1_500_000)
    assert written.estimate.sd_mg > 100_000
    table = totals(garden, open_planting).grades["table"]
    assert (table.estimated, round(table.estimated_mg)) == (1, 1_500_000)
    Planting.objects.filter(pk=open_planting.pk).update(finished_on=TODAY)

    def answer_of(page):
        return page.content.decode().split('id="answer"')[1]

    page = client.get("/weigh-up/?compare=variety&by=kg_per_plant&crop=" + garden.crop.name)
    assert "was not weighed" in answer_of(page)
    with_it = client.get(
        f"/weigh-up/?compare=variety&by=kg_per_plant&crop={garden.crop.name}&estimates=on"
    )
    assert "Estimates are in" in html_of(with_it)
    assert "was not weighed" not in answer_of(with_it)


def test_own_measures_learn_from_those_weighed(client, stored, garden, open_planting):
    post(client, "kit_new", "measure", name="Tub")
    for bad, says in (
        ("kg", "unit of weight"),
        ("two words", "One word"),
        ("tub", "There is a tub already"),
    ):
        assert says in refused(client, "kit_new", "measure", name=bad)
    unknown = stored(open_planting, "2 tubs")
    assert (unknown.measures, unknown.mass_mg, unknown.waits) == (2.0, None, False)
    assert tape(garden.household, TODAY).lines[0].estimate is None
    stored(open_planting, "4100 2 tub")
    estimate = tape(garden.household, TODAY).lines[0].estimate
    assert (estimate.mass_mg, estimate.sd_mg) == (4_100_000, pytest.approx(0.2 * 4_100_000))
    stored(open_planting, "1900 1 tub")
    assert "of shallot" in html_of(client.get(reverse("weigh_in:kit")))
    assert tape(garden.household, TODAY).lines[0].estimate.mass_mg == 4_000_000
    assert OwnMeasure.objects.get(household=garden.household, name="tub")


def test_from_memory_with_a_vague_day_and_a_doubt_that_widens(client, garden, open_planting):
    post(
        client,
        "remember",
        planting=open_planting.pk,
        when="October 2026",
        grade="table",
        line="3kg ±20% 40",
    )
    line = WeighIn.objects.get(is_remembered=True)
    assert (line.mass_mg, line.pm_mg, line.precision, line.count) == (
        3_000_000,
        600_000,
        "month",
        40,
    )
    assert totals(garden, open_planting).grades["table"].vague_mg2 == pytest.approx(600_000.0**2)
    assert "mixes units" in refused(
        client, "remember", planting=open_planting.pk, when="today", grade="table", line="3 kg 2 oz"
    )


def test_unripe_turns_by_count_and_food_grows(client, stored, garden, open_planting):
    lot = stored(open_planting, "2000 20", "unripe")
    assert "Only 20 of them" in refused(
        client, "turn", lot.pk, grade="table", line="900 21", when="today"
    )
    post(client, "turn", lot.pk, grade="table", line="450 5", when="today")
    post(client, "turn", lot.pk, grade="lost", line="c3", when="today")
    (shelved,) = ripening(garden.household, TODAY)
    assert (shelved.left_mg, shelved.left) == (1_200_000, 12)
    grades = totals(garden, open_planting).grades
    assert (grades["unripe"].mass_mg, grades["unripe"].count) == (1_200_000, 12)
    assert grades["table"].mass_mg == 450_000
    ripe = client.get(reverse("weigh_in:turn", args=[garden.lines[0].pk]))
    assert ripe.status_code == 404


def test_a_part_lift_thinnings_and_seeds_reckon_with_the_right_plants(
    client, stored, garden, open_planting
):
    stored(open_planting, "900 9", plants=3)
    stored(open_planting, "50 4", plants=4, is_thinning=True)
    record = totals(garden, open_planting)
    assert record.plants_lifted == 3  # thinnings are food, not plants lifted
    page = html_of(client.get(reverse("atlas:planting", args=[open_planting.pk])))
    assert "Only 3 of 12 plants were lifted" in page
    assert "9 of 12 still in the ground" in html_of(client.get("/weigh-in/"))
    assert "950 g over 3" in page
    Planting.objects.filter(pk=open_planting.pk).update(unit_kind="seed", units=60, lot_mg=12_000)
    PlantCount.objects.create(
        household=garden.household,
        planting=open_planting,
        kind="up",
        count=40,
        day=date(2026, 10, 20),
    )
    Job.objects.create(
        household=garden.household,
        planting=open_planting,
        job="water",
        day=TODAY,
        seconds=600,
        water_ml=5000,
    )
    record = totals(garden, open_planting)
    assert (record.units, record.plants, record.seed_mass_mg) == (60, 40, 12_000)
    assert (record.minutes, record.water_l) == (10, 5)


def test_the_pot_turns_out_to_be_another_variety_and_its_history_stays(client, garden):
    planting = garden.plantings[0]
    post(
        client,
        "rename",
        planting.pk,
        variety_name="Rope End",
        when="4 August",
        note="yellow",
        is_doubtful="on",
    )
    planting.refresh_from_db()
    assert (planting.variety.name, planting.is_variety_doubtful) == ("Rope End", True)
    assert Renaming.objects.get().was == garden.varieties[0]
    page = html_of(client.get(reverse("atlas:planting", args=[planting.pk])))
    assert "taken for ‘Ours One’" in page
    post_undo = client.post(reverse("people:undo", args=[Change.objects.latest("pk").pk]))
    assert post_undo.status_code == 302
    planting.refresh_from_db()
    assert planting.variety == garden.varieties[0]
    assert not Renaming.objects.of(garden.household).exists()


def test_one_plant_is_a_note_and_adds_nothing(client, garden):
    planting, before = garden.plantings[1], totals(garden, garden.plantings[1]).grades
    assert "Say its weight" in refused(client, "single", planting.pk, when="today")
    post(client, "single", planting.pk, when="4 August", mass_mg="118 g", note="the largest")
    assert SinglePlant.objects.get(planting=planting).mass_mg == 118_000
    assert totals(garden, planting).grades == before
    post(client, "strike_single", SinglePlant.objects.get(planting=planting).pk)
    assert not SinglePlant.objects.of(garden.household).filter(planting=planting).exists()


def test_last_years_line_is_corrected_with_who_and_when_kept(client, garden, open_planting):
    line, same = (
        garden.lines[0],
        {"planting": garden.plantings[0].pk, "when": "4 August", "grade": "hurt"},
    )
    post(
        client,
        "correct",
        line.pk,
        **same,
        count=17,
        shown="1,2 kg",
        tare_mg="150 g",
        cause="gnawed",
    )
    line.refresh_from_db()
    assert (line.mass_mg, line.tare_mg, line.count, line.grade, line.cause) == (
        1_050_000,
        150_000,
        17,
        "hurt",
        "gnawed",
    )
    (was,) = history_of(garden.household, line)
    assert (was.before["mass_mg"], was.change.by) == (900_000, garden.owner)
    page = html_of(client.get(reverse("weigh_in:correct", args=[line.pk])))
    assert "Corrected: Hurt of" in page
    assert "gnawed" in html_of(
        client.get(reverse("weigh_in:bench"))
    )  # the list of causes has grown
    for bad, says in (
        ({}, "A line is a weight"),
        ({"shown": "x"}, "holds no number"),
        ({"measures": 2}, "of which measure"),
    ):
        assert says in refused(client, "correct", line.pk, **same, **bad)


def test_a_running_total_corrected_takes_the_next_line_anew(client, stored, open_planting):
    first, second = (
        stored(open_planting, t, pile="p", device="d", number=n)
        for n, t in ((1, "310"), (2, "655"))
    )
    same = {"planting": open_planting.pk, "when": "today", "grade": "table"}
    post(client, "correct", first.pk, **same, shown="400 g")
    first.refresh_from_db()
    second.refresh_from_db()
    assert (first.mass_mg, second.mass_mg) == (400_000, 255_000)
    assert "The reading fell" in refused(client, "correct", first.pk, **same, shown="700 g")


def test_a_strike_is_a_change_so_that_a_later_undo_cannot_bring_a_struck_line_back(
    client, send, garden
):
    line = garden.lines[0]
    same = {
        "planting": garden.plantings[0].pk,
        "when": "4 August",
        "grade": "table",
        "shown": "1 kg",
    }
    post(client, "correct", line.pk, **same)
    corrected = Change.objects.latest("pk")
    send({"client_id": new_client_id(), "kind": "strike", "target": line.client_id})
    client.post(reverse("people:undo", args=[corrected.pk]))
    line.refresh_from_db()
    assert (line.mass_mg, line.struck_at is None) == (
        1_000_000,
        False,
    )  # the strike has to be undone first
    client.post(reverse("people:undo", args=[Change.objects.latest("pk").pk]))
    line.refresh_from_db()
    assert line.struck_at is None


def test_the_doubt_of_the_scale_is_shown_where_it_passes_two_in_a_hundred(
    stored, garden, open_planting
):
    coarse = Scale.objects.create(household=garden.household, name="hanging", step_mg=50_000)
    stored(open_planting, "150", scale=coarse.pk)
    stored(open_planting, "3000", scale=coarse.pk)
    few, many = tape(garden.household, TODAY).lines
    assert few.doubt_mg == pytest.approx(50_000 / 12**0.5)
    assert many.doubt_mg is None


def test_what_a_scale_cannot_bear_is_taken_in_several_loads(send, stored, garden, open_planting):
    Scale.objects.filter(pk=garden.scale.pk).update(limit_mg=5_000_000)
    (no,) = send(event(open_planting, "8120 40", scale=garden.scale.pk))["refused"]
    assert "several loads" in no["reason"]
    assert stored(open_planting, "5000+3120 40", scale=garden.scale.pk).mass_mg == 8_120_000


def test_hidden_varieties_stand_in_an_order_of_chance_that_stays(client, garden):
    Planting.objects.update(finished_on=None)
    orders = [
        [pot.planting.pk for pot in strip(garden.household, garden.crop, TODAY, is_hidden=True)]
        for _ in "ab"
    ]
    assert orders[0] == orders[1]
    page = html_of(client.get("/weigh-in/?hidden=on"))
    assert "No. 1" in page
    assert "Ours One" not in page
    assert "autumn" not in page


def test_washed_and_topped_are_remembered_for_the_crop(client, stored, open_planting):
    stored(open_planting, cleaned="washed", topped="with leaves")
    page = html_of(client.get("/weigh-in/"))
    assert '<option value="washed" selected>' in page
    assert '<option value="with leaves" selected>' in page


def test_the_picking_round_offers_what_is_picked_again_and_again(client, garden, open_planting):
    assert picking_round(garden.household, TODAY) == []
    for day in (10, 14, 18):
        WeighIn.objects.create(
            household=garden.household,
            planting=open_planting,
            weighed_on=date(2026, 11, day),
            grade="table",
            mass_mg=340_000,
            count=6,
        )
    (one,) = picking_round(garden.household, TODAY)
    assert (one.last_mg, one.last_count, one.days_since) == (340_000, 6, 5)
    page = html_of(client.get(reverse("weigh_in:round")))
    assert 'data-last="340g 6"' in page
    plain = {
        "client_id": new_client_id(),
        "plantings": f"{open_planting.pk}",
        "grade": "table",
        "typed": "410 7",
    }
    post(client, "write", **plain)
    assert WeighIn.objects.get(client_id=plain["client_id"]).mass_mg == 410_000


def test_the_round_has_a_line_for_each_variety_and_the_strip_names_those_that_share_a_place(
    client, garden
):
    """Two varieties of one bed, both picked three times."""
    pots = [
        plant(garden, garden.bed, "courgette", variety=kind, planted_on=date(2026, 5, 1))
        for kind in make_varieties(garden, "courgette", "Lantern", "Rope")
    ]
    rounds = picking_round(garden.household, TODAY)
    assert [(one.label, one.plantings) for one in rounds if "ourgette" in one.label] == [
        ("Courgette ‘Lantern’", (pots[0],)),
        ("Courgette ‘Rope’", (pots[1],)),
    ]
    shown = strip(garden.household, pots[0].crop, TODAY)
    assert [one.name for one in shown] == [f"{pot.where}, {pot.label}" for pot in pots]


def make_varieties(garden, crop, *names):
    kind, _ = Crop.objects.get_or_create(household=garden.household, name=crop)
    return [
        Variety.objects.create(household=garden.household, crop=kind, name=name) for name in names
    ]


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"split_by": "luck"}, "cannot be said"),
        ({"plants": "three"}, "by number"),
        ({"plants": 10**7}, "too many"),
        ({"plantings": "all"}, "whole numbers"),
        ({"plantings": list(range(99))}, "60 plantings at most"),
        ({"cleaned": "licked"}, "cannot be said"),
        ({"number": -1}, "within its pile"),
        ({"bowl": 2**60}, "none of that number"),
    ],
)
def test_events_that_break_the_contract_are_refused(open_planting, wrong, says):
    with pytest.raises(EventError, match=says):
        BENCH.event(event(open_planting) | wrong)


def test_half_a_character_is_refused_as_a_line_and_holds_up_no_other(client, open_planting):
    bad = [event(open_planting, typed="940 \ud800"), event(open_planting, device="\udfff")]
    good = event(open_planting)
    body = json.dumps({"events": [*bad, good]})
    answer = client.post(reverse("weigh_in:events"), body, content_type="application/json")
    assert answer.status_code == 200
    assert answer.json()["stored"] == [good["client_id"]]
    assert [one["client_id"] for one in answer.json()["refused"]] == [
        one["client_id"] for one in bad
    ]
    assert all("half of a character" in one["reason"] for one in answer.json()["refused"])


def scale_key_in(page: str) -> str:
    return page.split('data-live="')[1].split("key=")[1].split('"')[0]


def poll(address, key, wanted="text"):
    """Ask as a page does, again and again, until the scale says what is wanted."""
    until = time.monotonic() + 8
    while wanted not in str(said := Client().get(address, {"key": key}).json()):
        assert time.monotonic() < until, said
        time.sleep(0.05)
    return said


def test_a_guests_key_to_the_scale_ends_with_the_link(client, garden, monkeypatch):
    Planting.objects.filter(pk=garden.plantings[0].pk).update(finished_on=None)
    guest, address = Client(), reverse("weigh_in:live")
    guest.post(reverse("people:join_by_link", args=[garden.bench_link.token]), {"name": "Nib"})
    key = scale_key_in(html_of(guest.get("/weigh-in/")))
    poll(address, key)
    client.post(reverse("people:end_bench_link", args=[garden.bench_link.pk]))
    assert Client().get(address, {"key": key}).status_code == 403
    cache.clear()
    monkeypatch.setattr(scale_views, "STARTED", "another start of the server")
    assert Client().get(address, {"key": key}).status_code == 403
    SCALES.close()


def test_a_real_scale_is_one_households(garden, other, settings):
    assert (scale_of(garden.household), scale_of(other.household)) == ("", "")
    settings.KILTER_SCALE = "tcp:127.0.0.1:9"
    assert (scale_of(garden.household), scale_of(other.household)) == ("tcp:127.0.0.1:9", ""), (
        "the oldest one's"
    )
    settings.KILTER_SCALE_HOUSEHOLD = "Theirs"
    assert (scale_of(garden.household), scale_of(other.household)) == ("", "tcp:127.0.0.1:9")
    page = html_of(signed_in(other.owner).get(reverse("weigh_in:hand")))
    assert "127.0.0.1" not in page, "where it is reached is nobody's business"
    key = scale_key_in(html_of(signed_in(garden.owner).get(reverse("weigh_in:hand"))))
    poll(reverse("weigh_in:live"), key)  # the simulated one stands in
    SCALES.close()


def test_the_live_scale_is_read_without_the_database_and_only_with_its_key(client, garden):
    household = garden.household.pk
    key = scale_key_in(html_of(client.get(reverse("weigh_in:hand"))))
    address = reverse("weigh_in:live")
    with CaptureQueriesContext(connection) as captured:
        poll(address, key)  # the page sends no cookie
    assert len(captured) == 0
    assert client.get(address, {"key": "made up"}).status_code == 403
    post(client, "hand", do="unplug")
    poll(address, key, "plugged in")
    assert "plugged in" in client.post(reverse("weigh_in:zero")).json()["problem"]
    assert "plugged in" in refused(client, "hand", do="put", grams=3)
    post(client, "hand", do="plug")
    post(client, "hand", do="line silent")
    assert SCALES.simulated(household).line == "silent"
    post(client, "hand", do="line good", grams=3)
    assert "Say how many grams" in refused(client, "hand", do="put")
    post(client, "hand", do="limit", grams=500)
    post(client, "hand", do="put", grams=900)
    SCALES.simulated(household).changed_s -= 5
    poll(address, key, "several loads")
    SCALES.close()


def test_what_a_phone_needs_to_install_the_bench(client):
    manifest = client.get(reverse("weigh_in:manifest"))
    assert manifest["Content-Type"] == "application/manifest+json"
    assert manifest.json()["start_url"] == "/weigh-in/"
    worker = client.get(reverse("weigh_in:worker"))
    assert worker["Content-Type"] == "text/javascript"
    assert "fetch" in html_of(worker)
    assert client.get(reverse("weigh_in:token")).json()["who"]


def test_the_figures_command_prints_what_the_page_shows(capsys, garden):
    call_command("figures", household="Ours", crop="shallot", season=2026, json=True)
    found = {(one["planting"], one["measure"]): one for one in json.loads(capsys.readouterr().out)}
    record = garden.plantings[0].ref
    assert found[record, "kg_per_plant"]["value"] == pytest.approx(0.1)
    assert "no minutes" in found[record, "kg_per_minute"]["missing"]
    call_command("figures", household="Ours")
    assert "kg_per_plant" in capsys.readouterr().out
