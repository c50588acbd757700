"""Three years of the demo's larder: what was put by, eaten, given, thrown away, and when it ran
out.

Invented.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, timedelta
from typing import Any

import numpy as np

Row = dict[str, Any]
SEED = 517
#: The last day that the demo tells of.
END = date(2026, 11, 22)
PRICES = {
    "potato": 1.6,
    "beetroot": 2.4,
    "carrot": 1.9,
    "shallot": 4.8,
    "garlic": 9.5,
    "tomato": 3.9,
    "courgette": 2.6,
    "broad bean": 5.5,
    "climbing bean": 6.2,
    "chard": 4.5,
    "kale": 4.2,
    "leek": 3.2,
    "pea": 7,
    "winter squash": 2.2,
    "strawberry": 7.9,
}


class Keeping:
    """Writes the larder's rows; what is taken is drawn from a generator of its own."""

    def __init__(self, garden: Any) -> None:
        self.g = garden
        self.rng = np.random.default_rng(SEED)
        self.crop_of = {row["id"]: row["crop"] for row in garden.rows["plantings"]}
        self.season_of = {row["id"]: row["season"] for row in garden.rows["plantings"]}
        self.left: dict[str, int] = {}

    def lines(self, crop: str, season: int, *grades: str) -> Iterator[tuple[Row, int]]:
        """The lines of a crop and season with their grams;
        those that were not plainly weighed stay out.
        """
        for row in self.g.rows["weigh_ins"]:
            of = row["planting"]
            mass = row.get("mass")
            plain = mass and not row.get("tare") and not row.get("turned_from")
            if (
                plain
                and self.crop_of[of] == crop
                and self.season_of[of] == season
                and row["grade"] in grades
            ):
                figure, unit = mass.split()
                yield row, round(float(figure) * (1000 if unit == "kg" else 1))

    def crate(
        self, store: str, crop: str, season: int, day: date, state: str = "fresh", **more: Any
    ) -> str:
        ref = f"k{len(self.g.rows['crates']) + 1:03d}"
        self.left[ref] = 0
        return self.g.add(
            "crates", id=ref, store=store, crop=crop, season=season, day=day, state=state, **more
        )

    def put(
        self,
        crop: str,
        season: int,
        grades: tuple[str, ...],
        crate: str = "",
        use: str = "",
        share: int = 1,
    ) -> None:
        """Put lines by, none before its crate stands there;
        with a share only every so many of them.
        """
        begun = next((one["day"] for one in self.g.rows["crates"] if one["id"] == crate), date.min)
        for i, (row, grams) in enumerate(self.lines(crop, season, *grades)):
            if i % share or any(put["line"] == row["id"] for put in self.g.rows["put_by"]):
                continue
            self.g.add(
                "put_by",
                id=f"b{len(self.g.rows['put_by']) + 1:04d}",
                line=row["id"],
                crate=crate or None,
                use=use,
                day=max(row["weighed_on"], begun),
            )
            if crate:
                self.left[crate] += grams

    def use(self, crate: str, day: date, use: str, grams: int, **more: Any) -> None:
        """So much leaves a crate, never more than lies there."""
        taken = min(grams, self.left[crate])
        if (taken <= 0 and not more.get("is_look")) or day > END:
            return
        balance = f"{self.left[crate]} g"
        self.left[crate] -= taken
        self.g.add(
            "usings",
            id=f"u{len(self.g.rows['usings']) + 1:04d}",
            crate=crate,
            day=day,
            use=use,
            mass=f"{taken} g",
            balance=balance,
            look="yes" if more.pop("is_look", False) else None,
            **more,
        )
        if self.left[crate] == 0:
            row = next(one for one in self.g.rows["crates"] if one["id"] == crate)
            row["emptied_on"] = day

    def eat(
        self, crate: str, first: date, every: int, grams: int, until: date | None = None
    ) -> None:
        """A meal every so many days, until it is gone."""
        day = first
        while self.left[crate] > 0 and day <= min(until or END, END):
            much = round(grams * float(self.rng.uniform(0.6, 1.4)) / 10) * 10
            use = "eaten" if self.rng.random() < 0.93 else "given"
            self.use(crate, day, use, much)
            day += timedelta(days=every + int(self.rng.integers(-1, 2)))

    def look(self, crates: list[str], day: date, loss: float) -> None:
        """A store is looked through."""
        for crate in crates:
            if self.left[crate] > 0 and day <= END:
                self.use(
                    crate,
                    day,
                    "spoiled",
                    round(self.left[crate] * loss * float(self.rng.uniform(0, 2))),
                    is_look=True,
                )

    def dry(self, crate: str, day: date, share: float) -> None:
        self.use(crate, day, "dried_away", round(self.left[crate] * share))


