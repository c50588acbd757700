"""The garden of the list that people met two answers in, worked out by hand, held to every
statement: 104 cobs and 111 potatoes counted and never weighed, leeks lifted in four goes, radish of
September, sunchokes left standing, work on places, a pot over three years, a price by the piece.
"""

from __future__ import annotations

from datetime import date

import pytest

from kilter.ground.models import Place, Site
from kilter.larder.models import Crate, Expense, Price, PutBy, Store, Using
from kilter.people.models import Household, Role
from kilter.set_out.models import Cost, Crop, Planting
from kilter.set_out.seasons import season_by
from kilter.tending.models import Job
from kilter.weigh_in.models import WeighIn
from tests.conftest import member
from tests.seams import statements
from tests.seams.maker import Book, Made


class ByHand:
    """Writes one garden and its book."""

    def __init__(self) -> None:
        self.household = Household.objects.create(name="The list")
        member(self.household, "listed", Role.OWNER)
        self.mine = {"household": self.household}
        self.book, self.plantings = Book(), []
        self.site = Site.objects.create(**self.mine, name="Yard")

    def bed(self, name: str, length_m: float) -> Place:
        return Place.objects.create(
            **self.mine, site=self.site, kind="bed", name=name, length_m=length_m, width_m=1
        )

    def plant(self, crop: str, place: Place, planted: date, **more) -> Planting:
        kind, _ = Crop.objects.get_or_create(**self.mine, name=crop)
        one = Planting.objects.create(
            **self.mine,
            crop=kind,
            place=place,
            planted_on=planted,
            **{"season": planted.year, "units": 20, **more},
        )
        self.plantings.append(one)
        return one

    def line(self, one: Planting, day: date, mass_mg=None, count=None, grade="table") -> WeighIn:
        line = WeighIn.objects.create(
            **self.mine, planting=one, weighed_on=day, grade=grade, mass_mg=mass_mg, count=count
        )
        said = {"crop": one.crop.name, "season": one.season, "grade": grade}
        self.book.lines.append({**said, "mass_mg": mass_mg, "count": count, "pk": line.pk})
        return line

    def job(self, minutes: float, litres: float, day: date, **of) -> None:
        said = {"seconds": round(minutes * 60), "water_ml": round(litres * 1000)}
        Job.objects.create(**self.mine, job="weed", day=day, **said, **of)
        self.book.jobs.append(said)

    def paid(self, record) -> None:
        record.household = self.household
        record.save()
        self.book.paid.append({"minor": record.price_minor})


@pytest.fixture
def listed(transactional_db) -> ByHand:
    return ByHand()


def test_the_garden_of_the_list_holds_to_every_statement(listed):
    g = listed
    corn_bed, root_bed, pot = g.bed("Corn bed", 4), g.bed("Root bed", 6), None
    pot = Place.objects.create(**g.mine, site=g.site, kind="pot", name="Tub", volume_l=40)
    corn = g.plant("sweet corn", corn_bed, date(2026, 5, 10), finished_on=date(2026, 9, 5))
    cobs = g.line(corn, date(2026, 8, 20), count=80)
    g.line(corn, date(2026, 9, 1), count=24)
    potato = g.plant("potato", root_bed, date(2026, 4, 2), finished_on=date(2026, 8, 20))
    g.line(potato, date(2026, 8, 20), count=83)
    g.line(potato, date(2026, 8, 20), count=28, grade="seed")
    leek = g.plant("leek", root_bed, date(2026, 4, 20), units=40)
    for day in (2, 9, 16, 20):
        g.line(leek, date(2026, 11, day), mass_mg=375_000)
    sown = date(2026, 9, 3)
    radish = g.plant("radish", pot, sown, finished_on=date(2026, 10, 5))
    assert season_by(sown, radish.crop.in_handbook)[0] == 2026
    g.line(radish, date(2026, 10, 5), mass_mg=310_000, count=31)
    g.plant("sunchoke", corn_bed, date(2026, 4, 1), units=3)

    cellar = Store.objects.create(**g.mine, name="Cellar", kind="cellar")
    crate = Crate.objects.create(
        **g.mine, store=cellar, crop=corn.crop, season=2026, day=date(2026, 9, 2)
    )
    PutBy.objects.create(
        **g.mine, line=cobs, crate=crate, day=date(2026, 9, 2), share_part=1, share_whole=1
    )
    for use, count in (("given", 50), ("eaten", 12)):
        Using.objects.create(**g.mine, crate=crate, day=date(2026, 9, 3), use=use, count=count)

    g.job(540, 0, date(2026, 6, 1), place=root_bed)
    g.job(0, 960, date(2026, 7, 1), site=g.site)
    g.job(30, 0, date(2026, 1, 10), place=corn_bed)
    g.job(15, 0, date(2025, 1, 10), place=pot)  # nothing came there that year
    g.paid(Cost(place=pot, what="tub", price_minor=1000, over_years=3, day=date(2024, 3, 1)))
    g.paid(Cost(place=root_bed, what="boards", price_minor=1792))
    g.paid(Expense(what="hoe", price_minor=701, over_years=2, day=date(2025, 3, 1)))
    Price.objects.create(
        **g.mine, crop=corn.crop, price_minor=70, per="piece", from_day=date(2026, 1, 1)
    )

    made = Made(g.household, g.book, g.plantings)
    assert [said for one in statements.STATEMENTS for said in one(made)] == []
    assert [said for one in (statements.not_nothing,) for said in one(made)] == []

    said = {one["crop"]: one for one in statements.answered(made, "larder")["crops"]}
    corn_said = said["sweet corn"]
    assert (corn_said["lifted_count"], corn_said["given_count"]) == (104, 50)
    # Of the 80 put by 18 lie there; the 24 of September are eaten fresh by the household's rule.
    assert (corn_said["in_store_count"], corn_said["eaten_count"]) == (18, 12 + 24)
    assert said["potato"]["lifted_count"] == 111
    account = statements.answered(made, "account", season=2026)
    worth = {one["crop"]: one for one in account["crops"]}
    assert worth["sweet corn"]["value"] == 104 * 70
    # 540 minutes on the root bed in June: potatoes and leeks, whose areas nobody said, by halves.
    assert (worth["potato"]["minutes"], worth["leek"]["minutes"]) == (270, 270)
    # January's half hour waits for what comes first in that bed, the sunchokes of April.
    assert worth["sunchoke"]["minutes"] == 30
    assert account["minutes_of_no_crop"] is None
    assert statements.answered(made, "account", season=2025)["minutes_of_no_crop"] == 15
    # Leeks: 1.5 kg at the handbook's weight of one are so many of the 40.
    standing = {one["planting"]: one for one in statements.answered(made, "standing")["standing"]}
    each = leek.crop.in_handbook.kg_per_plant
    assert standing[leek.ref]["stands"] == 40 - round(1.5 / each)
