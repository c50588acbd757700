"""Makes the demo garden "Ropewalk Yard" in the open format: invented, seeded, with a garden's spread.

Run: .venv/bin/python -m demo.make_ropewalk_yard
"""

from __future__ import annotations

import json
import math
import os
import zlib
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import django
import numpy as np

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kilter.site.settings_test")
django.setup()

from demo.larder import larder
from demo.look_back import look_back
from demo.plans import plans
from kilter.core.compare import METHOD_VERSION
from kilter.core.compare.trial import TrialSpot, random_layout, treatments_of
from kilter.devices.station import SimulatedStation, read_days
from kilter.exchange.dumping import as_csv
from kilter.exchange.formats import TABLES, descriptor

HERE = Path(__file__).resolve().parent / "ropewalk-yard"
SEED = 3817
SEASON_EFFECT = {2024: -0.12, 2025: 0.10, 2026: 0.02}

Row = dict[str, Any]


class Garden:
    """Collects rows; every draw comes from one seeded generator."""

    def __init__(self) -> None:
        self.rng = np.random.default_rng(SEED)
        self.rows: dict[str, list[Row]] = {table.name: [] for table in TABLES}
        self.effects: dict[tuple[str, ...], float] = {}
        self.berries = ""

    def add(self, table: str, **values: Any) -> str:
        self.rows[table].append(values)
        return str(values["id"])

    def effect(self, sd: float, *key: str) -> float:
        """One draw a key, the same each time it is asked for."""
        if key not in self.effects:
            self.effects[key] = float(self.rng.normal(0, sd))
        return self.effects[key]

    def total_kg(self, crop: str, variety: str, season: int, units: int, per_unit_kg: float, gain: float) -> float:
        log_rate = (
            math.log(per_unit_kg)
            + SEASON_EFFECT[season]
            + self.effect(0.14, crop, variety)
            + self.effect(0.10, crop, variety, str(season))
            + math.log(gain)
            + float(self.rng.normal(0, 0.13))
            + float(self.rng.normal(0, 0.35 / math.sqrt(units)))
        )
        return units * math.exp(log_rate)

    def plant(
        self, place: str, crop: str, variety: str, season: int, planted: date | None, units: int, kind: str, **more: Any
    ) -> str:
        ref = f"{season}-{len(self.rows['plantings']) + 1:03d}"
        return self.add(
            "plantings",
            id=ref,
            place=place,
            crop=crop,
            variety=variety,
            season=season,
            planted_on=planted,
            units=units,
            unit_kind=kind,
            **more,
        )

    def weigh(self, planting: str, day: date, grade: str, kg: float, each_kg: float, note: str = "") -> None:
        grams = max(round(kg * 1000), 1)
        count = max(round(grams / 1000 / each_kg * float(self.rng.normal(1, 0.08))), 1)
        shown = f"{grams / 1000:.3f} kg" if grams >= 1000 else f"{grams} g"
        self.add(
            "weigh_ins",
            id=f"w{len(self.rows['weigh_ins']) + 1:04d}",
            planting=planting,
            weighed_on=day,
            grade=grade,
            count=count,
            mass=shown,
            note=note,
        )

    def lift(
        self, planting: str, day: date, kg: float, each_kg: float, small: float = 0.12, hurt: float = 0.06
    ) -> None:
        """One lift, graded."""
        shares = {"small": small * float(self.rng.uniform(0.5, 1.5)), "hurt": hurt * float(self.rng.uniform(0, 2))}
        self.weigh(planting, day, "table", kg * (1 - sum(shares.values())), each_kg)
        for grade, share in shares.items():
            if kg * share > 0.008:
                self.weigh(planting, day, grade, kg * share, each_kg * (0.4 if grade == "small" else 1))

    def pick(self, planting: str, first: date, times: int, every: int, kg: float, each_kg: float) -> date:
        """Many small pickings, most in the middle of the season."""
        weights = [math.sin(math.pi * (i + 1) / (times + 1)) * float(self.rng.uniform(0.6, 1.4)) for i in range(times)]
        day = first
        for weight in weights:
            self.weigh(planting, day, "table", kg * weight / sum(weights), each_kg)
            last, day = day, day + timedelta(days=every + int(self.rng.integers(-1, 2)))
        return last

    def finish(self, planting: str, day: date) -> None:
        next(row for row in self.rows["plantings"] if row["id"] == planting)["finished_on"] = day