def _stores(k: Keeping) -> None:
    k.g.add("stores", id="cellar", name="Cellar", kind="cellar", celsius=8, damp_percent=85)
    k.g.add("stores", id="rack", name="Airy rack", kind="airy shelf", site="yard", damp_percent=62)
    k.g.add("stores", id="sand", name="Sand box", kind="sand", celsius=7)
    k.g.add("stores", id="freezer", name="Freezer", kind="freezer", celsius=-18)
    k.g.add("stores", id="jars", name="Jar shelf", kind="jars")


def _roots(k: Keeping, season: int) -> None:
    """Potatoes and beetroot in the cellar; those of 2025 ran out in January."""
    day = date(season, 7, 28)
    potatoes = k.crate(
        "cellar",
        "potato",
        season,
        day,
        "cured",
        cure_until=day + timedelta(days=14),
        keep_until=date(season, 12, 29),
    )
    k.put("potato", season, ("table",), potatoes)
    k.put("potato", season, ("small",), use="fed")
    k.put("potato", season, ("hurt",), use="eaten")
    k.dry(potatoes, day + timedelta(days=14), 0.02)
    beets = k.crate(
        "cellar", "beetroot", season, date(season, 7, 22), keep_until=date(season + 1, 1, 10)
    )
    k.put("beetroot", season, ("table",), beets)
    k.put("beetroot", season, ("small",), use="fed")
    k.put("beetroot", season, ("hurt",), use="eaten")
    if season == 2025:
        k.use(beets, date(2025, 8, 10), "given", 4200, note="the lock keepers")
        k.use(beets, date(2025, 8, 23), "given", 2500)
    for month in range(9, 14):
        year, number = (season, month) if month <= 12 else (season + 1, month - 12)
        k.look([potatoes, beets], date(year, number, 8), 0.02)
    k.eat(potatoes, date(season, 8, 20), 9, 620)
    k.eat(beets, date(season, 8, 28), 8 if season == 2025 else 10, 950 if season == 2025 else 420)
    if season == 2025:
        k.g.add(
            "supplies",
            id="beet-2025",
            crop="beetroot",
            season=2025,
            said="ran out",
            day=date(2026, 1, 24),
        )


def _alliums(k: Keeping, season: int, crop: str, day: date, loss: float) -> None:
    """Cured on the rack, losing weight as they dry."""
    crate = k.crate(
        "rack",
        crop,
        season,
        day,
        "cured",
        cure_until=day + timedelta(days=24),
        keep_until=date(season + 1, 3, 1),
    )
    k.put(crop, season, ("table", "small"), crate)
    k.put(crop, season, ("hurt",), use="eaten")
    k.dry(crate, day + timedelta(days=24), loss)
    k.look([crate], date(season, 10, 12), 0.015)
    k.look([crate], date(season, 11, 15), 0.02)
    k.look([crate], date(season + 1, 1, 18), 0.03)
    k.eat(crate, day + timedelta(days=30), 7, 260 if crop == "shallot" else 60)


def _frozen(k: Keeping, season: int) -> None:
    """Every third picking of beans is frozen; sweet corn is given and frozen;
    tomatoes go into jars.
    """
    beans = k.crate(
        "freezer",
        "climbing bean",
        season,
        date(season, 8, 4),
        "frozen",
        jars=9,
        keep_until=date(season + 1, 5, 20),
    )
    k.put("climbing bean", season, ("table",), beans, share=3)
    k.eat(beans, date(season, 10, 20), 12, 420)
    corn = k.crate(
        "freezer",
        "sweet corn",
        season,
        date(season, 8, 26),
        "frozen",
        keep_until=date(season + 1, 6, 1),
    )
    k.put("sweet corn", season, ("table",), corn)
    k.put("sweet corn", season, ("small",), use="fed")
    k.use(corn, date(season, 8, 28), "given", 3400, note="cobs for the street party")
    k.eat(corn, date(season, 9, 12), 16, 900)
    if season > 2024:
        jars = k.crate(
            "jars",
            "tomato",
            season,
            date(season, 8, 18),
            "bottled",
            jars=11,
            added="600 g",
            keep_until=date(season + 1, 8, 18),
        )
        k.put("tomato", season, ("table",), jars, share=4)
        k.eat(jars, date(season, 10, 25), 13, 650)


