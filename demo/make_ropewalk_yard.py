"""Makes the demo garden "Ropewalk Yard" in the open format: invented, seeded, with a garden's spread.

Run: .venv/bin/python -m demo.make_ropewalk_yard
"""

from __future__ import annotations

import csv
import json
import math
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from kilter.exchange.schema import TABLES, cell, descriptor

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
            "plantings", id=ref, place=place, crop=crop, variety=variety, season=season, planted_on=planted,
            units=units, unit_kind=kind, **more,
        )  # fmt: skip

    def weigh(self, planting: str, day: date, grade: str, kg: float, each_kg: float, note: str = "") -> None:
        grams = max(round(kg * 1000), 1)
        count = max(round(grams / 1000 / each_kg * float(self.rng.normal(1, 0.08))), 1)
        shown = f"{grams / 1000:.3f} kg" if grams >= 1000 else f"{grams} g"
        self.add(
            "weigh_ins", id=f"w{len(self.rows['weigh_ins']) + 1:04d}", planting=planting, weighed_on=day,
            grade=grade, count=count, mass=shown, note=note,
        )  # fmt: skip

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
    g.add("sites", id="yard", name="Ropewalk Yard", length_m=38, width_m=3.4, notes="Long, narrow, behind the terrace.")
    g.add("sites", id="lock", name="Lock Strip", length_m=12, width_m=4, notes="On loan, by the canal lock.")
    for i in range(5):
        g.add("places", id=f"bed-{i + 1}", site="yard", kind="bed", name="Bed", number=i + 1,
              length_m=5.2, width_m=1.1, x_m=round(0.8 + i * 5.6, 1), y_m=0.2)  # fmt: skip
    for i in range(14):
        g.add("places", id=f"crock-{i + 1}", site="yard", kind="crock", name="Crock", number=i + 1, volume_l=32,
              material="glazed", x_m=round(0.8 + i * 0.75, 2), y_m=2.3)  # fmt: skip
    for i in range(24):
        row, column = divmod(i, 12)
        g.add("places", id=f"crate-{i + 1}", site="yard", kind="crate", name="Crate", number=i + 1, volume_l=45,
              material="slatted", x_m=round(12.2 + column * 0.75, 2), y_m=round(1.8 + row * 0.7, 1))  # fmt: skip
    g.add("places", id="lean-to", site="yard", kind="bed", name="Lean-to", length_m=5.6, width_m=1.2,
          material="under old sashes", x_m=31.2, y_m=1.9)  # fmt: skip
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


def shallot_trial(g: Garden, season: int, crates: list[int]) -> None:
    """Set in autumn against spring, three varieties, as many crates of each."""
    varieties = ("Lantern Row", "Cinder Path", "Tarred Twine")
    each = len(crates) // 6
    order = [(v, s) for v in varieties for s in ("autumn", "spring") for _ in range(each)]
    for crate, index in zip(crates, g.rng.permutation(len(order)), strict=True):
        variety, setting = order[int(index)]
        planted = date(season - 1, 10, 20) if setting == "autumn" else date(season, 3, 21)
        lifted = date(season, 7, 6) if setting == "autumn" else date(season, 8, 4)
        ref = g.plant(f"crate-{crate}", "shallot", variety, season, planted, 9, "set", in_row_m=0.15, row_gap_m=0.15,
                      lot=f"{variety.split()[0].lower()}-{season - 1}", methods=f"setting={setting}")  # fmt: skip
        kg = g.total_kg("shallot", variety, season, 9, 0.072, 1.22 if setting == "autumn" else 1.0)
        g.lift(ref, lifted, kg, 0.026)
        g.finish(ref, lifted)


def bean_trial(g: Garden, season: int) -> None:
    """Broad beans under net and open, in two beds of two varieties each."""
    for bed, cover in ((1, "netted"), (2, "open"), (2, "netted"), (1, "open")):
        for variety in ("Lockgate", "Slow Barge"):
            ref = g.plant(f"bed-{bed}", "broad bean", variety, season, date(season, 3, 3 + bed), 14, "seed",
                          in_row_m=0.2, row_gap_m=0.45, methods=f"cover={cover}")  # fmt: skip
            kg = g.total_kg("broad bean", variety, season, 14, 0.15, 1.12 if cover == "netted" else 1.0)
            g.finish(ref, g.pick(ref, date(season, 6, 12), 5, 6, kg, 0.019))