def make_ground(g: Garden) -> None:
    g.add(
        "sites",
        id="yard",
        name="Ropewalk Yard",
        length_m=38,
        width_m=3.4,
        light="part shade",
        light_when="sun from eleven to five",
        shelter="wall",
        path_m=0.3,
        latitude=52.4,
        north_deg=20,
        notes="Long, narrow, behind the terrace.",
    )
    g.add(
        "sites",
        id="lock",
        name="Lock Strip",
        length_m=16,
        width_m=4,
        light="full sun",
        shelter="open",
        away_min=12,
        latitude=52.4,
        notes="On loan, by the canal lock.",
    )
    for i in range(5):
        g.add(
            "places",
            id=f"bed-{i + 1}",
            site="yard",
            kind="bed",
            name="Bed",
            number=i + 1,
            length_m=5.2,
            width_m=1.1,
            x_m=round(0.8 + i * 5.6, 1),
            y_m=0.2,
        )
    for i in range(14):
        g.add(
            "places",
            id=f"crock-{i + 1}",
            site="yard",
            kind="crock",
            name="Crock",
            number=i + 1,
            volume_l=32,
            material="glazed",
            x_m=round(0.8 + i * 0.75, 2),
            y_m=2.3,
            empty_kg=11,
            light="full sun" if i == 2 else None,
        )
    for i in range(24):
        row, column = divmod(i, 12)
        g.add(
            "places",
            id=f"crate-{i + 1}",
            site="yard",
            kind="crate",
            name="Crate",
            number=i + 1,
            volume_l=45,
            material="slatted",
            x_m=round(12.2 + column * 0.75, 2),
            y_m=round(1.8 + row * 0.7, 1),
        )
    g.add(
        "places",
        id="lean-to",
        site="yard",
        kind="bed",
        name="Lean-to",
        length_m=5.6,
        width_m=1.2,
        material="under old sashes",
        x_m=31.2,
        y_m=1.9,
        light="full sun",
    )
    g.add("places", id="block", site="lock", kind="plot", name="Corn block", length_m=3.6, width_m=3, x_m=0.4, y_m=0.5)
    g.add(
        "places",
        id="mound",
        site="lock",
        kind="mound",
        name="Squash mound",
        length_m=2.4,
        width_m=2.4,
        x_m=4.6,
        y_m=0.8,
    )
    g.add(
        "places",
        id="berry",
        site="lock",
        kind="narrow bed",
        name="Berry bed",
        length_m=4,
        width_m=1.2,
        x_m=7.6,
        y_m=1.4,
    )

    for i in range(4):
        g.add(
            "places",
            id=f"square-{i + 1}",
            site="lock",
            kind="plot",
            name="Square",
            number=i + 1,
            length_m=1.5,
            width_m=0.8,
            x_m=round(12.2 + i % 2 * 1.8, 1),
            y_m=0.6 + i // 2 * 1.6,
        )


def shallot_trial(g: Garden, season: int, crates: list[int]) -> None:
    """Set in autumn against spring, three varieties, as many crates of each."""
    varieties = ("Lantern Row", "Cinder Path", "Tarred Twine")
    each = len(crates) // 6
    order = [(v, s) for v in varieties for s in ("autumn", "spring") for _ in range(each)]
    for crate, index in zip(crates, g.rng.permutation(len(order)), strict=True):
        variety, setting = order[int(index)]
        planted = date(season - 1, 10, 20) if setting == "autumn" else date(season, 3, 21)
        lifted = date(season, 7, 6) if setting == "autumn" else date(season, 8, 4)
        ref = g.plant(
            f"crate-{crate}",
            "shallot",
            variety,
            season,
            planted,
            9,
            "set",
            in_row_m=0.15,
            row_gap_m=0.15,
            lot=f"{variety.split()[0].lower()}-{season - 1}",
            methods=f"setting={setting}",
        )
        kg = g.total_kg("shallot", variety, season, 9, 0.072, 1.22 if setting == "autumn" else 1.0)
        g.lift(ref, lifted, kg, 0.026)
        g.finish(ref, lifted)


def bean_trial(g: Garden, season: int) -> None:
    """Broad beans under net and open, in two beds of two varieties each."""
    for bed, cover in ((1, "netted"), (2, "open"), (2, "netted"), (1, "open")):
        for variety in ("Lockgate", "Slow Barge"):
            ref = g.plant(
                f"bed-{bed}",
                "broad bean",
                variety,
                season,
                date(season, 3, 3 + bed),
                14,
                "seed",
                in_row_m=0.2,
                row_gap_m=0.45,
                methods=f"cover={cover}",
            )
            kg = g.total_kg("broad bean", variety, season, 14, 0.15, 1.12 if cover == "netted" else 1.0)
            g.finish(ref, g.pick(ref, date(season, 6, 12), 5, 6, kg, 0.019))