def _squash(k: Keeping, season: int) -> None:
    day = date(season, 9, 28)
    crate = k.crate(
        "rack",
        "winter squash",
        season,
        day,
        "cured",
        cure_until=day + timedelta(days=12),
        keep_until=date(season + 1, 2, 20),
    )
    k.put("winter squash", season, ("table", "small"), crate)
    k.put("winter squash", season, ("hurt",), use="eaten")
    k.dry(crate, day + timedelta(days=12), 0.03)
    k.look([crate], date(season, 11, 15), 0.04)
    k.look([crate], date(season, 12, 20), 0.06)
    k.eat(crate, date(season, 10, 20), 11, 900)


def _carrots(k: Keeping, season: int) -> None:
    """Pulled in July, the best of them laid in sand."""
    if season == 2024:
        return
    crate = k.crate("sand", "carrot", season, date(season, 7, 14), keep_until=date(season, 12, 29))
    k.put("carrot", season, ("table",), crate)
    k.put("carrot", season, ("small", "hurt"), use="eaten")
    k.look([crate], date(season, 9, 20), 0.04)
    k.look([crate], date(season, 11, 8), 0.05)
    k.eat(crate, date(season, 7, 24), 8, 560)


def _leeks(k: Keeping) -> None:
    """The last leeks of 2026 lie hurt in the cellar, to be eaten first;
    one crate of shallots still cures late.
    """
    crate = k.crate(
        "cellar", "leek", 2026, date(2026, 11, 12), eat_first="yes", keep_until=date(2026, 12, 3)
    )
    k.put("leek", 2026, ("hurt",), crate)


def _thrown_away(k: Keeping) -> None:
    """Eighteen kilograms of courgettes that nobody could eat any more."""
    thrown = 0
    for row, grams in k.lines("courgette", 2026, "table"):
        if thrown + grams <= 19_600:
            thrown += grams
            k.g.add(
                "put_by",
                id=f"b{len(k.g.rows['put_by']) + 1:04d}",
                line=row["id"],
                use="composted",
                day=row["weighed_on"],
            )
    k.g.add(
        "supplies",
        id="courgette-2026",
        crop="courgette",
        season=2026,
        said="too much",
        day=date(2026, 9, 6),
    )
    k.g.add(
        "supplies",
        id="pea-2026",
        crop="pea",
        season=2026,
        said="wanted more",
        day=date(2026, 7, 12),
    )


def _money(k: Keeping) -> None:
    for crop, price in PRICES.items():
        k.g.add(
            "prices",
            id=f"price-{crop.replace(' ', '-')}",
            crop=crop,
            price=price,
            per="kg",
            from_day=date(2024, 1, 1),
        )
    k.g.add(
        "prices",
        id="price-sweet-corn",
        crop="sweet corn",
        price=0.7,
        per="piece",
        from_day=date(2024, 1, 1),
    )
    paid: tuple[tuple[str, float, date, int, str | None], ...] = (
        ("fork and hoe", 46, date(2024, 3, 2), 8, None),
        ("netting", 18, date(2025, 4, 12), 4, "broad bean"),
        ("water, by the meter", 11.4, date(2025, 9, 30), 1, None),
        ("fish, blood and bone", 9.8, date(2026, 3, 14), 1, None),
        ("water, by the meter", 13.2, date(2026, 9, 30), 1, None),
    )
    for i, (what, price, day, years, crop) in enumerate(paid, start=1):
        k.g.add(
            "expenses",
            id=f"paid-{i}",
            what=what,
            price=price,
            day=day,
            over_years=years if years > 1 else None,
            crop=crop,
        )
    weighed = (("leek", 900, 610, date(2026, 11, 12)), ("beetroot", 1200, 980, date(2026, 9, 3)))
    for i, (crop, before, after, day) in enumerate(weighed, start=1):
        k.g.add(
            "trimmings",
            id=f"trim-{i}",
            crop=crop,
            before=f"{before} g",
            after=f"{after} g",
            day=day,
        )


def larder(garden: Any) -> None:
    """Three years of putting by and using."""
    k = Keeping(garden)
    _stores(k)
    steps: tuple[Callable[[Keeping, int], None], ...] = (_roots, _frozen, _squash, _carrots)
    for season in (2024, 2025, 2026):
        for step in steps:
            step(k, season)
        if season > 2024:
            _alliums(k, season, "shallot", date(season, 8, 4), 0.11)
        _alliums(k, season, "garlic", date(season, 7, 10), 0.18)
    _leeks(k)
    _thrown_away(k)
    _money(k)