def tomatoes(g: Garden, season: int, crocks: list[int]) -> None:
    varieties = ("Brass Bell", "Midday Whistle", "Aunt Cord")
    for i, crock in enumerate(crocks):
        variety = varieties[i % 3]
        ref = g.plant(f"crock-{crock}", "tomato", variety, season, date(season, 5, 18), 1, "transplant",
                      methods="watering=twice daily" if crock % 2 else "watering=wick")  # fmt: skip
        kg = g.total_kg("tomato", variety, season, 1, 2.1, 1.0 if crock % 2 else 1.1)
        last = g.pick(ref, date(season, 7, 24), 8, 7, kg, 0.07)
        g.weigh(ref, last, "unripe", kg * 0.12, 0.05)
        g.finish(ref, last)
    if season == 2026:
        g.rows["weigh_ins"][-1]["note"] = "the label said Brass Bell; the fruit showed what it was"


def bed_crops(g: Garden, season: int) -> None:
    """What fills the beds each year; lifted in one go or picked for weeks."""

    def once(place: str, crop: str, variety: str, planted: date, lifted: date, units: int, kind: str, each: float,
             per_unit: float, **more: Any) -> None:  # fmt: skip
        ref = g.plant(place, crop, variety, season, planted, units, kind, **more)
        g.lift(ref, lifted, g.total_kg(crop, variety, season, units, per_unit, 1.0), each)
        g.finish(ref, lifted)

    def picked(place: str, crop: str, variety: str, planted: date, first: date, times: int, every: int, units: int,
               kind: str, each: float, per_unit: float, **more: Any) -> str:  # fmt: skip
        ref = g.plant(place, crop, variety, season, planted, units, kind, **more)
        kg = g.total_kg(crop, variety, season, units, per_unit, 1.0)
        g.finish(ref, g.pick(ref, first, times, every, kg, each))
        return ref

    y = season
    for variety in ("Old Hemp", "Splice"):
        once("bed-3", "beetroot", variety, date(y, 4, 20), date(y, 7, 20), 40, "seed", 0.13, 0.11,
             in_row_m=0.08, row_gap_m=0.3)  # fmt: skip
        once("bed-5", "garlic", f"{variety} Knot", date(y - 1, 10, 15), date(y, 7, 10), 30, "clove", 0.048, 0.047,
             in_row_m=0.15, row_gap_m=0.3)  # fmt: skip
        picked("bed-2", "climbing bean", f"{variety} Runner", date(y, 5, 20), date(y, 7, 25), 8, 6, 16, "seed", 0.009,
               0.33, in_row_m=0.1, row_gap_m=0.9)  # fmt: skip
    picked("bed-1", "pea", "Towpath", date(y, 3, 20), date(y, 6, 20), 5, 4, 60, "seed", 0.006, 0.045,
           in_row_m=0.05, row_gap_m=0.6)  # fmt: skip
    picked("bed-4", "chard", "Windlass", date(y, 4, 28), date(y, 6, 25), 12, 9, 10, "module", 0.03, 0.55,
           in_row_m=0.25, row_gap_m=0.4)  # fmt: skip
    picked("bed-4", "kale", "Capstan", date(y, 5, 25), date(y, 8, 30), 10, 8, 8, "module", 0.02, 0.7,
           in_row_m=0.45, row_gap_m=0.6)  # fmt: skip
    picked("lean-to", "courgette", "Bollard", date(y, 5, 25), date(y, 7, 1), 14, 5, 3, "transplant", 0.3, 4.2,
           in_row_m=0.9, row_gap_m=1.2)  # fmt: skip
    once("mound", "winter squash", "Millrace", date(y, 5, 28), date(y, 9, 28), 3, "transplant", 1.6, 3.6)
    once("block", "sweet corn", "Halyard", date(y, 5, 16), date(y, 8, 26), 40, "seed", 0.24, 0.31,
         in_row_m=0.3, row_gap_m=0.75)  # fmt: skip
    planted = date(2024, 3, 30) if y == 2024 else None
    berries = g.plant("berry", "strawberry", "Lock-keeper", y, planted, 24, "runner", in_row_m=0.3,
                      methods=f"year of life={y - 2023}")  # fmt: skip
    kg = g.total_kg("strawberry", "Lock-keeper", y, 24, {2024: 0.06, 2025: 0.21, 2026: 0.19}[y], 1.0)
    g.finish(berries, g.pick(berries, date(y, 6, 10), 9, 3, kg, 0.012))