def tomatoes(g: Garden, season: int, crocks: list[int]) -> None:
    varieties = ("Brass Bell", "Midday Whistle", "Aunt Cord")
    for i, crock in enumerate(crocks):
        variety = varieties[i % 3]
        ref = g.plant(
            f"crock-{crock}",
            "tomato",
            variety,
            season,
            date(season, 5, 18),
            1,
            "transplant",
            methods="watering=twice daily" if crock % 2 else "watering=wick",
        )
        kg = g.total_kg("tomato", variety, season, 1, 2.1, 1.0 if crock % 2 else 1.1)
        last = g.pick(ref, date(season, 7, 24), 8, 7, kg, 0.07)
        g.weigh(ref, last, "unripe", kg * 0.12, 0.05)
        g.finish(ref, last)
    if season == 2026:
        g.rows["weigh_ins"][-1]["note"] = "the label said Brass Bell; the fruit showed what it was"


def bed_crops(g: Garden, season: int) -> None:
    """What fills the beds each year; lifted in one go or picked for weeks."""

    def once(
        place: str,
        crop: str,
        variety: str,
        planted: date,
        lifted: date,
        units: int,
        kind: str,
        each: float,
        per_unit: float,
        **more: Any,
    ) -> None:
        ref = g.plant(place, crop, variety, season, planted, units, kind, **more)
        g.lift(ref, lifted, g.total_kg(crop, variety, season, units, per_unit, 1.0), each)
        g.finish(ref, lifted)

    def picked(
        place: str,
        crop: str,
        variety: str,
        planted: date,
        first: date,
        times: int,
        every: int,
        units: int,
        kind: str,
        each: float,
        per_unit: float,
        **more: Any,
    ) -> str:
        ref = g.plant(place, crop, variety, season, planted, units, kind, **more)
        kg = g.total_kg(crop, variety, season, units, per_unit, 1.0)
        g.finish(ref, g.pick(ref, first, times, every, kg, each))
        return ref

    y = season
    for variety in ("Old Hemp", "Splice"):
        once(
            "bed-3",
            "beetroot",
            variety,
            date(y, 4, 20),
            date(y, 7, 20),
            40,
            "seed",
            0.13,
            0.11,
            in_row_m=0.08,
            row_gap_m=0.3,
        )
        once(
            "bed-5",
            "garlic",
            f"{variety} Knot",
            date(y - 1, 10, 15),
            date(y, 7, 10),
            30,
            "clove",
            0.048,
            0.047,
            in_row_m=0.15,
            row_gap_m=0.3,
        )
        picked(
            "bed-2",
            "climbing bean",
            f"{variety} Runner",
            date(y, 5, 20),
            date(y, 7, 25),
            8,
            6,
            16,
            "seed",
            0.009,
            0.33,
            in_row_m=0.1,
            row_gap_m=0.9,
        )
    picked(
        "bed-1",
        "pea",
        "Towpath",
        date(y, 3, 20),
        date(y, 6, 20),
        5,
        4,
        60,
        "seed",
        0.006,
        0.045,
        in_row_m=0.05,
        row_gap_m=0.6,
    )
    picked(
        "bed-4",
        "chard",
        "Windlass",
        date(y, 4, 28),
        date(y, 6, 25),
        12,
        9,
        10,
        "module",
        0.03,
        0.55,
        in_row_m=0.25,
        row_gap_m=0.4,
    )
    picked(
        "bed-4",
        "kale",
        "Capstan",
        date(y, 5, 25),
        date(y, 8, 30),
        10,
        8,
        8,
        "module",
        0.02,
        0.7,
        in_row_m=0.45,
        row_gap_m=0.6,
    )
    picked(
        "lean-to",
        "courgette",
        "Bollard",
        date(y, 5, 25),
        date(y, 7, 1),
        14,
        5,
        3,
        "transplant",
        0.3,
        4.2,
        in_row_m=0.9,
        row_gap_m=1.2,
    )
    once("mound", "winter squash", "Millrace", date(y, 5, 28), date(y, 9, 28), 3, "transplant", 1.6, 3.6)
    once(
        "block",
        "sweet corn",
        "Halyard",
        date(y, 5, 16),
        date(y, 8, 26),
        40,
        "seed",
        0.24,
        0.31,
        in_row_m=0.3,
        row_gap_m=0.75,
    )
    if y == 2024:
        g.berries = g.plant(
            "berry",
            "strawberry",
            "Lock-keeper",
            y,
            date(2024, 3, 30),
            24,
            "runner",
            in_row_m=0.3,
            row_gap_m=0.4,
            rows=3,
            perennial="yes",
        )
    kg = g.total_kg("strawberry", "Lock-keeper", y, 24, {2024: 0.06, 2025: 0.21, 2026: 0.19}[y], 1.0)
    g.pick(g.berries, date(y, 6, 10), 9, 3, kg, 0.012)


def potatoes(g: Garden, season: int, crocks: list[int]) -> None:
    for i, crock in enumerate(crocks):
        variety = ("Ferryman", "Blue Slate")[i % 2]
        ref = g.plant(f"crock-{crock}", "potato", variety, season, date(season, 4, 2), 2, "seed potato")
        g.lift(ref, date(season, 7, 28), g.total_kg("potato", variety, season, 2, 0.62, 1.0), 0.075, small=0.2)
        g.finish(ref, date(season, 7, 28))


