"""A garden made by chance from a seed, odd corners on purpose, and what was written of it beside it
as plain dicts: the bookkeeper adds those up without the program's own reckoning.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import date, timedelta
from itertools import count
from typing import Any

from django.utils import timezone

from kilter.ground.models import Fill, Place, Site
from kilter.larder.models import Crate, Expense, Price, PutBy, Store, Using
from kilter.people.models import Household
from kilter.set_out.models import Cost, Crop, PlantCount, Planting, SeedLot, Variety, YearSaid
from kilter.tending.models import Happening, Job, Repeat
from kilter.weather.models import Day
from kilter.weigh_in.models import WeighIn

TODAY = date(2026, 11, 23)
#: Crops with the month in which each is planted and how many days later it is lifted from.
ANNUALS = {
    "leek": (4, 130),
    "kale": (7, 60),
    "tomato": (5, 60),
    "potato": (4, 80),
    "winter squash": (5, 95),
    "sweet corn": (5, 70),
    "carrot": (4, 80),
    "dwarf bean": (6, 55),
    "radish": (9, 25),
}
AUTUMN = {"garlic": (10, 230), "shallot": (10, 250)}
LASTING = ("asparagus", "strawberry", "rhubarb")
GRADES = ("table", "table", "table", "hurt", "small", "unripe", "seed", "lost")
USES = ("eaten", "eaten", "given", "fed", "spoiled")
POUND_MG = 453_592


@dataclass
class Book:
    """What was written, as plain dicts; what was struck is not in it."""

    lines: list[dict[str, Any]] = field(default_factory=list)
    jobs: list[dict[str, Any]] = field(default_factory=list)
    paid: list[dict[str, Any]] = field(default_factory=list)
    #: Words that stand nowhere else, each with the page on which they must be found.
    words: list[tuple[str, str, int]] = field(default_factory=list)


@dataclass
class Made:
    """The garden and its book."""

    household: Household
    book: Book
    plantings: list[Planting]
    answers: dict[tuple[Any, ...], Any] = field(default_factory=dict)  #: what it was asked already


class Maker:
    """Makes one garden."""

    def __init__(self, seed: int, household: Household) -> None:
        self.chance = random.Random(seed)
        self.household = household
        self.mine = {"household": household}
        self.book = Book()
        self.number = count(1)
        self.plantings: list[Planting] = []
        self.crops: dict[str, Crop] = {}

    def make(self) -> Made:
        """All of it."""
        self._ground()
        for season in (2025, 2026):
            for name in self.chance.sample(sorted(ANNUALS), 4):
                self._annual(name, season, *ANNUALS[name])
        for name in AUTUMN:
            self._annual(name, self.chance.choice((2026, 2027)), *AUTUMN[name])
        self._lasting(self.chance.choice(LASTING))
        self._basket()
        self._larder()
        self._work()
        self._money()
        self._odd_corners()
        return Made(self.household, self.book, self.plantings)

    def word(self, what: str, page: str, pk: int) -> str:
        """A word that stands nowhere else; it must be found on a page."""
        found = f"{what}-{next(self.number)}-{self.household.pk}"
        self.book.words.append((found, page, pk))
        return found

    def _ground(self) -> None:
        chance = self.chance
        self.sites = [
            Site.objects.create(
                **self.mine, name=f"Site {n}", first_frost_on=date(2026, 10, chance.randint(1, 28))
            )
            for n in range(2)
        ]
        self.places = [
            Place.objects.create(
                **self.mine,
                site=chance.choice(self.sites),
                kind="bed",
                name=f"Bed {n}",
                length_m=chance.choice((2.4, 3.6, 5.1)),
                width_m=1.2,
            )
            for n in range(4)
        ] + [
            Place.objects.create(
                **self.mine, site=self.sites[0], kind="pot", name="Pot", number=n, volume_l=30
            )
            for n in range(1, 5)
        ]
        for n in range(chance.randint(0, 3)):
            Day.objects.create(
                **self.mine,
                site=self.sites[0],
                day=date(2026, 10, 5 + 9 * n),
                min_c=chance.choice((-2, 3)),
                max_c=9,
            )

    def crop(self, name: str) -> Crop:
        """One of each."""
        if name not in self.crops:
            self.crops[name] = Crop.objects.create(**self.mine, name=name)
        return self.crops[name]

    def _annual(self, name: str, season: int, month: int, days: int) -> None:
        chance, crop = self.chance, self.crop(name)
        varieties = [
            Variety.objects.get_or_create(**self.mine, crop=crop, name=f"{name} {letter}")[0]
            for letter in "AB"[: chance.randint(1, 2)]
        ]
        for variety in (*varieties, None)[: chance.randint(1, 3)]:
            planted = date(season - (month >= 10), month, chance.randint(1, 28))
            is_done = season < 2026 or chance.random() < 0.5
            one = Planting.objects.create(
                **self.mine,
                crop=crop,
                variety=variety,
                place=chance.choice(self.places),
                season=season,
                units=chance.choice((None, 3, 8, 20)),
                planted_on=None if chance.random() < 0.15 else planted,
                in_row_m=chance.choice((None, 0.2)),
                row_gap_m=0.3,
            )
            self.plantings.append(one)
            first = planted + timedelta(days=days)
            last = self._lifted(one, first)
            if chance.random() < 0.3 and one.units:
                PlantCount.objects.create(
                    **self.mine,
                    planting=one,
                    day=planted + timedelta(days=20),
                    kind=chance.choice(("died", "replaced")),
                    count=1,
                )
            if is_done and max(last, first) <= TODAY:
                one.finished_on = max(last, first, planted)
                one.rest = chance.choice(("", "", "nothing", "left"))
                one.save()
            elif chance.random() < 0.3:
                one.until = TODAY + timedelta(days=chance.randint(-20, 60))
                one.save()

    def _lasting(self, name: str) -> None:
        begun = self.chance.choice((2019, 2022, 2024))
        one = Planting.objects.create(
            **self.mine,
            crop=self.crop(name),
            place=self.places[0],
            season=begun,
            units=12,
            is_perennial=True,
            planted_on=date(begun, 4, 1),
        )
        self.plantings.append(one)
        for year in range(begun + 1, 2027):
            if self.chance.random() < 0.6:
                self._lifted(one, date(year, 5, 10))
        YearSaid.objects.create(**self.mine, planting=one, year=begun, came="nothing")

    def _lifted(self, one: Planting, first: date) -> date:
        """Lines on some days; gives the last."""
        chance, last = self.chance, first
        how = chance.choice(("weighed", "counted", "both", "mixed"))
        for n in range(chance.randint(0, 4)):
            day = first + timedelta(days=5 * n)
            if day > TODAY:
                break
            for grade in chance.sample(GRADES, chance.randint(1, 2)):
                self._line(one, day, grade, how)
            last = day
        return last

    def _line(self, one: Planting, day: date, grade: str, how: str, **more: Any) -> WeighIn:
        chance = self.chance
        said = chance.choice(("weighed", "counted", "both")) if how == "mixed" else how
        mass_mg = chance.choice((chance.randint(1, 4_000_000), 3 * POUND_MG))
        pieces = chance.randint(1, 25)
        line = WeighIn.objects.create(
            **self.mine,
            planting=one,
            weighed_on=day,
            grade=grade,
            mass_mg=None if said == "counted" else mass_mg,
            count=None if said == "weighed" else pieces,
            plants=chance.choice((None, None, 1, 2)) if one.units else None,
            **more,
        )
        if chance.random() < 0.08:
            line.struck_at = timezone.now()
            line.save()
            return line
        self.book.lines.append(
            {
                "crop": one.crop.name,
                "season": day.year if one.is_perennial else one.season,
                "grade": grade,
                "mass_mg": line.mass_mg,
                "count": line.count,
                "pk": line.pk,
            }
        )
        return line

    def _basket(self) -> None:
        """Two plantings of one crop weighed together, and shared out."""
        for one in self.plantings:
            beside = [
                two
                for two in self.plantings
                if two.crop_id == one.crop_id and two.season == one.season and two.pk > one.pk
            ]
            if beside and one.planted_on and not one.is_perennial:
                day = min(one.planted_on + timedelta(days=260), TODAY)
                for half in (one, beside[0]):
                    self._line(half, day, "table", "weighed", basket=f"{one.pk:032x}")
                return

    def _larder(self) -> None:
        """Some of what was lifted is put by, and some of that is used; half-eaten crates too."""
        chance = self.chance
        store = Store.objects.create(**self.mine, name="Cellar", kind="cellar")
        lines = list(
            WeighIn.objects.of(self.household)
            .filter(grade__in=("table", "hurt"), planting__is_perennial=False)
            .select_related("planting__crop")
        )
        for line in lines:
            if chance.random() > 0.4:
                continue
            day = line.weighed_on + timedelta(days=chance.randint(0, 3))
            if day > TODAY:
                continue
            crate = Crate.objects.create(
                **self.mine,
                store=store,
                crop=line.planting.crop,
                season=line.planting.season,
                day=day,
            )
            part = chance.choice((1, 1, 2))
            PutBy.objects.create(
                **self.mine, line=line, crate=crate, day=day, share_part=1, share_whole=part
            )
            for n in range(chance.randint(0, 2)):
                mass_mg = line.mass_mg and line.mass_mg // (5 * part)
                Using.objects.create(
                    **self.mine,
                    crate=crate,
                    day=min(day + timedelta(days=7 * (n + 1)), TODAY),
                    use=chance.choice(USES),
                    mass_mg=mass_mg,
                    count=None if mass_mg else 1,
                )

    def _work(self) -> None:
        chance = self.chance
        for _ in range(8):
            day = date(chance.choice((2025, 2026)), chance.randint(1, 11), chance.randint(1, 20))
            kind = chance.choice(("planting", "place", "site"))
            record = chance.choice(
                {"planting": self.plantings, "place": self.places, "site": self.sites}[kind]
            )
            seconds = chance.choice((None, 0, chance.randint(1, 9000)))
            water_ml = chance.choice((None, chance.randint(1, 90_000)))
            page = {"planting": "atlas:planting", "place": "atlas:place"}.get(kind, "tending:index")
            Job.objects.create(
                **self.mine,
                day=day,
                job="weed",
                seconds=seconds,
                water_ml=water_ml,
                note=self.word("job", page, record.pk),
                **{kind: record},
            )
            self.book.jobs.append({"seconds": seconds, "water_ml": water_ml})
        Repeat.objects.create(
            **self.mine,
            place=self.places[1],
            job="mulch",
            first_on=TODAY + timedelta(days=60),
            note=self.word("repeat", "atlas:place", self.places[1].pk),
        )
        Happening.objects.create(
            **self.mine,
            planting=self.plantings[0],
            day=date(2025, 6, 1),
            kind="pest",
            what=self.word("pest", "atlas:planting", self.plantings[0].pk),
            lost_share=chance.choice((None, 0.2, 1.0)),
        )

    def _money(self) -> None:
        """Everything falls due by 2026, so that all of it must be borne by somebody."""
        chance = self.chance
        for place in chance.sample(self.places, 3):
            years = chance.randint(1, 2)
            self._paid(
                Cost(
                    place=place,
                    what=self.word("cost", "atlas:place", place.pk),
                    day=date(2025, 3, 1),
                    over_years=years,
                )
            )
        for planting in chance.sample([p for p in self.plantings if not p.is_perennial], 2):
            if planting.season <= 2026:
                what = self.word("own", "atlas:planting", planting.pk)
                self._paid(Cost(planting=planting, what=what))
        for name in self.chance.sample(sorted(self.crops), 2):
            self._paid(Expense(what="feed", day=date(2026, 4, 1), crop=self.crops[name]))
        self._paid(Expense(what="tool", day=date(2025, 4, 1), over_years=2))
        for name in self.crops:
            if chance.random() < 0.7:
                Price.objects.create(
                    **self.mine,
                    crop=self.crops[name],
                    price_minor=chance.randint(20, 900),
                    per=chance.choice(("kg", "piece")),
                    from_day=date(2025, 1, 1),
                )

    def _paid(self, record: Any) -> None:
        record.household = self.household
        record.price_minor = self.chance.randint(1, 5000)
        record.save()
        self.book.paid.append({"minor": record.price_minor})

    def _odd_corners(self) -> None:
        """A variety renamed, a lot sown, a medium free of charge."""
        variety = Variety.objects.of(self.household).order_by("pk").first()
        if variety is not None:
            variety.name = "Renamed"
            variety.save()
        lot = SeedLot.objects.create(
            **self.mine, crop=self.plantings[0].crop, name="a packet", bought_count=50
        )
        Planting.objects.filter(pk=self.plantings[0].pk).update(lot=lot)
        Fill.objects.create(
            **self.mine, place=self.places[-1], day=date(2025, 3, 1), kind="filled", litres=30
        )
