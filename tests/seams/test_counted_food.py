"""What was only counted is followed in pieces through every room: worked out by hand first.

104 squashes are counted on two days: 80 and 24. 60 go into a crate in the cellar, 20 are given away
bare, 12 of the crate are eaten, half of what is left is frozen.
"""

from __future__ import annotations

import json
import re
from io import StringIO

import pytest
from django.core.management import call_command
from django.urls import reverse

from kilter.larder.account import account
from kilter.larder.ledger import larder
from kilter.larder.models import Crate, Price, PutBy, Store, Using
from kilter.set_out.models import SeedLot
from tests.conftest import event, html_of, plant


@pytest.fixture
def squash(garden, send):
    """104 squashes, counted and never weighed."""
    bed = plant(garden, garden.bed, "winter squash", units=60)
    days = ((80, "2026-11-02"), (24, "2026-11-09"))
    lines = [
        event(bed, f"c{n}", visit="same", is_never_weighed=True, at=f"{day}T09:00:00+00:00")
        for n, day in days
    ]
    assert not send(*lines)["refused"]
    return bed


def asked(name, garden, **more):
    out = StringIO()
    call_command(name, household=garden.household.name, json=True, stdout=out, **more)
    (found,) = [
        one for one in json.loads(out.getvalue())["crops"] if one["crop"] == "winter squash"
    ]
    return found


def use(client, **said):
    response = client.post(reverse("larder:use"), {"use": "eaten", "when": "10 Nov 2026", **said})
    assert response.status_code == 302, html_of(response)


def test_counted_squashes_reach_every_room_in_pieces(client, garden, squash):
    page = html_of(client.get(reverse("larder:put_by")))
    assert "104 pieces, weight not known" in page
    cellar = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    key = f"{squash.crop_id}-0-2026-table"
    said = {f"to-{key}": f"store:{cellar.pk}:fresh", f"much-{key}": "c60", "when": "9 Nov 2026"}
    more = client.post(reverse("larder:put_by"), {**said, f"much-{key}": "c105"})
    assert "only 104 pieces wait" in html_of(more)
    assert client.post(reverse("larder:put_by"), said).status_code == 302
    assert "44 pieces, weight not known" in html_of(client.get(reverse("larder:put_by")))

    use(client, crop=squash.crop_id, season=2026, use="given", typed="20")
    assert "24 pieces, weight not known" in html_of(client.get(reverse("larder:put_by")))

    crate = Crate.objects.of(garden.household).get(crop=squash.crop)
    assert "60 pieces of 60" in html_of(client.get(reverse("larder:index")))
    use(client, crate=crate.pk, typed="12")
    too_many = client.post(
        reverse("larder:use"), {"crate": crate.pk, "use": "eaten", "typed": "c50"}
    )
    assert "Only 48 pieces lie there now; 50 pieces were said to be taken." in html_of(too_many)
    use(client, crate=crate.pk, use="froze", typed="half")
    shown = html_of(client.get(reverse("larder:crate", args=[crate.pk])))
    assert "24 pieces" in shown
    assert list(
        Using.objects.of(garden.household).order_by("pk").values_list("mass_mg", "count")
    ) == [(None, 20), (None, 12), (None, 24)]

    found = asked("larder", garden)
    counts = {name: n for name, n in found.items() if name.endswith("_count") and n}
    assert counts == {
        "lifted_count": 104,
        "eaten_count": 12,
        "given_count": 20,
        "in_store_count": 24,
        "preserved_count": 24,
        "not_accounted_count": 24,
    }
    assert found["lifted_mg"] == 0
    came = asked("look_back", garden)
    assert (came["came_count"], came["food_count"], came["food_mg"]) == (104, 104, 0)
    back = f"{reverse('look_back:crop', args=[squash.crop_id])}?season=2026"
    page = html_of(client.get(back))
    assert "left the store" not in page  # 24 lie there, 24 are frozen
    assert "104 pieces (~156.0 kg by the handbook) came" in page
    assert "104 pieces lifted, weight not known" in html_of(
        client.get(reverse("larder:crop", args=[squash.crop_id]))
    )


def test_the_last_piece_empties_the_crate_and_half_of_five_is_two_and_a_half(
    client, garden, squash
):
    line = squash.weigh_ins.order_by("pk").first()
    mine = {"household": garden.household, "day": "2026-11-09"}
    cellar = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    crate = Crate.objects.create(**mine, store=cellar, crop=squash.crop, season=2026)
    PutBy.objects.create(**mine, line=line, crate=crate, share_part=5, share_whole=80)
    use(client, crate=crate.pk, typed="half")
    assert "2.5 pieces of 5" in html_of(client.get(reverse("larder:index")))
    use(client, crate=crate.pk, typed="the rest")
    crate.refresh_from_db()
    assert crate.emptied_on is not None
    one = larder(garden.household, {2026}).in_pieces[squash.crop_id, 2026]
    assert (one.used["eaten"], one.in_store, one.not_accounted) == (5, 0, 99)


def test_a_piece_weighed_later_gives_the_pieces_taken_a_mass(client, garden, squash):
    """40 put by, 10 eaten; then the line turns out to weigh 20 kg: those ten were 2.5 kg."""
    line = squash.weigh_ins.order_by("pk").first()
    mine = {"household": garden.household, "day": "2026-11-09"}
    cellar = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    crate = Crate.objects.create(**mine, store=cellar, crop=squash.crop, season=2026)
    PutBy.objects.create(**mine, line=line, crate=crate, share_part=40, share_whole=80)
    use(client, crate=crate.pk, typed="10")
    line.mass_mg = 20_000_000
    line.save()
    found = larder(garden.household, {2026})
    assert found.crates[crate.pk].left == 7_500_000
    assert found.of[squash.crop_id, 2026].used_mg["eaten"] == 2_500_000
    assert found.in_pieces[squash.crop_id, 2026].used["eaten"] == 10