def odd_ones(g: Garden) -> None:
    """A failure, a volunteer, a mixed basket, what waits for the scale, and what still stands."""
    failed = g.plant(
        "bed-4",
        "courgette",
        "Bollard",
        2025,
        date(2025, 5, 20),
        2,
        "transplant",
        in_row_m=0.9,
        methods="light=behind the water butt",
    )
    g.finish(failed, date(2025, 8, 1))
    stray = g.plant("bed-3", "potato", "", 2025, None, 1, "plant", volunteer="yes")
    g.lift(stray, date(2025, 9, 12), 0.71, 0.08)
    g.finish(stray, date(2025, 9, 12))
    note = "two crocks in one basket of 2.310 kg, split by count"
    for crock, kg in ((13, 1.271), (14, 1.039)):
        mixed = g.plant(f"crock-{crock}", "potato", "Ferryman", 2026, date(2026, 4, 2), 2, "seed potato")
        g.weigh(mixed, date(2026, 7, 28), "table", kg, 0.077, note)
        g.finish(mixed, date(2026, 7, 28))
    for i in range(14):
        leek = g.plant(
            f"crate-{i + 1}",
            "leek",
            ("Long Cable", "Pennant")[i % 2],
            2026,
            date(2026, 7, 24),
            8,
            "module",
            in_row_m=0.15,
            row_gap_m=0.15,
        )
        if i < 5:
            kg = g.total_kg("leek", ("Long Cable", "Pennant")[i % 2], 2026, 8, 0.19, 1.0)
            day = date(2026, 11, 8 + i)
            g.lift(leek, day, kg, 0.2, small=0.2)
            g.finish(leek, day)
    waits = g.rows["plantings"][-9]["id"]
    g.add(
        "weigh_ins",
        id=f"w{len(g.rows['weigh_ins']) + 1:04d}",
        planting=waits,
        weighed_on=date(2026, 11, 22),
        grade="table",
        count=6,
        waits="yes",
        note="dark already; still to be weighed",
    )
    for bed, variety in ((5, "Old Hemp Knot"), (3, "Splice Knot")):
        g.plant(f"bed-{bed}", "garlic", variety, 2027, date(2026, 10, 16), 30, "clove", in_row_m=0.15, row_gap_m=0.3)


def lots(g: Garden) -> None:
    """Packets and what was kept; the plantings of the headline trial name theirs already."""
    for row in g.rows["plantings"]:
        if row.get("lot") and not any(lot["id"] == row["lot"] for lot in g.rows["lots"]):
            g.add(
                "lots",
                id=row["lot"],
                crop=row["crop"],
                variety=row["variety"],
                name=row["lot"],
                source="market stall",
                packed_year=row["season"] - 1,
                bought_count=80,
                price=4.5,
            )
    kept = next(r["id"] for r in g.rows["plantings"] if r["crop"] == "garlic" and r["season"] == 2026)
    g.add(
        "lots",
        id="own-garlic",
        crop="garlic",
        variety="Old Hemp Knot",
        name="own 2026",
        kept_from=kept,
        bought_count=45,
    )
    g.add(
        "lots",
        id="beet-2024",
        crop="beetroot",
        variety="Old Hemp",
        name="beet 2024",
        source="seed swap",
        packed_year=2024,
        sow_by=date(2026, 12, 31),
        bought_count=250,
        price=2.2,
    )
    for row in g.rows["plantings"]:
        if row["crop"] == "beetroot" and row["variety"] == "Old Hemp":
            row["lot"] = "beet-2024"
        if row["crop"] == "garlic" and row["season"] == 2027 and row["variety"] == "Old Hemp Knot":
            row["lot"] = "own-garlic"