def potatoes(g: Garden, season: int, crocks: list[int]) -> None:
    for i, crock in enumerate(crocks):
        variety = ("Ferryman", "Blue Slate")[i % 2]
        ref = g.plant(f"crock-{crock}", "potato", variety, season, date(season, 4, 2), 2, "seed potato")
        g.lift(ref, date(season, 7, 28), g.total_kg("potato", variety, season, 2, 0.62, 1.0), 0.075, small=0.2)
        g.finish(ref, date(season, 7, 28))


def odd_ones(g: Garden) -> None:
    """A failure, a volunteer, a mixed basket, what waits for the scale, and what still stands."""
    failed = g.plant("bed-4", "courgette", "Bollard", 2025, date(2025, 5, 20), 2, "transplant", in_row_m=0.9,
                     methods="light=behind the water butt")  # fmt: skip
    g.finish(failed, date(2025, 8, 1))
    stray = g.plant("bed-3", "potato", "", 2025, None, 1, "volunteer")
    g.lift(stray, date(2025, 9, 12), 0.71, 0.08)
    g.finish(stray, date(2025, 9, 12))
    note = "two crocks in one basket of 2.310 kg, split by count"
    for crock, kg in ((13, 1.271), (14, 1.039)):
        mixed = g.plant(f"crock-{crock}", "potato", "Ferryman", 2026, date(2026, 4, 2), 2, "seed potato")
        g.weigh(mixed, date(2026, 7, 28), "table", kg, 0.077, note)
        g.finish(mixed, date(2026, 7, 28))
    for i in range(14):
        leek = g.plant(f"crate-{i + 1}", "leek", ("Long Cable", "Pennant")[i % 2], 2026, date(2026, 8, 8), 8, "module",
                       in_row_m=0.15, row_gap_m=0.15)  # fmt: skip
        if i < 5:
            kg = g.total_kg("leek", ("Long Cable", "Pennant")[i % 2], 2026, 8, 0.19, 1.0)
            day = date(2026, 11, 8 + i)
            g.lift(leek, day, kg, 0.2, small=0.2)
            g.finish(leek, day)
    waits = g.rows["plantings"][-9]["id"]
    g.add("weigh_ins", id=f"w{len(g.rows['weigh_ins']) + 1:04d}", planting=waits, weighed_on=date(2026, 11, 22),
          grade="table", count=6, note="dark already; still to be weighed")  # fmt: skip
    for bed, variety in ((5, "Old Hemp Knot"), (3, "Splice Knot")):
        g.plant(f"bed-{bed}", "garlic", variety, 2027, date(2026, 10, 16), 30, "clove", in_row_m=0.15, row_gap_m=0.3)


def write(g: Garden) -> None:
    HERE.mkdir(exist_ok=True)
    (HERE / "datapackage.json").write_text(json.dumps(descriptor("ropewalk-yard"), indent=2, ensure_ascii=False) + "\n")
    for table in TABLES:
        with (HERE / f"{table.name}.csv").open("w", newline="") as stream:
            writer = csv.DictWriter(stream, table.column_names, lineterminator="\n")
            writer.writeheader()
            writer.writerows({name: cell(value) for name, value in row.items()} for row in g.rows[table.name])


def main() -> None:
    g = Garden()
    make_ground(g)
    for name, appetite in (("Odile", 1), ("Bram", 1.25), ("Ines", 1), ("Wen", 0.75), ("Tilly", 0.5), ("the lodger", 1)):
        g.add("eaters", id=name.split()[-1].lower(), name=name, appetite=appetite)
    g.add("eaters", id="ducks", name="four ducks", appetite=0.5)
    for season in SEASON_EFFECT:
        bed_crops(g, season)
        potatoes(g, season, [11, 12] if season == 2026 else list(range(7, 13)))
        tomatoes(g, season, list(range(1, 11)) if season == 2026 else list(range(1, 7)))
    shallot_trial(g, 2025, list(range(1, 13)))
    shallot_trial(g, 2026, list(range(1, 25)))
    bean_trial(g, 2025)
    bean_trial(g, 2026)
    odd_ones(g)
    write(g)


if __name__ == "__main__":
    main()