def test_each_row_is_put_by_on_a_day_of_its_own_and_never_before_its_lift(
    client, garden, squash, send
):
    keeps = plant(garden, garden.crates[0], "garlic", units=9)
    send(event(keeps, "900 9", visit="same", at="2026-11-05T09:00:00+00:00"))
    cellar = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    goes = f"store:{cellar.pk}:fresh"
    first, second = f"{squash.crop_id}-0-2026-table", f"{keeps.crop_id}-0-2026-table"
    said = {f"to-{first}": goes, f"to-{second}": goes, "when": "3 Nov 2026"}
    early = client.post(reverse("larder:put_by"), {**said, f"when-{second}": "1 Nov 2026"})
    assert "it was lifted on 5 November 2026, and put by after that" in html_of(early)
    ready = {**said, f"when-{second}": "7 Nov 2026"}
    assert client.post(reverse("larder:put_by"), ready).status_code == 302
    days = PutBy.objects.of(garden.household).order_by("pk").values_list("line__count", "day")
    assert [(count, str(day)) for count, day in days] == [
        (80, "2026-11-03"),
        (24, "2026-11-09"),  # lifted only then
        (9, "2026-11-07"),
    ]
    crates = Crate.objects.of(garden.household).filter(store=cellar).order_by("pk")
    assert [str(day) for day in crates.values_list("day", flat=True)] == [
        "2026-11-03",
        "2026-11-07",
    ]


def test_a_price_by_the_piece_goes_by_lines_that_were_weighed_and_counted(garden, squash, send):
    """2 kg over 4 pieces are 500 g each, so 3 kg never counted are 6: 104 + 4 + 6 at 0.70."""
    send(
        event(squash, "2000 4", visit="same", at="2026-11-12T09:00:00+00:00"),
        event(squash, "3000", visit="same", at="2026-11-13T09:00:00+00:00"),
    )
    Price.objects.create(
        household=garden.household,
        crop=squash.crop,
        price_minor=70,
        per="piece",
        from_day="2026-01-01",
    )
    (one,) = [one for one in account(garden.household, 2026).crops if one.crop == squash.crop]
    assert one.price_words == "0.70 € each"
    assert one.account.value == 114 * 70


def test_pieces_kept_to_plant_are_a_lot_of_so_many(client, garden, squash):
    key = f"{squash.crop_id}-0-2026-table"
    said = {f"to-{key}": "use:kept_to_plant", f"much-{key}": "28 pieces", "when": "10 Nov 2026"}
    assert client.post(reverse("larder:put_by"), said).status_code == 302
    lot = SeedLot.objects.of(garden.household).get(kept_from=squash)
    assert (lot.bought_count, lot.bought_mg) == (28, None)
    assert asked("larder", garden)["kept_to_plant_count"] == 28
    assert "76 pieces, weight not known" in html_of(client.get(reverse("larder:put_by")))


def test_what_was_taken_of_a_crate_to_plant_leaves_its_lot_when_it_is_removed(
    client, garden, squash
):
    """20 put by to plant and 10 taken of the crate are one lot of 30; 10 removed, 20 are left."""
    cellar = Store.objects.create(household=garden.household, name="Cellar", kind="cellar")
    key = f"{squash.crop_id}-0-2026-table"
    for goes, much in (("use:kept_to_plant", "c20"), (f"store:{cellar.pk}:fresh", "c60")):
        said = {f"to-{key}": goes, f"much-{key}": much, "when": "10 Nov 2026"}
        assert client.post(reverse("larder:put_by"), said).status_code == 302
    crate = Crate.objects.of(garden.household).get(store=cellar)
    page = html_of(client.get(reverse("larder:crate", args=[crate.pk])))
    assert re.findall(r'put in</td><td class="n">(.*?)</td>', page) == [
        "46.2 pieces",
        "13.8 pieces",
    ]
    use(client, use="kept_to_plant", crate=crate.pk, typed="c10")
    lots = SeedLot.objects.of(garden.household).filter(kept_from=squash)
    assert [lot.bought_count for lot in lots] == [30]
    (using,) = Using.objects.of(garden.household)
    for left in (20, 30, 20):
        client.post(reverse("larder:strike_using", args=[using.pk]))
        assert [lot.bought_count for lot in lots.all()] == [left]


def test_the_plan_learns_from_what_was_only_counted(client, garden, squash):
    """104 squashes off 60 plants, each about 1.5 kg by the handbook: 2.6 kg a plant."""
    type(squash).objects.filter(pk=squash.pk).update(finished_on="2026-11-20")
    page = html_of(client.get(reverse("next_year:crop", args=[squash.crop_id])))
    assert "~156.0 kg" in page
    assert "~2.60 kg" in page
    assert "Not known yet" not in page


def test_a_crop_of_which_nothing_is_known_leads_to_saying_what_it_is_like(client, garden, send):
    oca = plant(garden, garden.bed, "oca")
    assert not send(event(oca, "c40", is_never_weighed=True))["refused"]
    type(oca).objects.filter(pk=oca.pk).update(finished_on="2026-11-23")
    address = reverse("next_year:crop", args=[oca.crop_id])
    assert reverse("set_out:crop", args=[oca.crop_id]) in html_of(client.get(address))
    type(oca.crop).objects.filter(pk=oca.crop_id).update(like="potato")
    assert "Not known yet" not in html_of(client.get(address))