def ground_in_time(g: Garden) -> None:
    """Parts, a crock moved into the sun, and what the containers are filled with."""
    for bed, name, start, end, light, moisture in (
        (2, "west half", 0, 0.5, None, None),
        (2, "east half", 0.5, 1, None, None),
        (4, "behind the butt", 0, 0.2, "shade", "wet"),
        (5, "east end", 0.85, 1, None, "dry"),
    ):
        g.add(
            "parts",
            id=f"part-{bed}-{start:g}",
            place=f"bed-{bed}",
            name=name,
            kind="stretch",
            start=start,
            end=end,
            light=light,
            moisture=moisture,
        )
    g.add(
        "moves",
        id="move-1",
        place="crock-3",
        day=date(2026, 6, 20),
        left_site="yard",
        left_x_m=11.4,
        left_y_m=2.3,
        left_light="shade",
        note="out from behind the bench",
    )
    g.add("mixes", id="crock-mix", name="Crock mix", recipe="compost 2; loam 1; sharp sand 1")
    for i in range(14):
        place = f"crock-{i + 1}"
        g.add(
            "fills",
            id=f"fill-{i + 1}a",
            place=place,
            day=date(2024, 3, 20),
            kind="filled",
            litres=27,
            mix="crock-mix",
            price=3.2,
            over_uses=3,
        )
        g.add(
            "fills", id=f"fill-{i + 1}b", place=place, day=date(2025, 3, 22), kind="measured", litres=22.5, note="sunk"
        )
        g.add("fills", id=f"fill-{i + 1}c", place=place, day=date(2025, 3, 24), kind="topped up", litres=4)
        g.add(
            "costs", id=f"cost-crock-{i + 1}", place=place, what="crock", price=14, day=date(2024, 3, 1), over_years=10
        )
    for i in range(2):
        g.add(
            "fills",
            id=f"fill-crate-{i + 1}",
            place=f"crate-{i + 1}",
            day=date(2026, 8, 6),
            kind="reused",
            litres=36,
            came_from="crock-7",
            note="full of fine roots",
        )


def vague_ones(g: Garden) -> None:
    """What nobody knows exactly, what was sown again, what was replaced, what was counted."""
    vague = g.plant(
        "bed-5",
        "courgette",
        "",
        2026,
        date(2026, 5, 15),
        2,
        "plant",
        units_pm=1,
        planted_precision="third",
        part="part-5-0.85",
        notes="from a neighbour, no label",
    )
    for day, kg in ((date(2026, 7, 20), 1.9), (date(2026, 8, 3), 2.4), (date(2026, 8, 21), 1.6)):
        g.weigh(vague, day, "table", kg, 0.31)
    g.finish(vague, date(2026, 9, 30))
    doubtful = next(r for r in g.rows["plantings"] if r["place"] == "crock-10" and r["season"] == 2026)
    doubtful |= {"variety_in_doubt": "yes", "notes": "The label said Brass Bell; the fruit showed something else."}
    g.rows["weigh_ins"] = [
        w | {"note": ""} if w.get("note", "").startswith("the label") else w for w in g.rows["weigh_ins"]
    ]
    first = next(r["id"] for r in g.rows["plantings"] if r["crop"] == "beetroot" and r["season"] == 2026)
    for n, (day, kind, count) in enumerate(
        ((date(2026, 5, 4), "up", 27), (date(2026, 5, 24), "thinned", 5), (date(2026, 6, 2), "died", 3))
    ):
        g.add("counts", id=f"count-{n + 1}", planting=first, day=day, kind=kind, count=count)
    others = [r for r in g.rows["plantings"] if r["place"] == "bed-3" and r["crop"] == "beetroot" and r["id"] != first]
    for row, up in zip(others, (36, 38, 37, 35, 36), strict=True):
        day = date(row["season"], 5, 6)
        g.add("counts", id=f"up-{row['id']}", planting=row["id"], day=day, kind="up", count=up)
    again = g.plant(
        "bed-3",
        "beetroot",
        "Old Hemp",
        2026,
        date(2026, 5, 10),
        13,
        "seed",
        kin=first,
        kinship="cohort",
        lot="beet-2024",
        in_row_m=0.08,
        row_gap_m=0.3,
    )
    g.add("counts", id="count-4", planting=again, day=date(2026, 5, 25), kind="up", count=10)
    g.lift(again, date(2026, 8, 12), 0.92, 0.11)
    g.finish(again, date(2026, 8, 12))
    for day, kind, count in (
        (date(2024, 5, 1), "died", 2),
        (date(2025, 8, 20), "renewed", 2),
        (date(2026, 8, 15), "standing", 22),
    ):
        g.add("counts", id=f"berries-{day.year}", planting=g.berries, day=day, kind=kind, count=count)
    chard = g.plant(
        "bed-4",
        "chard",
        "Windlass",
        2027,
        date(2026, 8, 20),
        6,
        "module",
        part="part-4-0",
        in_row_m=0.25,
        row_gap_m=0.4,
        notes="to stand over winter",
    )
    g.weigh(chard, date(2026, 11, 6), "table", 0.41, 0.03)


