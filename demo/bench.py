"""How the demo's lines were weighed: bowls, scales, estimates, baskets."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from demo.garden import Garden


def at_the_bench(g: Garden) -> None:
    """Bowls and scales, causes, a mixed basket, and what the seed potatoes weighed."""
    g.add("crop_sizes", id="bakers", crop="potato", word="Baker", grade="table", from_mm=70)
    g.add("crop_sizes", id="salads", crop="potato", word="Salad", grade="small", from_mm=25)
    g.add("scales", id="kitchen-scale", name="kitchen scale", step="1 g", limit="5000 g")
    g.add("scales", id="hanging-scale", name="hanging scale", step="20 g", limit="25000 g")
    for ref, name, mass in (
        ("blue-bowl", "blue bowl", "312 g"),
        ("trug", "slatted trug", "1140 g"),
    ):
        g.add("bowls", id=ref, name=name, mass=mass)
    for name in ("tub", "bunch"):
        g.add("own_measures", id=name, name=name)
    g.add("crops", id="crop-courgette", name="courgette", counted="yes")

    for row in g.rows["weigh_ins"]:
        if (row.get("note") or "").startswith("two crocks"):
            row |= {"basket": "basket-1", "split_by": "count"}
        if row["grade"] == "hurt":
            crop = next(r["crop"] for r in g.rows["plantings"] if r["id"] == row["planting"])
            row["cause"] = {"potato": "forked", "shallot": "split", "beetroot": "nibbled"}.get(
                crop, "slugs"
            )
        row["scale"] = (
            "kitchen-scale" if row.get("mass") and row["weighed_on"].year > 2024 else None
        )
    for row in g.rows["plantings"]:
        if row["crop"] == "potato" and row["unit_kind"] == "seed potato":
            row["lot_mass"] = f"{row['units'] * 62} g"


def special_lines(g: Garden) -> None:
    """Part lifts, the ripening shelf, thinnings, gappy ears, own measures, a renamed crock,
    and what is remembered.
    """

    def line(planting: str, day: date, **more: Any) -> str:
        ref = f"w{len(g.rows['weigh_ins']) + 1:04d}"
        return g.add(
            "weigh_ins", id=ref, planting=planting, weighed_on=day, **({"grade": "table"} | more)
        )

    def season_of(crop: str, season: int, place: str = "") -> list[dict[str, Any]]:
        rows = [r for r in g.rows["plantings"] if r["crop"] == crop and r["season"] == season]
        return [r for r in rows if r["place"].startswith(place)]

    standing = [r for r in season_of("leek", 2026) if not r.get("finished_on")]
    line(
        standing[1]["id"],
        date(2026, 11, 15),
        count=3,
        mass="610 g",
        plants=3,
        scale="kitchen-scale",
        topped="topped",
    )
    line(
        standing[2]["id"],
        date(2026, 11, 19),
        count=2,
        mass="388 g",
        plants=2,
        scale="kitchen-scale",
        topped="topped",
    )
    unripe = [
        w for w in g.rows["weigh_ins"] if w["grade"] == "unripe" and w["weighed_on"].year == 2026
    ]
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
        line(
            row["id"],
            date(2026, 5, 24),
            count=14,
            mass="96 g",
            thinning="yes",
            note="baby leaves and roots",
        )
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
    line(
        season_of("tomato", 2026)[1]["id"],
        date(2026, 8, 23),
        measure="tub",
        measures=1,
        note="given away unweighed",
    )
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
