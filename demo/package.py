"""Writes the rows of the demo as a package of the open format."""

from __future__ import annotations

import json
from pathlib import Path

from demo.garden import Garden
from kilter.exchange.dumping import as_csv
from kilter.exchange.formats import TABLES, descriptor

HERE = Path(__file__).resolve().parent / "ropewalk-yard"


def names(g: Garden) -> None:
    """A row for every crop and variety that something names, before what names them."""
    known = {row["name"] for row in g.rows["crops"]}
    pairs = {(row["crop"], row["variety"]) for row in g.rows["varieties"]}
    for row in (
        row
        for table in ("lots", "plantings", "scores", "verdicts", "trials")
        for row in g.rows[table]
    ):
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


def write(g: Garden) -> None:
    HERE.mkdir(exist_ok=True)
    (HERE / "datapackage.json").write_text(
        json.dumps(descriptor("ropewalk-yard"), indent=2, ensure_ascii=False) + "\n"
    )
    for table in TABLES:
        # What a row does not say is written as the format writes it: by its default, or empty where
        # that is quiet.
        plain = {c.name: None if c.shown or c.empty is False else c.empty for c in table.columns}
        (HERE / f"{table.name}.csv").write_text(
            as_csv(table, (plain | row for row in g.rows[table.name]))
        )