def at_the_bench(g: Garden) -> None:
    """Bowls and scales, causes, a mixed basket, and what the seed potatoes weighed."""
    g.add("scales", id="kitchen-scale", name="kitchen scale", step="1 g", limit="5000 g")
    g.add("scales", id="hanging-scale", name="hanging scale", step="20 g", limit="25000 g")
    for ref, name, mass in (("blue-bowl", "blue bowl", "312 g"), ("trug", "slatted trug", "1140 g")):
        g.add("bowls", id=ref, name=name, mass=mass)
    for name in ("tub", "bunch"):
        g.add("own_measures", id=name, name=name)
    g.add("crops", id="crop-courgette", name="courgette", counted="yes")

    for row in g.rows["weigh_ins"]:
        if (row.get("note") or "").startswith("two crocks"):
            row |= {"basket": "basket-1", "split_by": "count"}
        if row["grade"] == "hurt":
            crop = next(r["crop"] for r in g.rows["plantings"] if r["id"] == row["planting"])
            row["cause"] = {"potato": "forked", "shallot": "split", "beetroot": "nibbled"}.get(crop, "slugs")
        row["scale"] = "kitchen-scale" if row.get("mass") and row["weighed_on"].year > 2024 else None
    for row in g.rows["plantings"]:
        if row["crop"] == "potato" and row["unit_kind"] == "seed potato":
            row["lot_mass"] = f"{row['units'] * 62} g"


def special_lines(g: Garden) -> None:
    """Part lifts, the ripening shelf, thinnings, gappy ears, own measures, a renamed crock, and what is remembered."""

    def line(planting: str, day: date, **more: Any) -> str:
        ref = f"w{len(g.rows['weigh_ins']) + 1:04d}"
        return g.add("weigh_ins", id=ref, planting=planting, weighed_on=day, **({"grade": "table"} | more))

    def season_of(crop: str, season: int, place: str = "") -> list[dict[str, Any]]:
        rows = [r for r in g.rows["plantings"] if r["crop"] == crop and r["season"] == season]
        return [r for r in rows if r["place"].startswith(place)]

    standing = [r for r in season_of("leek", 2026) if not r.get("finished_on")]
    line(standing[1]["id"], date(2026, 11, 15), count=3, mass="610 g", plants=3, scale="kitchen-scale", topped="topped")
    line(standing[2]["id"], date(2026, 11, 19), count=2, mass="388 g", plants=2, scale="kitchen-scale", topped="topped")
    unripe = [w for w in g.rows["weigh_ins"] if w["grade"] == "unripe" and w["weighed_on"].year == 2026]
    for lot in unripe[:4]:
        whole = max(lot["count"] - 1, 1)
        line(
            lot["planting"],
            lot["weighed_on"] + timedelta(days=12),
            count=whole,
            mass=f"{whole * 44} g",
            turned_from=lot["id"],
            note="ripened indoors",
        )
    for row in season_of("beetroot", 2026)[:2]:
        line(row["id"], date(2026, 5, 24), count=14, mass="96 g", thinning="yes", note="baby leaves and roots")
    corn = season_of("sweet corn", 2026)[0]
    line(corn["id"], date(2026, 8, 29), count=11, fullness="gappy")
    tomato = next(r for r in season_of("tomato", 2026) if r["place"] == "crock-10")
    g.add(
        "renamings",
        id="renaming-1",
        planting=tomato["id"],
        day=date(2026, 8, 2),
        was="Aunt Cord",
        note="the fruit were round, not ribbed",
    )
    for day, mass, tubs in ((date(2026, 8, 9), "610 g", 1), (date(2026, 8, 16), "1.270 kg", 2)):
        line(season_of("tomato", 2026)[0]["id"], day, mass=mass, measure="tub", measures=tubs)
    line(season_of("tomato", 2026)[1]["id"], date(2026, 8, 23), measure="tub", measures=1, note="given away unweighed")
    line(
        season_of("courgette", 2026)[0]["id"],
        date(2026, 9, 21),
        precision="month",
        mass="2 kg",
        give_or_take="500 g",
        remembered="yes",
        note="while we were away; the neighbour guessed",
    )
    best = season_of("garlic", 2026)[0]
    g.add(
        "single_plants",
        id="best-garlic",
        planting=best["id"],
        day=date(2026, 7, 10),
        mass="118 g",
        note="the largest bulb: kept to plant",
    )


def happenings(g: Garden) -> None:
    """What happened, what was done, and whether it helped."""
    beans = [r["id"] for r in g.rows["plantings"] if r["crop"] == "broad bean" and r["season"] == 2026]
    for n, planting in enumerate(beans[:3]):
        g.add(
            "happenings",
            id=f"fly-{n + 1}",
            planting=planting,
            day=date(2026, 5, 28),
            kind="pest",
            what="blackfly",
            lost_share=0.1,
            done="tips pinched out",
            helped="partly",
        )
    g.add(
        "happenings",
        id="drought-25",
        site="lock",
        day=date(2025, 7, 4),
        until=date(2025, 7, 29),
        kind="drought",
        what="no rain, can only be carried",
        done="watered twice a week",
        helped="partly",
    )
    g.add(
        "happenings",
        id="frost-24",
        place="block",
        day=date(2024, 5, 21),
        kind="frost",
        what="late frost",
        lost_share=0.15,
        done="resown the gaps",
        helped="yes",
    )
    for n, row in enumerate(r for r in g.rows["plantings"] if r["crop"] == "potato" and r["season"] == 2026):
        row["lift_from"] = date(2026, 7, 26)
        g.add(
            "happenings",
            id=f"blight-{n + 1}",
            planting=row["id"],
            day=date(2026, 7, 12),
            kind="cut back",
            what="blight",
            done="foliage cut and binned as the council says",
            helped="yes",
        )
    g.add(
        "happenings",
        id="butt-25",
        part="part-4-0",
        day=date(2025, 6, 10),
        precision="week",
        kind="shaded",
        what="the new water butt",
        lost_share=1,
    )
    tomatoes_2026 = [r["id"] for r in g.rows["plantings"] if r["crop"] == "tomato" and r["season"] == 2026]
    n = 0
    for week in range(8):
        for planting in tomatoes_2026:
            n += 1
            g.add(
                "jobs",
                id=f"job-{n:03d}",
                planting=planting,
                day=date(2026, 6, 20) + timedelta(days=7 * week),
                job="water",
                minutes=1.5,
                litres=4,
            )


