"""The demo's yard: sites, beds, containers, and what was done to them over the years."""

from __future__ import annotations

import math
from datetime import date

from demo.garden import Garden


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
    g.add(
        "places",
        id="block",
        site="lock",
        kind="plot",
        name="Corn block",
        length_m=3.6,
        width_m=3,
        x_m=0.4,
        y_m=0.5,
    )
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
            "fills",
            id=f"fill-{i + 1}b",
            place=place,
            day=date(2025, 3, 22),
            kind="measured",
            litres=22.5,
            note="sunk",
        )
        g.add(
            "fills",
            id=f"fill-{i + 1}c",
            place=place,
            day=date(2025, 3, 24),
            kind="topped up",
            litres=4,
        )
        g.add(
            "costs",
            id=f"cost-crock-{i + 1}",
            place=place,
            what="crock",
            price=14,
            day=date(2024, 3, 1),
            over_years=10,
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


def squares(g: Garden) -> None:
    """Carrots and lettuces in one square or in squares of their own, two years, turned about."""
    for season in (2025, 2026):
        for i in range(4):
            crops = (("carrot", "lettuce"), ("carrot", "lettuce"), ("carrot",), ("lettuce",))[
                (i + season) % 4
            ]
            for crop in crops:
                variety, kind, units, kg = {
                    "carrot": ("Plumb Line", "seed", 70, 4.1),
                    "lettuce": ("Still Water", "module", 14, 2.3),
                }[crop]
                share = 1.0 if len(crops) == 1 else {"carrot": 0.76, "lettuce": 0.63}[crop]
                ref = g.plant(
                    f"square-{i + 1}", crop, variety, season, date(season, 4, 20), units, kind
                )
                day = date(season, 7, 14) if crop == "carrot" else date(season, 6, 20)
                g.lift(
                    ref,
                    day,
                    kg * share * math.exp(float(g.rng.normal(0, 0.1))),
                    kg / units,
                    hurt=0.04,
                )
                g.finish(ref, day)
