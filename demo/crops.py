"""What was sown and planted in the demo, season by season, with its seed."""

from __future__ import annotations

from datetime import date
from typing import Any

from demo.garden import Garden


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
    once(
        "mound",
        "winter squash",
        "Millrace",
        date(y, 5, 28),
        date(y, 9, 28),
        3,
        "transplant",
        1.6,
        3.6,
    )
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
    kg = g.total_kg(
        "strawberry", "Lock-keeper", y, 24, {2024: 0.06, 2025: 0.21, 2026: 0.19}[y], 1.0
    )
    g.pick(g.berries, date(y, 6, 10), 9, 3, kg, 0.012)


def potatoes(g: Garden, season: int, crocks: list[int]) -> None:
    for i, crock in enumerate(crocks):
        variety = ("Ferryman", "Blue Slate")[i % 2]
        ref = g.plant(
            f"crock-{crock}", "potato", variety, season, date(season, 4, 2), 2, "seed potato"
        )
        g.lift(
            ref,
            date(season, 7, 28),
            g.total_kg("potato", variety, season, 2, 0.62, 1.0),
            0.075,
            small=0.2,
        )
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
        mixed = g.plant(
            f"crock-{crock}", "potato", "Ferryman", 2026, date(2026, 4, 2), 2, "seed potato"
        )
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
        g.plant(
            f"bed-{bed}",
            "garlic",
            variety,
            2027,
            date(2026, 10, 16),
            30,
            "clove",
            in_row_m=0.15,
            row_gap_m=0.3,
        )


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
    kept = next(
        r["id"] for r in g.rows["plantings"] if r["crop"] == "garlic" and r["season"] == 2026
    )
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
    doubtful = next(
        r for r in g.rows["plantings"] if r["place"] == "crock-10" and r["season"] == 2026
    )
    doubtful |= {
        "variety_in_doubt": "yes",
        "notes": "The label said Brass Bell; the fruit showed something else.",
    }
    g.rows["weigh_ins"] = [
        w | {"note": ""} if w.get("note", "").startswith("the label") else w
        for w in g.rows["weigh_ins"]
    ]
    first = next(
        r["id"] for r in g.rows["plantings"] if r["crop"] == "beetroot" and r["season"] == 2026
    )
    for n, (day, kind, count) in enumerate(
        (
            (date(2026, 5, 4), "up", 27),
            (date(2026, 5, 24), "thinned", 5),
            (date(2026, 6, 2), "died", 3),
        )
    ):
        g.add("counts", id=f"count-{n + 1}", planting=first, day=day, kind=kind, count=count)
    others = [
        r
        for r in g.rows["plantings"]
        if r["place"] == "bed-3" and r["crop"] == "beetroot" and r["id"] != first
    ]
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
        g.add(
            "counts", id=f"berries-{day.year}", planting=g.berries, day=day, kind=kind, count=count
        )
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