def crowding(g: Garden) -> None:
    """Beetroot at four spacings in crates of 2025: less each, more together."""
    for i, spacing in enumerate((0.2, 0.2, 0.2, 0.14, 0.14, 0.14, 0.1, 0.1, 0.1, 0.07, 0.07, 0.07)):
        per_m2 = 1 / spacing**2
        units = round(0.24 * per_m2)
        variety = ("Old Hemp", "Splice")[i % 2]
        ref = g.plant(
            f"crate-{13 + i}",
            "beetroot",
            variety,
            2025,
            date(2025, 4, 14),
            units,
            "module",
            in_row_m=spacing,
            row_gap_m=spacing,
        )
        g.add("counts", id=f"stood-{ref}", planting=ref, day=date(2025, 5, 20), kind="standing", count=units)
        kg = units / (4.5 + 0.1 * per_m2) * math.exp(float(g.rng.normal(0, 0.12)))
        g.lift(ref, date(2025, 7, 22), kg, kg / units, small=0.05)
        g.finish(ref, date(2025, 7, 22))


def squares(g: Garden) -> None:
    """Carrots and lettuces in one square or in squares of their own, two years, turned about."""
    for season in (2025, 2026):
        for i in range(4):
            crops = (("carrot", "lettuce"), ("carrot", "lettuce"), ("carrot",), ("lettuce",))[(i + season) % 4]
            for crop in crops:
                variety, kind, units, kg = {
                    "carrot": ("Plumb Line", "seed", 70, 4.1),
                    "lettuce": ("Still Water", "module", 14, 2.3),
                }[crop]
                share = 1.0 if len(crops) == 1 else {"carrot": 0.76, "lettuce": 0.63}[crop]
                ref = g.plant(f"square-{i + 1}", crop, variety, season, date(season, 4, 20), units, kind)
                day = date(season, 7, 14) if crop == "carrot" else date(season, 6, 20)
                g.lift(ref, day, kg * share * math.exp(float(g.rng.normal(0, 0.1))), kg / units, hurt=0.04)
                g.finish(ref, day)


def judged(g: Garden) -> None:
    """Criteria of the household, what people said, verdicts, a question kept, and a trial for next year."""
    for n, (name, weight) in enumerate((("flavour", 2), ("texture", 1), ("picking", 1))):
        g.add("criteria", id=f"criterion-{n + 1}", name=name, weight=weight)
    said = {
        ("tomato", "Brass Bell"): (3, 4, 5),
        ("tomato", "Midday Whistle"): (5, 4, 3),
        ("tomato", "Aunt Cord"): (4, 3, 2),
        ("shallot", "Lantern Row"): (4, 4, 4),
        ("shallot", "Cinder Path"): (5, 4, 3),
        ("shallot", "Tarred Twine"): (2, 3, 4),
    }
    n = 0
    for (crop, variety), scores in said.items():
        for season in (2025, 2026):
            for judge in ("Odile", "Bram"):
                for criterion, value in enumerate(scores, start=1):
                    n += 1
                    value = min(max(value + int(g.rng.integers(-1, 2)), 1), 5)
                    g.add(
                        "scores",
                        id=f"score-{n:03d}",
                        crop=crop,
                        variety=variety,
                        criterion=f"criterion-{criterion}",
                        season=season,
                        value=value,
                        judge=judge,
                    )
    for variety, season, kind, reason in (
        ("Aunt Cord", 2025, "no fair chance", "stood behind the bench; try it in the sun"),
        ("Midday Whistle", 2026, "staple", "everybody asks for it"),
        ("Brass Bell", 2026, "again", ""),
    ):
        ref = f"verdict-{variety.split()[0].lower()}-{season}"
        g.add("verdicts", id=ref, crop="tomato", variety=variety, season=season, kind=kind, reason=reason)
    g.add(
        "questions",
        id="autumn-or-spring",
        name="Autumn or spring?",
        pinned="yes",
        method=METHOD_VERSION,
        address="compare=method%3Asetting&by=kg_per_plant&crop=shallot&within=variety&within=season",
    )
    g.add(
        "questions",
        id="net-or-open",
        name="Does the net help?",
        method=METHOD_VERSION,
        address="compare=method%3Acover&by=kg_per_plant&crop=broad+bean&within=variety&within=season",
    )
    g.add(
        "trials",
        id="mulch-27",
        name="Does mulch help, and does it depend on the setting?",
        crop="shallot",
        season=2027,
        first="mulch",
        first_levels="straw; none",
        second="setting",
        second_levels="autumn; spring",
        blinded="yes",
        seed=27,
        alike="The same mix, depth, water and feed; lifted when the tops fall.",
    )
    spots = [TrialSpot(f"crate-{n}", "crates", float(n), 0.0) for n in range(1, 17)]
    kinds = treatments_of([["straw", "none"], ["autumn", "spring"]])
    for number, one in enumerate(random_layout(spots, kinds, 27), start=1):
        g.add(
            "trial_units",
            id=f"mulch-27-{number:02d}",
            trial="mulch-27",
            place=one.key,
            number=number,
            block=one.block,
            first=one.treatment[0],
            second=one.treatment[1],
        )


