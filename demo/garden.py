"""The rows of the demo garden as they are collected; every draw comes from one seeded generator."""

from __future__ import annotations

import math
from datetime import date, timedelta
from typing import Any

import numpy as np

from kilter.exchange.formats import TABLES

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

    def total_kg(
        self, crop: str, variety: str, season: int, units: int, per_unit_kg: float, gain: float
    ) -> float:
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
        self,
        place: str,
        crop: str,
        variety: str,
        season: int,
        planted: date | None,
        units: int,
        kind: str,
        **more: Any,
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

    def weigh(
        self, planting: str, day: date, grade: str, kg: float, each_kg: float, note: str = ""
    ) -> None:
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
        self,
        planting: str,
        day: date,
        kg: float,
        each_kg: float,
        small: float = 0.12,
        hurt: float = 0.06,
    ) -> None:
        """One lift, graded."""
        shares = {
            "small": small * float(self.rng.uniform(0.5, 1.5)),
            "hurt": hurt * float(self.rng.uniform(0, 2)),
        }
        self.weigh(planting, day, "table", kg * (1 - sum(shares.values())), each_kg)
        for grade, share in shares.items():
            if kg * share > 0.008:
                self.weigh(
                    planting, day, grade, kg * share, each_kg * (0.4 if grade == "small" else 1)
                )

    def pick(
        self, planting: str, first: date, times: int, every: int, kg: float, each_kg: float
    ) -> date:
        """Many small pickings, most in the middle of the season."""
        weights = [
            math.sin(math.pi * (i + 1) / (times + 1)) * float(self.rng.uniform(0.6, 1.4))
            for i in range(times)
        ]
        day = first
        for weight in weights:
            self.weigh(planting, day, "table", kg * weight / sum(weights), each_kg)
            last, day = day, day + timedelta(days=every + int(self.rng.integers(-1, 2)))
        return last

    def finish(self, planting: str, day: date) -> None:
        next(row for row in self.rows["plantings"] if row["id"] == planting)["finished_on"] = day