def names(g: Garden) -> None:
    """A row for every crop and variety that something names, before what names them."""
    known = {row["name"] for row in g.rows["crops"]}
    pairs = {(row["crop"], row["variety"]) for row in g.rows["varieties"]}
    for row in (row for table in ("lots", "plantings", "scores", "verdicts", "trials") for row in g.rows[table]):
        crop, variety = row["crop"], row.get("variety")
        if crop not in known:
            known.add(crop)
            g.add("crops", id=slug(crop), name=crop)
        if variety and (crop, variety) not in pairs:
            pairs.add((crop, variety))
            g.add("varieties", id=slug(f"{crop} {variety}"), crop=crop, name=variety)
    g.add(
        "household",
        id="household",
        time_zone="Europe/London",
        default_unit="scale",
        small_food="yes",
        kitchen_kg_per_week=6,
        date_order="dmy",
        sure_fold=12,
        currency="€",
    )


def slug(text: str) -> str:
    return text.lower().replace(" ", "-")


def weather(g: Garden) -> None:
    """Three seasons of the simulated station at the yard."""
    start, end = date(2024, 1, 1), date(2026, 11, 22)
    station = SimulatedStation(52.4, zlib.crc32(b"yard"), end)
    for entry in read_days(station, start, end):
        g.add(
            "weather",
            id=f"yard-{entry.day}",
            site="yard",
            day=entry.day,
            min_c=entry.min_c,
            max_c=entry.max_c,
            rain_mm=entry.rain_mm,
            source="simulated station",
        )


def write(g: Garden) -> None:
    HERE.mkdir(exist_ok=True)
    (HERE / "datapackage.json").write_text(json.dumps(descriptor("ropewalk-yard"), indent=2, ensure_ascii=False) + "\n")
    for table in TABLES:
        # What a row does not say is written as the format writes it: by its default, or empty where that is quiet.
        plain = {c.name: None if c.shown or c.empty is False else c.empty for c in table.columns}
        (HERE / f"{table.name}.csv").write_text(as_csv(table, (plain | row for row in g.rows[table.name])))


def main() -> None:
    g = Garden()
    make_ground(g)
    for name, appetite in (("Odile", 1), ("Bram", 1.25), ("Ines", 1), ("Wen", 0.75), ("Tilly", 0.5), ("the lodger", 1)):
        g.add("eaters", id=name.split()[-1].lower(), name=name, appetite=appetite)
    g.add("eaters", id="ducks", name="four ducks", appetite=0.5)
    g.add("eaters", id="cousins", name="the cousins", appetite=4, weeks=2, guest="yes")
    for season in SEASON_EFFECT:
        bed_crops(g, season)
        potatoes(g, season, [11, 12] if season == 2026 else list(range(7, 13)))
        tomatoes(g, season, list(range(1, 11)) if season == 2026 else list(range(1, 7)))
    shallot_trial(g, 2025, list(range(1, 13)))
    shallot_trial(g, 2026, list(range(1, 25)))
    bean_trial(g, 2025)
    bean_trial(g, 2026)
    odd_ones(g)
    lots(g)
    ground_in_time(g)
    vague_ones(g)
    at_the_bench(g)
    special_lines(g)
    happenings(g)
    crowding(g)
    squares(g)
    judged(g)
    larder(g)
    look_back(g)
    plans(g)
    names(g)
    weather(g)
    write(g)


if __name__ == "__main__":
    main()
